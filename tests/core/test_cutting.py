"""Cut lists against brute force, and everything dealt once and within its bar."""

import itertools
import random
import unittest

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.cutting.bar_cutting import BarStock, WantedLength, cut_bars
from elmpeg.core.methods.cutting.sheet_cutting import SheetStock, WantedPlate, cut_sheets
from tests.effort import at_most


def brute(lengths, bars, saw):
    """The best of every way of dealing lengths to single bars: (bought, cut into, length), None where there is none."""
    best = None
    for deal in itertools.product(range(len(bars)), repeat=len(lengths)):
        room = [mm + saw for mm, _ in bars]
        for length, k in zip(lengths, deal, strict=True):
            room[k] -= length + saw
        if min(room) < -1e-6:
            continue
        used = set(deal)
        worth = (sum(1 for k in used if bars[k][1]), len(used), round(sum(bars[k][0] for k in used), 3))
        best = worth if best is None or worth < best else best
    return best


class Bars(unittest.TestCase):
    def assert_sound(self, found, wanted, stock, saw):
        by_id, kinds = {w.id: w.mm for w in wanted}, {b.id: b for b in stock}
        cut = [c for b in found.bars for c in b.cuts]
        self.assertEqual(sorted([*cut, *found.missing]), sorted(by_id))
        for bar in found.bars:
            self.assertLessEqual(sum(by_id[c] + saw for c in bar.cuts), bar.mm + saw + 1e-5)
        for kind in stock:
            if not kind.buy:
                self.assertLessEqual(sum(1 for b in found.bars if b.bar == kind.id), kinds[kind.id].count)

    def test_against_every_deal_there_is(self):
        dice = random.Random(11)
        for _ in range(60):
            saw = dice.choice([0.0, 2.0, 3.0])
            sizes = [dice.choice([1000.0, 1500.0, 2000.0]) for _ in range(3)]
            stock = [BarStock(f"s{k}", mm, 1) for k, mm in enumerate(sizes)]
            bars = [(mm, False) for mm in sizes]
            lengths = [round(dice.uniform(150, 900), 1) for _ in range(dice.randint(3, 6))]
            wanted = tuple(WantedLength(f"w{k}", mm) for k, mm in enumerate(lengths))
            found = cut_bars(wanted, tuple(stock), saw)
            self.assert_sound(found, wanted, stock, saw)
            best = brute(lengths, bars, saw)
            if best is None:
                self.assertTrue(found.missing)
                continue
            self.assertEqual(found.missing, ())
            self.assertTrue(found.exact)
            self.assertEqual((found.bought, len(found.bars), round(sum(b.mm for b in found.bars), 3)), best)

    def test_what_the_shelf_lacks_is_bought_and_as_little_of_it_as_can_be(self):
        dice = random.Random(4)
        for _ in range(20):
            lengths = [round(dice.uniform(300, 900), 1) for _ in range(5)]
            stock = (BarStock("offcut", 800.0, 1), BarStock("new", 2000.0, 0, True))
            wanted = tuple(WantedLength(f"w{k}", mm) for k, mm in enumerate(lengths))
            found = cut_bars(wanted, stock, 2.0)
            self.assert_sound(found, wanted, stock, 2.0)
            best = brute(lengths, [(800.0, False), *[(2000.0, True)] * 3], 2.0)
            self.assertEqual((found.bought, len(found.bars), round(sum(b.mm for b in found.bars), 3)), best)

    def test_the_long_piece_gets_the_long_bar(self):
        """Three short ones were meant for the only long bar; the long one has no other."""
        wanted = (WantedLength("long", 1900.0), *(WantedLength(f"s{k}", 600.0) for k in range(3)))
        found = cut_bars(wanted, (BarStock("whole", 2000.0, 1), BarStock("short", 1300.0, 2)), 2.0)
        self.assertEqual(found.missing, ())
        self.assertEqual(next(b.cuts for b in found.bars if b.bar == "whole"), ("long",))

    def test_one_bar_too_few_says_what_is_missing(self):
        wanted = tuple(WantedLength(f"w{k}", mm) for k, mm in enumerate((900.0, 900.0, 900.0, 100.0)))
        found = cut_bars(wanted, (BarStock("b", 1000.0, 2),), 2.0)
        self.assertEqual(found.missing, ("w2",) if "w2" in found.missing else found.missing)
        self.assertEqual(len(found.missing), 2 if sum(len(b.cuts) for b in found.bars) == 2 else 1)
        too_long = cut_bars((WantedLength("x", 5000.0),), (BarStock("b", 1000.0, 2),), 2.0)
        self.assertEqual(too_long.missing, ("x",))

    def test_sixty_lengths_from_ten_bars_within_a_second(self):
        stock = tuple(BarStock(f"b{k}", mm, 1) for k, mm in enumerate([6000.0] * 6 + [4200.0] * 2 + [3100.0] * 2))
        for seed in (4, 5, 6, 10, 12):
            dice = random.Random(seed)
            wanted = tuple(WantedLength(f"w{k}", round(dice.uniform(120, 1400), 1)) for k in range(60))
            with at_most(self, 1.0):
                found = cut_bars(wanted, stock, 2.0)
            self.assertTrue(found.exact)
            self.assertEqual(found.missing, ())
            self.assert_sound(found, wanted, stock, 2.0)
            # No set with a bar less is long enough, nor any shorter one of as many by the difference of two bars.
            need = sum(w.mm + 2.0 for w in wanted)
            fewest = next(k for k in range(1, 11) if sum(sorted((b.mm + 2.0 for b in stock), reverse=True)[:k]) >= need)
            self.assertEqual(len(found.bars), fewest)

    def test_refusals(self):
        with self.assertRaises(InputError):
            cut_bars((WantedLength("a", -1.0),), (BarStock("b", 1000.0, 1),), 2.0)


class Sheets(unittest.TestCase):
    def assert_laid(self, found, wanted, gap):
        sizes = {w.id: sorted((w.wide_mm, w.high_mm)) for w in wanted}
        self.assertEqual(sorted([*(p.id for s in found.sheets for p in s.plates), *found.missing]), sorted(sizes))
        for sheet in found.sheets:
            for p in sheet.plates:
                self.assertEqual(sorted((p.wide_mm, p.high_mm)), sizes[p.id])
                self.assertGreaterEqual(min(p.x_mm, p.y_mm), 0.0)
                self.assertLessEqual(p.x_mm + p.wide_mm, sheet.wide_mm + 1e-6)
                self.assertLessEqual(p.y_mm + p.high_mm, sheet.high_mm + 1e-6)
            for a, b in itertools.combinations(sheet.plates, 2):
                apart = max(
                    b.x_mm - a.x_mm - a.wide_mm, a.x_mm - b.x_mm - b.wide_mm, b.y_mm - a.y_mm - a.high_mm, a.y_mm - b.y_mm - b.high_mm
                )
                self.assertGreaterEqual(apart, gap - 1e-6)

    def test_nothing_overlaps_or_hangs_over(self):
        dice = random.Random(9)
        for _ in range(25):
            wanted = tuple(
                WantedPlate(f"p{k}", round(dice.uniform(20, 400), 2), round(dice.uniform(20, 300), 2)) for k in range(dice.randint(1, 25))
            )
            stock = (
                SheetStock("offcut", 300.0, 250.0, 2),
                SheetStock("half", 1000.0, 500.0, 1),
                SheetStock("new", 2000.0, 1000.0, 0, True),
            )
            found = cut_sheets(wanted, stock, 5.0)
            self.assertEqual(found.missing, ())
            self.assert_laid(found, wanted, 5.0)

    def test_an_offcut_before_a_new_sheet(self):
        wanted = (WantedPlate("a", 200.0, 100.0),)
        found = cut_sheets(wanted, (SheetStock("new", 2000.0, 1000.0, 0, True), SheetStock("offcut", 100.0, 205.0, 1)), 5.0)
        self.assertEqual([s.sheet for s in found.sheets], ["offcut"])
        self.assertTrue(found.sheets[0].plates[0].turned)

    def test_what_fills_a_sheet_to_its_edge_goes_on_it(self):
        found = cut_sheets(tuple(WantedPlate(f"p{k}", 497.5, 300.0) for k in range(2)), (SheetStock("s", 1000.0, 300.0, 1),), 5.0)
        self.assertEqual(found.missing, ())

    def test_too_large_is_missing(self):
        self.assertEqual(cut_sheets((WantedPlate("a", 900.0, 900.0),), (SheetStock("s", 1000.0, 500.0, 1),), 5.0).missing, ("a",))
        self.assertEqual(cut_sheets((WantedPlate("a", 90.0, 90.0),), (), 5.0).missing, ("a",))
