"""Tubes: ends against the solids that they meet, bends against the path in space, holes against their own axis."""

import math
import random
import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import norm, sub
from elmpeg.core.build.pieces import CrossHole, Piece, TubeBody
from elmpeg.core.methods.tubes.telescoping import RoundTube, table_tubes, telescopes
from elmpeg.core.methods.tubes.tube_bends import TubeBend, bent_tube, from_corners, thinned_wall_mm
from elmpeg.core.methods.tubes.tube_ends import FurtherCut, TubeEnd, edge_mm, end_edge
from elmpeg.core.methods.tubes.tube_holes import hole_on_wrap
from elmpeg.core.stages.make.tube_shape import tube_shape


def place(radius, turn_deg, along):
    """On a branch along z from the origin, its obtuse side towards +x."""
    a = math.radians(turn_deg)
    return np.array([radius * math.cos(a), radius * math.sin(a), along])


def bisected(inside, low, high):
    """Where a place that moves along goes out of something: found by halving, knowing nothing of the formula."""
    for _ in range(80):
        mid = (low + high) / 2
        low, high = (mid, high) if inside(mid) else (low, mid)
    return (low + high) / 2


class Ends(unittest.TestCase):
    def test_a_cope_lies_on_the_header(self):
        """By halving along the branch's wall until the distance from the header's axis is its radius."""
        dice = random.Random(3)
        for _ in range(200):
            big = dice.uniform(20, 80)
            r = dice.uniform(0.2, 0.9) * big
            offset = dice.uniform(-1, 1) * (big - r) * 0.95
            angle, turn, gap = dice.uniform(20, 160), dice.uniform(0, 360), 0.0
            end = TubeEnd("cope", angle, 2 * big, offset, 0.0, gap)
            a = math.radians(angle)
            # On the side of +x the header goes off at more than a right angle where the angle is a sharp one.
            header = np.array([math.sin(a), 0.0, -math.cos(a)])
            at = np.array([0.0, -offset, 0.0])

            def within(along, header=header, at=at, r=r, turn=turn, big=big):
                off = place(r, turn, along) - at
                return np.linalg.norm(off - header * (off @ header)) < big

            # Far inside the header at its middle, and certainly out of it a long way up.
            middle = next(z for z in np.linspace(-400, 400, 4001) if within(z))
            self.assertAlmostEqual(edge_mm(end, r, turn), bisected(within, middle, middle + 3000.0), delta=1e-6)

    def test_a_mitre_meets_its_twin_edge_to_edge(self):
        """Both tubes' edges lie in the plane that halves the angle: mirrored in it one is the other."""
        for angle in (40.0, 90.0, 130.0):
            end = TubeEnd("mitre", angle)
            half = math.radians(angle / 2)
            for turn in (0, 33, 90, 140, 180, 270):
                along = edge_mm(end, 15.0, turn)
                p = place(15.0, turn, along)
                # The plane through the meeting of the axes, holding y, leaning by half the angle from the tube's own axis.
                normal = np.array([math.cos(half), 0.0, math.sin(half)])
                self.assertAlmostEqual(float(p @ normal), 0.0, places=9)

    def test_a_flat_is_a_header_without_end(self):
        flat = TubeEnd("flat", 60.0, 100.0)
        wide = TubeEnd("cope", 60.0, 2e7)
        for turn in range(0, 360, 15):
            bowed = edge_mm(wide, 10.0, turn) - (1e7 - 50.0) / math.sin(math.radians(60.0))
            self.assertAlmostEqual(edge_mm(flat, 10.0, turn), bowed, places=3)

    def test_a_gap_is_the_gap_square_to_a_flat(self):
        closed, open_ = TubeEnd("flat", 50.0, 80.0), TubeEnd("flat", 50.0, 80.0, gap_mm=2.0)
        self.assertAlmostEqual((edge_mm(open_, 10, 20) - edge_mm(closed, 10, 20)) * math.sin(math.radians(50.0)), 2.0)

    def test_the_inside_edge_is_further_in_at_a_square_cope(self):
        edge = end_edge(TubeEnd("cope", 90.0, 60.0), 40.0, 34.0)
        self.assertTrue(all(i >= o - 1e-9 for o, i in zip(edge.outside_mm, edge.inside_mm, strict=True)))
        self.assertAlmostEqual(edge.nearest_mm, math.sqrt(30**2 - 20**2))
        self.assertAlmostEqual(edge.farthest_mm, 30.0)

    def test_what_cannot_be_cut_is_refused(self):
        for end, words in ((TubeEnd("cope", 90, 30.0), "stands out beside"), (TubeEnd("mitre", 5.0), "15° to 165°")):
            with self.assertRaisesRegex(InputError, words):
                end_edge(end, 40.0, 34.0)


class Bends(unittest.TestCase):
    def test_by_hand(self):
        """Legs 200 and 300, a bend of 90° at 60: tangents of 60, an arc of 94.25, 140 + 94.25 + 240 in all."""
        made = bent_tube((200.0, 300.0), (TubeBend(90.0, 60.0),), 25.0)
        self.assertAlmostEqual(made.straight_mm, 140 + math.pi * 30 + 240)
        mark = made.marks[0]
        self.assertAlmostEqual(mark.begins_mm, 140.0)
        self.assertAlmostEqual(mark.uses_mm, math.pi * 30)
        self.assertAlmostEqual(mark.saves_mm, 120 - math.pi * 30)

    def test_the_centre_line_in_space_is_as_long(self):
        """Legs and arcs summed on the path through random corners; and legs and bends give the corners back."""
        dice = random.Random(8)
        for _ in range(60):
            corners = [(0.0, 0.0, 0.0)]
            for _ in range(dice.randint(1, 4)):
                way = np.array([dice.gauss(0, 1) for _ in range(3)])
                way *= dice.uniform(300, 600) / np.linalg.norm(way)
                corners.append(tuple(float(a + b) for a, b in zip(corners[-1], way, strict=True)))
            legs, bends = from_corners(tuple(corners), 40.0)
            try:
                made = bent_tube(legs, bends, 25.0)
            except InputError:
                continue
            wanted = sum(math.dist(a, b) for a, b in pairwise(corners))
            wanted -= sum(2 * 40 * math.tan(math.radians(b.angle_deg) / 2) - 40 * math.radians(b.angle_deg) for b in bends)
            self.assertAlmostEqual(made.straight_mm, wanted, places=6)
            for i in range(len(corners)):
                for j in range(i):
                    self.assertAlmostEqual(norm(sub(made.corners_mm[i], made.corners_mm[j])), math.dist(corners[i], corners[j]), places=6)

    def test_no_room_between_two_bends(self):
        with self.assertRaisesRegex(InputError, "leg 2 15.0 mm too little"):
            bent_tube((200.0, 105.0, 200.0), (TubeBend(90.0, 60.0), TubeBend(90.0, 60.0)), 25.0)
        with self.assertRaisesRegex(InputError, "the bender holds 50 mm"):
            bent_tube((200.0, 160.0, 200.0), (TubeBend(90.0, 60.0), TubeBend(90.0, 60.0)), 25.0, 50.0)

    def test_the_wall_outside_thins_and_of_a_wide_bend_hardly(self):
        self.assertAlmostEqual(thinned_wall_mm(2.0, 40.0, 80.0), 1.6)
        self.assertAlmostEqual(thinned_wall_mm(2.0, 40.0, 1e9), 2.0)


class Holes(unittest.TestCase):
    def test_every_place_lies_a_radius_from_the_holes_axis(self):
        for r, hole, slant in ((20.0, 12.0, 90.0), (20.0, 25.0, 60.0), (30.0, 10.0, 130.0)):
            a = math.radians(slant)
            axis = np.array([math.sin(a), 0.0, math.cos(a)])
            for far in (False, True):
                for x, y in hole_on_wrap(r, hole, slant, far):
                    p = np.array([r * math.cos(x / r), r * math.sin(x / r), y])
                    self.assertAlmostEqual(float(np.linalg.norm(p - axis * (p @ axis))), hole / 2, places=9)
                    self.assertEqual(p[0] < 0, far)

    def test_too_large_or_too_slanted(self):
        for r, hole, slant in ((10.0, 19.0, 90.0), (10.0, 5.0, 10.0)):
            with self.assertRaises(InputError):
                hole_on_wrap(r, hole, slant)


class Telescopes(unittest.TestCase):
    def test_by_the_sizes(self):
        found = telescopes(table_tubes(), RoundTube("40 x 2", 40.0, 36.0, "shelf"))
        into = {(t.inner.name, t.outer.name): t for t in found}
        self.assertEqual(into[("35 x 2", "40 x 2")].play_mm, 1.0)
        self.assertEqual(into[("40 x 2", "45 x 2")].play_mm, 1.0)
        self.assertEqual(into[("40 x 2", "45 x 2.5")].fits, "is pressed or reamed")
        self.assertTrue(all(0 <= t.play_mm <= 2 for t in found))

    def test_it_wags_as_two_lines_in_a_slit_do(self):
        """The steepest line that stays within the play over the engaged length, reached out: searched over both ends' places."""
        fit = next(t for t in telescopes(table_tubes(), RoundTube("x", 40.0, 36.0)) if t.play_mm == 1.0)
        reach, half = 300.0, fit.play_mm / 2
        worst = max(
            abs(mouth + (mouth - inner) / fit.engaged_mm * reach)
            for mouth in np.linspace(-half, half, 41)
            for inner in np.linspace(-half, half, 41)
        )
        self.assertAlmostEqual(fit.wags_mm(reach), worst)


class Pieces(unittest.TestCase):
    BODY = TubeBody("round", 40.0, 2.0, legs_mm=(600.0,), start=TubeEnd("cope", 90.0, 60.0), end=TubeEnd("cope", 70.0, 60.0, turn_deg=90.0))

    def shape(self, **changes):
        return tube_shape(Piece("t", "t", 2.0, tube=replace(self.BODY, **changes)))

    def test_what_to_cut_off(self):
        """From longest point to longest point: what the two saddles reach over the centre lines."""
        shape = self.shape()
        ends = [min(edge_mm(e, 20.0, t / 10) for t in range(3600)) for e in (self.BODY.start, self.BODY.end)]
        self.assertAlmostEqual(shape.blank_mm, 600 - sum(ends), delta=1e-3)
        self.assertEqual(shape.twist_deg, 90.0)

    def test_mass_of_a_plain_tube(self):
        shape = self.shape(start=TubeEnd(), end=TubeEnd())
        self.assertAlmostEqual(shape.mass_kg, math.pi * (20**2 - 18**2) * 600 * 7850e-9, places=9)
        self.assertAlmostEqual(shape.blank_mm, 600.0)
        self.assertIsNone(shape.twist_deg)

    def test_a_mitred_box_frame_closes(self):
        """Four box tubes mitred at 90° about a square of 500: each is 500 + its own size at the outside."""
        shape = self.shape(section="box", start=TubeEnd("mitre", 90.0), end=TubeEnd("mitre", 90.0), legs_mm=(500.0,))
        self.assertAlmostEqual(shape.blank_mm, 540.0)
        self.assertAlmostEqual(shape.start.farthest_mm, 20.0)
        wide = self.shape(section="box", high_mm=60.0, start=TubeEnd("mitre", 90.0, turn_deg=90.0), end=TubeEnd(), legs_mm=(500.0,))
        self.assertAlmostEqual(wide.blank_mm, 530.0, msg="mitred across its other side it reaches half of that")

    def test_refusals(self):
        for changes, words in (
            ({"legs_mm": (40.0,)}, "cut into each other"),
            ({"section": "box", "start": TubeEnd("cope", 90.0, 36.0)}, "stands out beside"),
            ({"section": "box", "start": TubeEnd("cope", 90.0, 80.0, also=(FurtherCut(60.0, 40.0),))}, "fitted by hand"),
            ({"start": TubeEnd("square", also=(FurtherCut(60.0, 40.0),))}, "15° to 165°"),
            ({"holes": (CrossHole("h", 700.0, 0.0, 10.0),)}, "beyond the tube"),
            ({"legs_mm": (100.0, 400.0), "bends": (TubeBend(90.0, 80.0),)}, "into a bend"),
            ({"legs_mm": (300.0, 400.0), "bends": (TubeBend(90.0, 80.0),), "holes": (CrossHole("h", 250.0, 0.0, 10.0),)}, "in bend 1"),
        ):
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                self.shape(**changes)
