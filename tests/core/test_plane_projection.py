"""From a photograph to true places: against cameras whose pose is known, at their limits, and by shaking the marks."""

import math
import random
import statistics
import unittest

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.plane_projection import Mark, plane_projection

PLACES = ((0.0, 0.0), (1200.0, 40.0), (1150.0, 800.0), (-30.0, 760.0))


class Camera:
    """A pinhole camera looking at a plane from somewhere: the independent way from mm to pixels."""

    def __init__(self, from_mm, look_mm, focal_px=3000.0):
        self.at = np.array(from_mm, dtype=float)
        ahead = np.array(look_mm, dtype=float) - self.at
        self.ahead = ahead / np.linalg.norm(ahead)
        right = np.cross(self.ahead, (0.0, 1.0, 0.0))
        self.right = right / np.linalg.norm(right)
        self.down = np.cross(self.ahead, self.right)
        self.focal = focal_px

    def px(self, u, v):
        ray = np.array([u, v, 0.0]) - self.at
        depth = ray @ self.ahead
        return (2000 + self.focal * (ray @ self.right) / depth, 1500 + self.focal * (ray @ self.down) / depth)


def seen(camera, places):
    return tuple(Mark(camera.px(*p), p) for p in places)


class AskewPictures(unittest.TestCase):
    CAMERAS = (
        Camera((600, 400, 3000), (600, 400, 0)),
        Camera((-900, 1500, 2500), (500, 300, 0)),
        Camera((2600, -300, 1400), (600, 400, 0)),
    )

    def test_four_marks_give_every_other_place_back(self):
        draw = random.Random(4)
        for camera in self.CAMERAS:
            fit = plane_projection(seen(camera, PLACES))
            for _ in range(50):
                place = (draw.uniform(-200, 1500), draw.uniform(-100, 900))
                back = fit.mm(camera.px(*place))
                self.assertLess(math.dist(back, place), 1e-6)
            self.assertLess(fit.rms_px, 1e-7)

    def test_a_camera_square_on_needs_two_marks_only(self):
        camera = self.CAMERAS[0]
        fit = plane_projection(seen(camera, PLACES[:2]))
        for place in ((700.0, 300.0), (-100.0, 900.0)):
            self.assertLess(math.dist(fit.mm(camera.px(*place)), place), 1e-6)

    def test_mm_and_px_are_each_others_way_back(self):
        fit = plane_projection(seen(self.CAMERAS[2], PLACES))
        for place in PLACES:
            self.assertLess(math.dist(fit.mm(fit.px(place)), place), 1e-8)

    def test_many_marks_are_fitted_by_least_squares_in_the_picture(self):
        """Where each mark is a pixel or so off, no other projection near the one found misses less in all."""
        draw, camera = random.Random(9), self.CAMERAS[1]
        places = [(u * 300.0, v * 260.0) for u in range(5) for v in range(4)]
        marks = tuple(Mark(tuple(c + draw.gauss(0, 1.0) for c in camera.px(*p)), p) for p in places)
        fit = plane_projection(marks)
        best = sum(d * d for d in fit.misses_px)
        rows = np.array(fit.rows)
        for i in range(3):
            for j in range(3):
                for sign in (-1, 1):
                    other = rows.copy()
                    other[i, j] += sign * max(abs(rows[i, j]), 1e-6) * 1e-4
                    if (i, j) != (2, 2):
                        off = sum(
                            math.dist(tuple((other @ [*p, 1])[:2] / (other @ [*p, 1])[2]), m.px) ** 2
                            for p, m in zip(places, marks, strict=True)
                        )
                        self.assertGreaterEqual(off, best * (1 - 1e-9))
        self.assertAlmostEqual(fit.rms_px, math.sqrt(best / len(marks)))

    def test_more_marks_bring_the_scatter_down(self):
        draw, camera, aim = random.Random(11), self.CAMERAS[1], (500.0, 350.0)
        grid = [(u * 300.0, v * 260.0) for u in range(5) for v in range(4)]
        spread = []
        for places in (PLACES, grid):
            found = []
            for _ in range(120):
                marks = tuple(Mark(tuple(c + draw.gauss(0, 1.0) for c in camera.px(*p)), p) for p in places)
                found.append(plane_projection(marks).mm(camera.px(*aim))[0])
            spread.append(statistics.pstdev(found))
        self.assertLess(spread[1], 0.75 * spread[0])


class Refused(unittest.TestCase):
    def refusal(self, *marks):
        with self.assertRaises(InputError) as refused:
            plane_projection(tuple(marks))
        return refused.exception.message

    def test_too_few_marks_or_marks_that_fix_nothing(self):
        a, b, c, d = seen(AskewPictures.CAMERAS[0], PLACES)
        for marks in ((), (a,), (a, b, c)):
            self.assertIn("two do", self.refusal(*marks))
        self.assertIn("at one place", self.refusal(a, a))
        middle = Mark(
            tuple((x + y) / 2 for x, y in zip(a.px, b.px, strict=True)), tuple((x + y) / 2 for x, y in zip(a.at_mm, b.at_mm, strict=True))
        )
        self.assertIn("in a line", self.refusal(a, middle, b, d))
        row = seen(AskewPictures.CAMERAS[0], [(k * 100.0, k * 50.0) for k in range(6)])
        self.assertIn("in a line", self.refusal(*row))


if __name__ == "__main__":
    unittest.main()
