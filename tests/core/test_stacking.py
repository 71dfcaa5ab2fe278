"""Stacks from the shelf: exact, and never slow enough to wait for."""

import itertools
import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError, TooLargeError
from elmpeg.core.methods.fastening.spacer_stacks import StockKind, best_stacks
from tests.effort import at_most


def rank(count, error, tolerance):
    """The definition: within tolerance by pieces then error, the rest by error then pieces."""
    error = round(abs(error), 6)
    return (0, count, error) if error <= tolerance + 1e-9 else (1, error, count)


def by_trying_all(gap, tolerance, stock, most):
    """Ranks of the five best, found the slow way."""
    found = []
    for counts in itertools.product(*(range(min(k.qty, most) + 1) for k in stock)):
        pieces = sum(counts)
        error = sum(k.mm * n for k, n in zip(stock, counts, strict=True)) - gap
        if pieces <= most and (pieces or abs(error) <= tolerance + 1e-9):
            found.append(rank(pieces, error, tolerance))
    return sorted(found)[:5]


SIZES = st.sampled_from([0.5, 1.0, 1.6, 2.5, 3.175, 4.0, 6.0, 6.35, 12.0, 25.0, 38.1])


class Exact(unittest.TestCase):
    """The answer is the definition's."""

    def ranks(self, gap, tolerance, stock, most):
        return [rank(o.count, o.error_mm, tolerance) for o in best_stacks(gap, tolerance, stock, most)]

    @settings(max_examples=150)
    @given(
        st.floats(0, 90).map(lambda v: round(v, 2)),
        st.sampled_from([0.0, 0.3, 0.5, 2.0, 60.0]),
        st.lists(st.tuples(SIZES, st.integers(0, 4)), max_size=4),
        st.integers(1, 7),
    )
    def test_small_shelves_against_trying_everything(self, gap, tolerance, kinds, most):
        stock = tuple(StockKind(f"k{i}", mm, qty) for i, (mm, qty) in enumerate(kinds))
        self.assertEqual(self.ranks(gap, tolerance, stock, most), by_trying_all(gap, tolerance, stock, most))

    def test_large_shelves_take_the_other_way_and_agree(self):
        """Seven kinds of nine pieces are too many to try one by one, so the totals are searched instead."""
        rng = random.Random(7)
        for _ in range(4):
            stock = tuple(StockKind(f"k{i}", rng.randint(5, 400) / 10, 5) for i in range(7))
            gap = rng.randint(100, 900) / 10
            with self.subTest(gap=gap):
                self.assertEqual(self.ranks(gap, 0.2, stock, 8), by_trying_all(gap, 0.2, stock, 8))

    def test_thickest_first_would_be_wrong(self):
        """30 mm from 25s and 15s: the greedy 25 leaves 5 over; two 15s fill it."""
        best = best_stacks(30, 0.1, (StockKind("a", 25, 1), StockKind("b", 15, 2)), 4)[0]
        self.assertEqual([(p.id, p.count) for p in best.pieces], [("b", 2)])

    def test_no_more_pieces_than_there_are(self):
        for option in best_stacks(10, 0.1, (StockKind("two", 2, 3), StockKind("one", 1, 2)), 12):
            used = {p.id: p.count for p in option.pieces}
            self.assertLessEqual(used.get("two", 0), 3)
            self.assertLessEqual(used.get("one", 0), 2)
            self.assertAlmostEqual(option.total_mm - 10, option.error_mm)

    def test_pieces_of_the_same_total_are_separate_choices(self):
        best = best_stacks(12, 0.0, (StockKind("a", 6, 2), StockKind("b", 5, 1), StockKind("c", 7, 1)), 2)
        self.assertEqual({tuple((p.id, p.count) for p in o.pieces) for o in best[:2]}, {(("a", 2),), (("c", 1), ("b", 1))})

    def test_nothing_is_a_stack_only_where_nothing_is_needed(self):
        self.assertEqual(best_stacks(0.3, 0.5, (StockKind("a", 25, 1),), 3)[0].count, 0)
        self.assertEqual([o.count for o in best_stacks(3, 0.5, (StockKind("a", 25, 1),), 3)], [1])
        self.assertEqual(best_stacks(3, 0.5, (), 3), ())


class Bounded(unittest.TestCase):
    """Finish or refuse within 2 s; the test allows itself half of that on any machine likely to run it."""

    def test_the_largest_requests(self):
        rng = random.Random(3)
        shelves = {
            "hundredths": [rng.randint(1, 5000) / 100 for _ in range(40)],
            "sixty-fourths of an inch": [i * 25.4 / 64 for i in range(1, 41)],
            "thousandths": [rng.randint(1000, 50000) / 1000 for _ in range(40)],
            "no common step": [rng.random() * 50 for _ in range(40)],
            "all alike": [2.5] * 40,
            "long": [i * 1000 for i in range(1, 41)],
        }
        for name, sizes in shelves.items():
            stock = tuple(StockKind(str(i), mm, 12) for i, mm in enumerate(sizes))
            for gap, tolerance in ((38.4, 0.0), (600.0, 0.5), (99000.0, 0.5)):
                with self.subTest(name, gap=gap), at_most(self, cpu_s=4.0):
                    try:
                        self.assertEqual(len(best_stacks(gap, tolerance, stock, 12)), 5)
                    except TooLargeError as refused:
                        self.assertIn("round them", str(refused))

    def test_refusals(self):
        one = (StockKind("a", 5, 1),)
        cases = [
            (lambda: best_stacks(-3, 0.5, one, 6), "gap_mm"), (lambda: best_stacks(3, -1, one, 6), "tolerance_mm"),
            (lambda: best_stacks(3, 0.5, one, 0), "max_pieces"), (lambda: best_stacks(3, 0.5, one, 13), "max_pieces"),
            (lambda: best_stacks(3, 0.5, (StockKind("a", 0, 1),), 6), "stock.0.mm"), (lambda: best_stacks(3, 0.5, one + one, 6), "stock.1.id"),
            (lambda: best_stacks(3, 0.5, (StockKind("a", 1, -1),), 6), "stock.0.qty"),
            (lambda: best_stacks(3, 0.5, tuple(StockKind(str(i), 1, 1) for i in range(41)), 6), "stock"),
        ]  # fmt: skip
        for ask, field in cases:
            with self.subTest(field), self.assertRaises(InputError) as refused:
                ask()
            self.assertEqual(refused.exception.errors[0].field, field)
