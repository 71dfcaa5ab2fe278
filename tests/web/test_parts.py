"""Answers in parts: put in their places they make the very page that is sent whole, whatever changed and on whatever page."""

import copy
import re
import unittest

from lxml import html

from elmpeg.web.parts import END, MOST_PAGES, Asked, ShownPages, answer, part, taken_apart
from tests.browser.every_page import pages
from tests.shop import TestShop

MOVE = "/builds/cairn-2/bay/move"
BASE = re.compile(r'(name="base" value=|"base": |&#34;base&#34;: |seen=|data-base=|data-revision=)"?\d+"?')


def shell(text):
    return html.fromstring(text).get_element_by_id("shell")


def put(there, text):
    """What a browser makes of an answer: the parts in their places, what is as it was left standing."""
    now = html.fragment_fromstring(text.strip())
    if now.get("data-parts") is None:
        return filled(now, there)
    made = copy.deepcopy(there)
    drawn = now.find("svg[@data-drawn]")
    for new in [e for e in now if e is not drawn] + (list(drawn) if drawn is not None else []):
        old = made.get_element_by_id(new.get("id"))
        new = filled(new, there)
        new.tail = old.tail
        old.getparent().replace(old, new)
    return made


def filled(new, there):
    """An element with what it says is as it was taken from the page before."""
    new = copy.deepcopy(new)
    for stub in new.xpath(".//*[@data-same]"):
        own = copy.deepcopy(there.get_element_by_id(stub.get("id")))
        own.tail = stub.tail
        stub.getparent().replace(stub, own)
    return new


def told(tree):
    """A page as text in one spelling, without the mark and the revision that the browser puts in itself."""
    tree = copy.deepcopy(tree)
    for e in [tree, *tree.iter()]:
        if not isinstance(e.tag, str):
            continue
        for name in ("data-page", "data-base", "data-parts"):
            e.attrib.pop(name, None)
        for name, value in sorted(e.attrib.items()):
            del e.attrib[name]
            e.set(name, value)
    said = BASE.sub("", html.tostring(tree, encoding="unicode"))
    return re.sub(r"\s+", " ", re.sub(r'(<input[^>]*name="base"[^>]*?) value="\d*"', r"\1", said)).replace("> <", "><").split("><")


class OfOnePage(unittest.TestCase):
    """What is sent of a text that is marked."""

    def setUp(self):
        self.pages = ShownPages()

    def page(self, rows="abc", title="t", base=1):
        listed = "".join(f'{part(f"row-{r}")}<li id="row-{r}">{r * 3}</li>{END}' for r in rows)
        return (
            f'<html>{part("shell")}<div id="shell" class="x"><input name="base" value="{base}">{part("head")}<h1 id="head">{title}</h1>{END}'
            f'{part("list")}<ol id="list">{listed}</ol>{END}{part("sheet")}<figure id="sheet"><svg>{part("g1")}<g id="g1">{title}</g>{END}</svg></figure>'
            f"{END}</div>{END}</html>"
        )

    def sent(self, text, mark="", base=1, session="s", template="t", within=()):
        out = answer(self.pages, text, Asked(session, template, mark, within, str(base)))
        return out, re.search('data-page="([^"]+)"', out)[1]

    def test_first_it_is_whole_and_then_what_changed(self):
        whole, mark = self.sent(self.page())
        self.assertNotIn("<!--", whole)
        self.assertIn("<html>", whole)
        same, mark = self.sent(self.page(base=2), mark, 2)
        self.assertRegex(same, r'^<div id="shell" data-page="[^"]+" data-base="2" data-parts></div>$')
        changed, mark = self.sent(self.page(title="u"), mark)
        self.assertIn('<h1 id="head">u</h1><svg data-drawn><g id="g1">u</g></svg></div>', changed)
        self.assertNotIn("list", changed)
        rows, _ = self.sent(self.page(rows="abdc", title="u"), mark)
        self.assertIn('<ol id="list"><li id="row-a" data-same></li><li id="row-b" data-same></li><li id="row-d">ddd</li>', rows)

    def test_whose_page_it_is_counts(self):
        _, mark = self.sent(self.page())
        for other in ({"session": "else"}, {"template": "else"}, {"mark": "unknown"}):
            with self.subTest(other):
                self.assertIn("<html>", self.sent(self.page(), **{"mark": mark, **other})[0])

    def test_the_part_that_was_pressed_in_comes_anyway(self):
        _, mark = self.sent(self.page())
        out, _ = self.sent(self.page(), mark, within=("nothing", "row-b", "list"))
        self.assertTrue(out.endswith('data-parts><li id="row-b">bbb</li></div>'), out)

    def test_what_is_around_the_parts_changed(self):
        _, mark = self.sent(self.page())
        out, _ = self.sent(self.page().replace('class="x"', 'class="y"'), mark)
        self.assertIn('class="y"', out)
        self.assertIn('<ol id="list" data-same></ol>', out)

    def test_a_page_that_is_forgotten_comes_whole(self):
        _, mark = self.sent(self.page())
        for _ in range(MOST_PAGES):
            self.sent(self.page())
        self.assertIn("<html>", self.sent(self.page(), mark)[0])

    def test_ids_that_are_alike_or_do_not_end_are_sent_whole(self):
        for broken in (self.page(rows="aa"), self.page().replace(END, "", 1), self.page() + END):
            with self.assertRaises(ValueError):
                taken_apart(broken)
            self.assertNotIn("<!--", answer(self.pages, broken, Asked("s", "t")))


class OfEveryPage(unittest.TestCase):
    """Each page, opened, asked for again after what somebody did meanwhile, and put together."""

    maxDiff = 2000

    @classmethod
    def setUpClass(cls):
        cls.shop = TestShop()
        cls.addClassCleanup(cls.shop.close)
        cls.orla = cls.shop.browser("orla")

    def asked(self, path, mark):
        return self.orla.get(path, headers={"HX-Request": "true", "X-Page": mark, "HX-Current-URL": f"http://shop.test{path}"})

    def test_put_together_it_is_the_page_as_it_is(self):
        builds, whole_bytes, sent_bytes = self.shop.shop.builds, 0, 0
        before, marks = {}, {}
        for path in pages(self.shop):
            opened = self.orla.get(path)
            taken_apart(opened.text)
            if 'id="shell"' in opened.text:
                before[path] = shell(opened.text)
                marks[path] = before[path].get("data-page")
        self.assertGreater(len(before), 60)
        fields = {"do": "plus", "freedom": "z", "part": "engine", "step": "5 mm", "option": "low"}
        self.assertEqual(self.orla.post(MOVE, base=str(builds.head("cairn-2").number), **fields).status_code, 200)
        for path, there in before.items():
            with self.subTest(path):
                said, whole = self.asked(path, marks[path]).text, self.asked(path, "").text
                self.assertEqual(told(put(there, said)), told(shell(whole)))
                if "/builds/cairn-2" in path:
                    whole_bytes, sent_bytes = whole_bytes + len(whole), sent_bytes + len(said)
        self.assertLess(sent_bytes, 0.5 * whole_bytes)

    def test_a_move_in_the_bay_sends_what_it_changes(self):
        address = "/builds/cairn-2/bay?option=low&part=engine&view=side&step=5+mm&turn=0.5%C2%B0"
        page = self.orla.get(address).text
        there, sizes = shell(page), []
        for freedom in ("z", "x", "pitch", "z", "y"):
            fields = {"do": "plus", "freedom": freedom, "part": "engine", "step": "5 mm", "turn": "0.5°", "option": "low", "view": "side"}
            headers = {"HX-Request": "true", "X-CSRF-Token": self.orla.csrf, "X-Page": there.get("data-page"), "HX-Current-URL": address}
            said = self.orla.client.post(MOVE, data={"base": there.get("data-base"), **fields}, headers=headers).text
            there = put(there, said)
            there.set("data-page", html.fragment_fromstring(said.strip()).get("data-page"))
            there.set("data-base", html.fragment_fromstring(said.strip()).get("data-base"))
            sizes.append(len(said))
        again = shell(self.orla.get(address).text)
        self.assertEqual(told(there), told(again))
        self.assertLess(sorted(sizes)[len(sizes) // 2], 40_000, sizes)


if __name__ == "__main__":
    unittest.main()
