"""The frame's own symmetries: a build seen in the mirror, moved along, or turned around says the same of itself."""

import unittest
from dataclasses import replace

from elmpeg.core.base.pose import Pose
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.methods.shapes.solids import Box, Cylinder, Tube
from elmpeg.core.scene.scene import Scene
from elmpeg.demo import bookworm, cairn, dynamo

BUILDS = (cairn.build(), bookworm.build(), dynamo.build())
ALONG = 173.0


def plain(build):
    """The build with its points where its readings put them, so that nothing of the readings is left to mirror."""
    scene = Scene(build, build.options[0])
    points = tuple(
        replace(p, xyz_mm=scene.local(p.id), readings=(), got="offsets", start="", between=(), near_mm=None, same_as="")
        for p in build.points
    )
    return replace(build, points=points, levellings=(), spans=(), rounds=(), agreed=None)


def changed(build, place, way, pose, solid):
    """The build with every place, direction, pose and shape put through a change of frame."""

    def beside(node):
        return tuple(a - b for a, b in zip(place(node.xyz_mm, "vehicle"), place((0.0, 0.0, 0.0), "vehicle"), strict=True))

    return replace(
        build,
        points=tuple(replace(p, xyz_mm=place(p.xyz_mm, p.on), axis=None if p.axis is None else way(p.axis)) for p in build.points),
        components=tuple(
            replace(c, pose=pose(c.pose, c.parent is not None), solids=tuple(solid(s, c.id) for s in c.solids)) for c in build.components
        ),
        options=tuple(
            replace(o, positions=tuple(replace(p, pose=pose(p.pose, build.component(p.component).parent is not None)) for p in o.positions))
            for o in build.options
        ),
        solids=tuple(solid(s, "vehicle") for s in build.solids),
        wheels=tuple(replace(w, centre_mm=place(w.centre_mm, "vehicle")) for w in build.wheels),
        drivelines=build.drivelines,
        structures=tuple(
            replace(s, nodes=tuple(replace(n, xyz_mm=beside(n) if n.point else place(n.xyz_mm, "vehicle")) for n in s.nodes))
            for s in build.structures
        ),
        weldments=tuple(
            replace(
                w,
                seams=tuple(replace(s, a_mm=place(s.a_mm, "vehicle"), b_mm=place(s.b_mm, "vehicle")) for s in w.seams),
                heated=tuple(replace(h, at_mm=place(h.at_mm, "vehicle")) for h in w.heated),
            )
            for w in build.weldments
        ),
    )


def mirrored(build):
    """Left for right. A turn about X or Z goes the other way round in a mirror, one about Y does not."""

    def place(xyz, on=""):
        return (xyz[0], -xyz[1], xyz[2])

    def pose(p, child):
        return Pose(p.x_mm, -p.y_mm, p.z_mm, -p.roll_deg, p.pitch_deg, -p.yaw_deg)

    def solid(s, on):
        if isinstance(s, Box):
            return replace(s, centre_mm=place(s.centre_mm))
        if isinstance(s, Cylinder):
            return replace(s, start_mm=place(s.start_mm), end_mm=place(s.end_mm))
        if isinstance(s, Tube):
            return replace(s, path_mm=tuple(place(p) for p in s.path_mm))
        if s.view == "side":
            return replace(s, from_mm=-s.to_mm, to_mm=-s.from_mm)
        flip = {"plan": lambda u, v: (u, -v), "rear": lambda u, v: (-u, v)}[s.view]
        return replace(s, outline_mm=tuple(flip(u, v) for u, v in s.outline_mm))

    other = changed(build, place, place, pose, solid)
    return replace(other, drivelines=tuple(replace(d, phases_deg=tuple(-v for v in d.phases_deg)) for d in build.drivelines))


def further_back(build):
    """Everything on the vehicle so much further rearward, as from another datum."""

    def place(xyz, on):
        return (xyz[0] + ALONG, xyz[1], xyz[2]) if on == "vehicle" else xyz

    def pose(p, child):
        return p if child else replace(p, x_mm=p.x_mm + ALONG)

    def solid(s, on):
        if on != "vehicle":
            return s
        if isinstance(s, Box):
            return replace(s, centre_mm=place(s.centre_mm, on))
        if isinstance(s, Cylinder):
            return replace(s, start_mm=place(s.start_mm, on), end_mm=place(s.end_mm, on))
        if s.view == "rear":
            return replace(s, from_mm=s.from_mm + ALONG, to_mm=s.to_mm + ALONG)
        return replace(s, outline_mm=tuple((u + ALONG, v) for u, v in s.outline_mm))

    return changed(build, place, lambda axis: axis, pose, solid)


class Symmetry(unittest.TestCase):
    """Each check's value, doubt and verdict, in the frame and in the other one."""

    def assert_says_the_same(self, build, other, doubt_share=1e-3, but=()):
        compared = 0
        for option in build.options:
            here, there = evaluate(build, option.id), evaluate(other, option.id)
            values = {c.code: c for c in there.checks}
            self.assertEqual(set(values), {c.code for c in here.checks})
            for check in here.checks:
                if check.code.endswith(but or "nothing"):
                    continue
                with self.subTest(build.id, option=option.id, code=check.code):
                    twin = values[check.code]
                    self.assertEqual(twin.verdict, check.verdict)
                    if check.value is None:
                        self.assertIsNone(twin.value)
                        continue
                    compared += 1
                    self.assertAlmostEqual(abs(twin.value), abs(check.value), delta=2e-5)
                    self.assertAlmostEqual(twin.sd or 0.0, check.sd or 0.0, delta=max(1e-3, doubt_share * (check.sd or 0.0)))
        self.assertGreater(compared, 3)

    def test_in_the_mirror(self):
        for build in map(plain, BUILDS):
            # Doubt is found by a step of one standard deviation to one side, and in the mirror to the other:
            # where a value bends within that step, as an offset does near none at all, the two part company.
            # What was cut before stays the hand that it was cut, and misses all of a mirrored vehicle.
            self.assert_says_the_same(build, mirrored(build), doubt_share=0.6, but=(".current",))

    def test_from_another_datum(self):
        for build in map(plain, BUILDS):
            self.assert_says_the_same(build, further_back(build))

    def test_twice_in_the_mirror_is_the_build_itself(self):
        for build in map(plain, BUILDS):
            self.assertEqual(mirrored(mirrored(build)), build)

    def test_what_is_put_in_other_order_stands_the_same(self):
        for build in BUILDS:
            other = replace(
                build, points=build.points[::-1], mounts=build.mounts[::-1], components=build.components[::-1], rooms=build.rooms[::-1]
            )
            for option in build.options:
                here, there = evaluate(build, option.id), evaluate(other, option.id)
                self.assertEqual(
                    sorted((c.code, c.verdict) for c in here.checks), sorted((c.code, c.verdict) for c in there.checks), build.id
                )
