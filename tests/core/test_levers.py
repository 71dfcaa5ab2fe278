"""Levers, rods, bars and hoses against searches and samples that share no formula with them."""

import math
import random
import unittest
from itertools import pairwise

import numpy as np
from scipy.optimize import brentq
from scipy.spatial.transform import Rotation

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.linkage.bar_and_link import Rod, bar_and_link
from elmpeg.core.methods.linkage.control_rods import RodEnd, cut_rod
from elmpeg.core.methods.linkage.hose_route import hose_route
from elmpeg.core.methods.linkage.lever_sweep import Lever, lever_sweep


def end_at(lever, degrees):
    axis = np.array(lever.axis) / np.linalg.norm(lever.axis)
    turn = Rotation.from_rotvec(axis * math.radians(degrees))
    return np.array(lever.pivot_mm) + turn.apply(np.array(lever.end_mm) - np.array(lever.pivot_mm))


def followed(drive, driven, match, place, step=0.5):
    """The driven angle by creeping from the match in small steps, each solved by a root search near the last; None when lost."""
    rod = np.linalg.norm(end_at(drive, match[0]) - end_at(driven, match[1]))

    def off(drive_deg, driven_deg):
        return np.linalg.norm(end_at(drive, drive_deg) - end_at(driven, driven_deg)) - rod

    at = match[1]
    n = max(1, math.ceil(abs(place - match[0]) / step))
    for k in range(1, n + 1):
        now = match[0] + (place - match[0]) * k / n
        for reach in (6 * step, 20 * step, 200 * step) if step < 0.1 else (6 * step, 20 * step):
            if off(now, at - reach) * off(now, at + reach) <= 0:
                at = brentq(lambda d, now=now: off(now, d), at - reach, at + reach, xtol=1e-10)
                break
        else:
            return None
    return at


def random_pair(rng):
    def axis():
        return (rng.uniform(-0.15, 0.15), 1.0, rng.uniform(-0.15, 0.15))

    drive = Lever((0, 0, 0), axis(), (rng.uniform(-20, 20), 5, rng.uniform(60, 120)), -12, 15)
    pivot = (rng.uniform(250, 450), rng.uniform(-40, 40), rng.uniform(-80, 80))
    end = (pivot[0] + rng.uniform(-15, 15), pivot[1], pivot[2] + rng.choice((-1, 1)) * rng.uniform(45, 90))
    return drive, Lever(pivot, axis(), end, -30, 30)


class Sweeps(unittest.TestCase):
    def test_the_driven_lever_goes_where_creeping_along_finds_it(self):
        """A closed form that jumped to its other branch would open the throttle the wrong way."""
        rng = random.Random(7)
        for k in range(12):
            drive, driven = random_pair(rng)
            match = (rng.uniform(-5, 5), rng.uniform(-10, 10))
            sweep = lever_sweep(drive, driven, *match, 5)
            for step in sweep.steps:
                with self.subTest(k=k, at=step.drive_deg):
                    found = followed(drive, driven, match, step.drive_deg)
                    if step.driven_deg is None:
                        self.assertIsNone(found)
                    else:
                        self.assertAlmostEqual(step.driven_deg, found, delta=1e-6)

    def test_leverage_is_the_slope_of_the_sweep(self):
        """The pedal feels what the slope says, not the ratio of the levers."""
        drive, driven = random_pair(random.Random(3))
        sweep = lever_sweep(drive, driven, 0, 0, 7)
        h = 1e-4
        for step in sweep.steps[1:-1]:
            sides = [
                lever_sweep(Lever(drive.pivot_mm, drive.axis, drive.end_mm, step.drive_deg - h, step.drive_deg + h), driven, 0, 0, 2).steps[
                    k
                ]
                for k in (0, 1)
            ]
            self.assertAlmostEqual(step.leverage, (sides[1].driven_deg - sides[0].driven_deg) / (2 * h), delta=1e-5)

    def test_joint_angles_stand_off_the_planes_of_the_levers(self):
        drive, driven = random_pair(random.Random(5))
        for step in lever_sweep(drive, driven, 0, 0, 5).steps:
            if step.driven_deg is None:
                continue
            rod = end_at(driven, step.driven_deg) - end_at(drive, step.drive_deg)
            for lever, told in ((drive, step.drive_joint_deg), (driven, step.driven_joint_deg)):
                between = math.degrees(math.acos(abs(rod @ np.array(lever.axis)) / np.linalg.norm(rod) / np.linalg.norm(lever.axis)))
                self.assertAlmostEqual(told, 90 - between, places=6)

    def test_like_levers_side_by_side_turn_alike_past_the_dead_point_too(self):
        """A parallelogram's rod passes straight in line with both levers; the driven lever goes on with the drive."""
        drive = Lever((0, 0, 0), (0, 1, 0), (0, 0, 50), -60, 130)
        driven = Lever((200, 0, 0), (0, 1, 0), (200, 0, 50), -200, 200)
        for step in lever_sweep(drive, driven, 0, 0, 20).steps:
            self.assertAlmostEqual(step.driven_deg, step.drive_deg, places=5)
            if abs(abs(step.drive_deg) - 90) > 1:
                self.assertAlmostEqual(step.leverage, 1.0, places=5)

    def test_where_it_stops_following_nothing_is_known_beyond(self):
        drive = Lever((0, 0, 0), (0, 1, 0), (0, 0, 120), -50, 50)
        driven = Lever((300, 0, 0), (0, 1, 0), (300, 0, 30), -60, 60)
        sweep = lever_sweep(drive, driven, 0, 0, 101)
        known = [s.drive_deg for s in sweep.steps if s.driven_deg is not None]
        self.assertTrue(all(sweep.follows_from_deg <= d <= sweep.follows_to_deg for d in known))
        self.assertEqual(known, [float(k) for k in range(int(known[0]), int(known[-1]) + 1)])
        self.assertIsNotNone(followed(drive, driven, (0, 0), sweep.follows_to_deg - 0.02, 0.005))
        self.assertIsNone(followed(drive, driven, (0, 0), sweep.follows_to_deg + 0.05, 0.005))

    def test_over_travel_and_use_hold_between_the_steps(self):
        """A driven lever that turns back within the sweep is at its furthest between two steps."""
        drive = Lever((0, 0, 0), (0, 1, 0), (60, 0, 0), -70, 95)
        driven = Lever((180, 0, 20), (0, 1, 0), (180, 0, 140), -20, 5)
        coarse, fine = (lever_sweep(drive, driven, 0, 0, n) for n in (3, 2001))
        angles = [s.driven_deg for s in fine.steps if s.driven_deg is not None]
        self.assertAlmostEqual(coarse.over_travel_deg, max(0, max(angles) - 5, -20 - min(angles)), delta=1e-3)
        used = 100 * max(0, min(5, max(angles)) - max(-20, min(angles))) / 25
        self.assertAlmostEqual(coarse.driven_used_pct, used, delta=0.01)
        inside = [s.drive_deg for s in fine.steps if s.driven_deg is not None and -20 <= s.driven_deg <= 5]
        self.assertLessEqual(coarse.inside_deg[0], 0)
        self.assertTrue(all(any(abs(d - i) < 0.1 for i in inside) for d in coarse.inside_deg))

    def test_a_lever_that_cannot_move_its_end_is_refused(self):
        stuck = Lever((0, 0, 0), (0, 1, 0), (0, 40, 0), -5, 5)
        fine = Lever((300, 0, 0), (0, 1, 0), (300, 0, 30), -60, 60)
        for pair, field in (((stuck, fine), "drive.end_mm"), ((fine, stuck), "driven.end_mm")):
            with self.assertRaises(InputError) as refused:
                lever_sweep(*pair, 0, 0, 3)
            self.assertEqual(refused.exception.errors[0].field, field)


class Rods(unittest.TestCase):
    def test_screwed_all_the_way_either_way_the_eyes_are_where_it_says(self):
        """Out by what it can still be made longer, each end holds just its least; in, each stud is at the bottom."""
        ends = (RodEnd(20.8, 17.8, 7.0), RodEnd(19, 20, 8.2))
        rod = cut_rod(249.2, ends, 4.5)
        for by, held in ((rod.longer_mm, [e.min_engage_mm for e in ends]), (-rod.shorter_mm, [e.thread_mm for e in ends])):
            eyes = rod.cut_mm - sum(held) + sum(e.body_mm for e in ends)
            self.assertAlmostEqual(eyes, 249.2 + by)
        self.assertAlmostEqual(rod.sleeve_mm + 9.0 + sum(e.body_mm for e in ends), 249.2)

    def test_no_room_between_the_ends_is_said(self):
        end = RodEnd(20, 15, 8)
        with self.assertRaisesRegex(InputError, "too short"):
            cut_rod(40.5, (end, end), 1.0)
        self.assertAlmostEqual(cut_rod(42, (end, end), 1.0).sleeve_mm, 0.0)


class BarsAndLinks(unittest.TestCase):
    bar = Rod((-60, 427, 565), (-20, -405, 468))
    link = Rod((-150, 431, 601), (-140, -526, 434))

    def test_each_rod_keeps_its_length(self):
        found = bar_and_link(self.bar, self.link, (-90, -40, 0, 55, 100), 165)
        for step in found.steps:
            for rod, shift, length in ((self.bar, step.bar_shift_mm, found.bar_mm), (self.link, step.link_shift_mm, found.link_mm)):
                end = np.array(rod.axle_mm) + np.array([0, shift, step.rise_mm])
                self.assertAlmostEqual(np.linalg.norm(end - rod.frame_mm), length, places=9)
            self.assertAlmostEqual(math.tan(math.radians(step.steer_deg)) * 165, step.bar_shift_mm - step.link_shift_mm)

    def test_a_link_like_the_bar_steers_nothing(self):
        """Equal lengths and slopes, the one beside the other: the wheels stay where they are."""
        beside = Rod((-160, 427, 700), (-120, -405, 603))
        for step in bar_and_link(self.bar, beside, (-80, 0, 80), 165).steps:
            self.assertAlmostEqual(step.steer_deg, 0.0, places=9)

    def test_mirrored_left_to_right_it_draws_the_other_way(self):
        def over(rod):
            return Rod(*((p[0], -p[1], p[2]) for p in (rod.frame_mm, rod.axle_mm)))

        one, other = bar_and_link(self.bar, self.link, (60,)), bar_and_link(over(self.bar), over(self.link), (60,))
        self.assertAlmostEqual(one.steps[0].bar_shift_mm, -other.steps[0].bar_shift_mm)
        self.assertAlmostEqual(one.bar_deg, -other.bar_deg)
        self.assertAlmostEqual(one.apart_deg, other.apart_deg)

    def test_a_rise_beyond_reach_says_how_far_it_goes(self):
        short = Rod((0, 100, 300), (0, -100, 290))
        with self.assertRaises(InputError) as refused:
            bar_and_link(short, self.link, (0, 260))
        self.assertEqual(refused.exception.errors[0].field, "rises_mm.1")
        bar_and_link(short, self.link, (10 + math.hypot(200, 10) - 1e-6,))


class Hoses(unittest.TestCase):
    def test_length_is_that_of_a_line_drawn_with_its_arcs(self):
        """Each corner is cut by a finely drawn arc that touches both runs."""
        rng = random.Random(11)
        for _ in range(20):
            points = np.cumsum([[rng.uniform(200, 400), rng.uniform(-300, 300), rng.uniform(-300, 300)] for _ in range(5)], axis=0)
            radius = rng.uniform(20, 50)
            route = hose_route(tuple(map(tuple, points)), radius)
            length, last = 0.0, points[0]
            for k in range(1, len(points) - 1):
                into, out = points[k] - points[k - 1], points[k + 1] - points[k]
                into, out = into / np.linalg.norm(into), out / np.linalg.norm(out)
                middle = (out - into) / np.linalg.norm(out - into)
                half = math.acos(into @ out) / 2
                centre = points[k] + middle * radius / math.cos(half)
                start = points[k] - into * radius * math.tan(half)
                a, b = start - centre, into * radius
                arc = [centre + a * math.cos(t) + b * math.sin(t) for t in np.linspace(0, 2 * half, 400)]
                length += np.linalg.norm(arc[0] - last) + sum(np.linalg.norm(q - p) for p, q in pairwise(arc))
                last = arc[-1]
            length += np.linalg.norm(points[-1] - last)
            self.assertAlmostEqual(route.length_mm, length, delta=1e-3)

    def test_a_run_just_long_enough_fits(self):
        points = ((0, 0, 0), (200, 0, 0), (200, 100, 0), (400, 100, 0))
        self.assertTrue(hose_route(points, 50).fits)
        short = hose_route(points, 50.5).short
        self.assertEqual([(s.from_point, round(s.by_mm, 9)) for s in short], [(1, 1.0)])

    def test_doubling_back_and_standing_still_are_refused(self):
        for points, field in ((((0, 0, 0), (100, 0, 0), (20, 0, 0)), "points_mm.1"), (((0, 0, 0), (0, 0, 0)), "points_mm.1")):
            with self.assertRaises(InputError) as refused:
                hose_route(points, 10)
            self.assertEqual(refused.exception.errors[0].field, field)
