"""Every remedy with an amount, applied, mends the check it is offered for."""

from __future__ import annotations

import math
import re
import unittest
from collections import Counter
from dataclasses import replace
from statistics import NormalDist

import numpy as np

from elmpeg.core.advice.made_remedy import newly_out, with_remedy
from elmpeg.core.base.vectors import add, scale, unit
from elmpeg.core.build.mounts import StackPiece
from elmpeg.core.build.options import stack_of
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.scene.axis_from_gauge import BY_EYE_DEG
from elmpeg.core.scene.point_from_readings import AXIS_SD_DEG, DRAWING_SD_MM, UNMEASURED_SD_DEG, UNMEASURED_SD_MM
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.mount_checks import geometry_of
from elmpeg.core.stages.mount.stack_edits import with_stack
from elmpeg.core.stages.place import position_edits
from elmpeg.demo import cairn, dynamo

CHANGES = 4
"""Random changes of each build; with other seeds and more of them the same holds."""


def at_the_seat(build, option_id, mount, text, figures):
    """The build with a remedy at a mount's seat made that no figure tells: the seat elsewhere, or its face turned to the foot's."""
    scene, seat = Scene(build, build.option(option_id)), build.point(mount.seat_point)
    into = np.array(scene.placement(seat.on).rotation).T
    if text.startswith("Use a tapered piece"):
        axis = np.array(scene.axis(mount.component_point))
        facing = math.copysign(1.0, float(axis @ np.array(scene.axis(seat.id))))
        changed = replace(seat, axis=tuple((facing * (into @ axis)).tolist()))
    else:
        off = geometry_of(scene, mount).offset_vector_mm
        by = (into @ np.array(scale(unit(off), figures[0]))).tolist()
        readings = tuple(replace(r, value_mm=r.value_mm + by["xyz".index(r.axis)]) if r.axis in "xyz" else r for r in seat.readings)
        changed = replace(seat, xyz_mm=add(seat.xyz_mm, tuple(by)), readings=readings)
    return replace(build, points=tuple(changed if p.id == seat.id else p for p in build.points))


AT_THE_SEAT = ("Use a tapered piece", "Opening the hole does not help")


def applied(build, option_id, check, remedy):
    """The build after a remedy with an amount; None for one that gives advice only."""
    if remedy.can_be_made:
        return with_remedy(build, option_id, remedy)
    text, figures = remedy.words.template, [q.value for q in remedy.words.quantities]
    if text.startswith(AT_THE_SEAT):
        return at_the_seat(build, option_id, build.mount(check.ids("mounts")[0]), text, figures)
    return None


def changed(build, option_id, rng):
    """The build with some parts moved, stacks changed and slip shortened."""
    moved = build
    for component in build.components:
        if component.parent is None and component.movable and rng.random() < 0.6:
            for way, far in (("x", 12.0), ("y", 6.0), ("z", 15.0), ("pitch", 2.0)):
                moved = position_edits.nudged(moved, option_id, component.id, way, float(rng.normal(0, far / 2)))
    for mount in build.mounts:
        if rng.random() < 0.3:
            now = stack_of(moved.option(option_id), mount.id)
            more = StackPiece("made", "made to measure", (now.total_mm if now else 0.0) + float(rng.uniform(2.0, 14.0)), 1)
            moved = with_stack(moved, option_id, mount.id, (more,))
    lines = tuple(
        replace(
            n,
            shafts=tuple(replace(s, slip_in_mm=float(rng.uniform(0, 30)), slip_out_mm=float(rng.uniform(0, 30))) for s in n.shafts),
            phases_deg=tuple(float(rng.choice([0.0, 30.0, 90.0])) for _ in n.phases_deg),
        )
        for n in moved.drivelines
    )
    return replace(moved, drivelines=lines)


def known_better(build, check, times):
    """The build with all that a check rests on known so many times as well: finer tools, finer figures, the vehicle stood finer."""
    fine = tuple(
        replace(t, id=f"{t.id}-fine", sd_mm=(t.sd_mm or UNMEASURED_SD_MM) / times, sd_deg=(t.sd_deg or BY_EYE_DEG) / times)
        for t in build.tools
    )
    known = {t.id for t in build.tools}
    named = {r.point for r in check.rests_on}

    def finer(p):
        loose = p.source in ("borrowed", "assumed")
        entered = UNMEASURED_SD_MM if loose else p.sd_mm if p.sd_mm is not None else DRAWING_SD_MM if p.source == "drawing" else None
        axis = p.axis_sd_deg if p.axis_sd_deg is not None else UNMEASURED_SD_DEG if loose else AXIS_SD_DEG
        return replace(
            p,
            source="measured" if loose else p.source,
            sd_mm=entered / times if entered is not None else None,
            axis_sd_deg=axis / times,
            tool=f"{p.tool}-fine" if p.tool in known else p.tool,
            readings=tuple(replace(r, tool=f"{r.tool}-fine") if r.tool in known else r for r in p.readings),
            leans=tuple(replace(r, tool=f"{r.tool}-fine") if r.tool in known else r for r in p.leans),
        )

    levellings = tuple(replace(one, sd_deg=one.sd_deg / times) for one in build.levellings) if "" in named else build.levellings
    points = tuple(finer(p) if p.id in named else p for p in build.points)
    return replace(build, tools=(*build.tools, *fine), points=points, levellings=levellings)


class Applied(unittest.TestCase):
    """Demo builds, as they are and after random changes."""

    def builds(self):
        rng = np.random.default_rng(8)
        # An agreed option stays where it is; here it is tried.
        for build, option in (
            (replace(b, agreed=None), o) for b, o in ((cairn.build(), "low"), (cairn.build(), "lifted"), (dynamo.build(), "after"))
        ):
            yield build, option
            for _ in range(CHANGES):
                yield changed(build, option, rng), option

    def test_every_remedy_with_an_amount_mends_its_check(self):
        kinds, sure, better = Counter(), Counter(), Counter()
        for build, option in self.builds():
            for check in evaluate(build, option).checks:
                if check.verdict != "fails":
                    continue
                for remedy in check.remedies:
                    mended = applied(build, option, check, remedy)
                    if mended is None:
                        continue
                    now = evaluate(mended, option).check(check.code)
                    kind = re.sub(r"[A-Z]\w*-\w+|the .*? \{", "", remedy.words.template)[:24]
                    kinds[check.family] += 1
                    sure[check.family, now.verdict] += 1
                    with self.subTest(check.code, remedy=remedy.words.template, kind=kind):
                        # It holds; where no amount alone can be sure it says what must be known how many times as well, and then it does.
                        if "leaves it near" in remedy.words.template:
                            self.assertIn(now.verdict, ("holds", "near"))
                            self.assertGreater(remedy.finer, 0.0, remedy.words.template)
                            self.assertRegex(remedy.words.template, r"(M|m)easure .* to ± \{")
                            known = evaluate(known_better(mended, check, remedy.finer), option).check(check.code)
                            self.assertAlmostEqual(known.value, now.value, places=6)
                            better[check.family, known.verdict] += 1
                            now = known
                        self.assertEqual(now.verdict, "holds", f"{check.value} -> {now.value} ± {now.sd} in {now.low}..{now.high}")
        self.assertGreater(better["gap", "holds"], 3, better)
        for family in ("gap", "offset", "joint", "load", "slip", "room", "shaft", "tilt", "hold", "bolt"):
            self.assertGreater(kinds[family], 0, family)
        for family, share in (("joint", 0.95), ("room", 0.95), ("slip", 0.95), ("load", 0.95), ("gap", 0.5), ("offset", 0.8)):
            self.assertGreaterEqual(sure[family, "holds"], share * kinds[family], f"{family}: {sure}")

    def test_what_can_be_made_sure_is_not_said_to_stay_near(self):
        for check in evaluate(replace(cairn.build(), agreed=None), "low").checks:
            for remedy in check.remedies:
                if "leaves it near" in remedy.words.template and check.family in ("gap", "tilt"):
                    half = (check.high - (check.low if check.low is not None else 0.0)) / 2
                    self.assertGreater(NormalDist(0, check.sd).cdf(-half), 0.0125 - 1e-9, check.code)


class Costs(unittest.TestCase):
    """What a remedy newly puts out is what fails once it is made and did not before."""

    def test_a_tail_raised_far_fouls_and_a_small_turn_does_not(self):
        build = cairn.build()
        check = evaluate(build, "low").check("line.rear.J2")
        before = {c.code for c in evaluate(build, "low").checks if c.verdict == "fails"}
        seen = set()
        for remedy in check.remedies:
            out = newly_out(build, "low", remedy)
            made = position_edits.placed_at(build, "low", remedy.component, remedy.pose)
            after = {c.code for c in evaluate(made, "low").checks if c.verdict == "fails"}
            self.assertEqual({c.code for c in out}, after - before)
            self.assertTrue(all(c.verdict == "fails" for c in out))
            seen.add(bool(out))
        self.assertEqual(seen, {True, False}, "the demo has one of either")
