"""What the screens say: clashes in the trade's words, the spine's counts, changes against the agreed option, history."""

import random
import re
import unittest
from dataclasses import replace
from html import unescape

from lxml.html import fromstring

from elmpeg.core.base import quantities
from elmpeg.core.base.errors import ElmPegError
from elmpeg.core.base.pose import FREEDOMS
from elmpeg.core.base.quantities import bought_mm, mm, noted_words
from elmpeg.core.build.mounts import StackPiece
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.stages.drive import rule_edits
from elmpeg.core.stages.make import piece_edits
from elmpeg.core.stages.mount import stack_edits
from elmpeg.core.stages.place import option_edits, position_edits
from elmpeg.demo import cairn
from elmpeg.demo.shelf import SHELF
from elmpeg.formats import build_file
from elmpeg.store.builds import Conflict, Head
from elmpeg.store.merge import Clash, merged
from elmpeg.store.revisions import Step
from elmpeg.web.clashes import in_words
from elmpeg.web.pages.place.bay import against
from elmpeg.web.showing import Show
from tests.browser.every_page import pages
from tests.shop import TestShop

CAIRN = cairn.build()


def plain(page):
    """A page's words without its tags."""
    return re.sub(r"\s+", " ", unescape(re.sub(r"<[^>]+>", " ", page))).replace("\u00a0", " ")


class Clashes(unittest.TestCase):
    """Both versions of one thing, so that a person can choose."""

    def rows(self, mine, theirs):
        outcome = merged(*(build_file.to_plain(b) for b in (CAIRN, mine, theirs)))
        return in_words(Conflict(Head(theirs, 2), outcome.clashes, ()), Show("mm"))

    def test_a_height_both_changed(self):
        row = self.rows(position_edits.nudged(CAIRN, "low", "engine", "z", 2), position_edits.nudged(CAIRN, "low", "engine", "z", 1))[0]
        self.assertEqual(row.what, "Low and level, Engine, five-cylinder diesel, Z")
        self.assertEqual([v.replace("\u00a0", " ") for v in (row.before, row.mine, row.theirs)], ["588.0 mm", "590.0 mm", "589.0 mm"])

    def test_a_stack_both_chose(self):
        one, other = (stack_edits.with_stack(CAIRN, "low", "GM", (StackPiece("p", name, 4.0, 2),)) for name in ("Plate", "Block"))
        row = self.rows(one, other)[0]
        self.assertEqual(row.what, "Low and level, Gearbox mount, stack")
        self.assertEqual((row.before, row.mine, row.theirs), ("nothing", "2 × Plate", "2 × Block"))

    def test_a_piece_both_changed(self):
        one, other = (
            piece_edits.with_piece(CAIRN, replace(CAIRN.piece("lamp-plate"), count=count, margin_mm=margin))
            for count, margin in ((5, 9.0), (7, 8.0))
        )
        rows = {r.what: tuple(v.replace("\u00a0", " ") for v in (r.before, r.mine, r.theirs)) for r in self.rows(one, other)}
        self.assertEqual(rows, {"Work lamp plate, count": ("2", "5", "7"), "Work lamp plate, margin": ("15.0 mm", "9.0 mm", "8.0 mm")})

    def test_a_name_both_gave(self):
        row = self.rows(option_edits.with_option_renamed(CAIRN, "low", "Lower"), option_edits.with_option_renamed(CAIRN, "low", "Lowest"))[
            0
        ]
        self.assertEqual((row.before, row.mine, row.theirs), ("Low and level", "Lower", "Lowest"))

    def test_whatever_clashes_can_be_told(self):
        for value in (None, 3, 2.5, "text", True, [], [{"count": 2, "name": "Plate"}], {"words": "Ring proud"}, {"x": 1}):
            clash = Clash(("rounds", "round-1", "findings", "f", "words"), value, value, value)
            row = in_words(Conflict(Head(CAIRN, 1), [clash], ()), Show("in_decimal"))[0]
            self.assertTrue(row.what and row.mine)


class TwoPeopleAtRandom(unittest.TestCase):
    """Two people change one build in any way: what merges is whole and holds both, what clashes is told."""

    def changed(self, rng, build, kind=None):
        option = rng.choice([o.id for o in build.options if o.id != build.agreed])
        kinds = [
            lambda b: position_edits.nudged(
                b, option, "gearbox", rng.choice(FREEDOMS), rng.choice([-1.0, 0.5, 2.0]), rng.choice(["origin", "front", "GM-foot"])
            ),
            lambda b: position_edits.shifted(b, option, rng.choice(["engine", "compressor"]), (rng.choice([0.0, 3.0]), 0.0, 1.0)),
            lambda b: option_edits.with_duplicate(b, option, f"Copy {rng.random():.3f}"),
            lambda b: option_edits.with_option_renamed(b, option, f"Name {rng.random():.3f}"),
            lambda b: stack_edits.with_stack(
                b, option, rng.choice(["GM", "LM"]), (StackPiece("plate-4", "Plate", 4.0, rng.randint(1, 3)),)
            ),
            lambda b: rule_edits.with_school(b, rng.choice(["three_degree", "speed_limited"])),
            lambda b: self.piece_changed(b, rng.choice(["lamp-plate", "bell-spacer", "stand-base"]), count=rng.randint(3, 6)),
            lambda b: piece_edits.with_piece(b, piece_edits.started(b, f"Plate {rng.random():.3f}", 3.0)),
        ]
        return (rng.choice(kinds) if kind is None else kinds[kind])(build)

    def piece_changed(self, build, piece, **fields):
        return piece_edits.with_piece(build, replace(build.piece(piece), **fields))

    def test_two_pieces_changed_by_two_people(self):
        mine, theirs = self.piece_changed(CAIRN, "lamp-plate", count=5), self.piece_changed(CAIRN, "bell-spacer", count=7)
        outcome = merged(*(build_file.to_plain(b) for b in (CAIRN, mine, theirs)))
        self.assertEqual(outcome.clashes, [])
        together = build_file.from_plain(outcome.value)
        self.assertEqual([together.piece(p).count for p in ("lamp-plate", "bell-spacer")], [5, 7])

    def test_a_hundred_pairs(self):
        rng, merged_well, clashed = random.Random(9), 0, 0
        for k in range(100):
            # Now and then both do the same kind of thing.
            kind = rng.randrange(8) if k % 3 == 0 else None
            mine, theirs = self.changed(rng, CAIRN, kind), self.changed(rng, CAIRN, kind)
            outcome = merged(*(build_file.to_plain(b) for b in (CAIRN, mine, theirs)))
            if outcome.clashes:
                clashed += 1
                self.assertTrue(all(r.what for r in in_words(Conflict(Head(theirs, 2), outcome.clashes, ()), Show())))
                continue
            merged_well += 1
            together = build_file.from_plain(outcome.value)
            require_sound(together)
            if k % 8 == 0:
                evaluate(together, "low")
            for option in (*mine.options, *theirs.options):
                self.assertIn(option.id, [o.id for o in together.options])
        self.assertGreater(merged_well, 40)
        self.assertGreater(clashed, 5)

    def test_a_hundred_changes_can_be_walked_back(self):
        rng, build, before = random.Random(4), CAIRN, []
        for _ in range(100):
            before.append(build)
            try:
                build = self.changed(rng, build)
            except ElmPegError:
                before.pop()
            self.assertEqual(build_file.read(build_file.written(build)), build)
        self.assertEqual(before[0], CAIRN)


class AgainstTheAgreed(unittest.TestCase):
    """Better and worse are about room to the limit, not about the number."""

    def test_a_joint_that_bends_more_is_worse_and_one_with_more_room_is_better(self):
        rows = {r.check.code: r for r in against(evaluate(CAIRN, "low"), evaluate(CAIRN, "lifted"), Show())}
        self.assertFalse(rows["line.rear.J2"].better)
        self.assertIn("worse by 2.1°", rows["line.rear.J2"].change)
        self.assertEqual(rows["line.rear.J2"].was, "holds")
        turned = {r.check.code: r for r in against(evaluate(CAIRN, "lifted"), evaluate(CAIRN, "low"), Show())}
        self.assertTrue(turned["line.rear.J2"].better)
        self.assertEqual(rows["mount.C1.gap"].change, "")

    def test_without_an_agreed_option_nothing_is_compared(self):
        self.assertEqual({(r.change, r.better, r.was) for r in against(evaluate(CAIRN, "low"), None, Show())}, {("", None, "")})


class OnTheScreens(unittest.TestCase):
    """Sentences a fabricator would look for."""

    @classmethod
    def setUpClass(cls):
        cls.shop = TestShop()
        cls.addClassCleanup(cls.shop.close)
        cls.teo = cls.shop.browser("teo")

    def page(self, path):
        return plain(self.teo.get(path).text)

    def test_can_low_and_level_be_saved(self):
        bay = self.page("/builds/cairn-2/bay?option=low")
        for words in ("22 fail", "Raise the gearbox mount 20.0 mm.", "worse by 2.1° · agreed: holds", "6.5 ± 2.0 mm", "at least 6.0 mm"):
            self.assertIn(words, bay)
        opened = self.page("/builds/cairn-2/bay?option=low&check=line.rear.J2")
        for words in (
            "4.1° is 1.1° over the 3.0° allowed",
            "Roll the pinion down 1.2°; the driven end then runs evenly enough wound up and on the overrun.",
            "2.8° brings all of it inside its limits and leaves near: rear output J1, rear pinion J2, equal and opposite.",
            "seen from above",
            "Main cause of its doubt: rear pinion",
        ):
            self.assertIn(words, opened)

    def test_the_shelf_and_what_to_make(self):
        self.assertIn(
            "No stack reaches it. Make one piece 3.1 mm thick, bored for its bolt, 8 mm.",
            self.page("/builds/cairn-2/mounts?option=low&mount=C2"),
        )
        filled = self.page("/builds/cairn-2/mounts?option=lifted&mount=GM")
        for words in ("1 × Spacer block 1 1/2 in", "2 × Washer 2.5 mm", "filled by"):
            self.assertIn(words, filled)
        self.assertEqual(sum(i.qty for i in SHELF), sum(i.qty for i in self.shop.shop.shelf.items()))

    def test_drive_says_what_is_missing(self):
        self.assertIn("Needs the axis of rear pinion.", self.page("/builds/bookworm/drive"))
        self.assertIn("As uneven as a single joint bent", self.page("/builds/cairn-2/drive?line=front"))

    def test_fit_tells_the_pattern_and_its_doubt(self):
        page = self.page("/builds/cairn-2/fit?round=round-2")
        for words in ("The whole part sits 5.6 mm low at the tail", "beyond the doubt", "off by 10.8 mm", "Decided: again", "cannot reach"):
            self.assertIn(words, page)

    def test_the_spine_counts_what_is_wrong_at_each_stage(self):
        text = self.teo.get("/builds/cairn-2/bay?option=low").text
        counts = dict(re.findall(r'stage-name">([\w ]+)</span>\s*<span class="tally is-(\w+)', text))
        self.assertEqual(
            {k: counts.get(k) for k in ("Measure", "Place", "Mount", "Drive")},
            {"Measure": "fails", "Place": "near", "Mount": "fails", "Drive": "fails"},
        )

    def test_cautions_are_on_every_page_that_leads_to_the_work(self):
        for page in ("bay", "mounts", "drive", "fit"):
            self.assertIn("a jack is not a stand", self.page(f"/builds/cairn-2/{page}"), page)
        self.assertIn("prove dead", self.page("/builds/bookworm/bay"))

    def test_history_tells_who_did_what(self):
        base = str(self.shop.shop.builds.head("dynamo").number)
        self.teo.post(
            "/builds/dynamo/bay/move",
            base=base,
            option="before",
            part="rear-axle",
            freedom="pitch",
            do="minus",
            turn="0.5°",
            about="origin",
        )
        self.assertIn("Teo Marsh Moved Rear axle tail up 0.5° in “As it came”", self.page("/builds/dynamo/history"))
        self.assertIsInstance(self.shop.shop.builds.history("dynamo")[0], Step)

    def test_the_agreed_option_offers_a_copy_instead_of_a_move(self):
        page = " ".join(self.teo.get("/builds/cairn-2/bay?option=lifted").text.split())
        self.assertIn("Duplicate it and try there", page)
        self.assertNotIn("Try it</button>", page)
        self.assertIn("You are looking.", plain(self.shop.browser("pip").get("/builds/cairn-2/bay?option=low").text))

    def test_an_empty_build_says_what_to_do(self):
        empty = replace(CAIRN, id="empty", name="Empty", components=(), points=(), mounts=(), drivelines=(), rooms=(), rounds=(), solids=(), wheels=(), agreed=None, spans=(), pairs=(), bays=(), patterns=(), matches=(), pieces=(), structures=(), stands=(), weldments=(), chains=(), axles=(), lengths=(), slopes=(), orders=(),
                        options=(replace(CAIRN.options[0], positions=(), stacks=()),))  # fmt: skip
        self.teo.client.post("/builds", files={"file": ("e.json", build_file.written(empty))}, headers={"X-CSRF-Token": self.teo.csrf})
        for page, words in (
            ("bay", "Nothing to check yet"),
            ("mounts", "no mounts yet"),
            ("drive", "no drivelines yet"),
            ("fit", "No test fit yet"),
            ("measure", "no points yet"),
            ("patterns", "No patterns yet"),
            ("plates", "No adapter plates yet"),
            ("chains", "No chains yet"),
            ("measure/cross", "Nothing to compare yet"),
            ("measure/where", "no parts yet"),
        ):
            with self.subTest(page):
                self.assertIn(words, self.page(f"/builds/empty/{page}"))


FRACTION, DECIMAL = re.compile(r"\d/\d+ in\b"), re.compile(r"\d*\.\d+ in\b")
LONGEST_CELL = 60
"""A cell with more letters holds a sentence."""


def mixed_columns(page):
    """Columns of a page's tables in which some lengths are told as fractions of an inch and others in decimals."""
    for table in fromstring(page).iter("table"):
        columns = {}
        for row in table.iter("tr"):
            for k, cell in enumerate(row.findall("td")):
                # What stands in brackets tells a size that is sold in the other unit.
                text = re.sub(r"\(.*?\)", "", cell.text_content().replace("\u00a0", " ")).strip()
                if len(text) <= LONGEST_CELL:
                    columns.setdefault(k, []).append(text)
        for texts in columns.values():
            fractions, decimals = ([t for t in texts if kind.search(t)] for kind in (FRACTION, DECIMAL))
            if fractions and decimals:
                yield fractions[0], decimals[0]


class InSixteenths(unittest.TestCase):
    """A shop that thinks in sixteenths: no column mixes fractions with decimals."""

    def test_a_mixed_column_is_found(self):
        page = "<table><tr><td>a</td><td>1/2 in</td></tr><tr><td>b</td><td>0.31 in</td></tr></table>"
        self.assertEqual(list(mixed_columns(page)), [("1/2 in", "0.31 in")])

    def test_every_page(self):
        shop = TestShop()
        self.addCleanup(shop.close)
        orla = shop.browser("orla")
        shop.shop.accounts.prefer(next(p for p in shop.shop.accounts.people() if p.login == "orla"), "in_fraction_16", "light")
        fractions = 0
        for path in pages(shop):
            with self.subTest(path):
                text = orla.get(path).text
                fractions += len(FRACTION.findall(text.replace("\u00a0", " ")))
                self.assertEqual(list(mixed_columns(text)), [])
        self.assertGreater(fractions, 100)


class TheHistory(unittest.TestCase):
    """What was done is told in the unit of whoever reads it, not of whoever did it."""

    def test_a_move_and_a_tape_in_both_units(self):
        shop = TestShop()
        self.addCleanup(shop.close)
        teo, orla = shop.browser("teo"), shop.browser("orla")
        orla_id = next(p for p in shop.shop.accounts.people() if p.login == "orla")
        shop.shop.accounts.prefer(orla_id, "in_fraction_16", "light")
        head = shop.shop.builds.head("cairn-2")
        done = teo.post(
            "/builds/cairn-2/bay/move", base=str(head.number), option="low", part="engine", freedom="z", do="plus", step="25.4 mm"
        )
        self.assertEqual(done.status_code, 200)
        here, there = (plain(who.get("/builds/cairn-2/history").text) for who in (teo, orla))
        self.assertIn("Moved Engine, five-cylinder diesel up 25.4 mm in", here)
        self.assertIn("Moved Engine, five-cylinder diesel up 1 in in", there)
        self.assertNotIn("25.4", there)
        news = orla.get("/builds/cairn-2/here?seen=1")
        self.assertIn("up 1\u00a0in in", unescape(news.text))
        undo = orla.get("/builds/cairn-2/bay?option=low").text
        self.assertIn("Moved Engine, five-cylinder diesel up 1\u00a0in", unescape(undo))

    def test_what_looks_like_a_figure_and_is_none_stays_as_it_was_typed(self):
        self.assertEqual(Show("in_decimal").noted("Renamed {mm} to {x 3} and {mm 3.x}"), "Renamed {mm} to {x 3} and {mm 3.x}")
        self.assertEqual(Show("mm").noted("up {mm 6.5} and {deg 2}"), "up 6.5\u00a0mm and 2.0°")
        self.assertEqual(
            noted_words(quantities.words("Raise {0} on a bolt of {1}", mm(6.5), bought_mm(60))), "Raise {mm 6.5} on a bolt of 60 mm"
        )
