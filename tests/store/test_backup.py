"""A shop put away whole and brought back: while people work, after a clean stop, and never half."""

import io
import json
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

from elmpeg.cli import main
from elmpeg.core.base.errors import InputError
from elmpeg.store import backup
from elmpeg.store.builds import Builds
from elmpeg.store.database import Database
from elmpeg.store.folder_lock import FolderLock
from elmpeg.store.notebook import Notebook
from elmpeg.store.revisions import Author
from tests.shop import TestShop


class WithFolder(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def shop(self):
        """The demo's shop in a data folder, with a photograph beside it."""
        data = self.folder / "data"
        demo = TestShop()
        self.addCleanup(demo.close)
        data.mkdir()
        Database(demo.database.path).close()
        shutil.copy(demo.database.path, data / backup.DATABASE)
        (data / "photos").mkdir()
        (data / "photos" / ("a" * 24 + ".jpg")).write_bytes(os.urandom(4000))
        return data


class Backups(WithFolder):
    def test_what_comes_back_is_what_was_put_away(self):
        data, to, again = self.shop(), self.folder / "away" / "shop.zip", self.folder / "again"
        told = backup.back_up(data, to)
        self.assertEqual((told.builds, told.files), (4, 2))
        backup.restore(to, again)
        before, after = Database(data / backup.DATABASE), Database(again / backup.DATABASE)
        self.addCleanup(before.close)
        self.addCleanup(after.close)
        for build_id in Builds(before).ids():
            self.assertEqual(Builds(after).head(build_id).build, Builds(before).head(build_id).build)
        self.assertEqual(Notebook(after).all(), Notebook(before).all())
        self.assertEqual(*((d / "photos" / ("a" * 24 + ".jpg")).read_bytes() for d in (data, again)))

    def test_while_somebody_saves_it_holds_one_moment(self):
        data = self.shop()
        database = Database(data / backup.DATABASE)
        self.addCleanup(database.close)
        builds, stop, saved = Builds(database), threading.Event(), []

        def saving():
            while not stop.is_set():
                head = builds.head("dynamo")
                builds.change("dynamo", head.number, Author(None, "Teo Marsh"), "x", lambda b: replace(b, vehicle=f"lorry {len(saved)}"))
                saved.append(len(saved))

        worker = threading.Thread(target=saving)
        worker.start()
        try:
            for k in range(5):
                at_least = len(saved)
                backup.back_up(data, self.folder / f"{k}.zip")
                backup.restore(self.folder / f"{k}.zip", self.folder / f"r{k}")
                copy = Database(self.folder / f"r{k}" / backup.DATABASE)
                self.assertGreaterEqual(int(Builds(copy).head("dynamo").build.vehicle.split()[-1] or 0) + 1 if at_least else 0, at_least)
                copy.close()
        finally:
            stop.set()
            worker.join()
        self.assertGreater(len(saved), 5)

    def test_a_damaged_or_foreign_file_is_refused_and_nothing_is_put_down(self):
        data, to = self.shop(), self.folder / "shop.zip"
        backup.back_up(data, to)
        whole = to.read_bytes()
        spoiled = bytearray(whole)
        spoiled[len(spoiled) // 2] ^= 0xFF
        listed = self.rezipped(whole, lambda files: files.update({"../outside": b"x"}))
        more = self.rezipped(whole, lambda files: files.update({"photos/" + "b" * 24 + ".jpg": b"x"}))
        for k, content in enumerate((b"", b"no zip", bytes(spoiled), whole[:-50], listed, more)):
            to.write_bytes(content)
            with self.subTest(k), self.assertRaises(InputError):
                backup.restore(to, self.folder / f"into{k}")
            self.assertFalse((self.folder / f"into{k}" / backup.DATABASE).exists())
        self.assertFalse((self.folder / "outside").exists())

    @staticmethod
    def rezipped(whole, change):
        with zipfile.ZipFile(io.BytesIO(whole)) as packed:
            files = {name: packed.read(name) for name in packed.namelist()}
        change(files)
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as packed:
            for name, content in files.items():
                packed.writestr(name, content)
        return out.getvalue()

    def test_a_shop_is_never_written_over(self):
        data, to = self.shop(), self.folder / "shop.zip"
        backup.back_up(data, to)
        with self.assertRaisesRegex(InputError, "holds a shop already"):
            backup.restore(to, data)

    def test_one_a_day_and_the_last_seven(self):
        data = self.shop()
        for day in range(1, 11):
            self.assertIsNotNone(backup.daily(data, f"2026-03-{day:02}"))
        self.assertIsNone(backup.daily(data, "2026-03-10"))
        self.assertEqual([p.stem for p in backup.kept(data)], [f"elmpeg-2026-03-{d:02}" for d in range(10, 3, -1)])
        self.assertEqual(backup.opened(backup.kept(data)[0]).builds, 4)

    def test_no_half_backup_lies_about_when_it_fails(self):
        data, to = self.shop(), self.folder / "away" / "shop.zip"
        with mock.patch.object(backup, "opened", side_effect=InputError("file", "spoiled")), self.assertRaises(InputError):
            backup.back_up(data, to)
        self.assertEqual(list((self.folder / "away").iterdir()), [])

    def test_by_the_command(self):
        data, to = self.shop(), self.folder / "shop.zip"
        with mock.patch.dict(os.environ, {"ELMPEG_DATA": str(data)}), mock.patch("sys.stdout", io.StringIO()) as out:
            self.assertEqual(main(["backup", str(to)]), 0)
        self.assertIn("4 builds", out.getvalue())
        again = self.folder / "again"
        with mock.patch.dict(os.environ, {"ELMPEG_DATA": str(again)}), mock.patch("sys.stdout", io.StringIO()):
            self.assertEqual(main(["restore", str(to)]), 0)
            with mock.patch("sys.stderr", io.StringIO()) as told:
                self.assertEqual(main(["restore", str(to)]), 2)
        self.assertIn("holds a shop already", told.getvalue())


class Stopping(WithFolder):
    def test_after_a_clean_stop_the_one_file_holds_everything(self):
        path = self.folder / "elmpeg.db"
        database = Database(path)
        with database.writing() as session:
            session.connection().exec_driver_sql("CREATE TABLE told (x TEXT)")
            session.connection().exec_driver_sql("INSERT INTO told VALUES ('kept')")
        database.close()
        alone = self.folder / "alone.db"
        shutil.copy(path, alone)
        copy = Database(alone)
        self.addCleanup(copy.close)
        with copy.reading() as session:
            self.assertEqual(session.connection().exec_driver_sql("SELECT x FROM told").scalar(), "kept")


class Locks(WithFolder):
    def test_a_second_server_is_refused_in_words_and_a_fresh_demo_deletes_nothing(self):
        folder = self.folder / "demo"
        lock = FolderLock(folder)
        (folder / "elmpeg.db").write_bytes(b"a running demo's")
        tried = subprocess.run(
            [sys.executable, "-c", "from elmpeg.cli import main; raise SystemExit(main(['serve', '--demo', '--fresh']))"],
            env={**os.environ, "ELMPEG_DATA": str(self.folder)}, capture_output=True, text=True, timeout=60, check=False,
        )  # fmt: skip
        self.assertEqual(tried.returncode, 1)
        self.assertIn(f"is in use by process {os.getpid()}", tried.stderr)
        self.assertEqual((folder / "elmpeg.db").read_bytes(), b"a running demo's")
        lock.let_go()
        FolderLock(folder).let_go()

    def test_the_manifest_says_what_it_is(self):
        data, to = self.shop_data(), self.folder / "shop.zip"
        backup.back_up(data, to)
        with zipfile.ZipFile(to) as packed:
            manifest = json.loads(packed.read(backup.MANIFEST))
        self.assertEqual(manifest["format"], backup.FORMAT)
        self.assertEqual(set(manifest["files"]), {backup.DATABASE})

    def shop_data(self):
        data = self.folder / "data"
        Database(data / backup.DATABASE).close()
        return data
