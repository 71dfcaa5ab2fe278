"""One wrong byte in what is kept of one build: it is named, all others open, and it can be put right or away."""

import random
import sqlite3
import tempfile
import unittest
from contextlib import closing
from dataclasses import replace
from pathlib import Path

from elmpeg.core.base.errors import InputError
from elmpeg.store import backup
from elmpeg.store.database import Database
from elmpeg.store.revisions import Author, DamagedError
from tests.shop import ShopCase

PLACES = 60
ORLA = Author(1, "Orla Fennick", "lead")


class Damaged(ShopCase):
    def setUp(self):
        super().setUp()
        self.teo = self.shop.browser("teo")

    def change(self, name):
        head = self.builds.head("cairn-2")
        option = replace(head.build.option("low"), name=name)
        options = tuple(option if o.id == "low" else o for o in head.build.options)
        return self.builds.change("cairn-2", head.number, ORLA, f"Called it {name}", lambda b: replace(b, options=options)).head.number

    def break_byte(self, number, at=None):
        """One byte of a revision's document is another from now on; nobody remembers what it was."""
        path = self.shop.database.path
        with closing(sqlite3.connect(path)) as connection, connection:
            row = connection.execute("SELECT document FROM revision WHERE build_id = 'cairn-2' AND number = ?", (number,)).fetchone()
            changed = bytearray(row[0])
            changed[len(changed) // 2 if at is None else at % len(changed)] ^= 0x55
            connection.execute("UPDATE revision SET document = ? WHERE build_id = 'cairn-2' AND number = ?", (bytes(changed), number))
        self.builds._cache.clear()
        self.shop.shop.evaluations.clear()
        return row[0]

    def mend(self, number, document):
        with closing(sqlite3.connect(self.shop.database.path)) as connection, connection:
            connection.execute("UPDATE revision SET document = ? WHERE build_id = 'cairn-2' AND number = ?", (document, number))
        self.builds.damaged.clear()

    def test_every_page_but_its_own_answers_and_its_own_say_what_is_wrong(self):
        self.orla.get("/")
        self.break_byte(1)
        for path in ("/", "/shelf", "/api/v1/builds", "/builds/dynamo/bay", "/book", "/shop", "/reckoner", "/new"):
            with self.subTest(path):
                self.assertEqual(self.orla.get(path).status_code, 200)
        for path in ("/builds/cairn-2/bay", "/builds/cairn-2/history", "/api/v1/builds/cairn-2", "/builds/cairn-2/make/cut-list"):
            with self.subTest(path):
                answer = self.orla.get(path)
                self.assertEqual(answer.status_code, 422)
                self.assertRegex(answer.text, "[Ww]hat is kept of “cairn-2” at revision 1 cannot be read")
                self.assertNotIn("build: ", answer.text)
        listed = self.orla.get("/").text
        self.assertEqual(listed.count("cannot be read: the disk holds other than was written"), 1)
        self.assertNotIn("Being worked out", listed)
        self.assertIn("/builds/cairn-2/readable", listed)
        self.assertNotIn("/builds/cairn-2/readable", self.teo.get("/").text)

    def test_wherever_the_byte_is_it_is_this_error_or_none(self):
        """A changed byte that still makes a build is another build, which a sum over the file would show; no other trouble comes of it."""
        last = self.change("Lower")
        rng, told = random.Random(3), 0
        for _ in range(PLACES):
            number = rng.choice((1, last))
            document = self.break_byte(number, rng.randrange(1_000_000))
            try:
                self.builds.head("cairn-2")
            except DamagedError:
                told += 1
            self.mend(number, document)
        self.assertGreater(told, PLACES * 0.9)

    def test_it_goes_back_to_what_can_be_read(self):
        last = self.change("Lower")
        newest = self.change("Lowest")
        self.break_byte(newest)
        self.assertEqual(self.teo.post("/builds/cairn-2/readable").status_code, 403)
        answer = self.orla.post("/builds/cairn-2/readable")
        self.assertEqual(answer.status_code, 200)
        head = self.builds.head("cairn-2")
        self.assertEqual((head.number, head.build.option("low").name), (newest + 1, "Lower"))
        self.assertIn(f"Went back to revision {last}", self.orla.get("/builds/cairn-2/history").text)
        self.assertEqual(self.change("Lower still"), newest + 2)
        with self.assertRaisesRegex(InputError, "can be read; nothing was done"):
            self.builds.go_back_to_readable("cairn-2", ORLA)

    def test_it_can_be_removed(self):
        self.break_byte(1)
        self.orla.get("/")
        self.assertEqual(self.orla.post("/builds/cairn-2/put", where="removed", **{"from": "builds"}).status_code, 204)
        self.assertNotIn("cairn-2", self.builds.ids())
        removed = self.orla.get("/?where=removed").text
        self.assertIn("cannot be read", removed)
        # It is removed already, and is brought back before it is put right.
        self.assertNotIn("Remove it", removed)
        self.assertNotIn("/readable", removed)
        self.orla.post("/builds/cairn-2/put", where="in work", **{"from": "builds"})
        self.assertIn("/builds/cairn-2/readable", self.orla.get("/").text)
        self.orla.post("/builds/cairn-2/put", where="removed", **{"from": "builds"})
        with self.assertRaisesRegex(InputError, "no revision of .* can be read"):
            self.builds.go_back_to_readable("cairn-2", ORLA)

    def test_a_backup_says_so_and_the_older_ones_stay(self):
        self.break_byte(1)
        with tempfile.TemporaryDirectory() as folder:
            data = Path(folder)
            with closing(sqlite3.connect(self.shop.database.path)) as live, closing(sqlite3.connect(data / "elmpeg.db")) as copy:
                live.backup(copy)
            (data / "backups").mkdir()
            for day in range(1, 10):
                (data / "backups" / f"elmpeg-2026-01-{day:02}.zip").touch()
            made = backup.daily(data, "2026-01-20")
            self.assertEqual(made.unreadable, ("Cairn 2, mountain rescue ambulance (revision 1)",))
            self.assertEqual(len(backup.kept(data)), 10)


class WrittenInPart(ShopCase):
    """A database of which the disk kept only a part is never opened as if it were whole, or as a new shop, and stays as it is."""

    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.data = Path(folder.name)
        with closing(sqlite3.connect(self.shop.database.path)) as live, closing(sqlite3.connect(self.data / "whole.db")) as copy:
            live.backup(copy)
        self.whole = (self.data / "whole.db").read_bytes()
        self.path = self.data / "elmpeg.db"

    def test_cut_off_or_with_nothing_in_its_pages(self):
        rng = random.Random(11)
        for _ in range(25):
            at = rng.randrange(1, len(self.whole) - 4096)
            for left in (self.whole[:at], self.whole[:at] + bytes(len(self.whole) - at)):
                self.path.write_bytes(left)
                with self.subTest(at=at, size=len(left)):
                    with self.assertRaisesRegex(InputError, "damaged|is not a database"):
                        Database(self.path)
                    with self.assertRaisesRegex(InputError, "damaged|not a database|no database of this application"):
                        backup.back_up(self.data, self.data.parent / f"{self.data.name}.zip")
                    self.assertEqual(self.path.read_bytes(), left)

    def test_emptied(self):
        self.path.touch()
        Database(self.path).close()
        self.path.write_bytes(b"")
        (self.data / "photos").mkdir()
        (self.data / "photos" / "one.jpg").touch()
        with self.assertRaisesRegex(InputError, "is empty, though photos of a shop lie beside it"):
            Database(self.path)
        self.assertEqual(self.path.stat().st_size, 0)
        self.path.write_bytes(self.whole)
        Database(self.path).close()


if __name__ == "__main__":
    unittest.main()
