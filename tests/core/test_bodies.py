"""The one list of shapes: everything with a shape is in it once, stands where its scene has it, and what is near is found.

If these were wrong, a bracket would be called free that runs into a wheel, or a shape would be looked for where it stood before a move.
"""

import math
import random
import unittest
from collections import Counter
from dataclasses import replace

import numpy as np

from elmpeg.core.advice.neighbours import neighbours
from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.build.components import Wheel
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.evaluation.all_bodies import all_bodies
from elmpeg.core.methods.fastening.fasteners import size_of, socket_outside_mm, thread
from elmpeg.core.methods.shapes.clearance import Body, room_between, room_of
from elmpeg.core.methods.shapes.room import nearest
from elmpeg.core.methods.shapes.solids import FIXED, Box, Cylinder, Tube
from elmpeg.core.scene.bodies import Bodies, box_of, shapes, vehicle_bodies
from elmpeg.core.scene.in_state import in_state
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import axle_at
from elmpeg.core.stages.drive.shaft_bodies import shaft_bodies
from elmpeg.core.stages.make import structure_checks
from elmpeg.core.stages.make.neighbours import TOUCHES_MM, _in_travel, _tools, fouls
from elmpeg.core.stages.make.piece_bodies import solids_of
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.core.stages.mount.fastener_bodies import fastener_bodies
from elmpeg.demo import cairn
from tests.core.lines_shop import build as bare

CAIRN = cairn.build()
HERE = Scene(CAIRN, CAIRN.options[0])


class Listed(unittest.TestCase):
    def test_every_shape_once_where_the_scene_has_it(self):
        own = Counter((b.on, b.solid.id) for b in vehicle_bodies(HERE) if b.kind in ("structure", "part"))
        wanted = [(VEHICLE, s.id) for s in CAIRN.solids] + [(c.id, s.id) for c in CAIRN.components for s in c.solids]
        self.assertEqual(own, Counter(wanted))
        for body in vehicle_bodies(HERE):
            if body.kind == "part":
                self.assertEqual(body.where, HERE.placement(body.on))

    def test_each_says_what_it_is_by_a_list_and_an_id_that_are_there(self):
        kinds = Counter()
        for body in all_bodies(HERE):
            ids = {one.id for one in getattr(CAIRN, body.of)}
            self.assertIn(body.id, ids, body)
            self.assertIn(body.on, {VEHICLE, *(c.id for c in CAIRN.components)})
            kinds[body.kind] += 1
        self.assertEqual(kinds["wheel"], len(CAIRN.wheels))
        told = sum(line.shaft(k) is not None for line in CAIRN.drivelines for k in range(len(line.joints) - 1))
        self.assertEqual(kinds["shaft"], told)
        self.assertEqual(set(kinds), {"structure", "part", "wheel", "shaft", "piece", "fastener", "tool"})

    def test_a_wheel_rolls_with_its_axle(self):
        made = replace(bare(), wheels=(Wheel("w", (2700, 700, 400), 800, 200, "axle"),))
        scene = Scene(made, made.options[0])
        (rest,) = (b for b in vehicle_bodies(scene) if b.kind == "wheel")
        self.assertEqual((rest.solid.start_mm, rest.solid.end_mm), ((2700, 600, 400), (2700, 800, 400)))
        (there,) = (b for b in vehicle_bodies(in_state(scene, axle_at("springs", 30.0, 6.0))) if b.kind == "wheel")
        across = np.subtract(there.solid.end_mm, there.solid.start_mm)
        self.assertAlmostEqual(float(np.linalg.norm(across)), 200.0)
        self.assertAlmostEqual(math.degrees(math.atan2(across[2], across[1])), 6.0, delta=0.01)

    def test_a_shaft_follows_its_axle(self):
        made = bare()
        scene = Scene(made, made.options[0])
        there = in_state(scene, axle_at("springs", 70.0))
        (shaft,) = shaft_bodies(there)
        self.assertEqual((shaft.solid.start_mm, shaft.solid.end_mm), (there.xyz("out"), there.xyz("pin")))
        self.assertEqual(shaft.solid.diameter_mm, made.drivelines[0].shafts[0].od_mm)
        self.assertNotEqual(shaft.solid.end_mm, scene.xyz("pin"))


class Boxes(unittest.TestCase):
    def on_the_skin(self, solid, chance):
        """Places on a solid, in its own frame, by what its kind is."""
        if isinstance(solid, Cylinder):
            a, b = np.array(solid.start_mm), np.array(solid.end_mm)
            along = (b - a) / np.linalg.norm(b - a)
            helper = np.array((1.0, 0, 0)) if abs(along[0]) < 0.9 else np.array((0, 1.0, 0))
            u = np.cross(along, helper)
            u /= np.linalg.norm(u)
            v = np.cross(along, u)
            for _ in range(40):
                t, at = chance.uniform(0, 2 * math.pi), chance.choice((0.0, 1.0))
                yield a + at * (b - a) + solid.diameter_mm / 2 * (math.cos(t) * u + math.sin(t) * v)
        elif isinstance(solid, Box):
            for signs in ((x, y, z) for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)):
                yield np.array(solid.centre_mm) + np.array(signs) * np.array(solid.size_mm) / 2

    def test_nothing_lies_outside_and_no_box_is_much_too_large(self):
        chance = random.Random(3)
        for _ in range(60):
            at = [chance.uniform(-500, 500) for _ in range(3)]
            to = [p + chance.uniform(30, 300) for p in at]
            where = placed(Pose(*(chance.uniform(-900, 900) for _ in range(3)), *(chance.uniform(-80, 80) for _ in range(3))))
            for solid in (
                Cylinder("c", "c", tuple(at), tuple(to), chance.uniform(5, 200)),
                Box("b", "b", tuple(at), tuple(p + 1 for p in to)),
            ):
                low, high = np.array(box_of(solid, where))
                places = np.array([where.point(tuple(p)) for p in self.on_the_skin(solid, chance)])
                self.assertTrue(np.all(places >= low - 1e-9) and np.all(places <= high + 1e-9))
                if isinstance(solid, Box):
                    self.assertLess(np.abs(places.min(axis=0) - low).max() + np.abs(places.max(axis=0) - high).max(), 1e-9)

    def test_whatever_comes_so_near_is_among_the_near(self):
        chance = random.Random(8)
        bodies = all_bodies(HERE)
        left_out = 0
        for _ in range(40):
            middle = bodies[chance.randrange(len(bodies))].box_mm[0]
            probe = Box("p", "p", tuple(m + chance.uniform(-200, 200) for m in middle), tuple(chance.uniform(10, 300) for _ in range(3)))
            within = chance.choice((0.0, 5.0, 60.0))
            near = bodies.near(box_of(probe, FIXED), within)
            self.assertEqual(list(near), [b for b in bodies if b in near], "in order")
            for body in bodies:
                if body not in near:
                    left_out += 1
                    self.assertGreater(nearest(probe, FIXED, body.solid, body.where).distance_mm, within, body.name)
        self.assertGreater(left_out, 1000)
        self.assertEqual(Bodies(()).near(((0, 0, 0), (1, 1, 1))), ())


class Bolts(unittest.TestCase):
    def test_a_bolt_stands_in_its_seat_square_to_it_and_holds_what_is_between(self):
        met = 0
        for mount in CAIRN.mounts:
            bodies = {b.solid.id.rsplit(".", 1)[1]: b for b in fastener_bodies(HERE) if b.id == mount.id}
            if "bolt" not in bodies:
                continue
            met += 1
            seat, axis = np.array(HERE.xyz(mount.seat_point)), np.array(HERE.axis(mount.seat_point))
            axis = axis / np.linalg.norm(axis)
            for body in bodies.values():
                for end in (body.solid.start_mm, body.solid.end_mm):
                    off = np.array(end) - seat
                    self.assertLess(np.linalg.norm(off - off @ axis * axis), 1e-6, (mount.id, body.name))
            bolt = bodies["bolt"].solid
            self.assertEqual(bolt.diameter_mm, thread(mount.fastener.thread).d_mm)
            high = [(np.array(p) - seat) @ axis for p in (bolt.start_mm, bolt.end_mm)]
            self.assertGreater(high[0], 0.0, "its head is on the foot's side")
            self.assertLess(high[1], 0.0, "and it goes through the seat")
            if "bolt head" in bodies:
                head = bodies["bolt head"].solid
                self.assertAlmostEqual((np.array(head.end_mm) - seat) @ axis, high[0])
            if "nut" in bodies:
                nut = [(np.array(p) - seat) @ axis for p in (bodies["nut"].solid.start_mm, bodies["nut"].solid.end_mm)]
                self.assertGreater(nut[0], nut[1])
                self.assertGreaterEqual(nut[0] - high[1], 0.0, "the bolt reaches its nut")
            if "socket" in bodies:
                size = size_of(thread(mount.fastener.thread))
                self.assertEqual(bodies["socket"].solid.diameter_mm, socket_outside_mm(size.hex.flats_mm))
        self.assertGreater(met, 2)

    def test_without_a_bolt_or_a_direction_there_is_none(self):
        made = bare()
        self.assertEqual(list(fastener_bodies(Scene(made, made.options[0]))), [])


class Asked(unittest.TestCase):
    """What goes through the list says what going through everything says."""

    def everything(self, scene):
        return (*vehicle_bodies(scene), *shaft_bodies(scene))

    def plain_fouls(self, shape):
        own, found = Body(solids_of(shape), FIXED), []
        for body in self.everything(HERE):
            room = room_between(own, Body((body.solid,), body.where)).distance_mm
            if room < -TOUCHES_MM:
                found.append((body.called, "", "", -room))
            for hole, tool in _tools(HERE, shape):
                reach = room_of(tool, FIXED, body.solid, body.where).distance_mm
                if reach < -TOUCHES_MM:
                    found.append((body.called, hole.named, "", -reach))
        for moved, on_it, when in _in_travel(HERE, shape):
            for body in self.everything(moved):
                room = room_between(own, Body((body.solid,), body.where)).distance_mm
                if room < -TOUCHES_MM and (body.on in on_it or body.kind == "shaft"):
                    found.append((body.called, "", when, -room))
        return sorted(found)

    def test_what_a_piece_runs_into(self):
        lying = 0
        for piece in CAIRN.pieces:
            try:
                shape = piece_shape(HERE, piece)
            except (InputError, MissingError):
                continue
            if shape.lying is None:
                continue
            lying += 1
            found = sorted((f.name, f.hole, f.when, f.mm) for f in fouls(HERE, shape))
            wanted = self.plain_fouls(shape)
            self.assertEqual([f[:3] for f in found], [f[:3] for f in wanted], piece.id)
            for a, b in zip(found, wanted, strict=True):
                self.assertAlmostEqual(a[3], b[3], places=9)
        self.assertGreater(lying, 1)

    def test_a_piece_is_told_of_the_wheel_and_the_shaft_that_it_stands_in(self):
        piece = next(p for p in CAIRN.pieces if p.faces and piece_shape(HERE, p).lying is not None)
        shape = piece_shape(HERE, piece)
        low, high = np.array(box_of(solids_of(shape)[0], FIXED))
        middle = tuple(((low + high) / 2).tolist())
        rolled = replace(CAIRN, wheels=(*CAIRN.wheels, Wheel("spare", middle, 700.0, 200.0)))
        there = Scene(rolled, rolled.options[0])
        self.assertIn("spare wheel", {f.name for f in fouls(there, piece_shape(there, piece))})
        self.assertNotIn("spare wheel", {f.name for f in fouls(HERE, shape)})

    def test_what_a_structure_runs_into(self):
        structure = CAIRN.structures[0]
        members, met, chance = structure_checks.cut_structure(HERE, structure), 0, random.Random(2)
        driving = next(c.id for c in CAIRN.components if c.parent is None and c.movable)
        middle = np.mean([m.start_mm for m, _ in members], axis=0)
        for k in range(6):
            # The engine set down about the members, so that they do run into it.
            at = [float(v) + chance.uniform(-250.0, 250.0) for v in middle]
            there = HERE.with_pose(driving, Pose(*at, 0.0, 4.0 * k, 0.0)) if k else HERE
            found = {(f.member, f.on, f.solid): f.mm for f in structure_checks.fouls_of(there, structure, members)}
            wanted = {}
            for member, _ in members:
                short = min(member.across_mm / 2 + structure_checks.WELDED_MM, 0.4 * member.long_mm)
                a = np.array(member.start_mm) + short * np.array(member.along)
                b = np.array(member.end_mm) - short * np.array(member.along)
                tube = Cylinder(member.id, member.id, tuple(a.tolist()), tuple(b.tolist()), member.across_mm)
                for body in shapes(CAIRN, there.placement):
                    room = room_of(tube, FIXED, body.solid, body.where).distance_mm
                    if body.on != structure_checks.part_id(structure) and room < -structure_checks.WELDED_MM:
                        wanted[member.id, body.on, body.solid.id] = -room
            self.assertEqual(set(found), set(wanted))
            met += len(wanted)
            for key, by in wanted.items():
                self.assertAlmostEqual(found[key], by, places=9)
        self.assertGreater(met, 1)

    def test_the_neighbours_of_a_part(self):
        option = CAIRN.options[0]
        for part in CAIRN.components:
            if not part.solids or part.parent is not None:
                continue
            root = HERE.root(part.id)
            wanted = []
            for on, groups in (
                (VEHICLE, [(s,) for s in CAIRN.solids]),
                *((c.id, [c.solids]) for c in CAIRN.components if HERE.root(c.id) != root),
            ):
                for solids in groups:
                    rooms = [nearest(a, HERE.placement(part.id), b, HERE.placement(on)).distance_mm for a in part.solids for b in solids]
                    wanted += [min(rooms)] if rooms else []
            found = neighbours(CAIRN, option, part.id)
            self.assertEqual([n.distance_mm for n in found], sorted(n.distance_mm for n in found))
            for a, b in zip([n.distance_mm for n in found], sorted(wanted), strict=True):
                self.assertAlmostEqual(a, b, places=9)

    def test_a_tube_bends_within_its_box(self):
        tube = Tube("t", "t", ((0, 0, 0), (300, 0, 0), (300, 200, 100)), 30.0)
        low, high = np.array(box_of(tube, FIXED))
        self.assertTrue(np.all(low <= (0, -15, -15)) and np.all(high >= (300, 200, 100)))


if __name__ == "__main__":
    unittest.main()
