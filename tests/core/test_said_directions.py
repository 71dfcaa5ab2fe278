"""What a remedy says of a way is the way that it moves the part: up, forward and left are where the try goes."""

import random
import re
import unittest
from dataclasses import replace

from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.scene.line_in_scene import axle_of
from elmpeg.core.scene.scene import Scene, pose_in
from elmpeg.core.stages.drive.pinion_turn import means_of
from elmpeg.core.stages.place import position_edits
from elmpeg.demo import cairn

CAIRN = replace(cairn.build(), agreed=None)
WAYS = {"back": (0, 1), "forward": (0, -1), "right": (1, 1), "left": (1, -1), "up": (2, 1), "down": (2, -1)}
SEATS = {"below": (0.0, 0.0, 1.0), "above": (0.0, 0.0, -1.0), "beside": (0.0, 1.0, 0.0), "behind": (-1.0, 0.0, 0.0)}
"""Where a seat lies, and which way it looks at its part."""


def with_seats(way):
    """The demo with the seats of its engine looking one way, and the feet with them."""
    ends = {p for m in CAIRN.mounts for p in (m.component_point, m.seat_point)}
    return replace(CAIRN, points=tuple(replace(p, axis=way, leans=()) if p.id in ends else p for p in CAIRN.points))


def said_shift(remedy, template=None):
    """The shift that a sentence tells, by its words and figures alone."""
    shift = [0.0, 0.0, 0.0]
    for index, way in re.findall(r"\{(\d+)\} (back|forward|right|left|up|down)\b", template or remedy.words.template):
        axis, sign = WAYS[way]
        shift[axis] += sign * remedy.words.quantities[int(index)].value
    return shift


class Said(unittest.TestCase):
    def test_where_the_try_goes(self):
        chance, seen = random.Random(4), {}
        for where, way in SEATS.items():
            for _ in range(3):
                build = with_seats(way)
                for part in ("engine", "compressor", "radiator"):
                    if any(c.id == part for c in build.components):
                        build = position_edits.shifted(build, "low", part, tuple(chance.uniform(-25, 25) for _ in range(3)))
                for check in evaluate(build, "low").checks:
                    for remedy in check.remedies if check.family in ("gap", "offset", "room") else ():
                        if (
                            remedy.component is None
                            or remedy.pose is None
                            or not re.search(r"\{\d+\} (back|forward|right|left|up|down)", remedy.words.template)
                        ):
                            continue
                        before = pose_in(build, build.option("low"), remedy.component).origin_mm
                        went = [b - a for a, b in zip(before, remedy.pose.origin_mm, strict=True)]
                        with self.subTest(check.code, seat=where, words=remedy.words.template):
                            for told, moved in zip(said_shift(remedy), went, strict=True):
                                self.assertAlmostEqual(told, moved, delta=0.06)
                        seen[where] = seen.get(where, 0) + 1
        self.assertEqual(seen.keys(), SEATS.keys())

    def test_an_open_gap_is_closed_by_what_is_said_of_the_part(self):
        chance, closed = random.Random(8), 0
        for where, way in SEATS.items():
            build = position_edits.shifted(with_seats(way), "low", "engine", tuple(12 * v + chance.uniform(-1, 1) for v in way))
            for check in evaluate(build, "low").checks:
                told = next((r for r in check.remedies if "or move the part" in r.words.template), None)
                if check.family != "gap" or told is None:
                    continue
                mount = build.mount(check.about[-1].id)
                part = Scene(build, build.option("low")).root(build.point(mount.component_point).on)
                moved = position_edits.shifted(build, "low", part, tuple(said_shift(told)))
                now = evaluate(moved, "low").check(check.code)
                with self.subTest(check.code, seat=where, words=told.words.template):
                    self.assertLess(abs(now.value), 0.1)
                closed += 1
        self.assertGreater(closed, 4)


class OneAmount(unittest.TestCase):
    """A wedge turns an axle about its spring's seat and lifts its middle: what is told to put in is what mends."""

    def test_the_wedge_that_is_told_mends_its_joint(self):
        told = 0
        for lean in (4.0, -5.0):
            build = position_edits.nudged(CAIRN, "low", "rear-axle", "pitch", lean, position_edits.ORIGIN)
            # Of an axle whose perches are welded there are wedges, and nothing else.
            build = replace(
                build,
                axles=tuple(replace(a, perches="welded", perch_mm=a.perch_mm or 140.0) if a.kind == "leaf" else a for a in build.axles),
            )
            for check in evaluate(build, "low").checks:
                for remedy in check.remedies if check.family == "joint" and check.verdict == "fails" else ():
                    if "wedges" not in remedy.words.template:
                        continue
                    scene = Scene(build, build.option("low"))
                    line = build.driveline(next(a.id for a in check.about if a.of == "drivelines"))
                    axle = axle_of(build, line)
                    amount = remedy.words.quantities[0].value * (
                        1 if remedy.pose.pitch_deg > pose_in(build, scene.option, axle.component).pitch_deg else -1
                    )
                    wedge = next(m for m in means_of(scene, axle, amount) if m.kind == "wedge")
                    for a, b in zip(wedge.pose.origin_mm, remedy.pose.origin_mm, strict=True):
                        self.assertAlmostEqual(a, b, places=6)
                    made = position_edits.placed_at(build, "low", remedy.component, wedge.pose)
                    self.assertEqual(evaluate(made, "low").check(check.code).verdict, "holds")
                    told += 1
        self.assertGreater(told, 0)


if __name__ == "__main__":
    unittest.main()
