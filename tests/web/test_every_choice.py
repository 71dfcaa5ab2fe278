"""Every list, tick, button and field of every form that is sent, operated once: whatever is chosen or typed is answered, what is refused
stays in its field, what is saved is shown, and every page of the build opens afterwards.

The forms come from the pages themselves, and the pages from the list of routes, so that a form that is new is operated with the
others. What asks by itself, without being sent, is operated in the browser.
"""

import re
import unittest
from collections import Counter
from functools import cache
from urllib.parse import urlencode, urlsplit

from lxml import html

from tests.browser.every_page import pages
from tests.shop import TestShop

FEW = 8
"""Of a list with more choices than a few, such as one of all points, its ends are chosen."""
LEADS_AWAY = ("/sign-out", "/sign-out/everywhere")
ANSWERS_IN_PLACE = ("/reckoner/", "/drive/mend/solve")
"""Asked for an answer, not to keep anything: the answer is what they say."""
WHOSE = ("point", "mount", "piece", "plate", "thing", "line", "axle", "shape", "id", "of", "part", "weldment", "structure", "stand", "do")
"""Hidden fields that tell whose form it is."""
ADDS = {
    ("/builds/-/mounts/new", ""), ("/builds/-/chains", "link"), ("/builds/-/make/piece/outline", "face"), ("/builds/-/make/stands", "part"),
    ("/builds/-/make/piece/square", ""),
}  # fmt: skip
"""Forms that add something more and are then as they were, ready for the next one."""
ELSEWHERE = {("/new", ""), ("/builds/-/copy", ""), ("/builds/-/agree", "back")}
"""Forms whose outcome is another build, with what was typed in it, or stands in the history."""
TYPED_IN = './/input[not(@type) or @type="text"][not(@readonly)][@name] | .//textarea[@name]'
LAST_FIGURE = r"\d+(?![\s\S]*\d)"
TRIES = 6
"""So often what is refused of a form is left as it was, and the rest sent again."""


def where_of(form):
    return form.get("hx-post") or (form.get("action") if (form.get("method") or "").lower() == "post" else None)


def doing(form):
    return next((i.get("value") for i in form.xpath('.//input[@type="hidden"][@name="do"]')), "")


def kind_of(form):
    return re.sub(r"/(builds|people|photos|reckoner|book)/[^/]+", r"/\1/-", urlsplit(where_of(form)).path), doing(form)


def plain(name):
    return re.sub(r"\d+", "#", name)


def whose(form):
    return sorted((i.get("name"), i.get("value") or "") for i in form.xpath('.//input[@type="hidden"]') if i.get("name") in WHOSE)


def own(form):
    """What a form sends as it stands."""
    return [(n, v or "") for n, v in form.form_values() if n != "csrf"]


def choices(form, name, listed):
    """What a list or a tick can be made to say beside what it says; of a list of the same name and choices that was gone through
    in another form, ``listed``, one."""
    for field in form.xpath(".//select"):
        if field.name == name:
            others = [choice for choice in field.value_options if choice != field.value]
            known = (plain(name), *sorted(field.value_options))
            if known in listed or any(part in where_of(form) for part in ANSWERS_IN_PLACE):
                return others[-1:]
            listed.add(known)
            return others if len(others) <= FEW else [others[0], others[-1]]
    return [next(None if f.checked else f.get("value") or "on" for f in form.xpath('.//input[@type="checkbox"]') if f.name == name)]


def lists_and_ticks(form):
    return [f.name for f in form.xpath('.//select | .//input[@type="checkbox"]')]


def holding(field):
    return (field.text or "").removeprefix("\n") if field.tag == "textarea" else field.get("value") or ""


def typed_over(field):
    """Something else than what stands in a field: its last figure is another, its words have one more, or it is not empty any more."""
    now = holding(field)
    if not now:
        return "7" if field.get("inputmode") or re.search("_(mm|deg|kg)$", field.get("name")) else "Seven"
    figures = ";" in now or re.fullmatch(r"[−-]?[\d.]+", now)
    return re.sub(LAST_FIGURE, lambda last: str(int(last[0]) ^ 1).zfill(len(last[0])), now) if figures else f"{now} b"


def with_typed(sent, typed):
    """What a form sends with its first field of each name typed in; lxml leaves out what has no value."""
    rest, sent = dict(typed), list(sent)
    for k, (name, _) in enumerate(sent):
        if name in rest:
            sent[k] = (name, rest.pop(name))
    return [*sent, *rest.items()]


def changed(sent, name, choice):
    rest = [(n, v) for n, v in sent if n != name]
    return sent if not name else rest if choice is None else [*rest, (name, choice)]


class EveryChoice(unittest.TestCase):
    maxDiff = None
    unpressed = None

    @classmethod
    @cache
    def forms(cls):
        """Every form of every page, with the page that it stands on."""
        shop, found = TestShop(), []
        orla = shop.browser("orla")
        for path in pages(shop):
            answer = orla.get(path)
            if answer.status_code == 200:
                sent = [f for f in html.fromstring(answer.content).forms if where_of(f) and not f.get("enctype")]
                found += [(path, form) for form in sent if urlsplit(where_of(form)).path not in LEADS_AWAY]
        shop.close()
        return tuple(found)

    def shop(self):
        """A shop in which nothing has been pressed yet that changed anything; its browser, and how far its builds are."""
        shop = TestShop()
        builds = shop.shop.builds
        return shop, shop.browser("orla"), {i: builds.head(i).number for i in builds.ids()}

    def pressed(self, path, form, name, choice):
        return self.posted(path, form, changed(own(form), name, choice))

    def posted(self, path, form, sent):
        """One operation: the shop's browser, the answer, and the builds that it changed."""
        shop, orla, heads = self.unpressed = self.unpressed or self.shop()
        builds = shop.shop.builds
        headers = {
            "Content-Type": "application/x-www-form-urlencoded", "X-CSRF-Token": orla.csrf, "HX-Request": "true",
            "HX-Current-URL": f"http://shop.test{path}",
        }  # fmt: skip
        answer = orla.client.post(where_of(form), content=urlencode(sent), headers=headers)
        moved = [i for i in builds.ids() if heads.get(i) != builds.head(i).number]
        # A shop that took something in is another one: the next press has one of its own.
        if answer.status_code != 422:
            self.addCleanup(shop.close)
            self.unpressed = None
        return orla, answer, moved

    def same(self, page, form):
        """The form of the same thing on a page that came back."""
        text = page.content.strip()
        forms = html.fromstring(text).forms if text.startswith(b"<") else []
        return [f for f in forms if where_of(f) and kind_of(f) == kind_of(form) and whose(f) == whose(form)]

    def holds(self, page, form, name, choice):
        fields = [f.inputs[name] for f in self.same(page, form) if name in {i.name for i in f.inputs}]
        lists = [f for f in fields if getattr(f, "tag", "") == "select"]
        return not lists or choice in [f.value for f in lists]

    def operated(self, path, form, name, choice):
        orla, answer, builds = self.pressed(path, form, name, choice)
        self.assertIn(answer.status_code, (200, 204, 303, 422), answer.text[:300])
        if answer.status_code == 422:
            self.assertTrue(name == "" or choice is None or self.holds(answer, form, name, choice), "refused, and not what was chosen")
            return "refused"
        if not builds:
            said = answer.status_code in (204, 303) or any(word in answer.text for word in ('class="notice', 'class="saved', "HX-Trigger"))
            self.assertTrue(said or any(part in where_of(form) for part in ANSWERS_IN_PLACE), "says nothing")
            return "answered"
        again = orla.get(path)
        for build_id in builds:
            # Its own page has worked out all of the build already.
            if f"/builds/{build_id}/" not in path or again.status_code != 200:
                self.assertEqual(orla.get(f"/builds/{build_id}/bay", follow_redirects=True).status_code, 200)
        # What was taken out leads to what is left.
        self.assertIn(again.status_code, (200, 303, 404))
        if name and choice is not None and kind_of(form) not in ADDS and again.status_code == 200:
            self.assertTrue(self.holds(again, form, name, choice), "saved, and does not stay")
        return "saved"

    def tearDown(self):
        if self.unpressed:
            self.unpressed[0].close()

    def test_each_once(self):
        met, listed, told = set(), set(), Counter()
        for path, form in self.forms():
            kind = kind_of(form)
            fields = [n for n in dict.fromkeys(lists_and_ticks(form)) if (kind, plain(n)) not in met]
            if kind in met and not fields:
                continue
            outcome = ""
            for name in ([] if kind in met else [""]) + fields:
                for choice in choices(form, name, listed) if name else [""]:
                    with self.subTest(path, form=str(kind), field=name, choice=choice):
                        did = self.operated(path, form, name, choice)
                        told[did] += 1
                        outcome = outcome or did
                        # A form that cannot be sent as it stands refuses each choice alike: one shows that it stays.
                        if outcome == "refused":
                            break
            met |= {kind, *((kind, plain(n)) for n in fields)}
        self.assertGreater(told["saved"], 150)
        self.assertGreater(told.total(), 400)

    def typed(self, path, form, typed):
        """All of a form's fields typed in at once; what is refused beside its field is left, and the rest sent again."""
        for _ in range(TRIES):
            orla, answer, builds = self.posted(path, form, with_typed(own(form), typed))
            self.assertIn(answer.status_code, (200, 204, 303, 422), answer.text[:300])
            if answer.status_code != 422:
                break
            back = [(i.get("name"), holding(i), i.get("aria-invalid")) for f in self.same(answer, form) for i in f.xpath(TYPED_IN)]
            for name, text in typed.items():
                self.assertIn((name, text), [(n, t) for n, t, _ in back], "refused, and what was typed is gone")
            refused = {n for n, _, invalid in back if invalid} & set(typed)
            typed = {n: t for n, t in typed.items() if n not in refused}
            if not refused or not typed:
                return "refused"
        if not builds or kind_of(form) in ADDS | ELSEWHERE:
            return "answered"
        again = orla.get(path)
        if again.status_code != 200:
            return "led on"
        there = {(i.get("name"), holding(i)) for f in self.same(again, form) for i in f.xpath(TYPED_IN)}
        shown = html.fromstring(again.content).text_content()
        for name, text in typed.items():
            self.assertTrue((name, text) in there or text in shown, f"“{text}” in {name} is saved, and nowhere on the page")
        return "saved"

    def test_what_is_typed_in_each_field_stays(self):
        met, told = set(), Counter()
        for path, form in self.forms():
            kind, fields = kind_of(form), {}
            for field in form.xpath(TYPED_IN):
                if (kind, plain(field.get("name"))) not in met:
                    fields.setdefault(field.get("name"), field)
            if not fields or any(part in where_of(form) for part in ANSWERS_IN_PLACE):
                continue
            met |= {(kind, plain(name)) for name in fields}
            typed = {name: typed_over(field) for name, field in fields.items()}
            with self.subTest(path, form=str(kind), typed=str(typed)):
                told[self.typed(path, form, typed)] += 1
        self.assertGreater(told["saved"], 50)
        self.assertGreater(len(met), 350)


if __name__ == "__main__":
    unittest.main()
