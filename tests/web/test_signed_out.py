"""On a tablet that is everybody's nothing of one person is served to the next; and whoever only looks writes nothing."""

import asyncio
import unittest
from contextlib import closing
from datetime import timedelta

from sqlalchemy import select

from elmpeg.store.tables import SignedIn
from elmpeg.web.streams import Hub
from tests.browser.every_page import pages
from tests.shop import ShopCase

FILES = (
    "/shelf.csv",
    "/builds/cairn-2/make/cut-list.csv?option=low",
    "/builds/cairn-2/export",
    "/api/v1/builds",
    "/api/v1/builds/cairn-2",
    "/builds/no-such-build/bay",
)


class SignedOut(ShopCase):
    def pictures(self):
        """The addresses of the demo's photograph, and of what is drawn of it."""
        build = self.shop.shop.builds.head("cairn-2").build
        url = self.shop.shop.url
        photos = [url("photo", build_id=build.id, photo_id=p.id) for p in build.photos]
        laid = [url("underlay_picture", build_id=build.id, underlay_id=u.id) for u in build.underlays]
        traced = [f"{url('piece_picture', build_id=build.id)}?piece={p.id}" for p in build.pieces if p.photo]
        return [*photos, *(f"{p}?small=1" for p in photos), *laid, *traced]

    def test_nothing_but_what_everybody_may_have_is_kept_by_a_browser(self):
        for path in (*pages(self.shop), *FILES, *self.pictures()):
            with self.subTest(path):
                self.assertIn(self.orla.get(path).headers["Cache-Control"], ("no-store", "private, no-cache"))
        self.assertIn("immutable", self.orla.get("/static/mark.svg").headers["Cache-Control"])

    def test_a_picture_is_not_sent_twice_and_not_seen_after_signing_out(self):
        found = self.pictures()
        self.assertTrue(found)
        path = found[0]
        first = self.orla.get(path)
        asked_again = {"If-None-Match": first.headers["ETag"]}
        again = self.orla.client.get(path, headers=asked_again)
        self.assertEqual((again.status_code, again.content), (304, b""))
        self.assertEqual(self.orla.client.get(path, headers={"If-None-Match": '"another"'}).content, first.content)
        self.orla.post("/sign-out", htmx=False)
        self.assertEqual(self.orla.client.get(path, headers=asked_again).status_code, 303)

    def test_looking_writes_nothing(self):
        """Every page, file and picture, by somebody who was last here yesterday."""
        with self.shop.database.writing() as session:
            for row in session.scalars(select(SignedIn)):
                row.seen -= timedelta(days=1)
        paths = [*pages(self.shop), *FILES, "/sign-in", "/welcome/no-such-link", "/healthz"]
        with closing(self.shop.database._engine.raw_connection()) as other:
            # It counts what others than this connection have written.
            version = other.execute("PRAGMA data_version").fetchone()
            for path in paths:
                self.orla.get(path)
                with self.subTest(path):
                    self.assertEqual(other.execute("PRAGMA data_version").fetchone(), version)
            self.orla.post("/me", units="mm", theme="dark")
            self.assertNotEqual(other.execute("PRAGMA data_version").fetchone(), version)

    def test_a_link_for_somebody_does_not_begin_with_what_the_request_calls_the_server(self):
        headers = {"Host": "elsewhere.test", "X-CSRF-Token": self.orla.csrf}
        page = self.orla.client.post("/people", data={"name": "Bo Tarn", "login": "bo", "role": "fabricator"}, headers=headers).text
        self.assertNotIn("elsewhere.test", page)
        self.assertRegex(page, "data-behind-here>/welcome/")
        self.shop.shop.settings.address = "https://pegs.example/"
        page = self.orla.post("/people", name="Bo Fell", login="fell", role="fabricator").text
        self.assertIn(">https://pegs.example/welcome/", page)

    def test_a_stream_ends_where_its_browser_is_signed_out(self):
        class Asked:
            async def is_disconnected(self):
                return False

        async def heard(hub):
            good = [True]

            async def still():
                return good[0]

            stream = hub.stream(1, Asked(), still)
            told = [await anext(stream)]
            hub.publish(1, '{"text": "12.7 mm"}')
            told.append(await anext(stream))
            good[0] = False
            hub.look_again(1)
            hub.publish(1, '{"text": "private"}')
            return told + [event async for event in stream]

        told = asyncio.run(asyncio.wait_for(heard(Hub()), 20))
        self.assertEqual(len(told), 2)
        self.assertIn(b"12.7 mm", told[1])


if __name__ == "__main__":
    unittest.main()
