"""Belts against the outline of a stretched hull, against virtual work, and against orders that no belt can follow."""

import math
import random
import unittest

from shapely.geometry import Point
from shapely.ops import unary_union

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.belts.belt_path import Pulley, Slot, belt_path, pulley_rpm, slid, slot_range

CRANK, IDLER = Pulley("crank", 0, 0, 160), Pulley("idler", 165, 60, 70, True)
ALTERNATOR, PUMP = Pulley("alternator", 300, 200, 58), Pulley("pump", -10, 300, 140)
DRIVE = (CRANK, IDLER, ALTERNATOR, PUMP)


class Lengths(unittest.TestCase):
    def test_without_back_pulleys_it_is_the_hull_of_the_circles(self):
        """A cord around all pulleys lies on the hull; its length is measured on a finely drawn one."""
        rng = random.Random(4)
        tried = 0
        while tried < 25:
            n = rng.randint(2, 5)
            turns = sorted(rng.uniform(0, 360) for _ in range(n))
            pulleys = tuple(
                Pulley(f"p{k}", 300 * math.cos(math.radians(t)), 300 * math.sin(math.radians(t)), rng.uniform(40, 150))
                for k, t in enumerate(turns)
            )
            try:
                path = belt_path(pulleys)
            except InputError:
                continue
            tried += 1
            hull = unary_union([Point(p.x_mm, p.y_mm).buffer(p.d_mm / 2, 2000) for p in pulleys]).convex_hull
            self.assertAlmostEqual(path.length_mm, hull.exterior.length, delta=0.01)
            self.assertAlmostEqual(sum(w.wrap_deg for w in path.wraps), 360)

    def test_moving_a_pulley_takes_up_what_its_two_runs_pull(self):
        """Virtual work: the length grows by the sum of the runs' directions at the pulley, whichever side the belt runs on."""
        path = belt_path(DRIVE)
        for k, pulley in enumerate(DRIVE):
            out, into = path.spans[k], path.spans[k - 1]
            pull = [(into.arrives_mm[i] - into.leaves_mm[i]) / into.mm - (out.arrives_mm[i] - out.leaves_mm[i]) / out.mm for i in (0, 1)]
            for way in ((1.0, 0.0), (0.3, -0.8)):
                h = 1e-3
                lengths = [belt_path(slid(DRIVE, Slot(pulley.id, way, 0, 0), by)).length_mm for by in (-h, h)]
                size = math.hypot(*way)
                with self.subTest(pulley.id, way=way):
                    expected = (pull[0] * way[0] + pull[1] * way[1]) / size
                    self.assertAlmostEqual((lengths[1] - lengths[0]) / (2 * h), expected, places=5)

    def test_a_back_pulley_that_hardly_presses_hardly_changes_the_length(self):
        without = belt_path((CRANK, ALTERNATOR, PUMP))
        run = next(s for s in without.spans if s.from_id == "crank")
        middle = [(a + b) / 2 for a, b in zip(run.leaves_mm, run.arrives_mm, strict=True)]
        along = [(b - a) / run.mm for a, b in zip(run.leaves_mm, run.arrives_mm, strict=True)]
        pressed = Pulley("idler", middle[0] + along[1] * 29.9, middle[1] - along[0] * 29.9, 60, True)
        longer = belt_path((CRANK, pressed, ALTERNATOR, PUMP)).length_mm - without.length_mm
        self.assertGreater(longer, 0)
        self.assertLess(longer, 0.001)

    def test_a_stock_belt_comes_tight_where_the_length_is_its_own(self):
        stock = tuple(1300 + 12.5 * k for k in range(12))
        found = slot_range(DRIVE, Slot("alternator", (1, 0.4), -12, 30), stock)
        self.assertTrue(found.stock)
        for belt in found.stock:
            self.assertAlmostEqual(belt_path(slid(DRIVE, Slot("alternator", (1, 0.4), 0, 0), belt.at_mm)).length_mm, belt.mm, places=6)
        within = [mm for mm in stock if found.length_from_mm <= mm <= found.length_to_mm]
        self.assertEqual([b.mm for b in found.stock], within)

    def test_speeds_keep_the_belt_at_one_speed(self):
        for p, rpm in zip(DRIVE, pulley_rpm(DRIVE, 2000), strict=True):
            self.assertAlmostEqual(abs(rpm) * p.d_mm, 2000 * 160)
            self.assertEqual(rpm < 0, p.back)


class Orders(unittest.TestCase):
    def refused(self, *pulleys):
        with self.assertRaises(InputError) as refused:
            belt_path(pulleys)
        return str(refused.exception)

    def test_what_a_belt_cannot_follow_is_refused_and_not_answered(self):
        self.assertIn("order", self.refused(PUMP, ALTERNATOR, IDLER, CRANK))
        self.assertIn("order", self.refused(CRANK, PUMP, ALTERNATOR))
        square = [Pulley(f"{k}", *xy, 40) for k, xy in enumerate(((0, 0), (200, 0), (200, 200), (0, 200)))]
        self.assertIn("order", self.refused(square[0], square[2], square[1], square[3]))

    def test_a_pulley_in_the_way_is_named(self):
        pressed = Pulley("idler", 140, -20, 80, True)
        said = self.refused(Pulley("a", 0, 0, 100), Pulley("b", 300, 0, 100), Pulley("c", 150, 250, 80), pressed)
        self.assertIn("“idler” stands in the way of the belt from “a” to “b”", said)
        overlapping = self.refused(Pulley("a", 0, 0, 150), Pulley("b", 90, 0, 120))
        self.assertIn("“b” overlaps “a”", overlapping)

    def test_an_idler_that_the_belt_does_not_reach_is_refused(self):
        """On its own the tangent would wind once around it the wrong way."""
        away = Pulley("idler", 260, -120, 70, True)
        self.assertIn("order", self.refused(CRANK, away, ALTERNATOR, PUMP))
