"""Fits against figures that stand in every workshop table; turned parts by hand."""

import math
import unittest
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.pieces import Piece, TurnedBody, TurnedBore, TurnedStep
from elmpeg.core.methods.turning.fits import limits_of, mating
from elmpeg.core.stages.make.turned_shape import turned_shape

TABLE = {
    (25, "H7"): (0, 21), (25, "g6"): (-20, -7), (25, "h6"): (-13, 0), (25, "k6"): (2, 15), (25, "p6"): (22, 35), (25, "f7"): (-41, -20),
    (10, "H7"): (0, 15), (10, "g6"): (-14, -5), (10, "m6"): (6, 15), (10, "H8"): (0, 22), (12, "H11"): (0, 110), (12, "h11"): (-110, 0),
    (30, "H7"): (0, 21), (30.5, "H7"): (0, 25), (50, "js6"): (-8, 8), (60, "n6"): (20, 39), (80, "e8"): (-106, -60), (100, "d9"): (-207, -120),
    (25, "K7"): (-15, 6), (25, "N7"): (-28, -7), (25, "P7"): (-35, -14), (25, "JS7"): (-10.5, 10.5), (40, "G7"): (9, 34), (40, "F8"): (25, 64),
    (3, "H7"): (0, 10), (3, "N7"): (-14, -4), (6, "P7"): (-20, -8), (25, "M7"): (-21, 0), (25, "N9"): (-52, 0), (55, "s6"): (53, 72), (70, "r6"): (43, 62),
    (200, "H7"): (0, 46), (150, "g6"): (-39, -14), (25, "K8"): (-23, 10),
}  # fmt: skip
"""Lower and upper deviation in micrometres, as printed in tables of ISO 286-2."""


class Fits(unittest.TestCase):
    def test_by_the_table(self):
        for (size, fit), (low, high) in TABLE.items():
            with self.subTest(size=size, fit=fit):
                found = limits_of(size, fit)
                self.assertAlmostEqual(found.lower_um, low, places=6)
                self.assertAlmostEqual(found.upper_um, high, places=6)

    def test_play(self):
        sliding = mating(25, "H7", "g6")
        self.assertAlmostEqual(sliding.least_play_mm, 0.007)
        self.assertAlmostEqual(sliding.most_play_mm, 0.041)
        self.assertEqual((sliding.fit, mating(25, "H7", "p6").fit, mating(25, "H7", "k6").fit), ("clearance", "interference", "transition"))

    def test_refusals(self):
        for size, fit in ((25, "Q7"), (25, "H99"), (0, "H7"), (900, "H7"), (25, "")):
            with self.assertRaises(InputError):
                limits_of(size, fit)
        with self.assertRaisesRegex(InputError, "hole's class comes first"):
            mating(25, "g6", "H7")


class Turned(unittest.TestCase):
    BODY = TurnedBody((TurnedStep(20.0, 30.0, chamfer_mm=1.0), TurnedStep(30.0, 20.0, "h6")), (TurnedBore("left", 10.0, 0.0, "H7"),))

    def shape(self, **changes):
        return turned_shape(Piece("t", "t", 30.0, turned=replace(self.BODY, **changes)))

    def test_length_mass_wall_and_bar(self):
        shape = self.shape()
        self.assertEqual((shape.long_mm, shape.widest_mm), (50.0, 30.0))
        self.assertAlmostEqual(shape.mass_kg, math.pi / 4 * ((30**2 - 10**2) * 20 + (20**2 - 10**2) * 30) * 7850e-9)
        self.assertEqual(shape.thinnest.wall_mm, 5.0)
        self.assertGreater(shape.bar_mm, 30.0)
        self.assertEqual([f.fit for f in shape.fits], ["h6", "H7"])

    def test_a_thread_outside_takes_its_roots_off_the_wall(self):
        shape = self.shape(steps=(TurnedStep(20.0, 30.0), TurnedStep(30.0, 20.0, thread="M20x1.5")))
        self.assertAlmostEqual(shape.thinnest.wall_mm, (20 - 1.2269 * 1.5 - 10) / 2)

    def test_bores_from_both_ends(self):
        shape = self.shape(bores=(TurnedBore("left", 12.0, 15.0), TurnedBore("right", 8.0, 10.0)))
        self.assertEqual([(z.from_mm, z.to_mm, z.bore_mm) for z in shape.zones], [(0, 15, 12), (15, 20, 0), (20, 40, 0), (40, 50, 8)])

    def test_refusals(self):
        for changes, words in (
            ({"steps": ()}, "no steps yet"),
            ({"bores": (TurnedBore("left", 25.0),)}, "leave no wall at 20 to 50"),
            ({"bores": (TurnedBore("left", 5.0, 80.0),)}, "deeper"),
            ({"steps": (TurnedStep(20.0, 30.0, thread="M20x1.5"),)}, "is cut on 20 mm"),
            ({"steps": (TurnedStep(20.0, 30.0, "H7"),)}, "class of a hole"),
        ):
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                self.shape(**changes)
