"""Whatever somebody sends of a thing that a colleague has just taken out: they are told so, and shown what they typed."""

import re
import unittest
from urllib.parse import parse_qsl, urlsplit

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import ENTITIES
from elmpeg.core.build.thing_edits import without_thing
from elmpeg.store.revisions import Author
from tests.browser.every_page import pages
from tests.shop import ShopCase
from tests.web.test_every_form import Page

LEAD = Author(2, "Sunniva Brekke", "lead")
FIGURE = re.compile(r"[−\-\d. ]*")


class TakenOut(ShopCase):
    def take_out(self, of, thing):
        """Whether a lead could take it out, with what hangs on it."""
        number = self.builds.head("cairn-2").number
        try:
            self.builds.change("cairn-2", number, LEAD, "Took out", lambda b: without_thing(b, of, thing, with_users=True))
        except InputError:
            return False
        return True

    def put_back(self):
        head = self.builds.head("cairn-2")
        if head.build != self.start:
            self.builds.change("cairn-2", head.number, Author(None, "the test"), "Put back", lambda _: self.start)

    def forms(self):
        """Each kind of form that names something of the build: the page it stands on, what it sends, and what can be typed in it."""
        named_by = {t.id: e.list for e in ENTITIES.values() for t in getattr(self.start, e.list)}
        met = set()
        for path in pages(self.shop):
            page = Page(self.orla.get(path).text)
            for where, fields in page.forms:
                said = [*fields.items(), *parse_qsl(urlsplit(where).query)]
                named = next((v for k, v in said if v in named_by and k not in ("csrf", "option", "base")), "")
                kind = (urlsplit(where).path, fields.get("do", ""), named_by.get(named), *sorted(re.sub(r"\d+", "#", k) for k in fields))
                if not named or kind in met or "/cairn-2/" not in where:
                    continue
                met.add(kind)
                typed = [k for (w, k), what in page.types.items() if w == where and what == "text" and k in fields]
                yield path, where, fields, typed, named_by[named], named

    def test_every_form(self):
        sent = told = 0
        for path, where, fields, typed, of, thing in self.forms():
            base = self.builds.head("cairn-2").number
            if not self.take_out(of, thing):
                self.put_back()
                continue
            mine = {k: "7" if FIGURE.fullmatch(fields[k] or "x") else "Seven words" for k in typed}
            headers = {"HX-Request": "true", "HX-Current-URL": f"http://shop.test{path}"}
            data = {**fields, **mine, "base": str(base), "csrf": self.orla.csrf}
            answer = self.orla.client.post(where, data=data, headers=headers)
            sent += 1
            with self.subTest(path, where=where, do=fields.get("do"), thing=thing):
                self.assertIn(answer.status_code, (200, 204, 409, 422))
                if answer.status_code in (409, 422):
                    told += 1
                    self.assertEqual([v for v in mine.values() if v not in answer.text], [])
                    # What is gone cannot be changed any more: nobody is offered to.
                    self.assertNotRegex(answer.text, r"is not there any more[\s\S]*Do mine on top")
            self.put_back()
        self.assertGreater(sent, 100)
        self.assertGreater(told, 60)

    def test_who_insists_is_told_that_it_is_gone(self):
        base = self.builds.head("cairn-2").number
        room = self.start.rooms[0]
        page = Page(self.orla.get(f"/builds/cairn-2/things?option=low&of=rooms&thing={room.id}").text)
        form = next(fields for where, fields in page.forms if where.endswith("/things") and fields.get("thing") == room.id)
        fields = {k: v for k, v in form.items() if k not in ("base", "csrf")} | {"name": "Pump to rail"}
        self.assertTrue(self.take_out("rooms", room.id))
        answer = self.orla.post("/builds/cairn-2/things", **fields, base=str(base))
        self.assertEqual(answer.status_code, 409)
        for words in ("Pump to rail", "It is not there any more", room.name):
            self.assertIn(words, answer.text)
        again = self.orla.post("/builds/cairn-2/things", **fields, base=str(self.builds.head("cairn-2").number))
        self.assertEqual(again.status_code, 422)
        self.assertIn("where somebody took it out, the history says who", again.text)
        self.assertIn("<dd>Pump to rail</dd>", again.text)
        self.assertEqual(self.orla.post("/builds/no-such-build/things", **fields, base="1").status_code, 404)


if __name__ == "__main__":
    unittest.main()
