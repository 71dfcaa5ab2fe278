"""Every amount told for a mount's bolt, holes and plates, applied, makes its check hold; in random mounts of the demo."""

from __future__ import annotations

import unittest
from collections import Counter
from dataclasses import replace

import numpy as np

from elmpeg.core.advice.made_remedy import with_remedy
from elmpeg.core.build.document import with_option
from elmpeg.core.build.hardware import Around, Boxed, Fastener, Layer, Match, Pattern, PatternHole
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.methods.fastening.fasteners import thread
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.hardware_checks import bolt_checks, hardware_checks
from elmpeg.core.stages.mount.mount_checks import mount_checks
from elmpeg.core.stages.mount.patterns import laid
from elmpeg.core.stages.mount.plate_checks import match_check
from elmpeg.core.stages.place import position_edits
from elmpeg.demo import cairn

CHANGES = 20
"""Random builds; with other seeds and more of them the same holds."""
THREADS = ("M8x1.25", "M10x1.5", "M12x1.75")


def random_mount(mount, rng):
    """A mount with all its hardware drawn by lot."""
    size = thread(str(rng.choice(THREADS)))
    end = str(rng.choice(["nut", "locking nut", "tapped", "tapped"]))
    fastener = Fastener(
        size.name,
        head=str(rng.choice(["hex", "socket", "countersunk"])),
        length_mm=float(rng.choice([20, 30, 40, 50, 60, 80])),
        head_washer_mm=2.0,
        end=end,
        thread_depth_mm=float(rng.uniform(8, 40)) if end == "tapped" else None,
        parent=str(rng.choice(["steel", "aluminium"])),
        blind=end == "tapped" and rng.random() < 0.8,
        mock_up=False,
    )
    layers = (
        Layer("foot", "foot", float(rng.uniform(2, 15)), "foot", edge_mm=float(rng.uniform(5, 30)), wall_mm=float(rng.uniform(5, 30))),
        Layer("seat", "seat", float(rng.uniform(2, 15)), "seat"),
    )
    around = Around(float(rng.uniform(3, 25)), float(rng.uniform(3, 25)), 60.0, 60.0)
    boxed = Boxed(60.0, 3.0, None if rng.random() < 0.5 else float(rng.uniform(40, 70))) if rng.random() < 0.4 else None
    return replace(mount, bolt_mm=size.d_mm, fastener=fastener, layers=layers, around=around, boxed=boxed, bush=None)


def random_build(rng, option):
    """The demo with its mounts drawn by lot, parts moved, holes smaller than their bolts, stacks taken out, and patterns that miss."""
    build = replace(cairn.build(), agreed=None)
    mounts = tuple(random_mount(m, rng) if m.bush is None else m for m in build.mounts)
    ends = {p for m in mounts for p in (m.component_point, m.seat_point)}
    points = tuple(replace(p, hole_mm=float(rng.uniform(8, 16))) if p.id in ends else p for p in build.points)
    build = replace(build, mounts=mounts, points=points)
    if rng.random() < 0.5:
        now = build.option(option)
        build = with_option(build, replace(now, stacks=()))
    for component in build.components:
        if component.parent is None and component.movable and rng.random() < 0.5:
            for way, far in (("x", 3.0), ("y", 3.0), ("z", 6.0)):
                build = position_edits.nudged(build, option, component.id, way, float(rng.normal(0, far)))
    square = np.array([(0, 0), (120, 0), (120, 80), (0, 80), (60, 95)])
    named = [str(k) for k in range(len(square))]
    marked = tuple(PatternHole(n, *map(float, at + rng.normal(0, 0.4, 2)), 9.0) for n, at in zip(named, square, strict=True))
    studs = tuple(PatternHole(n, *map(float, at), 8.0) for n, at in zip(named, square, strict=True))
    # Holes of the frame, with the doubt of how they were measured, under a plate that was marked out by hand.
    followed = build.pattern("rail-holes")
    laid_out = ((h.id, h.x_mm + float(rng.normal(0, 1.0)), h.y_mm + float(rng.normal(0, 1.0))) for h in laid(build, followed).holes)
    patterns = (
        Pattern("plate", "Marked plate", "coordinates", marked, bolt_mm=8.0),
        Pattern("under", "Studs under it", "coordinates", studs, bolt_mm=8.0),
        Pattern("strip", "Strip over the frame", "coordinates", tuple(PatternHole(*at, 11.0) for at in laid_out), bolt_mm=10.0),
    )
    matches = (Match("m", "Plate over studs", "plate", "under"), Match("f", "Strip over frame", "strip", followed.id))
    return replace(build, patterns=(*build.patterns, *patterns), matches=(*build.matches, *matches))


def asked_again(build, option, check):
    """The same check in a build that was changed, by what makes it alone."""
    scene = Scene(build, build.option(option))
    if check.family == "pattern":
        return match_check(scene, next(m for m in build.matches if f"match.{m.id}" == check.code))
    mount = build.mount(check.ids("mounts")[0])
    found = mount_checks(scene, mount)
    return next(
        c
        for c in (*found.checks, *bolt_checks(scene, mount, found.state, found.doubt), *hardware_checks(scene, mount))
        if c.code == check.code
    )


class Hardware(unittest.TestCase):
    """Random mounts."""

    def test_every_amount_applied_makes_its_check_hold(self):
        rng = np.random.default_rng(11)
        kinds = Counter()
        for _ in range(CHANGES):
            build = random_build(rng, "low")
            for check in evaluate(build, "low").checks:
                if check.verdict not in ("fails", "near") or check.family not in ("bolt", "hole", "hold", "offset", "pattern"):
                    continue
                for remedy in check.remedies:
                    if not remedy.can_be_made or "leaves it near" in remedy.words.template:
                        continue
                    mended = with_remedy(build, "low", remedy)
                    kinds[check.family, remedy.words.template[:16]] += 1
                    now = asked_again(mended, "low", check)
                    with self.subTest(check.code, remedy=remedy.words.template):
                        self.assertEqual(now.verdict, "holds", f"{check.value} -> {now.value} ± {now.sd} in {now.low}..{now.high}")
        for text in (
            "Take a bolt of {",
            "Tap {0} deeper, ",
            "Use plate of {0}",
            "Leave {0} more p",
            "Move the hole {0",
            "Put a sleeve of ",
            "Cut a sleeve of ",
        ):
            self.assertGreater(sum(n for (_, told), n in kinds.items() if told == text), 0, text)
        self.assertGreater(kinds["offset", "Drill the seat's"] + kinds["offset", "Drill the part's"], 10)
        self.assertGreater(sum(n for (family, told), n in kinds.items() if family == "offset" and told.startswith("Move ")), 0)
        self.assertGreater(kinds["pattern", "Open all of thes"], 10)
