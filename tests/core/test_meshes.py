"""Meshes: room to them against shapes that can be reckoned by hand, what is seen of them, their size, and their place."""

import math
import random
import unittest
from dataclasses import replace

import numpy as np
import trimesh
from shapely import polygons, union_all
from shapely.geometry import Polygon

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.integrity.sound import problems
from elmpeg.core.methods.shapes.room import nearest
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, FIXED, Box, Cylinder, Mesh, bounds_mm, silhouette
from elmpeg.core.stages.place import mesh_placing, shape_edits
from elmpeg.core.starters.vehicle import vehicle_begun


def mesh_of(made, name="m", **more):
    vertices = tuple(tuple(float(v) for v in row) for row in made.vertices)
    return Mesh(name, name, vertices, tuple(tuple(int(n) for n in row) for row in made.faces), **more)


BOX = mesh_of(trimesh.creation.box((100, 60, 40)), closed=True)
BALL = mesh_of(trimesh.creation.icosphere(subdivisions=3, radius=100.0))
RING = mesh_of(trimesh.creation.annulus(r_min=80, r_max=100, height=40))
WHERE = placed(Pose(30, -20, 400, 12, -25, 70))


class Room(unittest.TestCase):
    def test_a_box_of_triangles_leaves_the_room_that_a_box_leaves(self):
        draw, plain = random.Random(3), Box("b", "b", (0, 0, 0), (100, 60, 40))
        other = Cylinder("c", "c", (0, 0, -30), (0, 10, 50), 36)
        for _ in range(60):
            at = placed(Pose(*(draw.uniform(-250, 250) for _ in range(3)), *(draw.uniform(-90, 90) for _ in range(3))))
            known, found = nearest(plain, WHERE, other, at), nearest(BOX, WHERE, other, at)
            self.assertAlmostEqual(found.distance_mm, known.distance_mm, delta=0.02)

    def test_a_ball_of_triangles_leaves_the_room_that_a_ball_leaves(self):
        draw, pin = random.Random(4), 0.01
        for _ in range(40):
            way = [draw.gauss(0, 1) for _ in range(3)]
            far = draw.uniform(110, 400) / math.hypot(*way)
            x, y, z = (w * far for w in way)
            found = nearest(BALL, FIXED, Cylinder("p", "p", (x, y, z - pin), (x, y, z + pin), 2 * pin), FIXED).distance_mm
            # Its corners lie on the ball and its faces inside, by 100 (1 - cos) of half an edge: below 1 mm here.
            self.assertGreater(found, math.hypot(x, y, z) - 100 - 0.03)
            self.assertLess(found, math.hypot(x, y, z) - 99)

    def test_what_lies_inside_a_closed_surface_has_no_room(self):
        inner = Box("b", "b", (0, 0, 0), (30, 30, 30))
        self.assertLess(nearest(BALL, FIXED, inner, FIXED).distance_mm, -100.0)
        self.assertLess(nearest(inner, FIXED, BALL, FIXED).distance_mm, -100.0)
        self.assertGreater(nearest(replace(BALL, closed=False), FIXED, inner, FIXED).distance_mm, 70.0, "an open shell has no inside")

    def test_a_hole_through_a_mesh_is_room(self):
        rod = Cylinder("r", "r", (0, 0, -100), (0, 0, 100), 60)
        self.assertAlmostEqual(nearest(RING, FIXED, rod, FIXED).distance_mm, 50.0, delta=1.5)
        thick = Cylinder("r", "r", (0, 0, -100), (0, 0, 100), 170)
        self.assertLess(nearest(RING, FIXED, thick, FIXED).distance_mm, 0.0)

    def test_two_that_cut_each_other_are_negative_from_either_side(self):
        there = placed(Pose(150, 0, 0))
        self.assertLess(nearest(BALL, FIXED, BALL, there).distance_mm, -40.0)
        self.assertAlmostEqual(nearest(BALL, FIXED, BALL, there).distance_mm, nearest(BALL, there, BALL, FIXED).distance_mm, delta=0.5)


class Seen(unittest.TestCase):
    def test_a_silhouette_is_the_outline_of_what_it_stands_for(self):
        for view, (wide, high) in {"side": (100, 40), "plan": (100, 60), "rear": (60, 40)}.items():
            for closed in (True, False):
                (outline,) = silhouette(replace(BOX, closed=closed), FIXED, view)
                self.assertAlmostEqual(Polygon(outline).area, wide * high, places=6)
        for view in ("side", "plan", "rear"):
            (outline,) = silhouette(BALL, WHERE, view)
            self.assertAlmostEqual(Polygon(outline).area / (math.pi * 100**2), 1.0, delta=0.02)

    def test_a_silhouette_is_the_union_of_all_triangles_its_holes_filled(self):
        """Drawn from its rim alone, against every triangle put together: rings, shells that end, bodies apart."""
        ball = trimesh.creation.icosphere(subdivisions=2, radius=30)
        apart = trimesh.util.concatenate([trimesh.creation.box((50, 50, 50)), ball.apply_translation((120, 10, 0))])
        shell = trimesh.creation.icosphere(subdivisions=3, radius=100.0)
        shell.update_faces(np.arange(len(shell.faces)) < 700)
        draw = random.Random(1)
        for made in (BOX, BALL, RING, mesh_of(trimesh.creation.torus(100, 30)), mesh_of(apart), mesh_of(shell, closed=False)):
            for _ in range(8):
                where = placed(Pose(0, 0, 0, *(draw.uniform(-180, 180) for _ in range(3))))
                for view, axes in AXES_OF_VIEW.items():
                    flat = np.array(made.vertices_mm) @ np.array([where.rotation[i] for i in axes]).T
                    whole = union_all(polygons(flat[np.array(made.triangles)]), grid_size=1e-6)
                    filled = union_all([Polygon(part.exterior) for part in getattr(whole, "geoms", [whole])])
                    found = union_all([Polygon(outline) for outline in silhouette(made, where, view)])
                    self.assertLess(found.symmetric_difference(filled).area, 1e-5 * filled.area)

    def test_a_place_picked_on_it_is_the_one_in_front(self):
        corners = mesh_placing.turned(BOX.vertices_mm, (), 1.0)
        for view, u, v, seen in (("side", 10, 15, (10, -30, 15)), ("plan", 10, 15, (10, 15, 40)), ("rear", 10, 15, (50, 10, 15))):
            found = mesh_placing.seen_at(corners, BOX.triangles, view, u, v)
            self.assertLess(math.dist(found, seen), 1e-9, view)
        self.assertIsNone(mesh_placing.seen_at(corners, BOX.triangles, "side", 500, 15))


class Placing(unittest.TestCase):
    def test_the_likeliest_unit_stands_first_and_nonsense_is_told(self):
        gearbox_in_inches = tuple((x / 60, y / 60, z / 60) for x, y, z in BALL.vertices_mm)
        found = mesh_placing.sizes(gearbox_in_inches)
        across = {s.unit: max(s.across_mm) for s in found}
        self.assertAlmostEqual(across["in"] / across["mm"], 25.4)
        sense = {s.unit: s.makes_sense for s in found}
        self.assertFalse(sense["mm"], "an engine of 3 mm")
        engine_mm = tuple((x * 3, y * 3, z * 3) for x, y, z in BALL.vertices_mm)
        self.assertEqual(mesh_placing.sizes(engine_mm)[0].unit, "mm")

    def test_four_quarter_turns_are_none_and_a_turn_keeps_left_from_right(self):
        for name in mesh_placing.TURNS:
            once = mesh_placing.turned(RING.vertices_mm, (name,), 1.0)
            four = mesh_placing.turned(RING.vertices_mm, (name,) * 4, 1.0)
            self.assertLess(abs(four - mesh_placing.turned(RING.vertices_mm, (), 1.0)).max(), 1e-9)
            a, b, c = (once[n] - once[0] for n in (1, 7, 40))
            p, q, r = (four[n] - four[0] for n in (1, 7, 40))
            self.assertAlmostEqual(np.linalg.det([a, b, c]), np.linalg.det([p, q, r]), delta=1e-3)
            self.assertAlmostEqual(once[:, 2].min(), 0.0)

    def test_three_picks_bring_it_where_they_are(self):
        true = placed(Pose(1200, -300, 550, 3, 95, -40))
        picked = ((0.0, 0.0, 0.0), (100.0, 0.0, 5.0), (0.0, 80.0, 0.0), (10.0, 10.0, 90.0))
        fit = mesh_placing.fitted(picked, tuple(true.point(p) for p in picked))
        back = placed(fit.pose)
        self.assertLess(fit.rms_mm, 1e-9)
        self.assertLess(math.dist(back.point((55.0, -20.0, 7.0)), true.point((55.0, -20.0, 7.0))), 1e-6)
        with self.assertRaises(InputError):
            mesh_placing.fitted(picked[:2], picked[:2])


class Edits(unittest.TestCase):
    def test_a_mirror_image_is_closed_still_and_its_own_way_back(self):
        image = shape_edits.mirrored(replace(RING, vertices_mm=tuple((x, y + 300, z) for x, y, z in RING.vertices_mm)))
        self.assertAlmostEqual(bounds_mm(image)[0][1], -400.0, delta=1e-6)
        inside = Box("b", "b", (0, -390, 0), (2, 2, 2))
        self.assertLess(nearest(image, FIXED, inside, FIXED).distance_mm, 0.0, "its triangles still tell inside from outside")
        self.assertEqual(shape_edits.mirrored(image).triangles, RING.triangles)

    def test_meshes_that_cannot_be_are_told(self):
        build = vehicle_begun("bare", "x", "", {})
        self.assertEqual(problems(replace(build, solids=(BALL,))), ())
        for bad in (
            replace(BALL, triangles=BALL.triangles[:3]),
            replace(BALL, triangles=(*BALL.triangles, (0, 1, 9999))),
            replace(BALL, triangles=BALL.triangles * 4),
            replace(BALL, vertices_mm=((1e6, 0.0, 0.0), *BALL.vertices_mm[1:])),
            replace(BALL, vertices_mm=tuple((x, 0.0, 0.0) for x, _, _ in BALL.vertices_mm)),
            replace(BALL, off_mm=-1.0),
        ):
            self.assertTrue(problems(replace(build, solids=(bad,))))

    def test_a_scan_of_more_than_a_million_triangles_is_sound(self):
        """How many a file has is counted, not measured; a length as large is still refused."""
        build = vehicle_begun("bare", "x", "", {})
        self.assertEqual(problems(replace(build, solids=(replace(BALL, triangles_in_file=1_200_000),))), ())
        self.assertTrue(problems(replace(build, solids=(replace(BALL, off_mm=1_200_000.0),))))

    def test_shapes_that_differ_are_told_apart_although_they_are_looked_up_by_few_figures(self):
        other = replace(BALL, vertices_mm=(BALL.vertices_mm[0], (0.0, 0.0, 500.0), *BALL.vertices_mm[2:]))
        self.assertEqual(hash(other), hash(BALL))
        self.assertNotEqual(other, BALL)
        self.assertNotEqual(bounds_mm(other), bounds_mm(BALL))


if __name__ == "__main__":
    unittest.main()
