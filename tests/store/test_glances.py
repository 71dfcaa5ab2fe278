"""The shop's list: what it tells of a build is told of the revision that stands, by the rules that hold now, and is what a fresh look says."""

import random
import unittest
from dataclasses import replace
from unittest import mock

from lxml import html

from elmpeg.core.advice.at_a_glance import glance
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.stages.place import position_edits
from elmpeg.store import glances as glances_store
from elmpeg.store.revisions import Author
from elmpeg.web.pages.shop import builds as builds_page
from tests.shop import TestShop

ANYBODY = Author(None, "Pip Okafor")


def fresh(build):
    return glance(build, lambda option_id: evaluate(build, option_id))


class Kept(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.builds, self.glances = self.shop.shop.builds, self.shop.shop.glances

    def keep_all(self):
        for build_id in self.builds.ids():
            head = self.builds.head(build_id)
            self.glances.keep(head.number, fresh(head.build))
            self.glances.write_down()

    def test_read_back_it_is_what_was_told(self):
        self.keep_all()
        listed = self.glances.listed()
        self.assertEqual([r.id for r in listed], list(self.builds.ids()))
        for row in listed:
            with self.subTest(row.id):
                head, last = self.builds.head(row.id), self.builds.history(row.id, 1)[0]
                self.assertEqual(row.glance, fresh(head.build))
                self.assertEqual((row.name, row.number, row.person, row.at), (head.build.name, head.number, last.person, last.at))

    def test_of_an_earlier_revision_or_by_other_rules_nothing_is_told(self):
        self.keep_all()
        self.builds.change("cairn-2", 1, ANYBODY, "Up", lambda b: position_edits.nudged(b, "low", "engine", "z", 1.0))
        self.assertEqual([r.id for r in self.glances.listed() if r.glance is None], ["cairn-2"])
        with mock.patch.object(glances_store, "rules", lambda: "others"):
            self.assertTrue(all(r.glance is None for r in self.glances.listed()))
        head = self.builds.head("cairn-2")
        self.glances.keep(head.number, fresh(head.build))
        self.glances.write_down()
        self.assertEqual(next(r.glance for r in self.glances.listed() if r.id == "cairn-2"), fresh(head.build))

    def test_what_came_too_late_is_not_told_of_what_stands_now(self):
        before = self.builds.head("cairn-2")
        told = fresh(before.build)
        self.builds.change("cairn-2", 1, ANYBODY, "Up", lambda b: position_edits.nudged(b, "low", "engine", "z", 1.0))
        self.glances.keep(before.number, told)
        self.glances.write_down()
        self.assertIsNone(next(r.glance for r in self.glances.listed() if r.id == "cairn-2"))

    def test_a_build_that_is_gone_takes_it_along(self):
        self.keep_all()
        head = self.builds.head("bookworm")
        self.builds.put("bookworm", "removed", ANYBODY)
        self.assertNotIn("bookworm", [r.id for r in self.glances.listed()])
        self.assertEqual([r.id for r in self.glances.listed("removed")], ["bookworm"])
        self.builds.forget_removed(before=max(r.at for r in self.glances.listed("removed")).replace(year=2100))
        self.assertEqual(self.glances.listed("removed"), ())
        self.glances.keep(head.number, fresh(head.build))
        self.glances.write_down()
        self.assertEqual(self.glances.listed("removed"), ())


class Listed(unittest.TestCase):
    """The page: what it shows after any change is what the evaluation says, and it works out nothing twice."""

    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.orla = self.shop.browser("orla")

    def page(self, path):
        return html.fromstring(self.orla.get(path).text)

    def counted(self, build_id):
        card = self.page("/").xpath(f'//article[@id="build-{build_id}"]//p[@class="big-count"]')[0]
        return " ".join(card.text_content().split())

    def test_after_any_move_the_list_says_what_the_evaluation_does(self):
        chance = random.Random(5)
        for _ in range(4):
            head = self.shop.shop.builds.head("cairn-2")
            way, by = chance.choice("xyz"), chance.uniform(-40.0, 40.0)
            self.shop.shop.builds.change(
                "cairn-2", head.number, ANYBODY, "Moved", lambda b, w=way, d=by: position_edits.nudged(b, "low", "engine", w, d)
            )
            build = self.shop.shop.builds.head("cairn-2").build
            found = evaluate(build, build.agreed or build.options[0].id)
            words = {"fails": "fail", "near": "near", "unknown": "unknown", "holds": "hold"}
            wanted = [f"{n} {w}{'s' if n == 1 and v in ('fails', 'holds') else ''}" for v, w in words.items() if (n := found.count(v))]
            self.assertEqual(self.counted("cairn-2"), " ".join(wanted))

    def test_opened_again_it_works_out_nothing(self):
        self.orla.get("/")
        with mock.patch.object(builds_page, "glance", side_effect=AssertionError("worked out again")):
            self.assertEqual(self.orla.get("/").status_code, 200)

    def test_what_there_was_no_time_for_is_said_and_follows(self):
        with mock.patch.object(builds_page, "WORKS_OUT_S", -1.0):
            page = self.orla.get("/").text
        self.assertIn("Being worked out", page)
        self.assertNotIn("Everything holds", page)
        self.assertIn('hx-trigger="every 2s"', page)
        page = self.orla.get("/").text
        self.assertNotIn("Being worked out", page)
        self.assertNotIn("every 2s", page)

    def test_many_are_found_by_name_and_by_vehicle(self):
        builds = self.shop.shop.builds
        base = builds.head("bookworm").build
        for k in range(builds_page.CARDS + 3):
            builds.add(replace(base, id="x", name=f"Cart {k}"), ANYBODY, "made")
        page = self.page("/")
        self.assertEqual(len(page.xpath('//article[@class="build-card"]')), builds_page.CARDS)
        earlier = page.xpath('//section[@class="earlier"]//li/a/text()')
        self.assertEqual(len(earlier), len(builds.ids()) - builds_page.CARDS)
        cards = page.xpath('//article[@class="build-card"]//h2/a/text()')
        self.assertEqual({*cards, *earlier}, {builds.head(i).build.name for i in builds.ids()})
        self.assertEqual(self.page("/?find=cart+7").xpath('//article[@class="build-card"]//h2/a/text()'), ["Cart 7"])
        vehicle = builds.head("cairn-2").build.vehicle
        self.assertIn(builds.head("cairn-2").build.name, self.page(f"/?find={vehicle[:9].upper()}").xpath("//h2/a/text()"))
        self.assertIn("No build has “zeppelin”", self.orla.get("/?find=zeppelin").text)


if __name__ == "__main__":
    unittest.main()
