"""Templates traced from photographs: the plate is cut after them, so area, holes and edges must be those of the template."""

import contextlib
import io
import json
import math
import tempfile
import unittest
from dataclasses import replace
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from shapely.geometry import Polygon

from elmpeg.cli import main
from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.plane_projection import Mark
from elmpeg.demo.photographed import Bench, photograph
from elmpeg.formats.traced import traced
from tests.effort import at_most

FRAME = ((0, 0), (300, 0), (300, 200), (0, 200))
OUTLINE = [(40, 30), (250, 30), (260, 90), (230, 170), (120, 165), (60, 175), (45, 100)]
HOLES = [(80, 60, 11), (220, 60, 11), (90, 140, 8.5), (200, 135, 22), (150, 100, 40)]
SEEN = ((180, 1050), (1450, 1080), (1300, 180), (300, 160))
AREA_SHARE, CENTRE_MM, DIAMETER_MM = 0.005, 0.4, 0.4
"""The bars: of the area, and of holes."""


@cache
def taken():
    """The template in good light, and its marks; drawn once for all tests."""
    return photograph(OUTLINE, HOLES, FRAME, SEEN, seen=Bench(fine=2))


class Measured(unittest.TestCase):
    def assert_found(self, found, outline=OUTLINE, holes=HOLES):
        area = Polygon(outline).area
        self.assertLess(abs(Polygon(found.outline_mm).area / area - 1), AREA_SHARE)
        self.assertEqual(len(found.holes), len(holes))
        for x, y, d in holes:
            near = min(found.holes, key=lambda h: math.dist(h.xy_mm, (x, y)))
            self.assertLess(math.dist(near.xy_mm, (x, y)), CENTRE_MM)
            self.assertLess(abs(near.d_mm - d), DIAMETER_MM)


class OfPhotographs(Measured):
    def test_in_all_sorts_of_light(self):
        for name, corners, bench in (
            ("dark on bright", SEEN, Bench(seed=1)),
            ("bright on dark, steep, noisy", ((100, 1100), (1500, 1000), (1400, 250), (250, 100)), Bench(200, 60, 0.5, 6.0, seed=2)),
            ("little contrast", SEEN, Bench(120, 160, 0.3, 3.0, seed=3)),
            ("half the light at one corner", SEEN, Bench(70, 190, 0.55, 4.0, seed=4)),
            ("from the side, turned", ((1400, 1050), (1300, 150), (250, 260), (200, 1000)), Bench(60, 180, 0.35, 4.0, seed=5)),
        ):
            with self.subTest(name):
                found = traced(*photograph(OUTLINE, HOLES, FRAME, corners, (1600, 1200), replace(bench, fine=2)))
                self.assert_found(found)
                self.assertEqual(found.warnings, ())

    def test_straight_edges_are_straight(self):
        found = traced(*taken())
        self.assertEqual(found.straight_edges, 7)
        self.assertLessEqual(len(found.outline_mm), 9)
        for corner in OUTLINE:
            self.assertLess(min(math.dist(corner, c) for c in found.outline_mm), 0.4)

    def test_the_doubt_stated_covers_what_it_is_off(self):
        found = traced(*taken())
        for x, y, _ in HOLES:
            near = min(found.holes, key=lambda h: math.dist(h.xy_mm, (x, y)))
            self.assertLess(math.dist(near.xy_mm, (x, y)), 3 * found.sd_mm)

    def test_a_picture_of_twelve_megapixels(self):
        big = tuple((x * 2.5, y * 2.5) for x, y in SEEN)
        data, marks = photograph(OUTLINE, HOLES, FRAME, big, (4000, 3000), Bench(fine=1))
        with at_most(self, 10.0):
            self.assert_found(traced(data, marks))

    def test_a_lens_that_bends_straight_lines_is_named(self):
        near_edge = [(4, 4), (296, 4), (296, 196), (4, 196)]
        data, marks = photograph(near_edge, (), FRAME, ((60, 1140), (1540, 1140), (1540, 60), (60, 60)), seen=Bench(bend=0.04, fine=2))
        self.assertTrue(any("lens" in w for w in traced(data, marks).warnings))

    def test_marks_on_the_bench_are_not_the_template(self):
        self.assert_found(traced(*photograph(OUTLINE, HOLES, FRAME, SEEN, seen=Bench(dots=True, fine=2))))

    def test_an_opening_that_is_not_round_stays_an_opening(self):
        inner = [(130, 80), (170, 80), (170, 110), (130, 110)]
        whole = Polygon(OUTLINE, [inner])
        # A template with a window, drawn as the two halves that it falls into when it is cut through the window.
        half = [*OUTLINE[:1], (150, 30), (150, 80), (130, 80), (130, 110), (150, 110), (150, 166.36), *OUTLINE[4:]]
        other = [(149.9, 30), *OUTLINE[1:4], (149.9, 166.36), (149.9, 110), (170, 110), (170, 80), (149.9, 80)]
        one, marks = photograph(half, (), FRAME, SEEN, seen=Bench(noise=0.0, darker=0.0, fine=2))
        two, _ = photograph(other, (), FRAME, SEEN, seen=Bench(noise=0.0, darker=0.0, fine=2))
        both = np.minimum(*(cv2.imdecode(np.frombuffer(d, np.uint8), cv2.IMREAD_GRAYSCALE) for d in (one, two)))
        found = traced(cv2.imencode(".png", both)[1].tobytes(), marks)
        self.assertEqual(len(found.openings_mm), 1)
        self.assertEqual(found.holes, ())
        self.assertAlmostEqual(Polygon(found.openings_mm[0]).area, 40 * 30, delta=15)
        self.assertAlmostEqual(Polygon(found.outline_mm).area - 1200, whole.area, delta=0.01 * whole.area)


def in_colour(card, bench, streaks=0.0, blur_px=1.2, noise=6.0):
    """The template in colours (blue, green, red): drawn flat at 8 px a mm and seen askew by OpenCV's own transform; streaks run
    along the bench as on brushed steel."""
    rng, fine, rim = np.random.default_rng(11), 8, 30
    wide, high = (FRAME[1][0] + 2 * rim) * fine, (FRAME[2][1] + 2 * rim) * fine
    ys, xs = np.mgrid[0:high, 0:wide]
    xs, ys = (xs + 0.5) / fine - rim, (high - ys - 0.5) / fine - rim
    on = np.zeros((high, wide), np.uint8)
    cv2.fillPoly(on, [np.array([[(x + rim) * fine - 0.5, high - (y + rim) * fine - 0.5] for x, y in OUTLINE]).round().astype(np.int32)], 1)
    for x, y, d in HOLES:
        on[(xs - x) ** 2 + (ys - y) ** 2 < d * d / 4] = 0
    rows = cv2.GaussianBlur(rng.normal(0, 1, (high, 1)), (0, 0), 1.5 * fine)
    ground = np.array(bench, float) + streaks * (rows / max(float(rows.std()), 1e-9))[:, :, None]
    flat = np.where(on[:, :, None] > 0, np.array(card, float), ground).astype(np.float32)
    corners = np.array([[(x + rim) * fine - 0.5, high - (y + rim) * fine - 0.5] for x, y in FRAME], np.float32)
    seen = cv2.warpPerspective(
        cv2.GaussianBlur(flat, (0, 0), 2.0), cv2.getPerspectiveTransform(corners, np.array(SEEN, np.float32)), (1600, 1200),
        flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT,
    )  # fmt: skip
    seen = cv2.GaussianBlur(seen * np.linspace(1.0, 0.7, 1600, dtype=np.float32)[None, :, None], (0, 0), blur_px)
    seen = np.clip(seen + rng.normal(0, noise, seen.shape), 0, 255).astype(np.uint8)
    marks = tuple(Mark((float(px[0]), float(px[1])), (float(at[0]), float(at[1]))) for px, at in zip(SEEN, FRAME, strict=True))
    return cv2.imencode(".jpg", seen, [cv2.IMWRITE_JPEG_QUALITY, 85])[1].tobytes(), marks


class InColour(Measured):
    """What brightness alone does not show: the same bars."""

    def test_card_on_brushed_steel(self):
        self.assert_found(traced(*in_colour((90, 120, 160), (200, 200, 200), streaks=22.0)))

    def test_two_colours_of_one_brightness(self):
        data, marks = in_colour((100, 105, 170), (190, 123, 95))
        grey = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE)
        self.assertLess(abs(float(grey[600, 700]) - float(grey[600, 60])), 25)
        self.assert_found(traced(data, marks))

    def test_out_of_focus(self):
        self.assert_found(traced(*in_colour((230, 230, 230), (90, 100, 110), blur_px=3.0)))


class Refused(unittest.TestCase):
    def test_noise_is_no_template_and_takes_no_longer(self):
        noise = np.random.default_rng(5).normal(128, 40, (1500, 2000)).clip(0, 255).astype(np.uint8)
        marks = tuple(Mark(px, at) for px, at in (((300.0, 1200.0), (0.0, 0.0)), ((1700.0, 1200.0), (300.0, 0.0)),
                                                  ((1700.0, 300.0), (300.0, 200.0)), ((300.0, 300.0), (0.0, 200.0))))  # fmt: skip
        with at_most(self, 10.0), self.assertRaisesRegex(InputError, "stands out from the bench"):
            traced(cv2.imencode(".png", noise)[1].tobytes(), marks)

    def test_in_words(self):
        data, marks = taken()
        blank = cv2.imencode(".png", np.full((300, 400), 128, np.uint8))[1].tobytes()
        small = tuple(replace(m, px=(m.px[0] / 5, m.px[1] / 5)) for m in marks)
        for photo, known, words in (
            (b"not a picture", marks, "cannot|not a picture"),
            (data, marks[:3], "needs 4 marks"),
            (blank, small, "nothing"),
            (data, tuple(replace(m, px=(m.px[0] + 9000, m.px[1])) for m in marks), "outside the picture"),
        ):
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                traced(photo, known)


class OnTheCommandLine(unittest.TestCase):
    def run_it(self, marks_text):
        data, _ = taken()
        with tempfile.TemporaryDirectory() as folder:
            photo, marks = Path(folder) / "p.jpg", Path(folder) / "m.json"
            photo.write_bytes(data)
            marks.write_text(marks_text)
            out, err = io.StringIO(), io.StringIO()
            with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
                code = main(["trace", str(photo), "--marks", str(marks)])
        return code, out.getvalue(), err.getvalue()

    def test_prints_outline_holes_and_what_marks_leave_over(self):
        marks = [{"id": f"m{k}", "px": px, "xy_mm": at} for k, (px, at) in enumerate(zip(SEEN, FRAME, strict=True))]
        for text in (json.dumps(marks), json.dumps({"marks": marks})):
            code, out, _ = self.run_it(text)
            said = json.loads(out)
            self.assertEqual(code, 0)
            self.assertEqual(len(said["holes"]), 5)
            self.assertLess(abs(Polygon(said["outline_mm"]).area / Polygon(OUTLINE).area - 1), AREA_SHARE)
            self.assertLess(said["rms_px"], 0.01)

    def test_marks_that_are_none_are_refused_in_words(self):
        for text in ("{", "[1]", "[]"):
            code, out, err = self.run_it(text)
            self.assertEqual((code, out), (2, ""))
            self.assertIn("marks", err)


if __name__ == "__main__":
    unittest.main()
