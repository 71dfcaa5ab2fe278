"""The Measure page: readings in, set aside, and told back."""

import unittest

from tests.shop import TestShop
from tests.web.test_words import plain


class Measure(unittest.TestCase):
    """From the check that complains to the reading that settles it."""

    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")

    def post(self, path, **fields):
        base = str(self.shop.shop.builds.head("cairn-2").number)
        return self.teo.post(f"/builds/cairn-2/measure/{path}", base=base, option="low", **fields)

    def point(self, point_id):
        return self.shop.shop.builds.head("cairn-2").build.point(point_id)

    def test_what_needs_attention_comes_first_and_the_bay_leads_here(self):
        page = plain(self.teo.get("/builds/cairn-2/measure?option=low").text)
        self.assertLess(page.index("Front hub, left"), page.index("Front output"))
        self.assertLess(page.index("Front output"), page.index("Gearbox seat"))
        self.assertIn("405.8 ± 3.8 mm", page)
        self.assertIn("/builds/cairn-2/measure?option=low&amp;point=front-hub-left", self.teo.get("/builds/cairn-2/bay?option=low").text)

    def test_a_reading_a_quick_line_and_one_set_aside(self):
        self.assertEqual(self.post("reading", point="front-hub-left", read_z="16 1/8 in", tool="laser", note="again").status_code, 200)
        reading = self.point("front-hub-left").readings[-1]
        self.assertEqual((reading.text, reading.person, reading.tool), ("16 1/8 in", "Teo Marsh", "laser"))
        self.assertAlmostEqual(reading.value_mm, 409.575)
        self.assertEqual(self.post("drop", point="front-hub-left", reading="r2", do="drop", reason="").status_code, 422)
        answer = self.post("drop", point="front-hub-left", reading="r2", do="drop", reason="weight of the seats")
        self.assertIn("set aside: weight of the seats", plain(answer.text))
        self.assertIsNone(self.shop.shop.evaluated(self.shop.shop.builds.head("cairn-2"), "low").check("reading.front-hub-left.r1.r2"))
        answer = self.post("line", line="front-output -60.5, -190.2, -164.8", tool="caliper")
        self.assertIn("Understood: front output at −60.5, −190.2, −164.8 mm", plain(answer.text))
        self.assertEqual(self.post("source", point="front-output", source="measured").status_code, 200)
        self.assertEqual(self.point("front-output").source, "measured")

    def test_bad_input_is_told_beside_its_field_and_kept(self):
        for path, fields, words in (
            ("reading", {"point": "GM-seat", "read_x": "1,250", "tool": "tape"}, "ambiguous"), ("reading", {"point": "GM-seat", "tool": "tape"}, "at least one"),
            ("reading", {"point": "GM-seat", "read_x": "5", "tool": "radar"}, "radar"), ("line", {"line": "nowhere 1, 2, 3"}, "is no point of this build"), ("source", {"point": "GM-seat", "source": "dreamt"}, "choose one"),
        ):  # fmt: skip
            with self.subTest(words):
                answer = self.post(path, **fields)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(words, plain(answer.text))
        self.assertIn('value="nowhere 1, 2, 3"', self.post("line", line="nowhere 1, 2, 3").text)
        self.assertEqual(self.shop.shop.builds.head("cairn-2").number, 1)
