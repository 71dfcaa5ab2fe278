"""Room between bodies against closed forms, fine sampling and brute searches for the least shift."""

import math
import random
import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.methods.shapes.clearance import WITHIN_MM, Body, Straight, Swing, least_room, room_between
from elmpeg.core.methods.shapes.solids import FIXED, Box, Cylinder, Extrusion, Mesh, Tube


def box(centre, size, name="box"):
    return Box(name, name, centre, size)


def body(*solids, **pose):
    return Body(solids, placed(Pose(**pose)) if pose else FIXED)


def carried(one, motion, at):
    """A body moved, by another road than the method's: points through a rotation about an axis."""
    if isinstance(motion, Straight):
        o = one.where.origin_mm
        return Body(one.solids, type(one.where)(one.where.rotation, tuple(a + at * b for a, b in zip(o, motion.by_mm, strict=True))))
    axis = np.array(motion.axis) / np.linalg.norm(motion.axis)
    turn = Rotation.from_rotvec(axis * math.radians(at))
    origin = turn.apply(np.array(one.where.origin_mm) - motion.about_mm) + motion.about_mm
    rows = turn.as_matrix() @ np.array(one.where.rotation)
    return Body(one.solids, type(one.where)(tuple(map(tuple, rows.tolist())), tuple(origin.tolist())))


class AtRest(unittest.TestCase):
    def test_tubes_that_cross_and_boxes_apart(self):
        a = body(Cylinder("a", "a", (0, 0, 0), (600, 0, 0), 76))
        b = body(Cylinder("b", "b", (300, -200, 90), (300, 200, 90), 50))
        self.assertAlmostEqual(room_between(a, b).distance_mm, 27, places=5)

    def test_two_blocks_that_make_one_are_parted_as_one(self):
        """Each half alone would slip out sideways into the other; only the whole's way out counts."""
        halves = body(box((-50, 0, 0), (100, 100, 100)), box((50, 0, 0), (100, 100, 100)))
        pin = body(box((5, 0, 0), (60, 60, 60)))
        whole = body(box((0, 0, 0), (200, 100, 100)))
        self.assertAlmostEqual(room_between(whole, pin).distance_mm, -80, places=5)
        self.assertAlmostEqual(room_between(halves, pin).distance_mm, -80, places=5)
        self.assertAlmostEqual(room_between(pin, halves).distance_mm, -80, places=5)

    def test_the_least_shift_parts_and_nothing_shorter_does(self):
        """Against thousands of shorter shifts in all directions."""
        rng = random.Random(6)
        ways = np.random.default_rng(1).normal(size=(400, 3))
        ways /= np.linalg.norm(ways, axis=1)[:, None]
        for k in range(6):
            a = body(*(box(tuple(rng.uniform(-60, 60) for _ in range(3)), tuple(rng.uniform(40, 120) for _ in range(3))) for _ in range(2)),
                     roll_deg=rng.uniform(-60, 60), pitch_deg=rng.uniform(-60, 60))  # fmt: skip
            b = body(*(box(tuple(rng.uniform(-60, 60) for _ in range(3)), tuple(rng.uniform(40, 120) for _ in range(3))) for _ in range(2)))
            found = room_between(a, b)
            if found.distance_mm >= 0:
                continue
            shift = tuple(q - p for p, q in zip(found.on_a_mm, found.on_b_mm, strict=True))
            self.assertAlmostEqual(math.hypot(*shift), -found.distance_mm, places=6)
            self.assertGreaterEqual(room_between(carried(a, Straight(shift), 1.0), b).distance_mm, -1e-4)
            for way in ways:
                shorter = tuple(0.98 * -found.distance_mm * way)
                with self.subTest(k=k):
                    self.assertLess(room_between(carried(a, Straight(shorter), 1.0), b).distance_mm, 0)


class OnTheWay(unittest.TestCase):
    def sampled(self, a, b, moving, motion, n=4000):
        low, high = (0.0, 1.0) if isinstance(motion, Straight) else sorted((motion.from_deg, motion.to_deg))
        distances = []
        for at in np.linspace(low, high, n):
            pair = (carried(a, motion, at), b) if moving == "a" else (a, carried(b, motion, at))
            distances.append(room_between(*pair).distance_mm)
        return min(distances)

    def test_no_sample_of_the_way_comes_nearer(self):
        rng = random.Random(12)
        for k in range(8):
            a = body(box((0, 0, 0), tuple(rng.uniform(40, 200) for _ in range(3))), Cylinder("c", "c", (60, 0, 0), (160, 20, 30), 40),
                     x_mm=400, y_mm=rng.uniform(-80, 80), z_mm=260, roll_deg=rng.uniform(-30, 30))  # fmt: skip
            b = body(box((0, 0, 0), (200, 150, 90)), Tube("t", "t", ((0, 0, 60), (80, 0, 90), (80, 90, 90)), 20))
            motion = (
                Swing((rng.uniform(-100, 100), 0, 0), (0.1, 1, 0.2), -70, 75) if k % 2 else Straight((-800, rng.uniform(-200, 200), 60))
            )
            moving = "a" if k % 3 else "b"
            found = least_room(a, b, moving, motion)
            sampled = self.sampled(a, b, moving, motion, 1500)
            with self.subTest(k=k):
                if sampled > 0:
                    self.assertLessEqual(found.least_mm, sampled + WITHIN_MM)
                    self.assertGreater(found.least_mm, sampled - 1.0)
                else:
                    self.assertLessEqual(found.least_mm, 0)

    def test_a_corner_swung_past_an_edge_as_by_circles(self):
        """A flat's lower edge runs on a circle; the nearest it comes to a post is the post's distance less that circle."""
        flap = body(box((0, 0, -200), (2, 400, 400)))
        radius = math.hypot(1, 400)
        post = body(Cylinder("p", "p", (500, -100, -100), (500, 100, -100), 30))
        found = least_room(flap, post, "a", Swing((0, 0, 0), (0, 1, 0), -90, 0))
        self.assertAlmostEqual(found.least_mm, math.hypot(500, 100) - radius - 15, delta=0.02)

    def test_slid_along_a_face_and_swung_beside_one_it_ends(self):
        """The same distance all the way is the hardest to search; both must end with it."""
        slide = least_room(body(box((0, 0, 0), (100, 100, 100))), body(box((0, 0, 130), (5000, 100, 100))), "a", Straight((2000, 0, 0)))
        self.assertAlmostEqual(slide.least_mm, 30, delta=0.02)
        gate = least_room(
            body(box((-200, 0, 0), (400, 20, 600))), body(box((0, 0, 340), (900, 900, 40))), "a", Swing((0, 0, 0), (0, 0, 1), 0, 110)
        )
        self.assertAlmostEqual(gate.least_mm, 20, delta=0.02)

    def test_touching_on_the_way_is_not_missed_between_steps(self):
        """A thin wire passed through in a hundredth of the way."""
        found = least_room(
            body(box((0, 0, 0), (2, 50, 50))), body(Cylinder("w", "w", (500, -20, 0), (500, 20, 0), 1)), "a", Straight((1000, 0, 0))
        )
        self.assertLessEqual(found.least_mm, 0)
        self.assertAlmostEqual(found.at, 0.5, delta=0.003)

    def test_outlines_and_surfaces_take_part(self):
        ell = body(Extrusion("l", "l", "side", ((0, 0), (100, 0), (100, 20), (20, 20), (20, 100), (0, 100)), -20, 20))
        ball = body(box((60, 0, 60), (10, 10, 10)))
        self.assertAlmostEqual(room_between(ell, ball).distance_mm, 35, places=6)
        pyramid = Mesh("m", "m", ((0, 0, 0), (60, 0, 0), (0, 60, 0), (0, 0, 60)), ((0, 2, 1), (0, 1, 3), (0, 3, 2), (1, 2, 3)), True, "m")
        still = body(pyramid)
        found = least_room(body(box((200, 20, 10), (20, 20, 10))), still, "a", Straight((-100, 0, 0)))
        self.assertAlmostEqual(found.least_mm, room_between(body(box((100, 20, 10), (20, 20, 10))), still).distance_mm, delta=0.02)
