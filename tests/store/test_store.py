"""The store: every change kept, none lost, whoever saves when and however the server ends."""

import copy
import multiprocessing
import os
import random
import re
import signal
import sqlite3
import tempfile
import threading
import time
import unittest
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import event, select, text
from sqlalchemy.exc import IntegrityError

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.drivelines import LengthReading
from elmpeg.core.build.mounts import StackPiece
from elmpeg.core.stages.drive import order_edits
from elmpeg.core.stages.mount import stack_edits
from elmpeg.core.stages.place import option_edits, position_edits
from elmpeg.demo import bookworm, cairn
from elmpeg.formats.build_file import to_plain
from elmpeg.store.accounts import Accounts, TooManyTries
from elmpeg.store.builds import Builds, Conflict
from elmpeg.store.database import Database
from elmpeg.store.merge import ORDER, merged, only_adds, ordered_lists
from elmpeg.store.revisions import Author
from elmpeg.store.tables import Base, FailedSignIn, SignedIn
from tests.shop import QUICK

TEO, WIL = Author(None, "Teo Marsh"), Author(None, "Wil Adeyemi")
CAIRN = cairn.build()


def nudge(freedom, amount, option="low"):
    return lambda b: position_edits.nudged(b, option, "engine", freedom, amount)


def pose(head):
    return next(p.pose for p in head.build.option("low").positions if p.component == "engine")


class WithDatabase(unittest.TestCase):
    """A database of its own for each test."""

    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.path = Path(self.folder.name) / "elmpeg.db"
        self.database = Database(self.path)
        self.addCleanup(self.database.close)
        self.builds = Builds(self.database)
        self.builds.add(CAIRN, TEO, "Brought in")


class Revisions(WithDatabase):
    """Who, when, what in words, and the document before and after."""

    def test_a_change_is_kept_with_its_words_and_both_documents(self):
        saved = self.builds.change("cairn-2", 1, WIL, "Up 1 mm", nudge("z", 1.0))
        step = self.builds.history("cairn-2")[0]
        self.assertEqual((step.number, step.person, step.words), (2, "Wil Adeyemi", "Up 1 mm"))
        self.assertEqual(self.builds.at("cairn-2", 1), CAIRN)
        self.assertEqual(self.builds.at("cairn-2", 2), saved.head.build)
        self.assertAlmostEqual(pose(saved.head).z_mm, cairn.LOW.z_mm + 1)

    def test_what_is_read_back_is_what_was_saved(self):
        saved = self.builds.change("cairn-2", 1, WIL, "Up", nudge("z", 0.1))
        self.assertEqual(Builds(Database(self.path)).head("cairn-2").build, saved.head.build)

    def test_an_edit_that_changes_nothing_leaves_no_revision(self):
        self.assertEqual(self.builds.change("cairn-2", 1, WIL, "Nothing", lambda b: b).head.number, 1)

    def test_a_refused_edit_leaves_no_trace(self):
        with self.assertRaises(InputError):
            self.builds.change("cairn-2", 1, WIL, "Agreed one", nudge("z", 1, "lifted"))
        with self.assertRaises(InputError):
            self.builds.change("cairn-2", 1, WIL, "Nonsense", lambda b: replace(b, agreed="nobody"))
        self.assertEqual(self.builds.head("cairn-2").number, 1)

    def test_a_build_brought_in_twice_gets_an_id_of_its_own(self):
        self.assertEqual(self.builds.add(CAIRN, TEO, "Again").build.id, "cairn-2-2")
        with self.assertRaises(MissingError):
            self.builds.head("nobody")


class UndoRedo(WithDatabase):
    """Back and forth through the build's history."""

    def test_a_walk(self):
        for amount in (1, 2, 3):
            self.builds.change("cairn-2", amount, TEO, f"Up {amount}", nudge("z", amount))
        heights = []
        for step, seen in (
            (self.builds.undo, 4),
            (self.builds.undo, 5),
            (self.builds.redo, 6),
            (self.builds.undo, 7),
            (self.builds.undo, 8),
        ):
            heights.append(pose(step("cairn-2", seen, WIL).head).z_mm - cairn.LOW.z_mm)
        self.assertEqual(heights, [3, 1, 3, 1, 0])
        with self.assertRaises(InputError):
            self.builds.undo("cairn-2", 9, WIL)
        self.assertEqual(self.builds.undo_state("cairn-2").redo.words, "Up 1")

    def test_a_new_change_after_an_undo_ends_the_redo(self):
        self.builds.change("cairn-2", 1, TEO, "Up", nudge("z", 1))
        self.builds.undo("cairn-2", 2, TEO)
        self.builds.change("cairn-2", 3, TEO, "Back", nudge("x", 1))
        self.assertIsNone(self.builds.undo_state("cairn-2").redo)
        with self.assertRaises(InputError):
            self.builds.redo("cairn-2", 4, TEO)

    def test_after_a_long_history_the_newest_changes_can_still_be_taken_back(self):
        for k in range(1, 10):
            self.builds.change("cairn-2", k, TEO, f"Up {k}", nudge("z", 1))
        for seen in range(10, 19):
            self.builds.undo("cairn-2", seen, TEO)
        self.assertEqual(self.builds.head("cairn-2").build, CAIRN)
        self.assertIsNone(self.builds.undo_state("cairn-2").undo)
        for seen in range(19, 28):
            self.builds.redo("cairn-2", seen, TEO)
        self.assertAlmostEqual(pose(self.builds.head("cairn-2")).z_mm, cairn.LOW.z_mm + 9)
        self.assertIsNone(self.builds.undo_state("cairn-2").redo)

    def test_any_walk_is_the_walk_of_two_plain_stacks(self):
        draw = random.Random(3)
        done, undone, builds = [], [], {1: CAIRN}
        for number in range(1, 60):
            act = draw.choice(("change", "undo", "undo", "redo"))
            state = self.builds.undo_state("cairn-2")
            self.assertEqual(
                (state.undo and state.undo.words, state.redo and state.redo.words),
                (done[-1][0] if done else None, undone[-1][0] if undone else None),
            )
            if act == "change":
                words, before = f"Up {number}", builds[number]
                builds[number + 1] = self.builds.change("cairn-2", number, TEO, words, nudge("z", 0.5)).head.build
                done.append((words, before, builds[number + 1]))
                undone.clear()
            elif act == "undo" and done:
                undone.append(done.pop())
                builds[number + 1] = self.builds.undo("cairn-2", number, TEO).head.build
                self.assertEqual(builds[number + 1], undone[-1][1])
            elif act == "redo" and undone:
                done.append(undone.pop())
                builds[number + 1] = self.builds.redo("cairn-2", number, TEO).head.build
                self.assertEqual(builds[number + 1], done[-1][2])
            else:
                with self.assertRaises(InputError):
                    (self.builds.undo if act == "undo" else self.builds.redo)("cairn-2", number, TEO)
                builds[number + 1] = self.builds.change("cairn-2", number, TEO, f"Over {number}", nudge("y", 0.5)).head.build
                done.append((f"Over {number}", builds[number], builds[number + 1]))
                undone.clear()

    def test_what_undo_would_do_is_read_from_a_handful_of_rows(self):
        for k in range(1, 40):
            self.builds.change("cairn-2", k, TEO, f"Up {k}", nudge("z", 0.1))
        with self.database.reading() as session:
            asked = []
            event.listen(session.bind, "before_cursor_execute", lambda *a: asked.append(a[2]))
            self.builds.undo_state("cairn-2")
        self.assertLessEqual(len([s for s in asked if "FROM revision" in s]), 6)

    def test_nobody_undoes_what_they_have_not_seen(self):
        self.builds.change("cairn-2", 1, TEO, "Up", nudge("z", 1))
        with self.assertRaises(Conflict):
            self.builds.undo("cairn-2", 1, WIL)


class TwoPeople(WithDatabase):
    """No update is lost."""

    def test_different_things_are_both_kept(self):
        self.builds.change("cairn-2", 1, TEO, "Up", nudge("z", 1))
        pieces = (StackPiece("plate-4", "Plate 4 mm", 4.0, 3),)
        saved = self.builds.change("cairn-2", 1, WIL, "Filled", lambda b: stack_edits.with_stack(b, "low", "GM", pieces))
        self.assertEqual(saved.brought_in, ("Teo Marsh: Up",))
        self.assertAlmostEqual(pose(saved.head).z_mm, cairn.LOW.z_mm + 1)
        self.assertEqual(saved.head.build.option("low").stacks[-1].pieces, pieces)

    def test_the_same_thing_is_shown_and_nothing_saved(self):
        self.builds.change("cairn-2", 1, TEO, "Up 1", nudge("z", 1))
        with self.assertRaises(Conflict) as conflict:
            self.builds.change("cairn-2", 1, WIL, "Up 2", nudge("z", 2))
        clash = conflict.exception.clashes[0]
        self.assertEqual(clash.path[-1], "z_mm")
        self.assertEqual((clash.mine - clash.before, clash.theirs - clash.before), (2, 1))
        self.assertEqual(self.builds.head("cairn-2").number, 2)

    def test_two_who_each_add_a_reading_at_once_both_have_theirs(self):
        def taped(person, value):
            reading = LengthReading("", "rear", "J1", "J2", f"{value}", value, "tape", person, "2026-11-20T09:00:00", "ride")
            return lambda b: order_edits.with_length(b, reading)

        before = self.builds.head("cairn-2").build.lengths
        self.builds.change("cairn-2", 1, TEO, "Taped", taped("Teo Marsh", 1319.0))
        saved = self.builds.change("cairn-2", 1, WIL, "Taped", taped("Wil Adeyemi", 1320.0))
        added = saved.head.build.lengths[len(before) :]
        self.assertEqual([(r.person, r.value_mm) for r in added], [("Teo Marsh", 1319.0), ("Wil Adeyemi", 1320.0)])
        self.assertEqual(len({r.id for r in saved.head.build.lengths}), len(saved.head.build.lengths))
        self.assertEqual(saved.brought_in, ("Teo Marsh: Taped",))

    def test_two_who_fill_one_gap_are_still_asked(self):
        def filled(*pieces):
            return lambda b: stack_edits.with_stack(b, "low", "GM", pieces)

        plate, thin = StackPiece("plate-4", "Plate 4 mm", 4.0, 1), StackPiece("plate-2", "Plate 2 mm", 2.0, 1)
        self.builds.change("cairn-2", 1, TEO, "Filled", filled(plate))
        for pieces in ((replace(plate, count=3),), (plate, thin)):
            with self.subTest(pieces), self.assertRaises(Conflict):
                self.builds.change("cairn-2", 1, WIL, "Filled", filled(*pieces))

    def test_two_changes_that_make_no_sense_together_are_refused(self):
        self.builds.change("cairn-2", 1, TEO, "Gone", lambda b: replace(b, options=b.options[1:]))
        with self.assertRaises((Conflict, InputError)):
            self.builds.change("cairn-2", 1, WIL, "Agreed", lambda b: option_edits.with_agreed(b, "low"))
        self.assertEqual(self.builds.head("cairn-2").number, 2)

    def test_many_at_once_lose_nothing(self):
        """Eight people add an option each to the same revision at the same moment."""
        failures = []

        def add(k):
            try:
                Builds(self.database).change("cairn-2", 1, TEO, f"Added {k}", lambda b: option_edits.with_duplicate(b, "low", f"Try {k}"))
            except Exception as error:
                failures.append(error)

        threads = [threading.Thread(target=add, args=(k,)) for k in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(failures, [])
        head = self.builds.head("cairn-2")
        self.assertEqual({o.name for o in head.build.options}, {"Low and level", "Tail lifted", *(f"Try {k}" for k in range(8))})
        self.assertEqual(head.number, 9)


def lists_in(value, path=()):
    """Every list of a plain document with the way to it."""
    if isinstance(value, list):
        yield path, value
    for key, inner in value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ():
        yield from lists_in(inner, (*path, key))


def at(value, path):
    for key in path:
        value = value[key]
    return value


class Merging(unittest.TestCase):
    """The merge itself."""

    documents = st.recursive(
        st.integers(0, 3),
        lambda inner: st.dictionaries(st.sampled_from("abc"), inner, max_size=3) | st.lists(inner, max_size=2),
        max_leaves=8,
    )

    @given(documents, documents)
    def test_a_side_that_changed_nothing_yields(self, before, changed):
        self.assertEqual((merged(before, changed, before).value, merged(before, before, changed).value), (changed, changed))
        self.assertEqual(merged(before, changed, changed).clashes, [])

    @given(documents, documents, documents)
    def test_without_a_clash_both_changes_are_there_and_the_order_of_saving_does_not_matter(self, before, mine, theirs):
        one, other = merged(before, mine, theirs), merged(before, theirs, mine)
        self.assertEqual(bool(one.clashes), bool(other.clashes))
        if not one.clashes:
            self.assertEqual(one.value, other.value)

    def test_lists_are_matched_by_id(self):
        before = {"options": [{"id": "a", "n": 1}, {"id": "b", "n": 1}]}
        mine = {"options": [{"id": "a", "n": 2}, {"id": "b", "n": 1}, {"id": "c", "n": 9}]}
        theirs = {"options": [{"id": "b", "n": 3}, {"id": "a", "n": 1}]}
        self.assertEqual(merged(before, mine, theirs).value, {"options": [{"id": "b", "n": 3}, {"id": "a", "n": 2}, {"id": "c", "n": 9}]})

    @given(documents, documents)
    def test_what_only_adds_leaves_all_that_was_there(self, before, more):
        had = {"a": [{"id": "x", "v": before}], "b": 1}
        self.assertTrue(only_adds(had, {"a": [{"id": "x", "v": before}, {"id": "y", "v": more}], "b": 1}))
        self.assertEqual(only_adds(had, {"a": [{"id": "x", "v": more}], "b": 1}), only_adds(before, more))
        self.assertFalse(only_adds(had, {"a": [{"id": "y", "v": before}], "b": 1}))
        self.assertFalse(only_adds(had, {"a": had["a"], "b": 2}))

    def test_two_things_of_one_list_are_changed_by_two_people_wherever_it_stands(self):
        """Of every list of a build whose things have ids, one thing is changed here and another there, and one is added on either side.

        Two that are put in at one place of a list with an order are asked about."""
        seen = set()
        for build in (cairn.build(), bookworm.build()):
            before = to_plain(build)
            for path, entries in lists_in(before):
                if len(entries) < 2 or not all(isinstance(e, dict) and "id" in e for e in entries):
                    continue
                for change in (lambda one, k: one[k].update(changed="here"), lambda one, k: one.append({"id": f"new {k}"})):
                    mine, theirs = copy.deepcopy(before), copy.deepcopy(before)
                    change(at(mine, path), 0)
                    change(at(theirs, path), 1)
                    found = merged(before, mine, theirs)
                    with self.subTest(build.id, path=path):
                        if (path[0], path[-1]) in ordered_lists() and len(at(mine, path)) > len(entries):
                            self.assertEqual([c.path[-1] for c in found.clashes], [ORDER])
                            continue
                        self.assertEqual(found.clashes, [])
                        self.assertEqual(sum(e.get("changed") == "here" or e["id"].startswith("new ") for e in at(found.value, path)), 2)
                seen.add(path[-1])
        self.assertLessEqual({"pieces", "points", "mounts", "solids", "own_holes", "nodes", "members", "readings"}, seen)

    def test_half_of_one_stack_and_half_of_another_fill_no_gap(self):
        def stack(*counts):
            pieces = [{"stock": f"plate-{k}", "count": c} for k, c in enumerate(counts)]
            return {"options": [{"id": "low", "stacks": [{"mount": "GM", "pieces": pieces}]}]}

        found = merged(stack(1, 1), stack(2, 1), stack(1, 2))
        self.assertEqual([c.path[-1] for c in found.clashes], ["pieces"])
        self.assertFalse(only_adds(stack(1), stack(1, 1)))

    def test_deleting_what_somebody_changed_is_a_clash(self):
        outcome = merged([{"id": "a", "n": 1}], [], [{"id": "a", "n": 2}])
        self.assertEqual([c.path for c in outcome.clashes], [("a",)])
        self.assertEqual(merged([{"id": "a", "n": 1}], [], [{"id": "a", "n": 1}]).value, [])


def _save_for_ever(path):
    builds = Builds(Database(Path(path)))
    number = builds.head("cairn-2").number
    while True:
        number = builds.change("cairn-2", number, TEO, f"Change after {number}", nudge("z", 0.5)).head.number


class Ending(WithDatabase):
    """A server killed in the middle of saves leaves a whole build behind."""

    def test_killed_while_saving(self):
        context = multiprocessing.get_context("spawn")
        for pause in (0.05, 0.17):
            worker = context.Process(target=_save_for_ever, args=(str(self.path),))
            worker.start()
            before = self.builds.head("cairn-2").number
            while self.builds.head("cairn-2").number == before and worker.is_alive():
                time.sleep(0.01)
            time.sleep(pause)
            os.kill(worker.pid, signal.SIGKILL)
            worker.join()
            head = Builds(Database(self.path)).head("cairn-2")
            with self.subTest(pause=pause):
                self.assertGreater(head.number, before)
                self.assertAlmostEqual(pose(head).z_mm, cairn.LOW.z_mm + 0.5 * (head.number - 1))
                numbers = [s.number for s in self.builds.history("cairn-2", 10_000)]
                self.assertEqual(numbers, list(range(head.number, 0, -1)))
                with sqlite3.connect(self.path) as connection:
                    self.assertEqual(connection.execute("PRAGMA integrity_check").fetchone(), ("ok",))


class Schema(WithDatabase):
    """Migrations make exactly the tables that the code expects."""

    def test_migrated_tables_are_the_declared_ones(self):
        with sqlite3.connect(self.path) as connection:
            for table in Base.metadata.sorted_tables:
                columns = {row[1]: bool(row[3]) for row in connection.execute(f'PRAGMA table_info("{table.name}")')}
                self.assertEqual(columns.keys(), {c.name for c in table.columns}, table.name)
                for column in table.columns:
                    if not column.primary_key:
                        self.assertEqual(columns[column.name], not column.nullable, f"{table.name}.{column.name}")

    def test_opening_again_keeps_everything_and_settings_hold(self):
        again = Database(self.path)
        self.assertEqual(Builds(again).head("cairn-2").build, CAIRN)
        with again.reading() as session:
            self.assertEqual(session.execute(text("PRAGMA journal_mode")).scalar(), "wal")
            self.assertEqual(session.execute(text("PRAGMA foreign_keys")).scalar(), 1)
            self.assertEqual(session.execute(text("PRAGMA busy_timeout")).scalar(), 30000)
        with self.assertRaises(IntegrityError), again.writing() as session:
            session.execute(text("INSERT INTO taken_reading (build_id, key, at) VALUES ('nobody', 'k', '2026-01-01')"))


class People(WithDatabase):
    """Passwords, sessions and tokens."""

    def setUp(self):
        super().setUp()
        self.accounts = Accounts(self.database, QUICK)
        self.orla = self.accounts.add("Orla", "Orla Fennick", "lead", "ten letters!")

    def test_adding(self):
        for arguments, words in (
            (("orla", "Another", "lead", "ten letters!"), "taken"), (("x y", "X", "lead", "ten letters!"), "spaces"),
            (("x", "X", "king", "ten letters!"), "lead"), (("x", "X", "lead", "short"), "10"), (("x", " ", "lead", "ten letters!"), "empty"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaises(InputError) as refused:
                self.accounts.add(*arguments)
            self.assertIn(words, str(refused.exception))

    def test_nothing_that_opens_a_door_is_kept_in_clear(self):
        secret, token = self.accounts.sign_in("orla", "ten letters!", "here"), self.accounts.make_token(self.orla, "bench scale")
        self.database.close()
        everything = b"".join(p.read_bytes() for p in self.path.parent.iterdir())
        for hidden in ("ten letters!", secret, token):
            self.assertNotIn(hidden.encode(), everything)
        self.assertIn(b"$argon2id$", everything)

    def test_sessions(self):
        secret = self.accounts.sign_in(" ORLA ", "ten letters!", "here")
        self.assertEqual(self.accounts.session(secret).person, self.orla)
        self.assertIsNone(self.accounts.session(secret + "x"))
        self.accounts.sign_out(secret)
        self.assertIsNone(self.accounts.session(secret))

    def test_guessing_slows_the_address_it_comes_from_and_locks_nobody_out(self):
        def wrong(address, login="orla"):
            with self.assertRaises(InputError) as refused:
                self.accounts.sign_in(login, "wrong", address)
            return refused.exception

        for _ in range(5):
            self.assertNotIsInstance(wrong("there"), TooManyTries)
        self.assertIn("Wait 5 s", wrong("there").message)
        with self.assertRaises(TooManyTries):
            self.accounts.sign_in("orla", "ten letters!", "there")
        self.assertTrue(self.accounts.sign_in("orla", "ten letters!", "elsewhere"), "the owner is not locked out by it")
        waits = []
        for _ in range(9):
            with self.database.writing() as session:
                for tried in session.scalars(select(FailedSignIn)):
                    tried.at -= timedelta(seconds=301)
            self.assertNotIsInstance(wrong("there"), TooManyTries)
            waits.append(int(re.search(r"Wait (\d+) s", wrong("there").message)[1]))
        self.assertEqual(waits, [10, 20, 40, 80, 160, 300, 300, 300, 300], "twice as long each time, up to five minutes")

    def test_passwords_that_are_soon_guessed_are_refused(self):
        for password in (
            "password123",
            "aaaaaaaaaaaa",
            "abcabcabcabc",
            "qwertyuiop12",
            "1234567890123",
            "orlafennick",
            "OrlaFennick1",
            "Orla Fennick Orla Fennick",
            "orla.fennick.orla.fennick",
            "kcinneffkcinnef",
            "fennick!fennick!22",
        ):
            with self.subTest(password), self.assertRaisesRegex(InputError, "soon guessed"):
                self.accounts.add("orla2", "Orla Fennick", "lead", password)
        self.accounts.add("orla2", "Orla Fennick II", "lead", "gravel tin ladder")
        with self.assertRaisesRegex(InputError, "now; choose another"):
            self.accounts.change_password(self.orla, "ten letters!", "ten letters!", "")

    def test_a_browser_is_signed_out_after_thirty_days_however_much_it_is_used_and_everywhere_at_once_when_asked(self):
        secret = self.accounts.sign_in("orla", "ten letters!", "here")
        for days, there in ((29, True), (2, False)):
            with self.database.writing() as session:
                for row in session.scalars(select(SignedIn)):
                    row.created -= timedelta(days=days)
            self.assertEqual(self.accounts.session(secret) is not None, there)
        secrets = [self.accounts.sign_in("orla", "ten letters!", f"tablet {k}") for k in range(3)]
        other = self.accounts.add("teo", "Teo Marsh", "fabricator", "ten letters!")
        theirs = self.accounts.sign_in("teo", "ten letters!", "here")
        self.accounts.sign_out_everywhere(self.orla)
        self.assertEqual([self.accounts.session(s) for s in secrets], [None] * 3)
        self.assertEqual(self.accounts.session(theirs).person, other)

    @unittest.skipIf(os.name == "nt", "modes are of another kind there")
    def test_what_is_kept_is_its_owner_s_alone(self):
        self.accounts.make_token(self.orla, "bench")
        modes = {p.name: p.stat().st_mode & 0o777 for p in self.path.parent.iterdir() if p.name.startswith(self.path.name)}
        self.assertEqual(set(modes.values()), {0o600}, modes)
        self.assertGreater(len(modes), 1, "the log beside it too")

    def test_a_good_password_forgets_the_bad_ones(self):
        for _ in range(3):
            for _ in range(4):
                with self.assertRaises(InputError):
                    self.accounts.sign_in("orla", "wrong", "here")
            self.accounts.sign_in("orla", "ten letters!", "here")

    def test_tokens(self):
        token = self.accounts.make_token(self.orla, "bench")
        self.assertEqual(self.accounts.bearer(token), self.orla)
        other = self.accounts.add("teo", "Teo Marsh", "fabricator", "ten letters!")
        made = self.accounts.tokens(self.orla)[0]
        with self.assertRaises(MissingError):
            self.accounts.drop_token(other, made.id)
        self.accounts.drop_token(self.orla, made.id)
        self.assertIsNone(self.accounts.bearer(token))
