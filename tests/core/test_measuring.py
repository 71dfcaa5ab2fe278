"""What is typed at the vehicle. A fraction misread is a hole in the wrong place."""

import contextlib
import math
import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.sheet_gauges import TABLES
from elmpeg.core.methods.measuring.typed_figures import inch_fraction, parse_angle, parse_gauge, parse_length


class Lengths(unittest.TestCase):
    """Every spelling a shop uses, and the refusals."""

    def test_spellings(self):
        cases = [
            ("12", "mm", 12.0, "mm"), ("12", "in", 304.8, "in"), ("12.5 mm", "in", 12.5, "mm"), (".5", "mm", 0.5, "mm"), ("5.", "mm", 5.0, "mm"),
            ("9 7/16", "in", 239.7125, "in"), ("9-7/16", "in", 239.7125, "in"), ("8⅝", "in", 219.075, "in"), ("8 ⅝\"", "mm", 219.075, "in"),
            ("⅛", "in", 3.175, "in"), ("11⁄16 in", "mm", 17.4625, "in"), ("-2 1/2", "in", -63.5, "in"), ("−2 1/2\"", "mm", -63.5, "in"),
            ("+3", "mm", 3.0, "mm"), ("1' 3 1/2\"", "mm", 393.7, "ft"), ("1'3", "mm", 381.0, "ft"), ("2 ft 6 in", "mm", 762.0, "ft"),
            ("5 ft", "mm", 1524.0, "ft"), ("5'", "mm", 1524.0, "ft"), ("1′ 2″", "mm", 355.6, "ft"), ("40 thou", "mm", 1.016, "thou"),
            ("3.2 cm", "in", 32.0, "cm"), ("1.25 m", "mm", 1250.0, "m"), ("12,5", "mm", 12.5, "mm"), ("0,125 in", "mm", 3.175, "in"),
            ("1250,5", "mm", 1250.5, "mm"), ("1234,567", "mm", 1234.567, "mm"), ("9/8", "in", 28.575, "in"), ("2 INCHES", "mm", 50.8, "in"),
            ("3/4 ft", "mm", 228.6, "ft"), ("0", "mm", 0.0, "mm"),
        ]  # fmt: skip
        for text, default, mm, unit in cases:
            with self.subTest(text):
                length = parse_length(text, default)
                self.assertAlmostEqual(length.mm, mm, places=9)
                self.assertEqual(length.unit, unit)

    def test_refusals_say_what_would_be_accepted(self):
        cases = {
            "": "empty", "   ": "empty", "three": "not a", "nan": "not a", "inf": "not a", "1/0": "zero", "3/4/5": "not a figure",
            "1,250": "1250 or 1.250", "-1,250 mm": "ambiguous", "5 parsecs": "mm, cm", "1e3": "not a", "8.5 1/2": "mixed", "2 9/8": "mixed",
            "--4": "not a", "101 m": "100 m", "12 12": "not a", "mm": "not a figure", "4 mm 5": "not a", "1" * 90: "too long", "0x10": "not a",
            "1,2,3": "not a", "5'6'7": "not a",
        }  # fmt: skip
        for text, words in cases.items():
            with self.subTest(text), self.assertRaises(InputError) as refused:
                parse_length(text, "mm", "gap")
            self.assertEqual(refused.exception.errors[0].field, "gap")
            self.assertIn(words, str(refused.exception), text)

    def test_a_bare_figure_is_never_guessed(self):
        with self.assertRaises(InputError) as refused:
            parse_length("12", None)
        self.assertIn("no unit", str(refused.exception))

    @given(st.integers(0, 4000), st.sampled_from([2, 4, 8, 16, 32, 64]), st.booleans())
    def test_what_is_shown_in_fractions_reads_back_exactly(self, count, denominator, negative):
        mm = count / denominator * 25.4 * (-1 if negative else 1)
        self.assertAlmostEqual(parse_length(inch_fraction(mm, denominator), "in").mm, mm, places=9)

    @given(st.floats(-20000, 20000), st.sampled_from([16, 32]))
    def test_the_nearest_fraction_is_within_half_a_step_and_in_lowest_terms(self, mm, denominator):
        text = inch_fraction(mm, denominator)
        self.assertLessEqual(abs(parse_length(text, "in").mm - mm), 25.4 / denominator / 2 + 1e-6)
        if "/" in text:
            top, bottom = (int(v) for v in text.split()[-1].lstrip("-").split("/"))
            self.assertEqual(math.gcd(top, bottom), 1)

    @given(st.text(max_size=30))
    def test_any_text_is_read_or_refused_and_never_breaks(self, text):
        for read in (lambda t: parse_length(t, "mm").mm, parse_angle, lambda t: parse_gauge(t, "steel").mm):
            with contextlib.suppress(InputError):
                self.assertTrue(math.isfinite(read(text)))

    def test_shown_fractions(self):
        for mm, denominator, text in (
            (25.0, 16, "1"),
            (239.7125, 16, "9 7/16"),
            (0.0, 16, "0"),
            (-1.5875, 16, "-1/16"),
            (-0.3, 16, "0"),
            (12.7, 1, "1"),
        ):
            with self.subTest(mm):
                self.assertEqual(inch_fraction(mm, denominator), text)


class Angles(unittest.TestCase):
    """Degrees as an angle gauge or a drawing gives them."""

    def test_spellings(self):
        cases = {
            "2.5°": 2.5,
            "2° 30'": 2.5,
            "-0° 30'": -0.5,
            "2°30'15\"": 2 + 30 / 60 + 15 / 3600,
            "-0.3": -0.3,
            "2,5": 2.5,
            "3 deg": 3,
            "30'": 0.5,
            "45'": 0.75,
            '3° 15"': 3 + 15 / 3600,
            "2½°": 2.5,
            "2 1/2": 2.5,
            "2 30'": 2.5,
            "1.5 °": 1.5,
            "12": 12,
            "1d 30m": 1.5,
            "−4º": -4,
        }
        for text, deg in cases.items():
            with self.subTest(text):
                self.assertAlmostEqual(parse_angle(text), deg)

    def test_refusals(self):
        for text in ("", "steep", "2° 75'", "2.5° 30'", "400°", "1/0", "nan", "3 4 5", "30'''", "1,250"):
            with self.subTest(text), self.assertRaises(InputError):
                parse_angle(text)


class Gauges(unittest.TestCase):
    """The same number is another thickness in each table."""

    def test_sixteen_gauge_in_every_table(self):
        """Published thicknesses of 16 gauge, in inches."""
        for material, inches in {"steel": 0.0598, "stainless": 0.0625, "galvanised": 0.0635, "aluminium": 0.0508, "swg": 0.064}.items():
            with self.subTest(material):
                sheet = parse_gauge("16 ga", material)
                self.assertAlmostEqual(sheet.mm, inches * 25.4, places=6)
                self.assertEqual(sheet.table, TABLES[material].name)

    def test_the_word_swg_decides_the_table(self):
        for text, material in (("16 swg", None), ("16 swg", "steel"), ("SWG 16", None), ("16", "swg")):
            self.assertAlmostEqual(parse_gauge(text, material).mm, 1.6256)
        for text in ("ga 16", "gauge 16", "#16", "16g", "16 GA."):
            self.assertAlmostEqual(parse_gauge(text, "steel").mm, 1.51892)

    def test_thick_gauges_are_counted_in_noughts(self):
        self.assertAlmostEqual(parse_gauge("3/0", "swg").mm, 0.400 * 25.4 * 0.93, delta=0.001)
        self.assertAlmostEqual(parse_gauge("000 swg", None).mm, parse_gauge("3/0", "swg").mm)

    def test_refusals(self):
        for text, material in (("16", None), ("2", "steel"), ("99 ga", "steel"), ("-16", "steel"), ("16 mm", "steel"), ("", "steel")):
            with self.subTest(text), self.assertRaises(InputError):
                parse_gauge(text, material)

    def test_every_table_gets_thinner_as_its_number_grows(self):
        for name, table in TABLES.items():
            numbers = sorted(table.inches)
            for a, b in pairwise(numbers):
                with self.subTest(name, gauge=b):
                    self.assertGreater(table.inches[a], table.inches[b])
