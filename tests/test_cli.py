"""The command line as a person or a script uses it: adding people, serving, choosing a port, keeping what was changed."""

import contextlib
import io
import json
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import unittest
import urllib.request
from pathlib import Path
from unittest import mock

from elmpeg.cli import main
from elmpeg.core.stages.place import position_edits
from elmpeg.store.accounts import Accounts
from elmpeg.store.builds import Builds
from elmpeg.store.database import Database
from elmpeg.store.revisions import Author

ELMPEG = Path(sys.executable).with_name("elmpeg")


class WithFolder(unittest.TestCase):
    """A data folder of its own."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class People(WithFolder):
    """The first lead comes from the command line."""

    def add(self, *arguments, password="ten letters!"):
        out, err = io.StringIO(), io.StringIO()
        with (
            mock.patch.dict(os.environ, {"ELMPEG_DATA": str(self.folder), "ELMPEG_PASSWORD": password}),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(err),
        ):
            code = main(["user", "add", *arguments])
        return code, out.getvalue() + err.getvalue()

    def test_added_and_able_to_sign_in(self):
        code, said = self.add("orla", "--name", "Orla Fennick")
        self.assertEqual(code, 0)
        self.assertIn("can now sign in as orla (lead)", said)
        accounts = Accounts(Database(self.folder / "elmpeg.db"))
        self.assertEqual(accounts.session(accounts.sign_in("orla", "ten letters!", "here")).person.role, "lead")

    def test_refusals_are_words_and_a_code(self):
        self.add("orla", "--name", "Orla Fennick")
        for arguments, password, words in (
            (("orla", "--name", "Again"), "ten letters!", "taken"),
            (("teo", "--name", "Teo"), "short", "at least 10"),
        ):
            code, said = self.add(*arguments, password=password)
            with self.subTest(words):
                self.assertEqual(code, 2)
                self.assertIn(words, said)
                self.assertNotIn("Traceback", said)

    def test_schema_is_printed(self):
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["schema"]), 0)
        self.assertEqual(json.loads(out.getvalue())["title"], "Elm Peg build file")


class Serving(WithFolder):
    """Starting, stopping and starting again."""

    def serve(self, *arguments, folder="", demo=True):
        process = subprocess.Popen(
            [str(ELMPEG), "serve", *(("--demo",) if demo else ()), *arguments],
            env={**os.environ, "ELMPEG_DATA": str(self.folder / folder), "PYTHONUNBUFFERED": "1"},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        self.addCleanup(process.stdout.close)
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        return process

    def address(self, process):
        line = process.stdout.readline()
        found = re.search(r"http://\S+", line)
        self.assertTrue(found, line)
        return found[0]

    def stop(self, process, by=signal.SIGTERM):
        """Stopped by a signal; then its one file alone is the whole shop."""
        process.send_signal(by)
        self.assertEqual(process.wait(60), 0)
        path = self.folder / "demo" / "elmpeg.db"
        log = path.with_name("elmpeg.db-wal")
        self.assertFalse(log.exists() and log.stat().st_size)
        alone = self.folder / "alone.db"
        shutil.copy(path, alone)
        database = Database(alone)
        self.addCleanup(database.close)
        return Builds(database)

    def test_says_where_it_answers_keeps_changes_and_starts_over_when_asked(self):
        process = self.serve()
        address = self.address(process)
        with urllib.request.urlopen(f"{address}/healthz") as answer:
            self.assertEqual(json.load(answer)["status"], "ok")
        self.assertEqual(len(self.stop(process).ids()), 4)
        path = self.folder / "demo" / "elmpeg.db"
        builds = Builds(Database(path))
        builds.change("cairn-2", 1, Author(None, "Teo Marsh"), "Up", lambda b: position_edits.nudged(b, "low", "engine", "z", 1.0))
        process = self.serve()
        self.address(process)
        self.assertEqual(Builds(Database(path)).head("cairn-2").number, 2)
        self.assertEqual(self.stop(process, signal.SIGHUP).head("cairn-2").number, 2)
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            refused = self.serve("--fresh", "--port", str(taken.getsockname()[1]))
            self.assertEqual(refused.wait(90), 1)
        self.assertEqual(Builds(Database(path)).head("cairn-2").number, 2, "the port is looked at first")
        process = self.serve("--fresh")
        self.address(process)
        self.assertEqual(Builds(Database(path)).head("cairn-2").number, 1)
        self.backed_up_while_it_runs_and_restored_after_it_was_killed(process, path)

    def backed_up_while_it_runs_and_restored_after_it_was_killed(self, process, path):
        """Each by a process of its own, as somebody at a console does it; what was written last is still in the log."""
        to = self.folder / "away" / "shop.zip"
        self.assertIn("4 builds", self.told("backup", str(to), data=path.parent))
        database = Database(path)
        self.addCleanup(database.close)
        Builds(database).change(
            "cairn-2", 1, Author(None, "Teo Marsh"), "Up", lambda b: position_edits.nudged(b, "low", "engine", "z", 1.0)
        )
        self.assertIn("in use by process", self.told("restore", str(to), data=path.parent, code=2))
        process.kill()
        process.wait()
        self.assertIn("The shop that was here lies in", self.told("restore", str(to), data=path.parent))
        (old,) = path.parent.glob("before-restore-*")
        for folder, number in ((path.parent, 1), (old, 2)):
            opened = Database(folder / "elmpeg.db")
            self.addCleanup(opened.close)
            with self.subTest(folder.name):
                self.assertEqual(Builds(opened).head("cairn-2").number, number)

    def told(self, *arguments, data, code=0):
        done = subprocess.run(
            [str(ELMPEG), *arguments], env={**os.environ, "ELMPEG_DATA": str(data)}, capture_output=True, text=True, check=False
        )
        self.assertEqual(done.returncode, code, done.stderr)
        return done.stdout + done.stderr

    def test_a_port_that_is_asked_for_and_taken_is_refused_and_otherwise_another_is_found(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            process = self.serve("--port", str(port), demo=False)
            self.assertEqual(process.wait(90), 1)
            self.assertIn(f"port {port} is in use", process.stdout.read())
        first = self.serve(demo=False)
        one = self.address(first)
        self.assertNotEqual(one, self.address(self.serve(folder="another", demo=False)))
        second = self.serve(demo=False)
        self.assertEqual(second.wait(90), 1)
        self.assertIn(f"is in use by process {first.pid}", second.stdout.read())
