"""Many people at one build at once: nobody is refused for it, nothing is lost, and nobody waits for work that is not theirs."""

import asyncio
import gc
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import httpx2 as httpx

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.turns import Turn, Turns
from elmpeg.core.build.survey import Reading
from elmpeg.core.stages.measure import point_readings
from elmpeg.demo import bookworm, cairn
from elmpeg.store import builds as builds_store
from elmpeg.store.builds import Builds
from elmpeg.store.database import Database
from elmpeg.store.revisions import Author
from tests.shop import TestShop

WIL = Author(None, "Wil Adeyemi")


def read(note, value=556.0):
    reading = Reading("", "z", f"{value:g}", value, "tape", "Wil Adeyemi", "2026-11-20T10:00:00", note=note)
    return lambda build: point_readings.with_readings(build, "RM-seat", (reading,))


class InTurn(unittest.TestCase):
    """Who came first is served first, whichever thread wakes first."""

    def test_served_in_the_order_of_arrival_and_free_again_at_the_end(self):
        turn, served = Turn(), []

        def come(k):
            with turn:
                served.append(k)

        people = [threading.Thread(target=come, args=(k,)) for k in range(30)]
        with turn:
            self.assertTrue(turn.locked())
            for k, person in enumerate(people):
                person.start()
                while len(turn._waiting) <= k:
                    time.sleep(0.0005)
        for person in people:
            person.join(10)
        self.assertEqual(served, list(range(30)))
        self.assertFalse(turn.locked())

    def test_one_that_fails_hands_it_on(self):
        turn = Turn()
        for _ in range(2):
            with self.assertRaises(ValueError), turn:
                raise ValueError
        self.assertFalse(turn.locked())

    def test_each_build_has_its_own_and_leaves_nothing_behind(self):
        """Of many names no two share a turn, whatever their hashes are."""
        turns = Turns()
        held = [turns.of(f"build {k}") for k in range(500)]
        self.assertEqual(len(set(map(id, held))), 500)
        self.assertIs(turns.of("build 7"), held[7])
        with turns.of("alone") as _, turns.of("build 7") as _:
            self.assertTrue(turns.of("alone").locked())
            self.assertFalse(turns.of("build 8").locked())
        del held
        gc.collect()
        self.assertEqual(len(turns._by_name), 0)


class Saving(unittest.TestCase):
    """In the store."""

    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.database = Database(Path(self.folder.name) / "elmpeg.db")
        self.builds = Builds(self.database)
        for made in (cairn.build(), bookworm.build()):
            self.builds.add(made, WIL, "New")

    def tearDown(self):
        self.database.close()
        self.folder.cleanup()

    def test_forty_at_once_on_one_build_all_from_the_same_page(self):
        seen, troubles = self.builds.head("cairn-2").number, []
        start = threading.Barrier(40)

        def save(k):
            try:
                start.wait(30)
                for n in range(3):
                    self.builds.change("cairn-2", seen, WIL, f"read {k}.{n}", read(f"p{k}n{n}"))
            except Exception as trouble:
                troubles.append(trouble)

        threads = [threading.Thread(target=save, args=(k,)) for k in range(40)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(troubles, [])
        head = self.builds.head("cairn-2")
        self.assertEqual(head.number, seen + 120)
        notes = {r.note for r in head.build.point("RM-seat").readings}
        self.assertLessEqual({f"p{k}n{n}" for k in range(40) for n in range(3)}, notes)
        again = Builds(self.database).head("cairn-2").build
        self.assertEqual(again, head.build, "what is read back is what they were told")

    def test_what_takes_long_to_work_out_holds_up_no_other_build_and_no_sign_in(self):
        working, go_on = threading.Event(), threading.Event()

        def long(build):
            working.set()
            self.assertTrue(go_on.wait(30))
            return read("long")(build)

        slow = threading.Thread(target=lambda: self.builds.change("cairn-2", 1, WIL, "long", long))
        slow.start()
        self.assertTrue(working.wait(30))
        name = bookworm.build().points[0].id
        reading = Reading("", "z", "1", 1.0, "tape", "Wil Adeyemi", "2026-11-20T10:00:00", note="quick")
        saved = self.builds.change("bookworm", 1, WIL, "quick", lambda b: point_readings.with_readings(b, name, (reading,)))
        self.assertEqual(saved.head.number, 2)
        self.assertTrue(slow.is_alive())
        go_on.set()
        slow.join()
        self.assertEqual(self.builds.head("cairn-2").number, 2)

    def test_an_undo_that_takes_long_holds_up_no_other_build(self):
        self.builds.change("cairn-2", 1, WIL, "first", read("first"))
        working, go_on, require_sound = threading.Event(), threading.Event(), builds_store.require_sound

        def long(build):
            if build.id == "cairn-2":
                working.set()
                self.assertTrue(go_on.wait(30))
            require_sound(build)

        name = bookworm.build().points[0].id
        reading = Reading("", "z", "1", 1.0, "tape", "Wil Adeyemi", "2026-11-20T10:00:00", note="quick")
        with mock.patch.object(builds_store, "require_sound", long):
            slow = threading.Thread(target=lambda: self.builds.undo("cairn-2", 2, WIL))
            slow.start()
            self.assertTrue(working.wait(30))
            self.builds.change("bookworm", 1, WIL, "quick", lambda b: point_readings.with_readings(b, name, (reading,)))
            self.builds.undo("bookworm", 2, WIL)
            self.assertTrue(slow.is_alive())
            go_on.set()
            slow.join()
        self.assertEqual(self.builds.head("cairn-2").number, 3)
        self.assertNotIn("first", {r.note for r in self.builds.head("cairn-2").build.point("RM-seat").readings})

    def test_what_is_put_away_meanwhile_is_not_changed(self):
        for act in (lambda: self.builds.change("cairn-2", 2, WIL, "mine", read("mine")), lambda: self.builds.undo("cairn-2", 2, WIL)):
            with self.subTest(act):
                number = self.builds.head("cairn-2").number
                if number == 1:
                    self.builds.change("cairn-2", 1, WIL, "first", read("first"))
                other, require_sound = Builds(self.database), builds_store.require_sound

                def away(build, other=other, require_sound=require_sound):
                    other.put("cairn-2", "archived", WIL)
                    require_sound(build)

                with mock.patch.object(builds_store, "require_sound", away), self.assertRaises(InputError) as refused:
                    act()
                self.assertIn("is archived", str(refused.exception))
                self.assertEqual(self.builds.head("cairn-2").number, 2)
                self.builds.put("cairn-2", "in work", WIL)

    def test_a_save_that_came_between_working_out_and_writing_is_kept_too(self):
        other = Builds(self.database)
        between = []

        def edit(build):
            if not between:
                # Another process of the shop, with queues of its own.
                between.append(other.change("cairn-2", 1, WIL, "between", read("between")))
            return read("mine")(build)

        saved = self.builds.change("cairn-2", 1, WIL, "mine", edit)
        self.assertEqual(saved.head.number, 3)
        self.assertLessEqual({"between", "mine"}, {r.note for r in saved.head.build.point("RM-seat").readings})
        self.assertEqual(saved.brought_in, ("Wil Adeyemi: between",))

    def test_after_two_are_brought_together_what_neither_changed_is_the_very_same(self):
        self.builds.change("cairn-2", 1, WIL, "one", read("one"))
        before = self.builds.head("cairn-2").build
        after = self.builds.change("cairn-2", 1, WIL, "two", read("two")).head.build
        self.assertIs(after.components, before.components)
        self.assertIs(after.drivelines, before.drivelines)
        self.assertEqual([p.id for p in after.points if not any(p is q for q in before.points)], ["RM-seat"])


class Answering(unittest.TestCase):
    """At the door."""

    def test_the_server_answers_others_while_a_password_is_hashed(self):
        shop = TestShop()
        hashing, go_on = threading.Event(), threading.Event()
        accounts = shop.shop.accounts
        plain = accounts._matches

        def slow(stored, password):
            hashing.set()
            go_on.wait(30)
            return plain(stored, password)

        accounts._matches = slow

        async def both():
            transport = httpx.ASGITransport(app=shop.app)
            async with httpx.AsyncClient(transport=transport, base_url="http://shop.test") as client:
                page = await client.get("/sign-in")
                secret = page.text.split('name="secret" value="')[1].split('"')[0]
                signing = asyncio.create_task(
                    client.post("/sign-in", data={"login": "wil", "password": "wrong wrong", "secret": secret, "next": "/"})
                )
                await asyncio.to_thread(hashing.wait, 30)
                healthy = await asyncio.wait_for(client.get("/healthz"), 10)
                pending = not signing.done()
                go_on.set()
                return healthy.status_code, pending, (await signing).status_code

        try:
            self.assertEqual(asyncio.run(both()), (200, True, 422))
        finally:
            go_on.set()
            shop.close()

    def test_who_waited_for_others_is_shown_what_they_saved_and_told_so(self):
        shop = TestShop()
        try:
            wil = shop.browser("wil")
            page = wil.get("/builds/cairn-2/measure?point=RM-seat").text
            base = int(page.split('name="base" value="')[1].split('"')[0])
            builds, waited = shop.shop.builds, shop.shop.newest_after_others

            def others_save_meanwhile(saved):
                builds.change("cairn-2", saved.number, Author(None, "Teo Marsh"), "Read right mount seat", read("theirs"))
                with shop.shop.evaluating.of("cairn-2"):
                    pass
                return builds.head("cairn-2") if waited(saved) == saved else waited(saved)

            shop.shop.newest_after_others = others_save_meanwhile
            told = wil.post(
                "/builds/cairn-2/measure/reading", base=str(base), point="RM-seat", read_z="556.4", tool="tape", note="mine", sure="1"
            ).text
            self.assertIn("Saved by others since, and shown: Teo Marsh: Read right mount seat.", told)
            self.assertIn(f'name="base" value="{base + 2}"', told)
        finally:
            shop.close()
