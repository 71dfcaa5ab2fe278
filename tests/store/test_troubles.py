"""Disks that are full or closed, and files that are no database: told in words, with nothing half done."""

import contextlib
import errno
import io
import os
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from sqlalchemy import text

from elmpeg.cli import main
from elmpeg.core.base.errors import InputError
from elmpeg.demo import cairn
from elmpeg.store.accounts import Accounts
from elmpeg.store.builds import Builds
from elmpeg.store.database import Database
from elmpeg.store.photos import Photos
from elmpeg.store.revisions import Author
from elmpeg.store.troubles import disk_troubles, in_words
from tests.shop import TestShop

WIL = Author(None, "Wil Adeyemi")


def fill(database, pages=0):
    """Let the database grow no further than it is, as on a disk that is full."""
    with database.writing() as session:
        count = session.execute(text("PRAGMA page_count")).scalar()
        session.execute(text(f"PRAGMA max_page_count = {count + pages}"))


class Starting(unittest.TestCase):
    """One line in words, and what to do."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def started(self):
        err = io.StringIO()
        with mock.patch.dict(os.environ, {"ELMPEG_DATA": str(self.folder)}), contextlib.redirect_stderr(err):
            code = main(["serve", "--port", "0"])
        return code, err.getvalue()

    def refused(self, *words):
        code, said = self.started()
        self.assertEqual(code, 1)
        self.assertEqual(said.count("\n"), 1, said)
        for word in words:
            self.assertIn(word, said)

    def test_a_file_that_is_no_database(self):
        (self.folder / "elmpeg.db").write_bytes(b"a letter to somebody, not a database at all" * 100)
        self.refused("is not a database", "elmpeg restore")

    def test_a_database_of_a_newer_version(self):
        Database(self.folder / "elmpeg.db").close()
        with contextlib.closing(sqlite3.connect(self.folder / "elmpeg.db")) as connection:
            connection.execute("UPDATE alembic_version SET version_num = '9999'")
            connection.commit()
        self.refused("newer version", "start that version")

    def test_a_folder_that_cannot_be_written(self):
        with mock.patch.object(Path, "mkdir", side_effect=PermissionError(errno.EACCES, "Permission denied", str(self.folder))):
            self.refused("cannot be written", "ELMPEG_DATA")

    def test_a_full_disk(self):
        with mock.patch.object(Path, "touch", side_effect=OSError(errno.ENOSPC, "No space left on device")):
            self.refused("disk is full", "free some room")

    def test_what_is_no_matter_of_the_disk_is_not_called_one(self):
        self.assertIsNone(in_words(OSError(errno.EPIPE, "Broken pipe"), self.folder))
        with self.assertRaises(BrokenPipeError), disk_troubles(self.folder):
            raise BrokenPipeError


class Saving(unittest.TestCase):
    """A full disk in the middle of the day."""

    def test_a_save_is_refused_in_words_keeps_what_was_typed_and_goes_through_once_there_is_room(self):
        shop = TestShop()
        self.addCleanup(shop.close)
        wil = shop.browser("wil")
        before = shop.shop.builds.head("cairn-2")
        fill(shop.database)
        note = "by the hub, " + "and measured again, " * 300
        fields = {"point": "RM-seat", "read_z": "556.25", "tool": "tape", "note": note[:200], "sure": "1"}
        answers = [wil.post("/builds/cairn-2/measure/reading", **fields) for _ in range(12)]
        answer = answers[-1]
        self.assertEqual(answer.status_code, 422)
        self.assertIn("the disk is full and nothing was saved", answer.text)
        self.assertIn('value="556.25"', answer.text)
        saved = sum(a.status_code == 200 for a in answers)
        self.assertEqual(Builds(shop.database).head("cairn-2").number, before.number + saved, "what was said to be saved is, and no more")
        fill(shop.database, 1000)
        self.assertEqual(wil.post("/builds/cairn-2/measure/reading", **fields).status_code, 200)

    def test_a_photograph_that_finds_no_room_leaves_nothing_behind(self):
        with tempfile.TemporaryDirectory() as folder:
            photos = Photos(Path(folder) / "photos")
            picture = mock.Mock(id="0" * 24 + ".jpg", thumb=b"small", data=b"large")
            full = mock.Mock(side_effect=OSError(errno.ENOSPC, "No space left on device"))
            with mock.patch("tempfile.NamedTemporaryFile") as made, self.assertRaisesRegex(InputError, "disk is full"):
                path = Path(folder) / "photos" / "half"
                out = made.return_value.__enter__.return_value
                out.write, out.name = full, str(path)
                path.parent.mkdir()
                path.write_bytes(b"half of it")
                photos.keep(picture)
            self.assertEqual(list((Path(folder) / "photos").iterdir()), [])


class Filling(unittest.TestCase):
    """The demo is filled as one: killed while it fills, the next start fills it whole."""

    def test_killed_at_any_moment(self):
        with tempfile.TemporaryDirectory() as folder:
            elmpeg = Path(sys.executable).with_name("elmpeg")
            env = {**os.environ, "ELMPEG_DATA": folder}
            killed = 0
            for wait_s in (0.1, 0.35, 0.7):
                server = subprocess.Popen([elmpeg, "serve", "--demo", "--port", "8931"], env=env, stderr=subprocess.DEVNULL)
                path = Path(folder) / "demo" / "elmpeg.db"
                while not path.exists() and server.poll() is None:
                    time.sleep(0.01)
                time.sleep(wait_s)
                server.send_signal(signal.SIGKILL)
                server.wait()
                killed += 1
                database = Database(path)
                people, builds = len(Accounts(database).people()), len(Builds(database).ids())
                database.close()
                self.assertIn((people, builds), ((0, 0), (5, 4)))
            self.assertEqual(killed, 3)

    def test_one_that_fails_half_way_leaves_nothing(self):
        with tempfile.TemporaryDirectory() as folder:
            database = Database(Path(folder) / "elmpeg.db")
            builds = Builds(database)
            with self.assertRaises(ZeroDivisionError), database.writing():
                builds.add(cairn.build(), WIL, "New")
                self.assertEqual(builds.ids(), ("cairn-2",), "seen by whoever is filling")
                raise ZeroDivisionError
            self.assertEqual(builds.ids(), ())
            builds.add(cairn.build(), WIL, "New")
            self.assertEqual(builds.ids(), ("cairn-2",))
            database.close()
