"""Level, tape and pose: where things are, from what a person can read at the vehicle."""

import math
import unittest

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.base.vectors import norm, sub
from elmpeg.core.calculators import Refused, answer
from elmpeg.core.methods.measuring.levelling import levelness
from elmpeg.core.methods.measuring.rigid_fit import PointPair, suspicion
from elmpeg.core.methods.measuring.tape_distances import Known, Tape, taped_point

CORNERS = {
    "A": (0.0, -450.0, 600.0),
    "B": (0.0, 450.0, 600.0),
    "C": (900.0, -430.0, 610.0),
    "D": (900.0, 430.0, 690.0),
    "E": (450.0, 0.0, 900.0),
}


def tapes(place, names, off=None, sd=1.0):
    """Exact distances, with some off by so much."""
    return tuple(Tape(n, CORNERS[n], math.dist(place, CORNERS[n]) + (off or {}).get(n, 0.0), sd) for n in names)


class Levelling(unittest.TestCase):
    """A plane through heights. The wrong sign here tilts every angle read against gravity."""

    def test_ten_millimetres_low_at_the_tail_over_two_metres(self):
        plane = levelness(((0, -500, 500), (0, 500, 500), (2000, -500, 490), (2000, 500, 490)))
        self.assertAlmostEqual(plane.pitch_deg, math.degrees(math.atan(10 / 2000)))
        self.assertAlmostEqual(plane.roll_deg, 0.0)
        self.assertAlmostEqual(plane.height_at_origin_mm, 500.0)

    @given(st.floats(-8, 8), st.floats(-8, 8), st.floats(200, 900))
    def test_a_level_plane_turned_by_a_pose_gives_that_pitch_and_roll(self, pitch, roll, height):
        where = placed(Pose(z_mm=height, pitch_deg=pitch, roll_deg=roll))
        plane = levelness(tuple(where.point((x, y, 0)) for x, y in ((-300, -500), (2400, -480), (2500, 510), (10, 490), (900, 0))))
        self.assertAlmostEqual(plane.pitch_deg, pitch, places=6)
        self.assertAlmostEqual(plane.roll_deg, roll, places=6)
        self.assertAlmostEqual(plane.height_at_origin_mm, height, places=5)
        self.assertLess(plane.rms_mm, 1e-6)

    def test_one_high_corner_of_four_is_shared_out(self):
        plane = levelness(((0, 0, 500), (1000, 0, 500), (0, 1000, 500), (1000, 1000, 504)))
        self.assertEqual([round(v, 9) for v in plane.residuals_mm], [1, -1, -1, 1])

    def test_refusals(self):
        for points, words in ((((0, 0, 0), (1, 0, 0)), "at least 3"), (((0, 0, 0), (5, 5, 9), (9, 9, 1)), "line")):
            with self.assertRaises(InputError) as refused:
                levelness(points)
            self.assertIn(words, str(refused.exception))


class Taping(unittest.TestCase):
    """A point from tapes."""

    @settings(max_examples=40, deadline=None)
    @given(st.tuples(st.floats(100, 800), st.floats(-300, 300), st.floats(50, 520)))
    def test_five_exact_tapes_give_the_point(self, place):
        found = taped_point(tapes(place, "ABCDE"))
        self.assertEqual((found.status, found.suspect), ("fixed", None))
        self.assertLess(norm(sub(found.xyz_mm, place)), 1e-4)

    @settings(max_examples=25, deadline=None)
    @given(st.tuples(st.floats(100, 800), st.floats(-300, 300), st.floats(50, 520)))
    def test_three_tapes_have_two_places_and_a_rough_idea_chooses(self, place):
        both = taped_point(tapes(place, "ABC"))
        self.assertEqual(both.status, "ambiguous")
        self.assertGreater(both.xyz_mm[2], both.other_xyz_mm[2])
        self.assertLess(min(norm(sub(place, p)) for p in (both.xyz_mm, both.other_xyz_mm)), 1e-3)
        near = taped_point(tapes(place, "ABC"), near_mm=(place[0] + 20, place[1], place[2] - 20))
        self.assertEqual((near.status, near.other_xyz_mm), ("fixed", None))
        self.assertLess(norm(sub(near.xyz_mm, place)), 1e-3)

    def test_a_known_height_does_for_a_third_tape(self):
        place = (300.0, 40.0, 250.0)
        found = taped_point(tapes(place, "AC"), (Known("z", 250.0, 0.5),), near_mm=(300, 100, 250))
        self.assertLess(norm(sub(found.xyz_mm, place)), 1e-4)
        self.assertLess(found.sd_mm[2], 0.51)

    def test_doubt_worked_by_hand(self):
        """Three tapes square to each other: each fixes one coordinate, so each coordinate has its tape's doubt."""
        square = tuple(Tape(n, at, 500.0, sd) for n, at, sd in (("X", (500, 0, 0), 1.0), ("Y", (0, 500, 0), 2.0), ("Z", (0, 0, 500), 3.0)))
        found = taped_point(square, near_mm=(0, 0, 0))
        for sd, expected in zip(found.sd_mm, (1.0, 2.0, 3.0), strict=True):
            self.assertAlmostEqual(sd, expected, places=4)

    def test_one_tape_an_inch_out_is_named(self):
        for wrong in "ACE":
            with self.subTest(wrong):
                found = taped_point(tapes((420.0, -60.0, 300.0), "ABCDE", {wrong: 25.4}))
                self.assertEqual((found.status, found.suspect), ("contradictory", wrong))

    def test_two_wrong_tapes_are_not_blamed_on_one(self):
        found = taped_point(tapes((420.0, -60.0, 300.0), "ABCDE", {"A": 25.0, "D": -40.0}))
        self.assertEqual((found.status, found.suspect), ("contradictory", None))

    def test_what_is_missing_is_said(self):
        cases = [
            ((tapes((1, 2, 3), "AB"), ()), "add 1 more"),
            ((tapes((450.0, 20.0, 600.0), "AB"), (Known("z", 600.0, 1.0),)), None),
            ((tuple(Tape(n, (x, 0.0, 0.0), 500.0, 1.0) for n, x in (("P", 0.0), ("Q", 300.0), ("R", 600.0))), ()), "leave the point free"),
        ]
        for (readings, known), words in cases:
            if words is None:
                self.assertEqual(taped_point(readings, known, (450, 20, 600)).status, "fixed")
                continue
            with self.subTest(words), self.assertRaises(InputError) as refused:
                taped_point(readings, known)
            self.assertIn(words, str(refused.exception))

    def test_requests(self):
        reference = [{"id": n, "xyz_mm": list(p)} for n, p in CORNERS.items()]
        for change, field in (
            ({"distances": [{"from": "Q", "mm": 700, "sd_mm": 1}]}, "distances.0.from"), ({"from": reference + reference[:1]}, "from"),
            ({"known": {"w": {"mm": 1, "sd_mm": 1}}}, "known.w.[key]"), ({"distances": [{"from": "A", "mm": -1, "sd_mm": 1}]}, "distances.0.mm"),
        ):  # fmt: skip
            with self.subTest(field), self.assertRaises(Refused) as refused:
                answer("locate", {"from": reference, "distances": [], **change})
            self.assertEqual(refused.exception.errors[0].field, field)


class Suspects(unittest.TestCase):
    """Which point of a part was read wrongly."""

    local = ((0, 0, 0), (600, 0, 20), (0, 300, -40), (580, 310, 90), (300, 150, -200))

    @settings(max_examples=30)
    @given(st.integers(0, 4), st.floats(8, 60), st.sampled_from([0, 1, 2]))
    def test_one_bad_reading_of_five_is_named(self, bad, off, axis):
        where = placed(Pose(200, -30, 560, 1, 4, -2))
        pairs = []
        for i, p in enumerate(self.local):
            x = list(where.point(p))
            x[axis] += off if i == bad else 0.0
            pairs.append(PointPair(str(i), p, tuple(x)))
        found = suspicion(tuple(pairs), 2.0)
        assume(found is not None)
        self.assertEqual(found.id, str(bad))
        self.assertLess(found.rms_without_mm, 1e-6)

    def test_nobody_is_blamed_for_noise_or_where_all_are_off(self):
        pairs = tuple(PointPair(str(i), p, (p[0] + (i % 2), p[1], p[2])) for i, p in enumerate(self.local))
        self.assertIsNone(suspicion(pairs, 2.0))
        wild = tuple(PointPair(str(i), p, (p[0] + 30 * (-1) ** i, p[1] + 17 * i, p[2])) for i, p in enumerate(self.local))
        self.assertIsNone(suspicion(wild, 2.0))
        self.assertIsNone(suspicion(pairs[:3], 0.01))
