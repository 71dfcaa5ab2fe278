"""Values as read and drawings as seen: true scale, no label over another, nothing finer than its doubt."""

import random
import re
import unittest
import xml.etree.ElementTree as ET
from dataclasses import replace
from fractions import Fraction
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base.quantities import deg, mm, words
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.demo import bookworm, cairn, dynamo
from elmpeg.figures import labels as labels_module
from elmpeg.figures.labels import HARD, Label, Sheet
from elmpeg.figures.projection import Window, fitted, round_length
from elmpeg.web.drawing.bay import BayScene, draw
from elmpeg.web.showing import Show

NBSP = "\u00a0"


class Showing(unittest.TestCase):
    """Numbers on screen."""

    def test_values_with_doubt(self):
        show = Show("mm")
        cases = [
            (6.53, "mm", 2.0, "6.5 ± 2.0 mm"), (28.04, "mm", 10.0, "28 ± 10 mm"), (2.649, "deg", 0.3, "2.6° ± 0.3°"), (-0.04, "mm", None, "0.0 mm"),
            (-3.25, "mm", None, "−3.2 mm"), (295.2, "rad_s2", 16.9, "295 ± 17 rad/s²"), (0.2336, "pct", None, "0.23 %"), (1.0, "mm", 0.01, "1.0 ± 0.1 mm"),
        ]  # fmt: skip
        for value, unit, sd, text in cases:
            with self.subTest(text):
                self.assertEqual(str(show.value(value, unit, sd)).replace(NBSP, " "), text)

    def test_inches(self):
        self.assertEqual(str(Show("in_fraction_16").value(239.7125, "mm")), f"9 7/16{NBSP}in")
        self.assertEqual(str(Show("in_fraction_32").value(-10, "mm")), f"−25/64{NBSP}in")
        for mm_, sd, text in (
            (0.5, None, "0.020"),
            (3.1, 0.3, "1/8 ± 1/64"),
            (28.1, 0.4, "1 7/64 ± 1/64"),
            (6.53, None, "1/4"),
            (6.0, None, "15/64"),
            (28.05, 0.1, "1.104 ± 0.004"),
            (28.05, 2.0, "1 3/32 ± 5/64"),
            (0.0, None, "0"),
        ):
            with self.subTest(mm_):
                self.assertEqual(str(Show("in_fraction_16").value(mm_, "mm", sd)).replace(NBSP, " "), f"{text} in")
        self.assertEqual(str(Show("in_decimal").value(25.4, "mm")), f"1.000{NBSP}in")
        self.assertIn("239.7125 mm", Show("in_fraction_16").value(239.7125, "mm").full)

    def test_a_fraction_hides_at_most_half_the_doubt_and_half_the_room_to_a_limit(self):
        show = Show("in_fraction_16")
        for k in range(400):
            value, sd, room = 3.0 + k * 0.377, 0.2 + (k % 7) * 0.3, 0.05 + (k % 11) * 0.4
            told = str(show.value(value, "mm", sd, None, room)).replace(NBSP, " ").removesuffix(" in").split(" ± ")
            inches = sum(Fraction(part) for part in told[0].split()) if "/" in told[0] else Fraction(told[0])
            self.assertLessEqual(abs(float(inches) * 25.4 - value), max(min(sd, room) / 2, 0.0127) + 1e-9, told)

    def test_fractions_and_decimals_do_not_mix_in_a_column(self):
        show = Show("in_fraction_16")
        self.assertIs(show.column([(28.1, 0.4, None), (3.1, 0.3, None)]), show)
        mixed = show.column([(28.1, 0.4, None), (28.05, 0.1, None)])
        self.assertEqual(str(mixed.value(28.1, "mm", 0.4)).replace(NBSP, " "), "1.106 ± 0.016 in")
        self.assertIs(Show("mm").column([(0.01, 1e-6, None)]).units, "mm")

    def test_what_is_bought_keeps_the_unit_it_is_sold_by(self):
        mm_, inch = Show("mm"), Show("in_fraction_16")
        for size, sold, beside in ((75.0, "75 mm", "2.953 in"), (8.0, "8 mm", "0.315 in"), (2.5, "2.5 mm", "0.098 in")):
            self.assertEqual(str(mm_.bought(size)).replace(NBSP, " "), sold)
            self.assertEqual(str(inch.bought(size)).replace(NBSP, " "), f"{sold} ({beside})")
        self.assertEqual(str(inch.bought(76.2)).replace(NBSP, " "), "3 in")
        self.assertEqual(str(mm_.bought(76.2)).replace(NBSP, " "), "3 in (76.2 mm)")
        self.assertEqual(str(inch.bought(127.0, inch=True)).replace(NBSP, " "), "5 in")
        self.assertEqual(str(mm_.bought(13.3)), str(mm_.value(13.3, "mm")))

    def test_how_well_something_must_be_known_is_told_whatever_its_size_and_never_as_less(self):
        draw = random.Random(6)
        for _ in range(2000):
            true, unit = 10 ** draw.uniform(-5, 3), draw.choice(("mm", "deg"))
            for units in ("mm", "in_decimal", "in_fraction_16"):
                told = re.fullmatch(r"([\d.]+)(?:\u00a0(mm|in)|°)", str(Show(units).known_to(true, unit)))
                value = float(told[1]) * (25.4 if told[2] == "in" else 1.0)
                self.assertLessEqual(value, true * (1 + 1e-6))
                self.assertGreater(value, true * 0.9)

    def test_scale_bars_are_round_in_the_readers_unit(self):
        for most in (3.0, 12.0, 40.0, 130.0, 500.0, 2600.0):
            for show, unit in ((Show("mm"), 1.0), (Show("in_decimal"), 25.4), (Show("in_fraction_16"), 25.4)):
                length, words = show.bar(most)
                self.assertLessEqual(length, most)
                self.assertGreater(length, 0.19 * most)
                told = words.replace(NBSP, " ").split(" ")
                self.assertAlmostEqual(float(Fraction(told[0])) * unit, length, places=6)
                self.assertEqual(told[1], "mm" if unit == 1.0 else "in")

    def test_rounding_never_hides_a_verdict(self):
        show = Show("mm")
        self.assertEqual(str(show.judged(3.04, "deg", None, 0.5, 3.0)), "3.04°")
        self.assertEqual(str(show.judged(2.96, "deg", None, 0.5, 3.0)), "3.0°")
        self.assertEqual(str(show.judged(4.14, "deg", None, 0.5, 3.0)), "4.1°")

    def test_whoever_compares_a_value_with_its_limits_as_shown_comes_to_what_was_found(self):
        """Ten thousand values round limits, in every way of reading them."""

        def read(text):
            number = text.split(" ± ")[0].replace("−", "-").replace("°", "").removesuffix(" in").removesuffix(" mm").removesuffix(" rad/s²")
            sign, number = (-1, number[1:]) if number.startswith("-") else (1, number)
            return sign * sum(Fraction(part) for part in number.split())

        draw, fractions = random.Random(30), 0
        for _ in range(10_000):
            units = draw.choice(("mm", "in_decimal", "in_fraction_16", "in_fraction_32"))
            unit = draw.choice(("mm", "mm", "mm", "deg", "rad_s2"))
            limits = sorted(draw.choice((0.5, 1.0, 3.0, 6.0, 12.5, 25.4, 150.0, 300.0, draw.uniform(0.1, 900))) for _ in range(2))
            low, high = draw.choice(((None, limits[1]), (limits[0], None), (limits[0], limits[1]), (-limits[1], limits[1])))
            near = draw.choice([limit for limit in (low, high) if limit is not None])
            value = near + draw.choice((-1, 0, 1)) * 10 ** draw.uniform(-3.5, 1.5)
            sd = draw.choice((None, 10 ** draw.uniform(-2, 1.5)))
            show = Show(units)
            told = str(show.judged(value, unit, sd, low, high)).replace(NBSP, " ")
            limit = show.limit(low, high, unit, value, sd).replace(NBSP, " ")
            fractions += "/" in told and unit == "mm"
            least, _, most = limit.partition(" to ")
            most = most or least.removeprefix("at most ").removeprefix("within ± ")
            shown = (
                low is not None and read(told) < (-read(most) if "within" in limit else read(least.removeprefix("at least "))),
                high is not None and read(told) > read(most),
            )
            with self.subTest(units=units, value=value, low=low, high=high, told=told, limit=limit):
                self.assertEqual(shown, (low is not None and value < low, high is not None and value > high))
        self.assertGreater(fractions, 500)
        self.assertEqual(Show("in_fraction_16").limit(None, 150.0, "mm").replace(NBSP, " "), "at most 5 29/32 in")

    def test_words_are_filled_and_stray_braces_left_alone(self):
        said = Show("mm").words(words("Raise {0}, not {7} or {x}, by {1}.", mm(17.0), deg(1.0)))
        self.assertEqual(said.replace(NBSP, " "), "Raise 17.0 mm, not {7} or {x}, by 1.0°.")

    def test_a_name_is_never_the_place_of_a_figure(self):
        def odd(things):
            return tuple(replace(t, name=f"{{9}}{t.name}") for t in things)

        build = cairn.build()
        named = {
            k: odd(getattr(build, k))
            for k in ("components", "solids", "mounts", "drivelines", "pieces", "structures", "stands", "weldments")
        }
        points = tuple(replace(p, name=f"{{9}}{p.name}", source="assumed") for p in build.points)
        for option in ("low", "lifted"):
            for check in evaluate(replace(build, points=points, **named), option).checks:
                for said in (check.why, *(r.words for r in check.remedies)):
                    with self.subTest(check.code, said=said.template):
                        self.assertNotIn("{9}", said.template)

    def test_limits(self):
        show = Show("mm")
        for low, high, text in (
            (None, 3.0, "at most 3.0°"),
            (0.5, 3.0, "0.5° to 3.0°"),
            (-1.0, 1.0, "within ± 1.0°"),
            (6.0, None, "at least 6.0°"),
            (None, None, ""),
        ):
            self.assertEqual(show.limit(low, high, "deg"), text)

    @given(st.floats(-5000, 5000))
    def test_what_stands_in_a_field_reads_back(self, value):
        for units, worst in (("mm", 0.0501), ("in_decimal", 0.0128)):
            show = Show(units)
            self.assertLessEqual(abs(show.read(show.entered(value, "mm"), "mm", "z") - value), worst)


class Drawings(unittest.TestCase):
    """The three views."""

    def drawn(self, build, option, view, large=True, window=None):
        scene = BayScene(build, evaluate(build, option), build.components[0].id)
        return ET.fromstring(str(draw(scene, view, Show(), large, window)))

    def test_true_scale_in_both_directions(self):
        """The front wheel is 820 mm across: in the side view a circle of 820 mm at the drawing's own scale."""
        sheet = self.drawn(cairn.build(), "low", "side")
        scale = float(sheet.get("data-px-per-mm"))
        wheel = next(e for e in sheet.iter("circle") if e.get("class") == "wheel")
        self.assertAlmostEqual(float(wheel.get("r")) * 2 / scale, 820, delta=0.2)
        bar = next(e for e in sheet.iter("polyline") if e.get("class") == "scale-bar").get("points").split()
        length = (float(bar[2].split(",")[0]) - float(bar[1].split(",")[0])) / scale
        said = next(e.text for e in sheet.iter("text") if e.get("text-anchor") == "middle" and e.text.replace(NBSP, " ") == "500 mm")
        self.assertAlmostEqual(length, float(said.split(NBSP)[0]), delta=0.2)

    def test_front_to_the_left_and_up_is_up(self):
        p = fitted("side", 700, 300, Window(-500, 0, 3500, 1500))
        self.assertLess(p.of((0, 0, 0))[0], p.of((1000, 0, 0))[0])
        self.assertGreater(p.of((0, 0, 0))[1], p.of((0, 0, 500))[1])
        self.assertGreater(
            fitted("plan", 700, 300, Window(0, -500, 100, 500)).of((0, 0, 0))[1],
            fitted("plan", 700, 300, Window(0, -500, 100, 500)).of((0, 400, 0))[1],
        )
        self.assertEqual(p.flat(((p.window.left_mm), 0))[0], 0)

    def test_labels_cover_neither_each_other_nor_the_edge(self):
        for build, option in ((cairn.build(), "low"), (cairn.build(), "lifted"), (bookworm.build(), "first"), (dynamo.build(), "after")):
            for view in ("side", "plan", "rear"):
                sheet = self.drawn(build, option, view)
                width, height = (float(v) for v in sheet.get("viewBox").split()[2:])
                boxes = []
                for group in sheet.iter("g"):
                    if (group.get("class") or "").startswith("label"):
                        x, y, w, h = (float(group.find("rect").get(k)) for k in ("x", "y", "width", "height"))
                        boxes.append((x, y, x + w, y + h))
                with self.subTest(build=build.id, view=view):
                    self.assertTrue(boxes)
                    for i, a in enumerate(boxes):
                        self.assertTrue(a[0] >= 0 and a[1] >= 0 and a[2] <= width and a[3] <= height)
                        for b in boxes[i + 1 :]:
                            self.assertFalse(a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3])

    def test_every_failing_check_of_a_part_is_written_in_the_large_side_view(self):
        text = ET.tostring(self.drawn(cairn.build(), "low", "side"), encoding="unicode")
        for words_ in ("J2 4.1° fails", "GM gap 12.7", "Sump to front crossmember 6.5"):
            self.assertIn(words_, text.replace(NBSP, " "))

    def test_a_window_is_shown_whole_and_names_are_escaped(self):
        sheet = self.drawn(cairn.build(), "low", "side", True, Window(1500, 300, 1900, 700))
        left, bottom, right, top = (float(v) for v in sheet.get("data-window").split(","))
        self.assertTrue(left <= 1500 and bottom <= 300 and right >= 1900 and top >= 700)
        self.assertEqual(re.findall(r"<(?!/?[a-z])", ET.tostring(sheet, encoding="unicode")), [])

    @settings(max_examples=30, deadline=None)
    @given(st.lists(st.tuples(st.floats(0, 400), st.floats(0, 200)), min_size=1, max_size=12))
    def test_placed_labels_keep_off_what_is_taken(self, anchors):
        sheet = Sheet(400, 200)
        sheet.cover([[(100, 60), (300, 60), (300, 140), (100, 140)]], HARD)
        for one in sheet.place([Label(a, f"L{i} 10.0 mm", "", str(i), 0) for i, a in enumerate(anchors)]):
            inside = one.left < 294 and one.left + one.width > 106 and one.top < 134 and one.top + one.height > 66
            self.assertFalse(inside)

    def test_round_lengths(self):
        for most, length in ((1300, 1000), (999, 500), (0.3, 0.2), (5, 5), (49, 20)):
            self.assertAlmostEqual(round_length(most), length)


class Near(unittest.TestCase):
    """Labels are looked for near their point first; that finds what looking everywhere finds."""

    def placed(self, size, boxes, labels, near_px):
        sheet = Sheet(*size)
        for box, cost in boxes:
            sheet.cover_box(*box, cost)
        with mock.patch.object(labels_module, "NEAR_PX", near_px):
            return [(p.label.code, p.left, p.top) for p in sheet.place(labels)]

    def test_near_first_or_everywhere_at_once_they_lie_where_they_lie(self):
        rng = random.Random(4)
        for _ in range(12):
            wide, high = size = rng.choice(((750.0, 310.0), (290.0, 180.0), (1200.0, 700.0)))
            corners = [(rng.uniform(-20, wide), rng.uniform(-20, high)) for _ in range(14)]
            boxes = [((x, y, x + rng.uniform(10, 250), y + rng.uniform(10, 150)), rng.choice((HARD, 60.0))) for x, y in corners]
            labels = [Label((rng.uniform(0, wide), rng.uniform(0, high)), "F" * rng.randint(4, 24), "", f"c{k}", k % 3) for k in range(14)]
            near, everywhere = (self.placed(size, boxes, labels, px) for px in (labels_module.NEAR_PX, -1.0))
            self.assertEqual(near, everywhere)
            self.assertGreater(len(near), 2)
