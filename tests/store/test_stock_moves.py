"""The shelf: every movement is written down and can be taken back, and what is cut is cut once."""

import random
import unittest
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.stages.mount.shelf import StockItem
from tests.shop import TestShop
from tests.web.test_web import WithShop


class Movements(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.shelf = self.shop.shop.shelf

    def lying(self):
        return {i.id: i for i in self.shelf.items() if i.qty}

    def moved_at_random(self, chance):
        """One movement of some kind."""
        items = list(self.shelf.items())
        free = [line.item for line in self.shelf.lines() if not line.reserved]
        kind = chance.choice(("count", "add", "several", "drop"))
        if kind == "count":
            one = chance.choice(items)
            held = next(line.reserved for line in self.shelf.lines() if line.item.id == one.id)
            self.shelf.keep(replace(one, qty=held + chance.randrange(9)), "Teo")
        elif kind == "add":
            self.shelf.keep(StockItem("", f"Ring {chance.random()}", "spacer", 5.0, 13.0, chance.randrange(1, 6)), "Teo")
        elif kind == "several":
            changed = [replace(i, qty=i.qty + 1, place="bench") for i in chance.sample(items, 3)]
            self.shelf.keep_all(
                (*changed, StockItem("", f"Left {chance.random()}", "bar", 412.0, 0.0, 2)), "Teo", "Cut", "cairn-2", ("stay",)
            )
        elif free:
            one = chance.choice(free)
            if all(h.stock_id != one.id for h in self.shelf.held()):
                self.shelf.drop(one.id, "Teo")

    def test_the_last_movement_taken_back_leaves_what_was_there(self):
        chance = random.Random(7)
        undone = 0
        for _ in range(60):
            before, moves = self.lying(), self.shelf.moves(1)
            self.moved_at_random(chance)
            newest = self.shelf.moves(1)
            if newest == moves:
                continue
            if chance.random() < 0.6:
                self.shelf.take_back(newest[0].id, "Orla")
                self.assertEqual(self.lying(), before, newest[0].words)
                undone += 1
        self.assertGreater(undone, 20)

    def test_all_taken_back_in_any_order_leaves_the_counts_that_were(self):
        chance = random.Random(11)
        first = {i: item.qty for i, item in self.lying().items()}
        for _ in range(12):
            one = chance.choice(self.shelf.items())
            self.shelf.keep(replace(one, qty=one.qty + chance.randrange(1, 7)), "Teo")
        moves = list(self.shelf.moves(50))
        chance.shuffle(moves)
        for move in moves:
            self.shelf.take_back(move.id, "Orla")
        self.assertEqual({i: item.qty for i, item in self.lying().items()}, first)

    def test_once_only_and_not_what_is_used_since(self):
        made = self.shelf.keep(StockItem("", "Ring", "spacer", 5.0, 13.0, 4), "Teo", "Put 4 there")
        move = self.shelf.moves(1)[0]
        self.shelf.keep(replace(made, qty=1), "Teo", "Counted")
        with self.assertRaisesRegex(InputError, "1 × Ring lie there now"):
            self.shelf.take_back(move.id, "Orla")
        counted = self.shelf.moves(1)[0]
        self.shelf.take_back(counted.id, "Orla")
        with self.assertRaisesRegex(InputError, "was taken back by Orla already"):
            self.shelf.take_back(counted.id, "Wil")
        self.shelf.take_back(move.id, "Orla")
        self.assertNotIn(made.id, self.lying())

    def test_what_somebody_changed_meanwhile_is_not_overwritten(self):
        seen = {i.id: i for i in self.shelf.items()}
        one = next(iter(seen.values()))
        self.shelf.keep(replace(one, qty=one.qty + 5), "Wil")
        with self.assertRaisesRegex(InputError, "somebody changed the shelf meanwhile"):
            self.shelf.keep_all((replace(one, qty=one.qty + 1),), "Teo", "Cut", seen=seen)


class CutOnce(WithShop):
    PATH = "/builds/cairn-2/make/cut-list"

    def taken(self, **more):
        return self.teo.post(self.PATH, option="low", place="rack C", **more)

    def quantities(self):
        return {i.id: i.qty for i in self.shop.shop.shelf.items() if i.qty}

    def test_a_second_press_takes_nothing_and_one_can_be_taken_back(self):
        before = self.quantities()
        self.assertIn("The shelf is as it is after cutting", self.taken().text)
        after = self.quantities()
        self.assertNotEqual(after, before)
        self.assertEqual(self.taken().status_code, 422)
        self.assertEqual(self.quantities(), after)
        self.assertIn("Cut already:", self.teo.get(f"{self.PATH}?option=low").text)
        named = self.taken(only="hoist-crossmember-cross")
        self.assertEqual(named.status_code, 422)
        self.assertIn("cut already. Tick here", named.text)
        self.assertEqual(self.quantities(), after)
        move = self.shop.shop.shelf.moves(1)[0]
        self.assertIn("Taken back", self.teo.post("/shelf/back", move=str(move.id)).text)
        self.assertEqual(self.quantities(), before)
        self.assertNotIn("Cut already:", self.teo.get(f"{self.PATH}?option=low").text)

    def test_spoiled_and_cut_once_more(self):
        self.taken()
        once = self.quantities()
        self.assertEqual(self.taken(only="hoist-crossmember-cross", again="1").status_code, 200)
        self.assertNotEqual(self.quantities(), once)


if __name__ == "__main__":
    unittest.main()
