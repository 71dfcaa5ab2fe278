"""What a page offers, its reader may do: nothing is offered that is then refused for who they are or where the build lies."""

import unittest
from html.parser import HTMLParser
from typing import get_args
from urllib.parse import urlsplit

from starlette.routing import Match

from elmpeg.store.revisions import Author
from elmpeg.web.security import changer, lead
from tests.browser.every_page import pages
from tests.shop import TestShop

VOID = ("input", "img", "br", "hr", "meta", "link", "rect", "path", "circle", "line", "use", "wbr", "source")
STILL_DONE = ("copy_build", "put_build")
"""What is done to a build that is put away: copied, and brought back."""


class Offered(HTMLParser):
    """Where the live buttons and forms of a page send."""

    def __init__(self, text):
        super().__init__()
        self.to: set[str] = set()
        self._open: list[tuple[str, bool, str]] = []
        self._form = ""
        self.feed(text)

    def handle_starttag(self, tag, attributes):
        a = dict(attributes)
        off = "disabled" in a or any(off for _, off, _ in self._open)
        if tag == "form":
            self._form = a.get("hx-post") or (a.get("action") if (a.get("method") or "") == "post" else "") or ""
        if tag == "button" and not off:
            where = a.get("hx-post") or a.get("formaction") or (self._form if a.get("type", "submit") == "submit" else "")
            if where:
                self.to.add(urlsplit(where).path)
        elif a.get("hx-post") and tag != "form" and not off:
            self.to.add(urlsplit(a["hx-post"]).path)
        if tag not in VOID:
            self._open.append((tag, off, ""))

    def handle_endtag(self, tag):
        while self._open and self._open.pop()[0] != tag:
            pass
        if tag == "form":
            self._form = ""


class NothingInVain(unittest.TestCase):
    maxDiff = None

    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)

    def asks(self, path):
        """The route that a form's address leads to: its name, and who may use it."""
        scope = {"type": "http", "method": "POST", "path": path, "headers": []}
        for route in self.shop.app.routes:
            if route.matches(scope)[0] is Match.FULL:
                needs = route.endpoint.__annotations__.get("desk")
                depends = next((d.dependency for d in get_args(needs)[1:]), None)
                return route.name, depends
        raise AssertionError(f"{path} leads nowhere")

    def offered(self, login, build_id="cairn-2"):
        """By page, what it offers to a person: names of routes with who may use them."""
        browser = self.shop.browser(login)
        found = {}
        for path in pages(self.shop, build_id):
            answer = browser.get(path)
            if answer.status_code != 200:
                self.assertIn(answer.status_code, (303, 307, 403), path)
                continue
            found[path] = {self.asks(to) for to in Offered(answer.text).to}
        self.assertGreater(len(found), 40)
        return found

    def test_who_only_looks_is_offered_nothing_that_changes(self):
        for path, offered in self.offered("pip").items():
            with self.subTest(path):
                self.assertEqual([name for name, needs in offered if needs in (changer, lead)], [])

    def test_what_leads_alone_may_do_is_not_offered_to_others(self):
        changes = 0
        for path, offered in self.offered("wil").items():
            changes += any(needs is changer for _, needs in offered)
            with self.subTest(path):
                self.assertEqual([name for name, needs in offered if needs is lead], [])
        self.assertGreater(changes, 30, "a fabricator is offered what he may do")

    def test_a_build_that_is_put_away_offers_to_bring_it_back_and_no_change(self):
        for where in ("archived", "removed"):
            self.shop.shop.builds.put("cairn-2", where, Author(1, "Orla Fennick", "lead"))
            back = 0
            for path, offered in self.offered("orla").items():
                if "/builds/cairn-2" not in path:
                    continue
                back += any(name == "put_build" for name, _ in offered)
                with self.subTest(path, where=where):
                    self.assertEqual([n for n, needs in offered if needs in (changer, lead) and n not in STILL_DONE], [])
            self.assertEqual(back, 1)


if __name__ == "__main__":
    unittest.main()
