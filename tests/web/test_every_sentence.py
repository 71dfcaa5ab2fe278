"""Every sentence of every page and paper: in the trade's words, and as the evaluation has it: counts, verdicts, figures, units."""

import csv
import io
import itertools
import random
import re
import unittest
from collections import Counter
from pathlib import Path
from urllib.parse import parse_qs, urlencode, urlsplit

import ezdxf
import pypdfium2
from ezdxf import bbox
from lxml import html
from reportlab.pdfbase import pdfmetrics

import elmpeg
from elmpeg.core.advice.agreeing import all_is_well
from elmpeg.core.build.document import ENTITIES
from elmpeg.core.calculators.registry import CALCULATORS
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.stages.place import position_edits
from elmpeg.formats.paper import PLAIN, fonts, printed
from elmpeg.store.revisions import Author
from elmpeg.web.showing import Show
from tests.browser.every_page import pages
from tests.shop import TestShop

BLOCKS = [
    "p",
    "li",
    "td",
    "th",
    "tr",
    "div",
    "h1",
    "h2",
    "h3",
    "button",
    "label",
    "dt",
    "dd",
    "option",
    "summary",
    "section",
    "legend",
    "small",
]
SAID_AS_ATTRIBUTE = ("aria-label", "title", "placeholder")
NEVER = {
    "a unit twice": r"\bin in\b|\bmm mm\b",
    "a before a vowel": r"\ba (8|11|18|8\d)\b(?! mm of)",
    "one of many": r"(?<![\d.,/−-] )(?<![\d.,/−-])\b1 (cuts|holes|members|nodes|pieces|points|figures|plates|lengths|turns|runs|seams|times|mounts|readings)\b",
    "a name of the code": r"\b[a-z]+_[a-z_]+\b",
    "a day as a machine writes it": r"\b20\d\d-\d\d-\d\d\b(?!T09:30:00; empty)",
    "nothing as a machine writes it": r"\bNone\b(?! (yet|of|is|was))|\bnan\b|\binf\b",
    "less than nothing": r"(?<![\w+])[−-]0(\.0+)?(?![\d.])(?=[\s°]|$)",
    "a word of the code": r"\b(lumpiness|bulge|Pose)\b|\bschools?\b(?!-)|of at most \d+ in this|known [\d.]+ times as well|seat is elsewhere|[Tt]oo close to call",
    "an id": r"\b[a-z]+(-[a-z]+)+\.\d\b",
    "the same twice": r"\b([a-z]+ [a-z]+) \1\b(?! in)",
    "a doubt of nothing": r"± 0(\.0+)?(?![\d./])(?=[\s°%]|$)",
    "a chance that decides it": r"chance of being inside is 0 %",
}
WELL = ("Everything holds.", "Everything of this build holds")


class Said:
    """A page's lines, and what its links to checks say beside them."""

    def __init__(self, text):
        self._parts = []
        self.links = []
        self._read(html.fromstring(text))

    def _read(self, element):
        a, tag = element.attrib, element.tag
        if not isinstance(tag, str):
            return
        self._parts += [f"\n{a[k]}\n" for k in SAID_AS_ATTRIBUTE if a.get(k)]
        if tag in ("script", "style", "title"):
            return
        block = tag in BLOCKS
        if block:
            self._parts.append("\n")
        if tag == "a" and "check=" in a.get("href", ""):
            self.links.append((a["href"], [span.text_content() for span in element.iter("span")]))
        self._parts.append(element.text or "")
        for inner in element:
            self._read(inner)
            self._parts.append(inner.tail or "")
        if block:
            self._parts.append("\n")

    @property
    def lines(self):
        text = "".join(self._parts).replace("\u00a0", " ").replace("\u202f", " ")
        return [line for line in (re.sub(r"\s+", " ", part).strip() for part in text.split("\n")) if line]


def spaced(text):
    return re.sub(r"\s+", " ", str(text).replace("\u00a0", " ").replace("\u202f", " ")).strip()


class EverySentence(unittest.TestCase):
    maxDiff = None

    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.builds = self.shop.shop.builds
        self.orla = self.shop.browser("orla")

    def reading(self, units):
        accounts = self.shop.shop.accounts
        accounts.prefer(next(p for p in accounts.people() if p.login == "orla"), units, "light")
        return Show(units)

    def addresses(self, build_id, whole):
        """Every page of a build, with each of its things open; of all builds but one only what hangs on its content."""
        build = self.builds.head(build_id).build
        yield from (p for p in pages(self.shop, build_id) if whole or f"/builds/{build_id}/" in p)
        option = build.options[0].id
        here = f"/builds/{build_id}"
        for of in ENTITIES:
            yield f"{here}/things?of={of}"
            yield from (f"{here}/things?of={of}&thing={t.id}" for t in getattr(build, of)[:1])
        yield from (f"{here}/make/piece?option={option}&piece={p.id}&part={x}" for p in build.pieces for x in ("shape", "paper", "cutter"))
        yield from (f"{here}/mounts?option={option}&mount={m.id}" for m in build.mounts)
        for line in build.drivelines:
            yield from (f"{here}/drive{x}?option={option}&line={line.id}" for x in ("", "/travel", "/mend", "/ways", "/order", "/lines"))

    def told_of_checks(self, build_id, show):
        """What every check of every option says of itself, and of what would mend it."""
        build = self.builds.head(build_id).build
        for option in build.options:
            for check in evaluate(build, option.id).checks:
                yield from (check.name, check.formula, check.exact, spaced(show.words(check.why)))
                yield from (spaced(show.words(r.words)) for r in check.remedies)
                yield from (f"{i.name} {spaced(show.quantity(i.quantity))}" for i in check.inputs)

    def said(self, path):
        answer = self.orla.get(path)
        return Said(answer.text) if answer.status_code == 200 else None

    def test_in_the_words_of_the_trade(self):
        looked, told = Counter(), set()
        for units in ("mm", "in_fraction_16"):
            show = self.reading(units)
            for build_id in self.builds.ids():
                paths = list(self.addresses(build_id, build_id == "cairn-2" and units == "mm"))
                said = [("checks", self.told_of_checks(build_id, show))]
                # Whoever reads inches sees the same pages: of these one in a few is enough.
                said += [(path, page.lines) for path in paths[:: 1 if units == "mm" else 8] if (page := self.said(path)) is not None]
                for path, lines in said:
                    for line in dict.fromkeys(lines):
                        looked[units] += 1
                        for what, pattern in NEVER.items():
                            if line not in told and re.search(pattern, line):
                                told.add(line)
                                with self.subTest(what, path=path):
                                    self.fail(line[:200])
        self.assertGreater(looked["mm"], 8_000)
        self.assertGreater(looked["in_fraction_16"], 1_500)

    def test_on_paper_too(self):
        low = "/builds/cairn-2"
        for path in (
            *(f"{low}/make/piece.pdf?option=low&piece={p}&hand=other" for p in ("seat-bracket", "lamp-plate", "alternator-stay")),
            "/builds/dynamo/drive/order.pdf?order=" + self.builds.head("dynamo").build.orders[0].id,
        ):
            self.assertGreater(len(self.words_of(path)), 300)

    def held(self, build_id, option_id, units):
        """One option's pages against its evaluation."""
        show, head = self.reading(units), self.builds.head(build_id)
        evaluation = evaluate(head.build, option_id)
        by_code = {c.code: c for c in evaluation.checks}
        bay = self.orla.get(f"/builds/{build_id}/bay?option={option_id}&holds=1").text
        rows = re.findall(
            r'<li class="check is-(\w+)[^"]*" id="check-([^"]+)">(.*?)</li>\s*(?=<li class="(?:check|fold|empty)|</ol>)', bay, re.DOTALL
        )
        self.assertEqual(len(rows), len(evaluation.checks))
        in_list = show.checks(evaluation.checks)
        for (verdict, _, row), check in zip(rows, evaluation.checks, strict=True):
            with self.subTest(check.code, option=option_id):
                words = spaced(re.sub(r"<[^>]+>", " ", row))
                self.assertEqual(verdict, check.verdict)
                self.assertRegex(row, rf'check-word is-{check.verdict}">{check.verdict}<')
                value = spaced(in_list.check(check)) if check.value is not None else "–"
                self.assertIn(value, words)
                self.assertIn(spaced(in_list.limit(check.low, check.high, check.unit)), words)
        told = spaced(re.sub(r"<[^>]+>", " ", re.search(r'<span class="counted">(.*?)</section>', bay, re.DOTALL)[1]))
        for word in ("fails", "near", "unknown", "holds"):
            n = evaluation.count(word)
            said = {"fails": "fail", "holds": "hold"}.get(word, word) if n != 1 else word
            self.assertEqual(f"{n} {said}" in told[:60], bool(n), f"{word}: {told[:60]}")
        return by_code

    def same_figure_everywhere(self, build_id, option_id, by_code, units):
        """Whatever page names a check by a link gives it the same figure and the same verdict."""
        show, found = Show(units), 0
        for path in (f"/builds/{build_id}/measure?option={option_id}&point={p.id}" for p in self.builds.head(build_id).build.points[::3]):
            page = self.said(path)
            for href, spans in page.links if page else ():
                query = parse_qs(urlsplit(href).query)
                check = by_code.get(query["check"][0])
                if check is None or query.get("option", [option_id])[0] != option_id or f"/{build_id}/" not in href:
                    continue
                found += 1
                with self.subTest(path, check=check.code):
                    figures = [spaced(s) for s in spans]
                    self.assertIn(check.verdict, figures)
                    if check.value is not None:
                        self.assertIn(spaced(show.check(check)), figures)
        return found

    def test_what_the_evaluation_has(self):
        found = 0
        for units in ("mm", "in_fraction_16"):
            for build_id in self.builds.ids():
                for option in self.builds.head(build_id).build.options:
                    by_code = self.held(build_id, option.id, units)
                    found += self.same_figure_everywhere(build_id, option.id, by_code, units)
        self.assertGreater(found, 100)

    def reasons(self, path):
        """Of each check that a page tells the reason of: its verdict there, all its words, and what would mend it."""
        for block in html.fromstring(self.orla.get(path).content).xpath('//*[contains(concat(" ", @class, " "), " reason ")]'):
            mends = [spaced(" ".join(m.xpath("./span[1]")[0].itertext())) for m in block.xpath('.//p[@class="remedy"]')]
            yield block.get("class").rpartition("is-")[2], spaced(" ".join(block.itertext())), mends

    def reasons_held(self, build_id, units):
        """Its direction, its figures and their units are those of the check's own sentence, under the check's own verdict."""
        found, show, build = 0, self.reading(units), self.builds.head(build_id).build
        for option in build.options:
            told = [
                (c.verdict, spaced(show.words(c.why)), {spaced(show.words(r.words)) for r in c.remedies})
                for c in evaluate(build, option.id).checks
            ]
            here = f"/builds/{build_id}"
            for path in (
                *(f"{here}/mounts?option={option.id}&mount={m.id}" for m in build.mounts),
                *(f"{here}/plates?option={option.id}&plate={p.id}" for p in build.pieces if p.lower),
                *(f"{here}/make/piece?option={option.id}&piece={p.id}" for p in build.pieces),
                *(f"{here}/drive?option={option.id}&line={line.id}" for line in build.drivelines),
            ):
                for verdict, said, mends in self.reasons(path):
                    with self.subTest(path, said=said[:80]):
                        # Two mounts alike may say the same of themselves, and not what would mend them.
                        fitting = [may for v, why, may in told if v == verdict and why in said]
                        self.assertTrue(fitting, f"no check that {verdict} says so: {said}")
                        self.assertTrue(any(set(mends) <= may for may in fitting), f"no check is mended so: {mends}")
                        found += 1
        return found

    def beside_held(self, build_id, units):
        """Of each option beside another: every check, its limit, and both figures and verdicts."""
        found, show, build = 0, self.reading(units), self.builds.head(build_id).build
        for one, other in itertools.permutations(build.options, 2):
            checks = [{c.code: c for c in evaluate(build, o.id).checks} for o in (one, other)]
            shown = show.checks(tuple(c for side in checks for c in side.values()))
            told = set()
            for code in {**checks[0], **checks[1]}:
                pair = [side.get(code) for side in checks]
                some = next(c for c in pair if c)
                figures = [
                    f"{spaced(shown.check(c)) if c.value is not None else ''} {c.verdict}".strip() if c else "not there" for c in pair
                ]
                told.add((some.name.lower(), spaced(shown.limit(some.low, some.high, some.unit)), *figures))
            page = html.fromstring(self.orla.get(f"/builds/{build_id}/compare?option={one.id}&with={other.id}").content)
            for row in page.xpath('//table[contains(@class, "compare")]/tbody[2]/tr'):
                name, limit, *figures = (spaced(" ".join(td.xpath(".//text()[not(ancestor::svg)]"))) for td in row.xpath("./td"))
                found += 1
                with self.subTest(build_id, option=one.id, check=name):
                    self.assertIn((name.lower(), limit, *figures), told)
        return found

    def test_each_reason_on_each_page_is_the_evaluations(self):
        self.assertGreater(self.reasons_held("cairn-2", "mm") + self.reasons_held("dynamo", "mm"), 150)
        self.assertGreater(self.reasons_held("cairn-2", "in_fraction_16"), 80)

    def test_options_beside_each_other(self):
        self.assertGreater(self.beside_held("cairn-2", "mm"), 100)
        self.assertGreater(self.beside_held("cairn-2", "in_fraction_16"), 100)

    def words_of(self, path, answer=None):
        """The text of a paper, every line of it in the words of the trade and of signs that its face has."""
        answer = answer or self.orla.get(path)
        self.assertEqual(answer.status_code, 200, path)
        document = pypdfium2.PdfDocument(io.BytesIO(answer.content))
        text = "\n".join(page.get_textpage().get_text_range() for page in document)
        document.close()
        fonts()
        drawn = pdfmetrics.getFont(PLAIN).face.charToGlyph
        self.assertEqual({c for c in text if c.isprintable() and ord(c) not in drawn}, set(), path)
        for line in text.splitlines():
            for what, pattern in NEVER.items():
                with self.subTest(what, path=path):
                    self.assertIsNone(re.search(pattern, line), line)
        return spaced(text)

    def test_a_paper_says_where_the_cutters_file_has_its_holes(self):
        found = 0
        for units in ("mm", "in_decimal"):
            show = self.reading(units)
            for piece in self.builds.head("cairn-2").build.pieces:
                where = f"/builds/cairn-2/make/piece{{}}?option=low&piece={piece.id}"
                if self.orla.get(where.format(".pdf")).status_code != 200:
                    continue
                text = self.words_of(where.format(".pdf"))
                drawn = ezdxf.read(io.StringIO(self.orla.get(where.format("/file") + "&kind=dxf").text)).modelspace()
                box = bbox.extents(e for e in drawn if e.dxftype() in ("LWPOLYLINE", "ARC", "LINE"))
                for circle in (e for e in drawn if e.dxftype() == "CIRCLE"):
                    at = [circle.dxf.center[k] - box.extmin[k] for k in (0, 1)]
                    found += 1
                    with self.subTest(piece.id, units=units, at=at):
                        # A figure is told to half its last digit, whichever way it was rounded.
                        told = re.findall(r"(−?[\d.]+) (?:mm|in) (−?[\d.]+) (?:mm|in) ", text)
                        step = 0.06 if units == "mm" else 0.13
                        self.assertTrue(
                            any(all(abs(show.read(f"{t}", "mm", "x") - a) < step for t, a in zip(pair, at, strict=True)) for pair in told),
                            f"{told}",
                        )
        self.assertGreater(found, 20)

    def test_every_sign_of_ours_can_be_printed(self):
        fonts()
        drawn = pdfmetrics.getFont(PLAIN).face.charToGlyph
        for file in Path(elmpeg.__file__).parent.rglob("*.py"):
            with self.subTest(file.name):
                self.assertEqual({c for c in printed(file.read_text()) if c.isprintable() and ord(c) not in drawn}, set())

    def test_a_slip_of_every_calculation(self):
        for units in ("mm", "in_fraction_16"):
            self.reading(units)
            for name in CALCULATORS:
                page = html.fromstring(self.orla.get(f"/builds/cairn-2/reckoner/{name}?option=low").content)
                for button in page.xpath('//button[contains(@formaction, ".pdf")]'):
                    form = next(f for f in page.forms if button in f.iterdescendants())
                    sent = urlencode([(n, v or "") for n, v in form.form_values()])
                    headers = {"Content-Type": "application/x-www-form-urlencoded", "X-CSRF-Token": self.orla.csrf}
                    path = button.get("formaction")
                    with self.subTest(path, units=units):
                        self.assertGreater(len(self.words_of(path, self.orla.client.post(path, content=sent, headers=headers))), 100)

    def test_the_cut_list_on_paper_is_the_spreadsheets(self):
        self.reading("mm")
        text = self.words_of("/builds/cairn-2/make/cut-list.pdf?option=low")
        rows = list(csv.DictReader(io.StringIO(self.orla.get("/builds/cairn-2/make/cut-list.csv?option=low").text.lstrip("\ufeff"))))
        self.assertGreater(len(rows), 8)
        for row in rows:
            wanted = re.fullmatch(r"(\d+) wanted", row["piece"])
            if wanted:
                said = f"{wanted[1]} x {row['what']}, {row['left_mm']} on the shelf" + f", {row['bought']} to buy" * bool(row["bought"])
            elif " x " in row["cut_mm"]:
                said = f"{row['piece']}, {row['cut_mm'].replace(' x ', ' by ').replace(' at ', ' mm at ')}"
            else:
                said = f"{row['cut_mm']} mm {row['piece']}"
            with self.subTest(row["piece"]):
                self.assertIn(said, text)
        new = Counter((r["what"], r["from_long_mm"].replace(" x ", " by ")) for r in rows if r["bought"] == "yes")
        self.assertEqual({f"1 x {what}, {long} mm" for what, long in new} - set(re.findall(r"1 x [^,]*, [\d by]+ mm", text)), set())

    def test_a_figure_has_one_doubt_wherever_it_is_told(self):
        found = 0
        for units in ("mm", "in_fraction_16", "in_fraction_32", "in_decimal"):
            show = Show(units)
            for build_id in self.builds.ids():
                build = self.builds.head(build_id).build
                for check in (c for o in build.options for c in evaluate(build, o.id).checks):
                    for remedy in check.remedies:
                        said = re.search(r"what is known of it, ± (.*?), is more", spaced(show.words(remedy.words)))
                        if said and check.at_most is None:
                            found += 1
                            self.assertEqual(said[1], spaced(show.check(check)).partition("± ")[2], check.code)
        self.assertGreater(found, 15)

    def test_of_builds_at_random_too(self):
        chance, author, reasons, rows = random.Random(21), Author(None, "the test"), 0, 0
        for _ in range(3):
            head = self.builds.head("cairn-2")
            shifts = [
                (c.id, tuple(chance.uniform(-15, 15) for _ in range(3))) for c in head.build.components if c.parent is None and c.movable
            ]

            def shaken(build, shifts=shifts):
                for part, by in shifts:
                    build = position_edits.shifted(build, "low", part, by)
                return build

            self.builds.change("cairn-2", head.number, author, "Shaken", shaken)
            units = chance.choice(("mm", "in_fraction_16", "in_decimal"))
            self.held("cairn-2", "low", units)
            reasons += self.reasons_held("cairn-2", units)
            rows += self.beside_held("cairn-2", units)
        self.assertGreater(reasons, 200)
        self.assertGreater(rows, 400)

    def test_all_is_well_is_said_only_where_it_is(self):
        self.reading("mm")
        for build_id in self.builds.ids():
            build = self.builds.head(build_id).build
            well = all_is_well(build, evaluate(build, build.agreed or build.options[0].id))
            for path in (f"/builds/{build_id}/bay?option={o.id}" for o in build.options):
                page = self.said(path)
                self.assertFalse(any(w in line for w in WELL for line in page.lines) and not well, path)
        home = self.said("/").lines
        sound = sum(
            all_is_well(b, evaluate(b, b.agreed or b.options[0].id)) for b in (self.builds.head(i).build for i in self.builds.ids())
        )
        self.assertEqual(sum(line.startswith("Everything holds.") for line in home), sound)


if __name__ == "__main__":
    unittest.main()
