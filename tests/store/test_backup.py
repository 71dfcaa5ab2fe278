"""A shop put away whole and brought back: while people work, after a clean stop, and never half."""

import gzip
import io
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
import unittest
import zipfile
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from unittest import mock

from elmpeg.cli import main
from elmpeg.core.base.errors import InputError
from elmpeg.store import backup, restore
from elmpeg.store.builds import Builds
from elmpeg.store.database import Database
from elmpeg.store.folder_lock import FolderLock
from elmpeg.store.notebook import Notebook
from elmpeg.store.revisions import Author
from elmpeg.store.whole_files import PIECE
from tests.shop import TestShop


class CutOff(BaseException):
    """The process ends here."""


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
        restore.restore(to, again)
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
                restore.restore(self.folder / f"{k}.zip", self.folder / f"r{k}")
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
                restore.restore(to, self.folder / f"into{k}")
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

    def test_the_shop_that_was_there_goes_aside_whole_with_its_log(self):
        data, to = self.shop(), self.folder / "shop.zip"
        backup.back_up(data, to)
        # Somebody's last words are still in the log, as after a power cut.
        (data / "elmpeg.db-wal").write_bytes(b"the last words")
        (data / "photos" / ("c" * 24 + ".jpg")).write_bytes(b"newer")
        told = restore.restore(to, data)
        self.assertEqual((told.old / "elmpeg.db-wal").read_bytes(), b"the last words")
        self.assertEqual(len(list((told.old / "photos").iterdir())), 2)
        self.assertFalse((data / "elmpeg.db-wal").exists())
        self.assertEqual(len(list((data / "photos").iterdir())), 1)
        again = Database(data / backup.DATABASE)
        self.addCleanup(again.close)
        self.assertEqual(len(Builds(again).ids()), 4)
        self.assertEqual({p.name for p in data.iterdir()} & {restore.NOTE}, set())
        self.assertEqual([p for p in data.iterdir() if p.name.startswith(backup.ASIDE)], [])

    def test_cut_off_at_any_step_it_is_finished_by_whoever_comes_next(self):
        shop, to = self.shop(), self.folder / "shop.zip"
        backup.back_up(shop, to)
        steps = 0
        for cut in range(200):
            data = self.folder / f"into{cut}"
            (data / "photos").mkdir(parents=True)
            (data / "photos" / ("c" * 24 + ".jpg")).write_bytes(b"old picture")
            for name in ("elmpeg.db", "elmpeg.db-wal", "elmpeg.db-shm"):
                (data / name).write_bytes(b"old " + name.encode())
            with self.subTest(cut=cut):
                done = self.cut_off(lambda d=data: restore.restore(to, d), cut)
                begun = restore.under_way(data)
                if begun:
                    with self.assertRaisesRegex(InputError, "was cut off"):
                        restore.require_whole(data)
                # Cut off once more, at the first step of finishing it.
                self.cut_off(lambda d=data: restore.finish(d), 0)
                restore.finish(data)
                old = next((p for p in data.iterdir() if p.name.startswith(restore.OLD_AS)), None)
                self.assertFalse((done or begun) and old is None)
                if old is not None:
                    self.assertEqual({p.name for p in old.iterdir()}, {"elmpeg.db", "elmpeg.db-wal", "elmpeg.db-shm", "photos"})
                    self.assertEqual((old / "elmpeg.db-wal").read_bytes(), b"old elmpeg.db-wal")
                    self.assertEqual((data / backup.DATABASE).read_bytes()[:6], b"SQLite")
                    self.assertEqual([p.name for p in (data / "photos").iterdir()], ["a" * 24 + ".jpg"])
                    self.assertFalse((data / "elmpeg.db-wal").exists())
                else:
                    self.assertEqual((data / backup.DATABASE).read_bytes(), b"old elmpeg.db")
                    self.assertEqual((data / "elmpeg.db-wal").read_bytes(), b"old elmpeg.db-wal")
                backup.sweep(data)
                self.assertEqual([p for p in data.iterdir() if p.name.startswith(backup.ASIDE)], [])
            steps += 1
            if done:
                break
        self.assertTrue(done)
        self.assertGreater(steps, 12)

    def cut_off(self, act, after):
        """Do something and be killed after so many of its steps on the disk; whether it came to its end."""
        left = [after]

        def stepping(plain):
            def step(*arguments, **more):
                if left[0] == 0:
                    raise CutOff
                left[0] -= 1
                return plain(*arguments, **more)

            return step

        with (
            mock.patch.object(restore.os, "replace", stepping(os.replace)),
            mock.patch.object(restore.os, "fsync", stepping(os.fsync)),
            mock.patch.object(Path, "unlink", stepping(Path.unlink)),
            mock.patch.object(restore.shutil, "rmtree", stepping(shutil.rmtree)),
        ):
            try:
                act()
            except CutOff:
                return False
            return True

    def test_a_backup_stands_where_nothing_was_and_outside_the_shop(self):
        data = self.shop()
        (self.folder / "there").write_bytes(b"somebody's")
        (self.folder / "door").symlink_to(data)
        for to, words in (
            (self.folder / "there", "is there already"),
            (data / backup.DATABASE, "is there already"),
            (data / "photos" / "shop.zip", "the shop's own folder"),
            (self.folder / "door" / "shop.zip", "the shop's own folder"),
        ):
            with (
                self.subTest(str(to)),
                mock.patch.dict(os.environ, {"ELMPEG_DATA": str(data)}),
                mock.patch("sys.stderr", io.StringIO()) as told,
            ):
                before = (data / backup.DATABASE).read_bytes()
                self.assertEqual(main(["backup", str(to)]), 2)
                self.assertIn(words, told.getvalue())
                self.assertEqual((data / backup.DATABASE).read_bytes(), before)
        self.assertEqual((self.folder / "there").read_bytes(), b"somebody's")

    def test_nobody_else_of_the_machine_reads_it(self):
        data, to, again = self.shop(), self.folder / "new" / "shop.zip", self.folder / "again"
        backup.back_up(data, to)
        restore.restore(to, again)
        for path, mode in ((to, 0o600), (to.parent, 0o700), (again, 0o700), (again / backup.DATABASE, 0o600), (again / "photos", 0o700)):
            with self.subTest(str(path)):
                self.assertEqual(path.stat().st_mode & 0o777, mode)

    def test_what_killed_backups_and_uploads_left_is_swept(self):
        data = self.shop()
        (data / "backups" / f"{backup.ASIDE}x").mkdir(parents=True)
        (data / f"{backup.ASIDE}y").mkdir()
        (data / f"{backup.ASIDE}y" / "elmpeg.db").write_bytes(b"half")
        (data / "photos" / f"{PIECE}z").write_bytes(b"half a picture")
        backup.sweep(data)
        self.assertEqual({p.name for p in data.rglob("*")}, {"elmpeg.db", "backups", "photos", "a" * 24 + ".jpg"})

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
            with mock.patch("sys.stdout", io.StringIO()) as told:
                self.assertEqual(main(["restore", str(to)]), 0)
        self.assertIn("The shop that was here lies in", told.getvalue())


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

    def test_a_copy_is_kept_before_every_upgrade_and_none_without_one(self):
        for old in sorted((Path(__file__).parents[1] / "fixtures").glob("shop-*.db.gz")):
            path = self.folder / old.stem / "elmpeg.db"
            path.parent.mkdir()
            path.write_bytes(gzip.decompress(old.read_bytes()))
            with closing(sqlite3.connect(path)) as before:
                stood = before.execute("SELECT version_num FROM alembic_version").fetchone()[0]
                builds = before.execute("SELECT count(*) FROM build").fetchone()
            for _ in range(2):
                Database(path).close()
            with self.subTest(old.name), closing(sqlite3.connect(path)) as after:
                newest = after.execute("SELECT version_num FROM alembic_version").fetchone()[0]
                copies = list((path.parent / "backups").glob("*"))
                self.assertEqual(len(copies), 0 if stood == newest else 1)
                for copy in copies:
                    self.assertEqual(copy.stat().st_mode & 0o777, 0o600)
                    with closing(sqlite3.connect(copy)) as kept:
                        self.assertEqual(kept.execute("SELECT version_num FROM alembic_version").fetchone()[0], stood)
                        self.assertEqual(kept.execute("SELECT count(*) FROM build").fetchone(), builds)
                        self.assertEqual(kept.execute("PRAGMA integrity_check").fetchone(), ("ok",))

    def test_a_log_without_its_database_is_not_read_into_a_new_one(self):
        path = self.folder / "elmpeg.db"
        path.with_name("elmpeg.db-wal").write_bytes(b"somebody's last words")
        for empty in (False, True):
            if empty:
                path.touch()
            with self.subTest(empty=empty), self.assertRaisesRegex(InputError, "lies there without its database"):
                Database(path)
        self.assertEqual(path.with_name("elmpeg.db-wal").read_bytes(), b"somebody's last words")


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
