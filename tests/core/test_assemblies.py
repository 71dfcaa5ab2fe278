"""Parts bolted on and taken off keep their place; options are noted, agreed with a reason, and taken out."""

import math
import unittest
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose
from elmpeg.core.build.options import Option, Position
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.place import assembly_edits, option_edits
from elmpeg.demo import cairn

CAIRN = replace(cairn.build(), agreed=None)
CORNERS = ((0.0, 0.0, 0.0), (900.0, 50.0, -70.0), (-300.0, 400.0, 800.0))


def where(build, option, component):
    placed = Scene(build, build.option(option)).placement(component)
    return [placed.point(c) for c in CORNERS]


class Assemblies(unittest.TestCase):
    def stands(self, before, after, option, component):
        for a, b in zip(where(before, option, component), where(after, option, component), strict=True):
            self.assertLess(math.dist(a, b), 1e-6, f"{component} in {option}")

    def test_taken_off_it_stands_where_it_stood_in_every_option(self):
        made = assembly_edits.with_taken_off(CAIRN, "gearbox")
        require_sound(made)
        self.assertIsNone(made.component("gearbox").parent)
        for option in ("low", "lifted"):
            for part in ("engine", "gearbox", "transfer"):
                self.stands(CAIRN, made, option, part)

    def test_bolted_back_where_it_was_nothing_has_moved(self):
        off = assembly_edits.with_taken_off(CAIRN, "gearbox")
        on = assembly_edits.with_bolted(off, "low", "gearbox", "engine")
        require_sound(on)
        for option in ("low", "lifted"):
            for part in ("gearbox", "transfer"):
                self.stands(CAIRN, on, option, part)
        self.assertEqual(assembly_edits.moved_in(CAIRN, on, CAIRN.option("lifted")), ())

    def test_bolted_on_askew_it_stands_where_it_stood_and_goes_along_from_then_on(self):
        skew = replace(CAIRN, orders=(), options=(Option("low", "Low", (Position("engine", Pose(700, -10, 580, 2, 3, -4)), Position("compressor", Pose(1800, -450, 700, 5, -6, 7)))),))  # fmt: skip
        made = assembly_edits.with_bolted(skew, "low", "compressor", "transfer")
        require_sound(made)
        self.stands(skew, made, "low", "compressor")
        before = where(made, "low", "compressor")
        moved = replace(made, options=(Option("low", "Low", (Position("engine", Pose(700, -10, 600, 2, 3, -4)),)),))
        for a, b in zip(before, where(moved, "low", "compressor"), strict=True):
            self.assertAlmostEqual(b[2] - a[2], 20.0)

    def test_no_ring_and_no_move_of_what_is_agreed(self):
        for parent in ("engine", "transfer"):
            with self.assertRaises(InputError):
                assembly_edits.with_bolted(CAIRN, "low", "engine", parent)
        agreed = replace(CAIRN, agreed="lifted")
        with self.assertRaises(InputError) as refused:
            assembly_edits.with_bolted(agreed, "low", "compressor", "engine")
        self.assertIn("agreed", str(refused.exception))
        with self.assertRaises(InputError):
            assembly_edits.with_taken_off(CAIRN, "engine")


class Options(unittest.TestCase):
    def test_an_agreement_says_why_and_is_taken_back(self):
        made = option_edits.with_agreed(CAIRN, "low", "  the  shelf has it ")
        self.assertEqual((made.agreed, made.agreed_because), ("low", "the shelf has it"))
        self.assertEqual(option_edits.without_agreed(made), CAIRN)
        with self.assertRaises(InputError):
            option_edits.without_agreed(CAIRN)

    def test_an_option_goes_unless_it_is_agreed_or_the_last(self):
        left = option_edits.without_option(CAIRN, "low")
        require_sound(left)
        self.assertEqual([o.id for o in left.options], ["lifted"])
        for build, option in ((left, "lifted"), (replace(CAIRN, agreed="low"), "low")):
            with self.assertRaises(InputError):
                option_edits.without_option(build, option)


if __name__ == "__main__":
    unittest.main()
