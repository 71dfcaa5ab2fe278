"""Forms sent by the browser itself, without any script: answered with a whole page, and kept."""

import re
import unittest
from html import unescape

from elmpeg.core.scene.scene import pose_in
from elmpeg.web.form_tags import PlainForms
from tests.shop import TestShop


class Plain(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")

    def form(self, page, part):
        """What a browser would send of the form whose address holds a part: its address and its fields as they stand."""
        found = next(f for f in re.findall(r"<form\b.*?</form>", page, re.S) if part in re.match(r"<form[^>]*>", f)[0])
        fields = {}
        for tag in re.findall(r"<input\b[^>]*>", found):
            a = dict(re.findall(r'([\w-]+)="([^"]*)"', tag))
            if "name" in a and a.get("type") not in ("checkbox", "radio", "file"):
                fields[a["name"]] = unescape(a.get("value", ""))
        for name, inside in re.findall(r'<select[^>]*name="([^"]+)"[^>]*>(.*?)</select>', found, re.S):
            options = list(re.finditer(r'<option(?: value="([^"]*)")?([^>]*)>\s*([^<]*?)\s*<', inside))
            chosen = next((o for o in options if "selected" in o[2]), options[0] if options else None)
            if chosen:
                fields[name] = unescape(chosen[3] if chosen[1] is None else chosen[1])
        return unescape(re.search(r'\baction="([^"]*)"', found)[1]), fields

    def send(self, path, part, **typed):
        address, fields = self.form(self.teo.get(path).text, part)
        answer = self.teo.client.post(address, data={**fields, **typed})
        return answer

    def head(self):
        return self.shop.shop.builds.head("cairn-2")

    def test_own_page_measuring_points_mounts_and_rounds(self):
        answer = self.send("/me", "/me", units="in_decimal")
        self.assertEqual(answer.status_code, 303)
        self.send("/me", "/me", units="mm")
        for path, part, typed in (
            ("/builds/cairn-2/measure?option=low&point=LM-seat", "/measure/reading", {"read_x": "428.2"}),
            ("/builds/cairn-2/measure?option=low&point=LM-seat", "/measure/line", {"line": "LM-seat 428, -227, 553"}),
            ("/builds/cairn-2/points/new?option=low", "/points", {"name": "Dowel", "at_x": "1", "at_y": "2", "at_z": "3"}),
            ("/builds/cairn-2/mounts?option=low&mount=LM", "/mounts/layer", {"layer_name": "packing", "layer_mm": "4"}),
            ("/builds/cairn-2/fit?option=low", "/fit/start", {}),
            ("/builds/cairn-2/fit?option=low", "/measured", {"line.rear.J1": "1.4"}),
        ):
            with self.subTest(part):
                before = self.head().number
                answer = self.send(path, part, **typed)
                self.assertIn(answer.status_code, (200, 303), re.findall(r'field-error.*?</p>|class="refused.*?</div>', answer.text, re.S))
                if answer.status_code == 200:
                    self.assertIn("<!doctype html>", answer.text)
                self.assertEqual(self.head().number, before + 1)

    def test_a_height_that_is_typed_in_the_bay_moves_the_part_in_hand(self):
        for part in ("engine", "rear-axle"):
            before = {c.id: self.height(c.id) for c in self.head().build.components if c.parent is None}
            answer = self.send(f"/builds/cairn-2/bay?option=low&part={part}", "/bay/move", x_value="741.5")
            self.assertEqual(answer.status_code, 200, re.findall(r'field-error.*?</p>|class="refused.*?</div>', answer.text, re.S))
            moved = [c for c, place in before.items() if self.height(c) != place]
            self.assertEqual(moved, [part])
            self.assertAlmostEqual(self.height(part)[0], 741.5)

    def height(self, component):
        build = self.head().build
        return pose_in(build, build.option("low"), component).origin_mm

    def test_a_refusal_comes_as_a_whole_page_with_the_focus_on_its_field(self):
        answer = self.send("/builds/cairn-2/mounts?option=low&mount=LM", "/mounts/made", tolerance="tight")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("<!doctype html>", answer.text)
        self.assertRegex(answer.text, r'name="tolerance"[^>]*value="tight"[^>]*aria-invalid="true"[^>]*autofocus')

    def test_every_form_that_sends_has_an_address_and_the_secret(self):
        for path in (
            "/",
            "/shelf",
            "/builds/cairn-2/bay?option=low",
            "/builds/cairn-2/mounts?option=low&mount=LM",
            "/builds/cairn-2/reference",
            "/reckoner",
        ):
            text = self.teo.get(path).text
            self.assertIn("<noscript>", text)
            for form in re.findall(r"<form\b[^>]*hx-post=.*?</form>", text, re.S):
                self.assertRegex(form[:900], r'method="post" action="/')
                self.assertIn(f'name="csrf" value="{self.teo.csrf}"', form)

    def test_the_tag_keeps_its_own_ways(self):
        made = PlainForms.preprocess(None, '<form class="a" hx-post="{{ url(\'x\', a=b) }}" hx-encoding="multipart/form-data">', None)
        self.assertIn('method="post" action="{{ url(\'x\', a=b) }}" enctype="multipart/form-data">', made)
        for left in ('<form method="get">', '<form hx-get="/x">', '<form method="post" action="/y" hx-post="/x">'):
            self.assertEqual(PlainForms.preprocess(None, left, None), left)


if __name__ == "__main__":
    unittest.main()
