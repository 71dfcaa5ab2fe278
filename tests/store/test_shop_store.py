"""The shelf, devices and photographs in the store: pieces are never counted twice, tokens and pictures belong to whom they belong."""

import hashlib
import random
from collections import Counter
from dataclasses import replace
from io import BytesIO

from PIL import Image

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.mounts import StackPiece
from elmpeg.core.build.survey import Photo
from elmpeg.core.stages.mount import stack_edits
from elmpeg.core.stages.mount.shelf import StockItem
from elmpeg.demo import bookworm
from elmpeg.formats.photographs import cleaned
from elmpeg.store.accounts import Accounts
from elmpeg.store.builds import Builds
from elmpeg.store.database import Database
from elmpeg.store.devices import Devices
from elmpeg.store.photos import Photos
from elmpeg.store.stock import Shelf
from tests.shop import QUICK
from tests.store.test_store import CAIRN, TEO, WIL, WithDatabase

KINDS = tuple(StockItem(f"k{n}", f"Washer {n}", "washer", 2.0 + n, 13.0, 6, outside_mm=24.0) for n in range(3))


MOUNTS = {"cairn-2": ("LM", "RM", "GM"), "bookworm": ("MF", "MR", "PL")}


def piece(kind, count):
    return StackPiece(kind, f"Washer {kind}", 2.0, count)


def reserve(builds, build_id, mount, pieces):
    """A stack put in at a mount of a trial option and reserved, in one press."""
    head = builds.head(build_id)
    option = next(o.id for o in head.build.options if o.id != head.build.agreed)

    def edit(build):
        return stack_edits.with_reserved(stack_edits.with_stack(build, option, mount, pieces), option, mount)

    builds.change(build_id, head.number, TEO, "Reserved", edit)


class ShelfWalk(WithDatabase):
    """Any order of reserving, using, returning and counting keeps every piece accounted for."""

    def setUp(self):
        super().setUp()
        self.builds.add(bookworm.build(), TEO, "Brought in")
        self.shelf = Shelf(self.database)
        self.shelf.replace_all(KINDS)

    def reserve(self, build_id, mount, pieces):
        reserve(self.builds, build_id, mount, pieces)

    def test_many_steps_beside_a_plain_count(self):
        draw = random.Random(4)
        lying = Counter({k.id: 6 for k in KINDS})
        reserved: dict[tuple[str, str], Counter] = {}
        used: Counter = Counter()
        refused = 0
        for _ in range(150):
            build, kind = draw.choice(tuple(MOUNTS)), f"k{draw.randrange(3)}"
            mount = draw.choice(MOUNTS[build])
            act = draw.random()
            if act < 0.45:
                wanted = Counter({kind: draw.randint(1, 4)})
                others = sum((c for at, c in reserved.items() if at != (build, mount)), Counter())
                if wanted[kind] <= lying[kind] - others[kind]:
                    self.reserve(build, mount, (piece(kind, wanted[kind]),))
                    reserved[build, mount] = wanted
                else:
                    refused += 1
                    with self.assertRaises(InputError):
                        self.reserve(build, mount, (piece(kind, wanted[kind]),))
            elif act < 0.9 and self.shelf.held():
                held = draw.choice(self.shelf.held())
                if held.state == "reserved":
                    state = draw.choice(("used", "returned"))
                    del reserved[held.build_id, held.mount]
                    if state == "used":
                        lying[held.stock_id] -= held.count
                        used[held.stock_id] += held.count
                else:
                    state = "returned"
                    lying[held.stock_id] += held.count
                    used[held.stock_id] -= held.count
                self.builds.mark_held(held.build_id, held.id, state, WIL)
            else:
                item = next(i for i in self.shelf.items() if i.id == kind)
                taken = sum((c for c in reserved.values()), Counter())[kind]
                counted = draw.randint(0, 8)
                if counted < taken:
                    with self.assertRaisesRegex(InputError, "reserved"):
                        self.shelf.keep(replace(item, qty=counted))
                else:
                    self.shelf.keep(replace(item, qty=counted))
                    lying[kind] = counted
            taken = sum((c for c in reserved.values()), Counter())
            for line in self.shelf.lines():
                self.assertEqual((line.item.qty, line.reserved), (lying[line.item.id], taken[line.item.id]))
                self.assertGreaterEqual(line.free, 0)
            self.assertEqual(Counter({k: v for k, v in used.items() if v}), sum((Counter({h.stock_id: h.count}) for h in self.shelf.held() if h.state == "used"), Counter()))  # fmt: skip
        self.assertGreater(refused, 5)

    def test_reserving_again_replaces_and_half_a_stack_is_none(self):
        self.reserve("cairn-2", "LM", (piece("k0", 4),))
        self.reserve("cairn-2", "LM", (piece("k0", 5),))
        self.assertEqual([h.count for h in self.shelf.held("cairn-2")], [5])
        with self.assertRaisesRegex(InputError, "9 of Washer 1 are wanted and 6 are free"):
            self.reserve("cairn-2", "LM", (piece("k0", 1), piece("k1", 9)))
        self.assertEqual([(h.stock_id, h.count) for h in self.shelf.held("cairn-2")], [("k0", 5)])
        with self.assertRaisesRegex(InputError, "any more"):
            self.reserve("cairn-2", "LM", (piece("gone", 1),))
        with self.assertRaises(InputError):
            self.reserve("bookworm", "MF", (piece("k0", 1), piece("k0", 1)))
        self.assertEqual({i.id: i.qty for i in self.shelf.items_for("bookworm")}["k0"], 1)

    def test_what_builds_hold_stays_on_the_list(self):
        self.reserve("cairn-2", "LM", (piece("k0", 2),))
        with self.assertRaisesRegex(InputError, "set its quantity to 0"):
            self.shelf.drop("k0")
        (held,) = self.shelf.held()
        self.builds.mark_held("cairn-2", held.id, "used", TEO)
        with self.assertRaises(InputError):
            self.shelf.drop("k0")
        (used,) = self.shelf.held()
        self.builds.mark_held("cairn-2", used.id, "returned", TEO)
        with self.assertRaisesRegex(InputError, "already"):
            self.builds.mark_held("cairn-2", used.id, "returned", TEO)
        with self.assertRaises(MissingError):
            self.builds.mark_held("cairn-2", held.id, "returned", TEO)
        self.shelf.drop("k0")
        self.assertEqual([i.id for i in self.shelf.items()], ["k1", "k2"])

    def test_several_are_kept_together_or_not_at_all(self):
        with self.assertRaises(InputError):
            self.shelf.keep_all((replace(KINDS[0], qty=1), replace(KINDS[1], mm=-1.0)))
        self.reserve("cairn-2", "LM", (piece("k1", 5),))
        with self.assertRaises(InputError):
            self.shelf.keep_all((replace(KINDS[0], qty=1), replace(KINDS[1], qty=2)))
        self.assertEqual([i.qty for i in self.shelf.items()], [6, 6, 6])
        made = self.shelf.keep(StockItem("", "Washer 1", "washer", 3.0, 13.0, 1))
        self.assertNotIn(made.id, ("", "k1"))

    def test_figures_that_make_no_piece(self):
        good = KINDS[0]
        for change, field in (
            ({"mm": 0.0}, "mm"), ({"mm": float("nan")}, "mm"), ({"bore_mm": -1.0}, "bore"), ({"outside_mm": 13.0}, "outside"), ({"qty": -1}, "qty"),
            ({"form": "thing"}, "form"), ({"form": "bolt"}, "thread"), ({"thread": "M13"}, "thread"), ({"name": "  "}, "name"),
        ):  # fmt: skip
            with self.subTest(change), self.assertRaises(InputError) as refused:
                self.shelf.keep(replace(good, **change))
            self.assertEqual(refused.exception.errors[0].field, field)
        self.assertEqual(self.shelf.items()[0], good)

    def test_the_next_opening_finds_the_same(self):
        self.reserve("cairn-2", "LM", (piece("k2", 3),))
        again = Shelf(Database(self.path))
        self.assertEqual(again.items(), KINDS)
        (held,) = again.held()
        self.assertEqual((held.build_name, held.mount, held.count, held.state, held.person), (CAIRN.name, "LM", 3, "reserved", TEO.name))


class DeviceTokens(WithDatabase):
    """A device's token opens its holder's door only, and is not kept."""

    def setUp(self):
        super().setUp()
        accounts = Accounts(self.database, QUICK)
        self.bea, self.wil = (accounts.add(n, f"{n.title()} Fennick", "fabricator", "ten letters!").id for n in ("bea", "wil"))
        self.devices = Devices(self.database)

    def test_a_token_is_shown_once_and_only_its_hash_stays(self):
        token = self.devices.add(self.bea, "Caliper", "caliper")
        self.assertEqual(self.devices.of_token(token).user_id, self.bea)
        self.database.close()
        kept = self.path.read_bytes()
        self.assertNotIn(token.encode(), kept)
        self.assertIn(hashlib.sha256(token.encode()).hexdigest().encode(), kept)
        for other in (token[:-1], token + "x", "", token.upper()):
            self.assertIsNone(Devices(Database(self.path)).of_token(other))

    def test_only_its_holder_drops_it_and_then_it_opens_nothing(self):
        token = self.devices.add(self.bea, "Caliper", "caliper")
        (row,) = self.devices.held_by(self.bea)
        with self.assertRaises(MissingError):
            self.devices.drop(self.wil, row.id)
        self.assertEqual(self.devices.held_by(self.wil), ())
        self.devices.drop(self.bea, row.id)
        self.assertIsNone(self.devices.of_token(token))
        self.devices.heard(row.id, 50.0)
        with self.assertRaises(MissingError):
            self.devices.drop(self.bea, row.id)

    def test_a_simulated_one_replaces_its_namesake_and_no_real_one(self):
        real = self.devices.add(self.bea, "Caliper", "caliper")
        first = self.devices.add(self.bea, "Caliper", "caliper", simulated=True)
        theirs = self.devices.add(self.wil, "Caliper", "caliper", simulated=True)
        second = self.devices.add(self.bea, "Caliper", "caliper", simulated=True)
        self.assertIsNone(self.devices.of_token(first))
        for token in (real, theirs, second):
            self.assertIsNotNone(self.devices.of_token(token))

    def test_what_was_heard_last(self):
        token = self.devices.add(self.bea, "Caliper", "caliper")
        self.assertIsNone(self.devices.of_token(token).seen)
        self.devices.heard(self.devices.of_token(token).id, 41.5)
        row = self.devices.of_token(token)
        self.assertEqual(row.battery_pct, 41.5)
        self.assertIsNotNone(row.seen)


class KeptPhotographs(WithDatabase):
    """Pictures lie beside the database under names taken from their content, and no other name reads anything."""

    def setUp(self):
        super().setUp()
        self.photos = Photos(self.path.parent / "photos")
        out = BytesIO()
        Image.new("RGB", (40, 30), "white").save(out, "PNG")
        self.picture = cleaned(out.getvalue())

    def test_kept_once_read_back_whole(self):
        self.photos.keep(self.picture)
        self.photos.keep(self.picture)
        self.assertEqual(self.photos.read(self.picture.id), self.picture.data)
        self.assertEqual(self.photos.read(self.picture.id, thumb=True), self.picture.thumb)
        self.assertEqual(len(list((self.path.parent / "photos").iterdir())), 2)
        self.assertEqual((self.photos.type_of(self.picture.id), self.photos.type_of(self.picture.id, True)), ("image/png", "image/jpeg"))

    def test_no_name_leads_out_of_the_folder(self):
        self.photos.keep(self.picture)
        (self.path.parent / "photos" / "secret.png").write_bytes(b"x")
        for name in ("../elmpeg.db", "secret.png", "", f"../photos/{self.picture.id}", f"{self.picture.id}.thumb", self.picture.id.upper(), f"{self.picture.id}\n"):  # fmt: skip
            with self.subTest(name), self.assertRaises(MissingError):
                self.photos.read(name)

    def test_a_build_with_a_picture_that_is_not_here_is_refused_by_name(self):
        listed = replace(
            CAIRN, photos=(Photo(self.picture.id, "left rail", "", 40, 30, len(self.picture.data), "Bea Lund", "2026-05-02T09:00"),)
        )
        with self.assertRaisesRegex(InputError, "left rail"):
            self.photos.require(listed)
        self.photos.keep(self.picture)
        self.photos.require(listed)
        self.photos.require(CAIRN)


class Together(WithDatabase):
    """What belongs to a build goes with it."""

    def test_two_openings_of_one_file_see_each_others_reservations(self):
        one, other = Shelf(self.database), Shelf(Database(self.path))
        one.replace_all(KINDS)
        reserve(Builds(Database(self.path)), "cairn-2", "LM", (piece("k0", 6),))
        with self.assertRaisesRegex(InputError, "0 are free"):
            reserve(self.builds, "cairn-2", "RM", (piece("k0", 1),))
        self.assertEqual(Builds(self.database).head("cairn-2").number, 2)
        self.assertEqual([line.free for line in one.lines()], [line.free for line in other.lines()])
