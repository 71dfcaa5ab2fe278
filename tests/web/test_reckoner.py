"""The Reckoner's pages: every calculation by one test over the list, side by side, kept, filled from a build, on paper."""

import io
import json
import re
import unittest
from dataclasses import replace
from html import unescape

import pypdfium2

from elmpeg.core.calculators import CALCULATORS, answer
from elmpeg.core.reckoning.reckon import reckon
from elmpeg.core.reckoning.typed import Sure, written
from elmpeg.core.stages.place.position_edits import shifted
from elmpeg.figures.drawn import DRAWN, TRUE_SIZE, drawn, example_drawn
from elmpeg.store.revisions import Author
from elmpeg.web.showing import Show
from tests.formats.test_order_sheet import drawn as strokes
from tests.formats.test_order_sheet import pages
from tests.shop import TestShop
from tests.web.test_every_form import MARKUP, WILD, Page

ERROR = re.compile(r'data-error-for="([^"]+)"')


def fields(calculator, unit="mm", **changed):
    """A calculation as its form sends it."""
    typed = {**written(CALCULATORS[calculator], CALCULATORS[calculator].example, unit), **changed}
    return {**{f"f.{n}": t for n, t in typed.items()}, "unit": unit, "touched": "*", "length_tool": "tape", "angle_tool": "gauge"}


def refusals(page):
    told = re.search(r'id="reckon-errors">(.*?)</script>', page, re.S)
    return json.loads(told[1])


class WithShop(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.shop = TestShop()
        cls.addClassCleanup(cls.shop.close)
        cls.orla, cls.teo, cls.pip = (cls.shop.browser(login) for login in ("orla", "teo", "pip"))


class EveryCalculation(WithShop):
    """A further calculator gets all of this for its method, its fields and its drawing."""

    def test_its_page_shows_its_example_answered_drawn_and_explained(self):
        self.assertEqual(set(DRAWN), set(CALCULATORS))
        for name in CALCULATORS:
            with self.subTest(name):
                page = self.orla.get(f"/reckoner/{name}")
                self.assertEqual(page.status_code, 200)
                for words in ("reckon-value", "data-px-per-mm" if name != "plan" else "is-figure", "It does not tell", "still the example"):
                    self.assertIn(words, page.text)
                self.assertEqual(refusals(page.text), {})

    def test_every_measure_that_the_drawing_letters_is_a_field_of_the_form(self):
        for name in CALCULATORS:
            form = next(f for where, f in Page(self.orla.get(f"/reckoner/{name}").text).forms if where == f"/reckoner/{name}")
            letters = example_drawn(name).letters()
            with self.subTest(name):
                self.assertLessEqual({f"f.{field}" for field in letters}, set(form))
                self.assertEqual(len(set(letters.values())), len(letters))

    def test_sent_as_shown_it_is_the_same_answer_and_in_inches_too(self):
        for name, c in CALCULATORS.items():
            expected = reckon(name, written(c, c.example, "mm"), "mm", Sure(1.0, 0.1)).main
            for unit in ("mm", "in"):
                with self.subTest(name, unit=unit):
                    page = self.orla.post(f"/reckoner/{name}/answer", **fields(name, unit))
                    self.assertEqual((page.status_code, refusals(page.text)), (200, {}))
                    if expected.is_figure and unit == "mm":
                        self.assertIn(str(Show().value(expected.value, expected.unit, expected.doubt.sd or None)), page.text)

    def test_whatever_is_typed_is_answered_or_refused_beside_a_field_and_kept(self):
        for name, c in CALCULATORS.items():
            shown = written(c, c.example, "mm")
            for k, wild in enumerate((*WILD, "10 ± -1", "± 3", "1e-300")):
                spoiled = fields(name, **{n: wild for j, n in enumerate(shown) if (j + k) % 3 == 0})
                with self.subTest(name, wild=wild[:20]):
                    page = self.orla.post(f"/reckoner/{name}", **spoiled)
                    self.assertEqual(page.status_code, 200)
                    self.assertNotIn("<script>alert", page.text)
                    known = set(ERROR.findall(page.text))
                    self.assertLessEqual({f for f in refusals(page.text) if f}, known | {""})
            page = self.orla.post(f"/reckoner/{name}", **fields(name, **dict.fromkeys(list(shown)[:1], MARKUP)))
            self.assertIn("&lt;script&gt;", page.text)

    def test_names_that_no_form_has_do_no_harm(self):
        odd = {
            f"f.{n}": "5"
            for n in (
                "pulleys.².x_mm",
                "pulleys.999999999999.x_mm",
                "pulleys.1e9.id",
                "x." * 60,
                "pulleys.0.0.0",
                "",
                "*",
                "pulleys.*.x_mm",
            )
        }
        for do in (
            "drop:pulleys.²",
            "drop:pulleys",
            "add:²",
            "add:pulleys.0",
            "on:²",
            "away:²",
            "renew:²",
            "fill",
            "aside",
            "drop:.",
            "add:",
        ):
            for aside in (
                "[]",
                json.dumps([["a", {"pulleys.².d_mm": "7", "²": "1"}]]),
                "[[1]]",
                "{}",
                "[[[]]]",
                "null",
                '[["a", {"x": {"y": 1}}]]',
            ):
                with self.subTest(do, aside=aside):
                    page = self.orla.post("/reckoner/belt", **{**fields("belt"), **odd, "do": do, "aside": aside, "touched": "²,*,,"})
                    self.assertIn(page.status_code, (200, 422))

    def test_what_cannot_be_is_drawn_as_far_as_it_goes(self):
        impossible = {
            "rod": {"centre_mm": 20.0}, "belt": {"slot": None, "pulleys": CALCULATORS["belt"].example["pulleys"][::-1]},
            "flat": {"flanges_mm": [2.0, 90.0, 50.0]}, "cope": {"offset_mm": 20.0}, "bar": {"rises_mm": [1500.0]},
            "shock": {"compressed_mm": 900.0}, "scale": {"marks": CALCULATORS["scale"].example["marks"][:1]},
        }  # fmt: skip
        for name, change in impossible.items():
            with self.subTest(name):
                request = {**CALCULATORS[name].example, **change}
                done = reckon(name, written(CALCULATORS[name], request, "mm"))
                self.assertTrue(done.errors)
                figure = drawn(name, done.request, None)
                self.assertGreater(sum(len(p.items) for p in figure.panels), 2)

    def says_what_the_page_says(self, name, slip):
        """The slip has the page's answer with its doubt, and of each check its verdict, its name and its figure."""

        def plain(text):
            return re.sub(
                r"\s+", " ", unescape(re.sub(r"<[^>]+>", "", text)).replace("\u00a0", " ").replace("\u202f", " ").replace("→", "to")
            ).strip()

        document = pypdfium2.PdfDocument(io.BytesIO(slip))
        on_paper = plain("\n".join(page.get_textpage().get_text_range() for page in document))
        document.close()
        page = self.orla.get(f"/reckoner/{name}").text
        self.assertIn(plain(re.search(r'class="reckon-value[^>]*>(.*?)</p>', page, re.S)[1]), on_paper)
        checks = re.findall(r'<li class="is-(\w+)">.*?check-name">(.*?)</span>\s*<span class="figure">(.*?)</span>', page, re.S)
        for verdict, label, figure in checks[:12]:
            at = on_paper.find(plain(label))
            self.assertGreaterEqual(at, 0, label)
            self.assertIn(plain(figure), on_paper)
            self.assertIn(verdict, on_paper)

    def test_on_paper_and_as_a_file(self):
        for name in CALCULATORS:
            with self.subTest(name):
                slip = self.orla.post(f"/reckoner/{name}/paper/slip.pdf", **fields(name))
                self.assertEqual(pages(slip.content), 1)
                text = strokes(slip.content).decode("latin1")
                self.assertIn(CALCULATORS[name].title.split()[0], text)
                self.assertIn("It does not tell", text)
                self.says_what_the_page_says(name, slip.content)
                plain = self.orla.post(f"/reckoner/{name}/paper/reckoning.json", **fields(name)).json()
                self.assertEqual(plain["calculator"], name)
                self.assertEqual(plain["result"], json.loads(json.dumps(answer(name, plain["request"]))))
                sheet = self.orla.post(f"/reckoner/{name}/paper/true-size.pdf", **fields(name))
                self.assertEqual(sheet.status_code, 200 if name in TRUE_SIZE else 404)


class TrueSize(WithShop):
    def test_lines_on_the_paper_are_as_long_as_they_say(self):
        """The wrap's foot is the branch's girth, and the square is a hundred millimetres, to the printer's own unit."""
        sheet = self.orla.post("/reckoner/cope/paper/true-size.pdf", **fields("cope"))
        drawn_on = strokes(sheet.content).decode("latin1")
        self.assertEqual(pages(sheet.content), 2)
        sizes = [float(v) / 72 * 25.4 for r in re.findall(r"[\d.]+ [\d.]+ ([\d.]+) ([\d.]+) re", drawn_on) for v in r]
        self.assertGreaterEqual(sum(abs(v - 100) < 0.01 for v in sizes), 2, sizes)
        places = [[float(v) / 72 * 25.4 for v in m] for m in re.findall(r"([\d.-]+) ([\d.-]+) [ml]\b", drawn_on)]
        girth = 3.14159265 * 42
        self.assertTrue(any(abs(abs(a[0] - b[0]) - girth) < 0.05 for a in places for b in places), "the foot of the wrap")

    def test_more_than_a_sheet_is_laid_over_several_and_far_too_much_is_refused(self):
        long = {"flanges_mm": "300; 300; 300"}
        sheet = self.orla.post("/reckoner/flat/paper/true-size.pdf", **fields("flat", **long))
        self.assertGreater(pages(sheet.content), 4)
        refused = self.orla.post("/reckoner/flat/paper/true-size.pdf", **fields("flat", flanges_mm="9000; 9000; 9000"))
        self.assertEqual(refused.status_code, 422)
        self.assertIn("at most 60", refused.text)


class SideBySide(WithShop):
    def test_set_aside_compared_taken_on_and_put_away(self):
        one = self.orla.post("/reckoner/rod", **fields("rod"), do="aside", aside_name="short ends")
        self.assertIn("short ends", one.text)
        sent = next(f for where, f in Page(one.text).forms if where == "/reckoner/rod")
        two = self.orla.post("/reckoner/rod", **{**sent, "f.centre_mm": "300", "do": ""})
        self.assertIn("is-differing", two.text)
        self.assertIn("284.0", two.text)
        self.assertIn("234.0", two.text)
        sent = next(f for where, f in Page(two.text).forms if where == "/reckoner/rod")
        back = self.orla.post("/reckoner/rod", **{**sent, "do": "on:0"})
        now = next(f for where, f in Page(back.text).forms if where == "/reckoner/rod")
        self.assertEqual(now["f.centre_mm"], "250")
        self.assertIn('"300"', now["aside"].replace("'", '"'))
        gone = self.orla.post("/reckoner/rod", **{**now, "do": "away:0"})
        self.assertNotIn("reckon-columns", gone.text)

    def test_four_columns_are_the_most(self):
        sent = {**fields("rod"), "aside": json.dumps([[f"v{k}", {"centre_mm": str(200 + k)}] for k in range(3)])}
        refused = self.orla.post("/reckoner/rod", **sent, do="aside")
        self.assertEqual(refused.status_code, 422)

    def test_a_row_more_and_a_row_less(self):
        more = self.orla.post("/reckoner/belt", **fields("belt"), do="add:pulleys")
        form = next(f for where, f in Page(more.text).forms if where == "/reckoner/belt")
        self.assertIn("f.pulleys.4.x_mm", form)
        less = self.orla.post("/reckoner/belt", **{**form, "do": "drop:pulleys.1"})
        form = next(f for where, f in Page(less.text).forms if where == "/reckoner/belt")
        self.assertEqual(form["f.pulleys.1.id"], "alternator")
        self.assertNotIn("f.pulleys.4.x_mm", form)


class Kept(WithShop):
    def test_kept_found_changed_printed_and_taken_out(self):
        kept = self.teo.post("/reckoner/rod", **fields("rod"), do="keep", reckoning_name="Clutch rod", reckoning_note="first try")
        self.assertIn("Kept “Clutch rod”, version 1", kept.text)
        self.assertIn("Clutch rod", self.orla.get("/reckoner").text)
        sent = next(f for where, f in Page(self.orla.get("/reckoner/rod?kept=clutch-rod").text).forms if where == "/reckoner/rod")
        again = self.orla.post("/reckoner/rod", **{**sent, "f.centre_mm": "260 ± 0.5", "do": "keep", "reckoning_name": "Clutch rod"})
        self.assertIn("version 2", again.text)
        late = self.teo.post("/reckoner/rod", **{**sent, "f.centre_mm": "270", "do": "keep", "reckoning_name": "Clutch rod"})
        self.assertEqual(late.status_code, 422)
        self.assertIn("Orla Fennick kept version 2", late.text)
        self.assertIn('value="270"', late.text)
        self.assertIn('value="250"', self.orla.get("/reckoner/rod?kept=clutch-rod&version=1").text)
        self.assertEqual(pages(self.orla.get("/reckonings/clutch-rod/slip.pdf").content), 1)
        self.assertEqual(self.orla.get("/reckonings/clutch-rod/reckoning.json").json()["typed"]["centre_mm"], "260 ± 0.5")
        taken = self.teo.post("/reckoner/rod", **{**fields("rod"), "do": "keep", "reckoning_name": "CLUTCH rod"})
        self.assertEqual(taken.status_code, 422)
        self.orla.post("/reckoner", reckoning="clutch-rod", do="out")
        self.assertIn("Bring back", self.orla.get("/reckoner").text)
        self.orla.post("/reckoner", reckoning="clutch-rod", do="back")
        self.assertIn("?kept=clutch-rod", self.orla.get("/reckoner").text)

    def test_viewers_reckon_and_do_not_keep(self):
        self.assertEqual(self.pip.post("/reckoner/rod/answer", **fields("rod")).status_code, 200)
        self.assertEqual(self.pip.post("/reckoner/rod", **fields("rod"), do="keep", reckoning_name="mine").status_code, 422)
        self.assertEqual(self.pip.post("/reckoner", reckoning="clutch-rod", do="out").status_code, 403)

    def test_the_notebook_of_the_demo_holds_six_that_are_answered(self):
        page = self.orla.get("/reckoner").text
        for name in (
            "Throttle rod, Cairn",
            "Belt for the second alternator",
            "Rear springs for the pack",
            "U-bolts with the two inch blocks",
        ):
            self.assertIn(name, page)
        kept = [r for r in self.shop.shop.notebook.all() if r.name != "Clutch rod"]
        self.assertEqual(len(kept), 6)
        for r in kept:
            page = self.orla.get(f"/reckoner/{r.calculator}?kept={r.id}")
            self.assertEqual(refusals(page.text), {}, r.name)

    def test_typed_in_inches_it_stays_in_inches_for_whom_reads_millimetres(self):
        page = self.orla.get("/reckoner/ubolt?kept=u-bolts-with-the-two-inch-blocks").text
        self.assertIn('name="unit" value="in"', page)
        self.assertIn("Bare lengths here are in in", page)
        self.assertIn('value="3 1/2"', page)


class FromABuild(WithShop):
    def sent(self, page, path):
        return next(f for where, f in Page(page).forms if where == path)

    def test_filled_from_the_build_and_told_when_that_has_changed(self):
        path = "/builds/cairn-2/reckoner/rod"
        page = self.teo.get(path).text
        filled = self.teo.post(
            path,
            **{
                **self.sent(page, path),
                "do": "fill",
                "fill_field": "centre_mm",
                "fill_source": "distance",
                "fill_from": "C1-seat",
                "fill_to": "C2-seat",
            },
        )
        self.assertIn("from the build: compressor front seat to compressor rear seat", filled.text)
        form = self.sent(filled.text, path)
        self.assertAlmostEqual(float(form["f.centre_mm"].split(" ±")[0]), 181.23, delta=0.1)
        kept = self.teo.post(path, **{**form, "do": "keep", "reckoning_name": "Between the compressor's seats"})
        self.assertIn("version 1", kept.text)
        self.assertNotIn("is-stale", kept.text)
        builds = self.shop.shop.builds
        builds.change("cairn-2", builds.head("cairn-2").number, Author(2, "Teo Marsh"), "Moved a seat", self._moved)
        stale = self.orla.get(f"{path}?kept=between-the-compressor-s-seats").text
        self.assertIn("is-stale", stale)
        self.assertIn("figure changed in the build", self.orla.get("/builds/cairn-2/reckoner").text.replace("\n        ", " "))
        renewed = self.orla.post(path, **{**self.sent(stale, path), "do": "renew:centre_mm"})
        self.assertNotIn("is-stale", renewed.text)
        overtyped = self.orla.post(f"{path}/answer", **{**self.sent(stale, path), "f.centre_mm": "200"})
        self.assertNotIn("is-stale", overtyped.text)

    @staticmethod
    def _moved(build):
        def shifted(p):
            x, y, z = p.xyz_mm
            readings = tuple(replace(r, value=r.value + 5) if r.axis == "x" else r for r in p.readings)
            return replace(p, xyz_mm=(x + 5, y, z), readings=readings)

        return replace(build, points=tuple(shifted(p) if p.id == "C2-seat" else p for p in build.points))

    def test_a_place_an_angle_wheels_and_the_shapes_of_a_part(self):
        build = "/builds/cairn-2/reckoner"
        for calculator, field, source, holds in (
            ("route", "points_mm.0", "point:rear-pinion", "f.points_mm.0.2"),
            ("weight", "wheels", "wheels:", "f.wheels.3.x_mm"),
            ("clearance", "a", "shapes:engine", "s.a"),
        ):
            with self.subTest(calculator):
                path = f"{build}/{calculator}"
                form = self.sent(self.teo.get(path).text, path)
                filled = self.teo.post(path, **{**form, "do": "fill", "fill_field": field, "fill_source": source})
                self.assertEqual(filled.status_code, 200)
                self.assertIn("Filled from the build", filled.text)
                self.assertIn(holds, self.sent(filled.text, path))
                self.assertIn("reckon-value", filled.text)

    def test_a_part_that_has_moved_since_is_said_and_reckoned_as_it_stands(self):
        path = "/builds/cairn-2/reckoner/clearance"
        form = self.sent(self.teo.get(path).text, path)
        filled = self.teo.post(path, **{**form, "do": "fill", "fill_field": "a", "fill_source": "shapes:compressor"})
        form = self.sent(filled.text, path)
        kept = self.teo.post(path, **{**form, "do": "keep", "reckoning_name": "Compressor and bumper", "f.motion.kind": ""})
        self.assertEqual(kept.status_code, 200)
        self.assertIn("?kept=compressor-and-bumper", kept.headers["HX-Push-Url"])
        before = self.shop.shop.builds.head("cairn-2")
        option = self.sent(kept.text, path)["option"]
        build = self.shop.shop.builds
        build.change(
            "cairn-2", before.number, Author(2, "Teo Marsh"), "Moved", lambda b: shifted(b, option, "compressor", (0.0, 30.0, 0.0))
        )
        stale = self.teo.get(f"{path}?kept=compressor-and-bumper&option={option}").text
        self.assertIn("has other shapes or another place since", stale)
        renewed = self.teo.post(path, **{**self.sent(stale, path), "do": "renew:a"})
        self.assertNotIn("another place since", renewed.text)

    def test_what_does_not_go_together_is_refused_beside_its_field(self):
        path = "/builds/cairn-2/reckoner/rod"
        form = self.sent(self.teo.get(path).text, path)
        for field, source, wrong in (("centre_mm", "point:rear-pinion", "fill_source"), ("centre_mm", "shapes:engine", "fill_source"),
                                     ("nothing", "bump:rear", "fill_"), ("centre_mm", "joint:none:0", "fill_source")):  # fmt: skip
            refused = self.teo.post(path, **{**form, "do": "fill", "fill_field": field, "fill_source": source})
            self.assertEqual(refused.status_code, 422)
            self.assertIn(f'id="error-{wrong}', refused.text)

    def test_what_is_kept_in_a_build_goes_with_its_file_and_stages_without_a_page_lead_here(self):
        data = self.teo.get("/builds/cairn-2/file").json()
        names = [r["name"] for r in (data.get("build") or data)["reckonings"]]
        self.assertIn("Brake line along the left rail", names)
        bay = self.teo.get("/builds/cairn-2/bay").text
        for stage in ("Link", "Ride", "Clear"):
            self.assertIn(f"/builds/cairn-2/reckoner?stage={stage}", bay)
            self.assertIn("has no page of its own yet", self.teo.get(f"/builds/cairn-2/reckoner?stage={stage}").text)

    def test_found_by_words(self):
        for word, title in (("pedal", "Levers and rod"), ("cord", "Belt around pulleys"), ("notch", "Cope a tube")):
            found = self.pip.get(f"/reckoner?q={word}").text
            self.assertLess(found.index(title), len(found))
        self.assertIn("Nothing is called", self.pip.get("/reckoner?q=xylophone").text)
