"""A revision keeps only what changed, and every revision reads back as it was, whatever version wrote it."""

import gzip
import json
import re
import sqlite3
import tempfile
import unittest
import zlib
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from unittest import mock

import elmpeg
from elmpeg.core.build.mounts import StackPiece
from elmpeg.core.build.signers import UNSIGNED
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.core.stages.mount import stack_edits
from elmpeg.core.stages.place import option_edits, position_edits
from elmpeg.demo import cairn
from elmpeg.demo.seed import PASSWORD
from elmpeg.formats import build_file
from elmpeg.store.accounts import Accounts
from elmpeg.store.builds import Builds
from elmpeg.store.database import Database
from elmpeg.store.deltas import applied, delta
from elmpeg.store.revisions import WHOLE_EVERY, Author
from elmpeg.store.stock import Shelf
from tests.core.test_kept_reads import changes
from tests.shop import QUICK
from tests.store.test_store import CAIRN, TEO, WithDatabase, nudge, pose

OLD = Path(__file__).resolve().parents[1] / "fixtures" / "shop-0.3.0.db.gz"
"""Made by version 0.3.0: three builds, moves, an undo, a redo, an option copied and renamed, stacks reserved."""


class Deltas(unittest.TestCase):
    """What leads from one document to another leads there."""

    def through(self, before, after):
        change = delta(before, after)
        plain = build_file.to_plain(before)
        kept = json.dumps(plain)
        made = applied(plain, json.loads(json.dumps(change))) if change else plain
        self.assertEqual(json.dumps(plain), kept, "what it was given is left as it was")
        return build_file.from_plain(made)

    def test_every_field_changed_either_way(self):
        for name, value in changes(CAIRN):
            changed = replace(CAIRN, **{name: value})
            with self.subTest(name):
                self.assertEqual(self.through(CAIRN, changed), changed)
                self.assertEqual(self.through(changed, CAIRN), CAIRN)

    def test_entries_that_come_go_and_move(self):
        more = option_edits.with_duplicate(CAIRN, "low", "Another")
        turned = replace(more, options=more.options[::-1], points=(*CAIRN.points[5:], *CAIRN.points[:2]))
        for before, after in ((CAIRN, more), (more, turned), (turned, CAIRN)):
            self.assertEqual(self.through(before, after), after)

    def test_the_same_is_nothing(self):
        self.assertIsNone(delta(CAIRN, CAIRN))
        self.assertIsNone(delta(CAIRN, replace(CAIRN)))
        self.assertIsNone(delta(CAIRN, replace(CAIRN, points=(*CAIRN.points,))))

    def test_a_move_says_little_of_what_stays(self):
        change = delta(CAIRN, position_edits.nudged(CAIRN, "low", "engine", "z", 1.0))
        self.assertEqual(set(change["fields"]), {"options"})
        self.assertEqual(set(change["fields"]["options"]["entries"]), {"low"})
        self.assertEqual(set(change["fields"]["options"]["entries"]["low"]["fields"]), {"positions"})


class Kept(WithDatabase):
    def documents(self):
        with closing(sqlite3.connect(self.path)) as connection:
            return connection.execute("SELECT number, since, length(document) FROM revision ORDER BY number").fetchall()

    def test_a_move_costs_about_a_kilobyte_and_a_whole_one_is_kept_now_and_then(self):
        builds = {1: CAIRN}
        for k in range(1, 2 * WHOLE_EVERY + 5):
            builds[k + 1] = self.builds.change("cairn-2", k, TEO, "Up", nudge("z", 0.01)).head.build
        rows = self.documents()
        self.assertEqual([n for n, since, _ in rows if since is None], [1, WHOLE_EVERY + 2, 2 * WHOLE_EVERY + 3])
        self.assertLess(max(size for _, since, size in rows if since is not None), 1024)
        fresh = Builds(Database(self.path))
        for number in (1, 2, WHOLE_EVERY, WHOLE_EVERY + 2, 2 * WHOLE_EVERY, len(rows)):
            self.assertEqual(fresh.at("cairn-2", number), builds[number], number)

    def test_after_a_new_version_the_next_revision_is_whole_and_older_ones_are_brought_up(self):
        self.builds.change("cairn-2", 1, TEO, "Up", nudge("z", 1.0))
        steps = {
            **build_file.UPGRADES,
            build_file.VERSION: lambda p: {**p, "version": build_file.VERSION + 1, "build": {**p["build"], "name": "Upgraded"}},
        }
        with mock.patch.object(build_file, "VERSION", build_file.VERSION + 1), mock.patch.object(build_file, "UPGRADES", steps):
            later = Builds(Database(self.path))
            self.assertEqual([later.at("cairn-2", n).name for n in (1, 2)], ["Upgraded"] * 2)
            later.change("cairn-2", 2, TEO, "Up", nudge("z", 1.0))
            self.assertEqual(later.at("cairn-2", 3).name, "Upgraded")
        self.assertEqual([since for _, since, _ in self.documents()], [None, 1, None])


class OldShop(unittest.TestCase):
    """A database that version 0.3.0 made opens whole."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "elmpeg.db"
        self.path.write_bytes(gzip.decompress(OLD.read_bytes()))
        with closing(sqlite3.connect(self.path)) as connection:
            self.old = {
                (b, n): json.loads(zlib.decompress(d)) for b, n, d in connection.execute("SELECT build_id, number, document FROM revision")
            }
        database = Database(self.path)
        self.addCleanup(database.close)
        self.builds, self.shelf = Builds(database), Shelf(database)

    def test_every_revision_opens_says_what_it_said_and_evaluates(self):
        self.assertEqual(len(self.old), 12)
        for (build_id, number), plain in self.old.items():
            with self.subTest(build_id, number=number):
                build = self.builds.at(build_id, number)
                now = build_file.to_plain(build)
                self.assertEqual(pruned(now, as_now(plain)), as_now(plain))
                self.assertTrue(all(evaluate(build, o.id).checks for o in build.options))

    def test_undo_and_redo_lead_where_they_led(self):
        state = self.builds.undo_state("cairn-2")
        self.assertEqual((state.undo.number, state.redo.number), (4, 5))
        at = {n: self.builds.at("cairn-2", n) for n in (3, 4, 5)}
        self.assertEqual(self.builds.redo("cairn-2", 8, TEO).head.build, at[5])
        self.assertEqual(self.builds.undo("cairn-2", 9, TEO).head.build, at[4])
        self.assertEqual(self.builds.undo("cairn-2", 10, TEO).head.build, at[3])
        self.assertEqual(self.builds.undo("bookworm", 3, TEO).head.build, self.builds.at("bookworm", 2))

    def test_a_change_is_saved_on_top_and_reads_back(self):
        saved = self.builds.change("cairn-2", 8, TEO, "Up", nudge("z", 1.0)).head
        saved = self.builds.change("cairn-2", 9, TEO, "Up", nudge("z", 1.0)).head
        fresh = Builds(Database(self.path))
        self.assertEqual(fresh.head("cairn-2").build, saved.build)
        old = self.old["cairn-2", 1]
        self.assertEqual(pruned(build_file.to_plain(fresh.at("cairn-2", 1)), as_now(old)), as_now(old))

    def test_what_was_reserved_before_stacks_said_so_stays_held_until_its_stack_is_reserved_or_it_is_given_back(self):
        self.assertEqual(
            sorted((h.build_id, h.mount, h.stock_id, h.count) for h in self.shelf.held())[0], ("bookworm", "PL", "spacer-16-30", 2)
        )
        self.assertEqual({h.option for h in self.shelf.held()}, {""})
        self.builds.change("cairn-2", 8, TEO, "Reserved", lambda b: stack_edits.with_reserved(b, "lifted", "LM"))
        self.assertEqual({h.option for h in self.shelf.held("cairn-2") if h.mount == "LM"}, {"lifted"})
        self.assertEqual(sorted(h.stock_id for h in self.shelf.held("cairn-2") if h.mount == "LM"), ["plate-12", "tube-25"])
        (loose,) = self.shelf.held("bookworm")
        self.builds.mark_held("bookworm", loose.id, "returned", TEO)
        self.assertEqual(self.shelf.held("bookworm"), ())


class EveryVersion(unittest.TestCase):
    """A database of every version that was released opens, says what was done in it, and goes on."""

    RELEASED = ("0.1.0", "0.2.0", "0.4.0", "0.5.0", "0.6.0")
    """Each made by that version's own server: the demo, a move up, one aside, another up and its undoing. 0.3.0 has its own trial."""

    def test_every_release_has_one(self):
        changes = (OLD.parents[2] / "CHANGELOG.md").read_text()
        released = set(re.findall(r"^## (\d+\.\d+\.\d+)", changes, re.MULTILINE)) - {elmpeg.__version__}
        self.assertEqual(released, {p.name[5:-6] for p in OLD.parent.glob("shop-*.db.gz")} - {elmpeg.__version__})

    def test_the_newest_open_too(self):
        for version in ("0.7.0", "0.8.0", "0.9.0", "0.10.0", "0.11.0", "0.12.0", "0.13.0", "0.14.0"):
            with self.subTest(version), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "elmpeg.db"
                path.write_bytes(gzip.decompress(OLD.with_name(f"shop-{version}.db.gz").read_bytes()))
                database = Database(path)
                try:
                    builds = Builds(database)
                    for number in (1, builds.head("cairn-2").number):
                        build = builds.at("cairn-2", number)
                        require_sound(build)
                        made = (
                            ["seat-bracket", "lamp-plate", "alternator-stay", "relay-plate"]
                            if version in ("0.9.0", "0.10.0", "0.11.0", "0.12.0", "0.13.0", "0.14.0")
                            else []
                        )
                        self.assertEqual([p.id for p in build.pieces if p.id in ("seat-adapter", *made)], ["seat-adapter", *made])
                        self.assertEqual(
                            len(build.stands) + len(build.structures) > 0, version in ("0.10.0", "0.11.0", "0.12.0", "0.13.0", "0.14.0")
                        )
                        # Who checked an order to a cutter was a text until it was signed; from 0.9.0 on the demo has one.
                        checked = [s.checked_by for p in build.pieces for s in p.sendings if s.checked_by]
                        self.assertEqual({name.endswith(UNSIGNED) for name in checked} or {True}, {version != "0.14.0"}, checked)
                        self.assertEqual(bool(checked), bool(made))
                        self.assertEqual(len(piece_shape(Scene(build, build.options[0]), build.pieces[0]).holes), 8)
                finally:
                    database.close()

    def test_opens_says_what_was_done_and_goes_on(self):
        for version in self.RELEASED:
            with self.subTest(version), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "elmpeg.db"
                path.write_bytes(gzip.decompress(OLD.with_name(f"shop-{version}.db.gz").read_bytes()))
                database = Database(path)
                try:
                    self.opened(database)
                finally:
                    database.close()

    def opened(self, database):
        builds, accounts = Builds(database), Accounts(database, QUICK)
        self.assertIn("orla", {p.login for p in accounts.people()})
        self.assertTrue(accounts.sign_in("orla", PASSWORD, "here"))
        self.assertLessEqual({"dynamo", "bookworm", "cairn-2"}, set(builds.ids()))
        for build_id in builds.ids():
            for number in range(1, builds.head(build_id).number + 1):
                build = builds.at(build_id, number)
                require_sound(build)
                self.assertTrue(all(evaluate(build, o.id).checks for o in build.options))
        steps = builds.history("cairn-2")
        self.assertEqual([s.person for s in steps[:-1]], ["Orla Fennick"] * 4)
        self.assertTrue(steps[0].words.startswith("Undid: "))

        def moved(number):
            first, then = (pose(mock.Mock(build=builds.at("cairn-2", n))) for n in (1, number))
            return tuple(round(b - a, 6) for a, b in zip(first.origin_mm, then.origin_mm, strict=True))

        self.assertEqual([moved(n) for n in range(1, 6)], [(0, 0, 0), (0, 0, 1), (0, -1, 1), (0, -1, 2), (0, -1, 1)])
        self.assertEqual(builds.redo("cairn-2", 5, TEO).head.build, builds.at("cairn-2", 4))
        saved = builds.change("cairn-2", 6, TEO, "Up", nudge("z", 1.0)).head
        self.assertEqual(Builds(database).head("cairn-2").build, saved.build)


def pruned(plain, before):
    """Plain values without the fields that an earlier version did not have."""
    if isinstance(before, dict):
        return {k: pruned(plain[k], v) for k, v in before.items()}
    if isinstance(before, list):
        return [pruned(a, b) for a, b in zip(plain, before, strict=True)]
    return plain


def as_now(plain):
    """A build as an earlier version wrote it, with its adapter plates among the pieces and roles as they are called now."""
    plates = [
        {"outline": [{"x_mm": x, "y_mm": y} for x, y in p["outline_mm"]], **{k: v for k, v in p.items() if k != "outline_mm"}}
        for p in plain.get("plates", ())
    ]
    rest = {k: v for k, v in plain.items() if k != "plates"}
    return with_roles({**rest, "pieces": plates} if "plates" in plain else rest)


def with_roles(plain):
    """Plain values as an earlier version wrote them, with the roles of shapes called as they are now."""
    if isinstance(plain, dict):
        return {k: {"rail": "frame", "crossmember": "frame"}.get(v, v) if k == "role" else with_roles(v) for k, v in plain.items()}
    return [with_roles(v) for v in plain] if isinstance(plain, list) else plain


class Reservations(WithDatabase):
    """A reservation belongs to a stack: it comes and goes with it."""

    def setUp(self):
        super().setUp()
        self.shelf = Shelf(self.database)
        self.shelf.replace_all(cairn.SHELF)
        self.builds.add(replace(CAIRN, id="other", name="Other"), TEO, "Brought in")

    def reserved(self, build="cairn-2"):
        return {(h.option, h.mount, h.stock_id): h.count for h in self.shelf.held(build) if h.state == "reserved"}

    def reserve(self, option="low", mount="LM", build="cairn-2"):
        head = self.builds.head(build).number
        return self.builds.change(build, head, TEO, "Reserved", lambda b: stack_edits.with_reserved(b, option, mount))

    def test_a_build_that_is_brought_in_holds_nothing(self):
        self.builds.add(stack_edits.with_reserved(CAIRN, "low", "LM"), TEO, "A copy")
        self.assertEqual(self.shelf.held(), ())

    def test_it_is_given_back_when_the_stack_is_taken_out_and_comes_again_with_undo(self):
        self.reserve()
        self.assertEqual(self.reserved(), {("low", "LM", "block-28"): 1})
        self.builds.change("cairn-2", 2, TEO, "Out", lambda b: stack_edits.with_stack(b, "low", "LM", ()))
        self.assertEqual(self.reserved(), {})
        self.builds.undo("cairn-2", 3, TEO)
        self.assertEqual(self.reserved(), {("low", "LM", "block-28"): 1})
        self.builds.undo("cairn-2", 4, TEO)
        self.assertEqual(self.reserved(), {})

    def test_another_option_takes_it_over_and_a_copy_of_an_option_holds_nothing(self):
        self.reserve("low")
        self.reserve("lifted")
        self.assertEqual(set(self.reserved()), {("lifted", "LM", "tube-25"), ("lifted", "LM", "plate-12")})
        self.builds.change("cairn-2", 3, TEO, "Copied", lambda b: option_edits.with_duplicate(b, "lifted", "Again"))
        self.assertEqual(len(self.reserved()), 2)

    def test_too_few_are_refused_with_who_has_them_and_a_step_back_goes_on_without(self):
        few = next(i for i in cairn.SHELF if i.id == "block-28")
        self.shelf.keep(replace(few, qty=1))
        self.reserve()
        with self.assertRaisesRegex(Exception, "1 of .* are wanted and 0 are free; Cairn 2"):
            self.reserve(build="other")
        self.assertEqual(self.builds.head("other").number, 1)
        self.builds.change("cairn-2", 2, TEO, "Out", lambda b: stack_edits.with_stack(b, "low", "LM", ()))
        self.reserve(build="other")
        back = self.builds.undo("cairn-2", 3, TEO).head.build
        pieces = next(s for s in back.option("low").stacks if s.mount == "LM").pieces
        self.assertEqual([(p.stock, p.reserved) for p in pieces], [("block-28", 0)])
        self.assertEqual((self.reserved(), self.reserved("other")), ({}, {("low", "LM", "block-28"): 1}))

    def test_what_is_used_leaves_the_shelf_once_even_when_history_goes_back(self):
        there = {i.id: i.qty for i in self.shelf.items()}["block-28"]
        self.reserve()
        (held,) = self.shelf.held("cairn-2")
        self.builds.mark_held("cairn-2", held.id, "used", TEO)
        self.assertEqual(self.reserved(), {})
        self.assertEqual(self.builds.history("cairn-2")[0].words.split(" at ")[0], "Used what was reserved")
        self.builds.undo("cairn-2", 3, TEO)
        self.assertEqual(self.reserved(), {})
        self.assertEqual({i.id: i.qty for i in self.shelf.items()}["block-28"], there - 1)
        (used,) = self.shelf.held("cairn-2")
        self.builds.mark_held("cairn-2", used.id, "returned", TEO)
        self.assertEqual({i.id: i.qty for i in self.shelf.items()}["block-28"], there)

    def test_a_stack_changed_by_hand_reserves_nothing_until_it_is_asked_to(self):
        self.reserve()
        self.builds.change(
            "cairn-2",
            2,
            Author(None, "Wil"),
            "Other",
            lambda b: stack_edits.with_stack(b, "low", "LM", (StackPiece("plate-4", "Plate", 4.0, 2),)),
        )
        self.assertEqual(self.reserved(), {})
