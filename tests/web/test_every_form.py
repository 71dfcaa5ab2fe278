"""Every link on every page leads somewhere, and every form bears being sent empty, wild and full of markup."""

import re
import unittest
from collections import Counter, defaultdict, deque
from html.parser import HTMLParser
from itertools import cycle
from urllib.parse import urldefrag, urljoin, urlsplit

from elmpeg.core.integrity.sound import require_sound
from tests.shop import TestShop

MARKUP = "<script>alert(1)</script>'\"&"
WILD = ("", "-1", "1e308", "nan", MARKUP, "0", "1 1/0", "x" * 3000, "١٢", "12\u0000", "; DROP TABLE", "1,250")
MOST_OF_A_KIND = 2
"""So many pages that differ by an id only are looked at."""


class Page(HTMLParser):
    """The links of a page, and its forms: where each goes, and its fields with what they hold."""

    def __init__(self, text):
        super().__init__()
        self.links: set[str] = set()
        self.forms: list[tuple[str, dict[str, str]]] = []
        self.types: dict[tuple[str, str], str] = {}
        self._where = ""
        self._open: dict[str, str] | None = None
        self._select, self._first = "", True
        self._area = ""
        self.feed(text)

    def handle_starttag(self, tag, attributes):
        a = dict(attributes)
        if tag == "a" and (a.get("href") or "").startswith(("/", "?")):
            self.links.add(urldefrag(a["href"])[0])
        if tag == "form":
            self._open = {}
            self._where = where = a.get("hx-post") or (a.get("action") if (a.get("method") or "").lower() == "post" else "")
            if where:
                self.forms.append((where, self._open))
        elif a.get("hx-post"):
            self.forms.append((a["hx-post"], {}))
        name = a.get("name")
        if self._open is not None and name and tag in ("input", "select", "textarea", "button"):
            self._area = name if tag == "textarea" else ""
            typed = tag == "textarea" or (tag == "input" and a.get("type", "text") == "text" and "readonly" not in a)
            self.types[self._where, name] = "text" if typed else a.get("type") or tag
            self._select, self._first = (name if tag == "select" else ""), True
            ticked = tag != "input" or a.get("type") != "checkbox" or "checked" in a
            self._open.setdefault(name, (a.get("value") or "") if ticked else "")
        if tag == "option" and self._select and self._open is not None:
            # What is selected counts, else the first.
            if "selected" in a or self._first:
                self._open[self._select] = a.get("value") or ""
            self._first = False

    def handle_data(self, data):
        if self._area and self._open is not None:
            self._open[self._area] += data

    def handle_endtag(self, tag):
        if tag == "textarea":
            self._area = ""
        if tag == "form":
            self._open = None
        if tag == "select":
            self._select = ""


class Told(HTMLParser):
    """Of a refused form's page: what its fields hold, what is told, and which field each message is said of."""

    def __init__(self, text):
        super().__init__()
        self.holds: set[tuple[str, str, str]] = set()
        self.names: dict[str, set[str]] = defaultdict(set)
        self.messages: list[str] = []
        self.described: set[str] = set()
        self.loose = "<p><strong>" in text.partition('class="refused"')[2][:200] and text.partition('class="refused"')[2][:300]
        self._where, self._area = "", ""
        self.forms: list[tuple[str, dict[str, str], set[str]]] = []
        self.feed(text)

    def handle_starttag(self, tag, attributes):
        a = dict(attributes)
        if tag == "form":
            self._where = urlsplit(a.get("hx-post") or a.get("action") or "").path
            self.forms.append((self._where, {}, set()))
        if "field-error" in (a.get("class") or "") and a.get("id"):
            self.messages.append(a.get("id"))
        name = a.get("name")
        if tag in ("input", "select", "textarea") and name:
            if a.get("type") != "hidden":
                self.names[self._where].add(name)
            if self.forms and a.get("type") == "hidden":
                self.forms[-1][1].setdefault(name, a.get("value") or "")
            elif self.forms:
                self.forms[-1][2].add(a.get("value") or "")
            self.holds.add((self._where, name, a.get("value") or ""))
            self._area = name if tag == "textarea" else ""
            if a.get("aria-invalid") == "true":
                self.described.add(a.get("aria-describedby"))

    def handle_data(self, data):
        if self._area:
            self.holds.add((self._where, self._area, data))
            if self.forms:
                self.forms[-1][2].add(data)

    def handle_endtag(self, tag):
        if tag == "textarea":
            self._area = ""


def kind(path):
    """A path without the ids in it, so that pages of one kind count together."""
    # Every calculation has a form of its own; test_reckoner goes over all of them.
    parts = re.sub(r"/reckoner/\w+", "/reckoner/-", urlsplit(path).path).split("/")
    return (
        "/".join(p if k < 4 or not re.search(r"\d|-|^[A-Z]", p) else "*" for k, p in enumerate(parts))
        + "?" * ("?" in path)
        + "new" * bool(re.search(r"=(?:new|add)\b", path))
    )


class Everywhere(unittest.TestCase):
    maxDiff = None
    """The pages of a build as somebody finds them who follows every link."""

    @classmethod
    def setUpClass(cls):
        cls.test_shop = TestShop()
        cls.addClassCleanup(cls.test_shop.close)
        cls.browser = cls.test_shop.browser("orla")
        cls.pages, cls.wrong, cls.tried = {}, [], set()
        waiting, seen, kinds = deque(["/"]), {"/"}, Counter()
        while waiting:
            path = waiting.popleft()
            answer = cls.browser.get(path)
            if answer.status_code not in (200, 303):
                cls.wrong.append((path, answer.status_code))
            if not answer.headers.get("content-type", "").startswith("text/html") or answer.status_code != 200:
                continue
            cls.pages[path] = page = Page(answer.text)
            for link in sorted({urljoin(path, link) for link in page.links} - seen):
                seen.add(link)
                kinds[kind(link)] += 1
                if kinds[kind(link)] <= MOST_OF_A_KIND and "bookworm" not in link and "dynamo" not in link:
                    waiting.append(link)

    def test_no_link_leads_nowhere(self):
        self.assertEqual(self.wrong, [])
        self.assertGreater(len(self.pages), 25)
        for stage in ("reference", "measure", "mounts", "bay", "drive", "fit", "kit", "history", "patterns", "plates"):
            self.assertTrue(any(f"/{stage}" in p for p in self.pages), stage)

    def test_every_form_bears_whatever_is_sent(self):
        forms: dict[str, dict[str, str]] = {}
        kinds: Counter = Counter()
        for page in self.pages.values():
            for where, fields in page.forms:
                path = urlsplit(where).path
                if "sign-out" in where or path in forms:
                    continue
                kinds[kind(path)] += 1
                if kinds[kind(path)] <= MOST_OF_A_KIND:
                    forms[path] = fields
        self.assertGreater(len(forms), 30)
        wild, told = cycle(WILD), Counter()
        for path, fields in forms.items():
            fields = {n: v for n, v in fields.items() if n != "csrf"}
            spoiled = {name: next(wild) for name in fields}
            for sent in ({}, spoiled, {**fields, **{n: next(wild) for n in list(fields)[1:3]}}, dict.fromkeys(fields, MARKUP)):
                with self.subTest(path, sent=str(sent)[:200]):
                    answer = self.browser.post(path, **sent)
                    told[answer.status_code] += 1
                    self.assertNotIn("<script>alert", answer.text)
        # Done, led on to another page, refused beside a field, or about something that the form made up.
        self.assertEqual(set(told), {200, 204, 404, 422})
        self.assertGreater(told.total(), 120)
        self.assertGreater(sum(n for code, n in told.items() if code in (200, 422)), 60)
        builds = self.test_shop.shop.builds
        for build in ("cairn-2", "bookworm", "dynamo"):
            require_sound(builds.head(build).build)

    def test_what_was_typed_is_still_there_after_a_refusal_and_each_message_is_tied_to_its_field(self):
        refused, untied, lost, loose, others = 0, [], [], [], []
        for at, page in self.pages.items():
            for where, fields in page.forms:
                path = urlsplit(where).path
                key = (kind(path), tuple(sorted(fields)))
                typing = {n: f"zz{k} nonsense" for k, n in enumerate(fields) if page.types.get((where, n)) == "text"}
                if key in self.tried or not typing or path.startswith("/reckoner") or "/reckoner/" in path:
                    continue
                self.tried.add(key)
                sent = {n: v for n, v in {**fields, **typing}.items() if n != "csrf"}
                answer = self.browser.client.post(
                    path,
                    data=sent,
                    headers={"X-CSRF-Token": self.browser.csrf, "HX-Request": "true", "HX-Current-URL": f"http://shop.test{at}"},
                )
                if answer.status_code != 422:
                    continue
                refused += 1
                told = Told(answer.text)
                lost += [(path, name) for name in typing if (path, name, typing[name]) not in told.holds]
                # What was typed for a new thing must not have come into the form of another.
                hidden = {n: v for n, v in sent.items() if page.types.get((where, n)) == "hidden" and n not in ("base", "csrf")}
                for there, hides, held in told.forms:
                    if (
                        there == path
                        and set(typing.values()) <= held
                        and {n: v for n, v in hides.items() if n not in ("base", "csrf")} != hidden
                    ):
                        others.append((path, hidden, hides))
                if len(told.messages) != len(set(told.messages)):
                    untied.append((path, "said twice", told.messages))
                untied += [(path, m) for m in told.messages if m not in told.described and m.removeprefix("error-") in told.names[path]]
                if told.loose:
                    loose.append((path, told.loose))
        self.assertGreater(refused, 30)
        self.assertEqual((lost, untied, loose, others), ([], [], [], []))

    def test_no_form_is_taken_from_another_site(self):
        head = self.test_shop.shop.builds.head("bookworm").number
        for path in ("/builds/bookworm/bay/move", "/builds/bookworm/undo", "/shelf"):
            self.assertEqual(self.browser.post(path, csrf=False, freedom="z", do="plus").status_code, 403)
        self.assertEqual(self.test_shop.shop.builds.head("bookworm").number, head)
