"""One way from an act to an outcome: what was pressed is answered on the page where it was pressed, with all that was typed."""

import re
import unittest
from pathlib import Path

from elmpeg.web import shop
from tests.shop import TestShop

LONGEST_LINE = 160
JUDGES = re.compile(r"\{%-? *(?:el)?if [^%]*\b(?:margin|[a-z]+_(?:mm|deg|rpm))\b *[<>]")
"""A comparison of figures in a template: a rule of the job belongs in the core."""


class Answers(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")

    def head(self):
        return self.shop.shop.builds.head("cairn-2")

    def post(self, path, at="", **fields):
        headers = {"X-CSRF-Token": self.teo.csrf, "HX-Request": "true", **({"HX-Current-URL": f"http://shop.test{at}"} if at else {})}
        return self.teo.client.post(path, data={"base": str(self.head().number), **fields}, headers=headers)

    def test_undo_and_redo_stay_on_the_page_and_tab_where_they_were_pressed(self):
        self.teo.post("/builds/cairn-2/bay/move", base="1", option="low", part="engine", freedom="z", do="plus", step="1 mm")
        for k, (at, words) in enumerate((
            ("/builds/cairn-2/drive/travel?option=low&line=front&rise=20", 'aria-current="page">Travel'),
            ("/builds/cairn-2/measure/cross?option=low", "What was measured, held against itself"),
            ("/builds/cairn-2/patterns?option=low", "Patterns"),
            ("/builds/cairn-2/things?of=wheels&option=low", "<h2>Wheel</h2>"),
            ("/builds/cairn-2/history?option=low", "Undid" if False else "History"),
            ("/builds/cairn-2/mounts?option=low&mount=GM", "Gearbox mount"),
        )):  # fmt: skip
            with self.subTest(at):
                do = ("undo", "redo")[k % 2]
                answer = self.post("/builds/cairn-2/undo", at, do=do, stage="Place", option="low")
                self.assertEqual(answer.status_code, 200)
                self.assertIn(words, answer.text)
                self.assertIn(f'name="base" value="{self.head().number}"', answer.text)
        self.assertEqual(self.head().number, 8)

    def test_without_a_page_to_go_back_to_it_is_the_bay(self):
        for at in ("", "/builds/bookworm/measure", "/me", "http://elsewhere.test/builds/cairn-2/", "/builds/cairn-2/undo"):
            with self.subTest(at):
                self.post(
                    "/builds/cairn-2/bay/move",
                    base=str(self.head().number),
                    option="low",
                    part="engine",
                    freedom="z",
                    do="plus",
                    step="1 mm",
                )
                answer = self.post("/builds/cairn-2/undo", at, do="undo", option="low")
                self.assertEqual(answer.status_code, 200)
                self.assertIn('id="stage"', answer.text)

    def test_a_conflict_offers_the_act_again_where_it_was_made(self):
        self.teo.post("/builds/cairn-2/bay/move", base="1", option="low", part="engine", freedom="z", do="plus", step="1 mm")
        headers = {
            "X-CSRF-Token": self.teo.csrf,
            "HX-Request": "true",
            "HX-Current-URL": "http://shop.test/builds/cairn-2/mounts?option=low",
        }
        answer = self.teo.client.post("/builds/cairn-2/undo", data={"base": "1", "do": "undo", "option": "low"}, headers=headers)
        self.assertEqual(answer.status_code, 409)
        self.assertIn('hx-post="/builds/cairn-2/undo"', answer.text.split("Somebody else changed")[1].split("</form>")[0])

    def test_the_handler_sees_the_build_that_the_page_showed(self):
        wil = self.shop.browser("wil")
        self.teo.post(
            "/builds/cairn-2/mounts/new",
            base="1",
            name="Later",
            component_point="crank-nose",
            seat_point="LM-seat",
            bolt="12",
            hold="direct",
        )
        self.assertEqual(self.head().number, 2)
        answer = wil.post("/builds/cairn-2/mounts/remove", base="1", option="low", mount="later")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("has no mount “later”. Nothing was saved", answer.text)
        self.assertEqual(self.head().number, 2)

    def test_a_wrong_choice_is_refused_on_every_page_and_what_was_typed_stays(self):
        for path, fields, field in (
            ("/builds/cairn-2/mounts/new", {"name": "Odd", "component_point": "crank-nose", "seat_point": "LM-seat", "bolt": "12", "hold": "glue"}, "hold"),
            ("/builds/cairn-2/drive/axles", {"axle": "rear-springs", "name": "Rear", "component": "rear-axle", "kind": "hover", "bump": "80", "droop": "90"}, "kind"),
            ("/builds/cairn-2/points", {"name": "New", "on": "vehicle", "kind": "hole", "source": "guessed"}, "source"),
            ("/builds/cairn-2/fit/start", {"option": "low", "material": "cheese"}, "material"),
            ("/builds/cairn-2/reference/sheet", {"do": "add", "name": "Sill", "kind": "guess"}, "kind"),
        ):  # fmt: skip
            with self.subTest(path):
                before = self.head().number
                answer = self.post(path, **fields)
                self.assertEqual((answer.status_code, self.head().number), (422, before))
                self.assertIn("none of the choices", answer.text)
                self.assertIn(field, answer.text)


class Templates(unittest.TestCase):
    folder = Path(shop.__file__).with_name("templates")

    def test_no_line_is_longer_than_a_screen(self):
        for path in sorted(self.folder.rglob("*.html")):
            for n, line in enumerate(path.read_text().split("\n"), 1):
                self.assertLessEqual(len(line), LONGEST_LINE, f"{path.relative_to(self.folder)}:{n}")

    def test_no_template_judges_figures(self):
        for path in sorted(self.folder.rglob("*.html")):
            self.assertIsNone(JUDGES.search(path.read_text()), path.name)
