"""Threads and bolts: tables that agree with themselves, threads as people write them, lengths worked a second way."""

import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.hardware import Fastener
from elmpeg.core.methods.fastening.bolt_length import ENGAGEMENT_DIAMETERS, NutEnd, TappedEnd, bolt_choice, stock_lengths_mm
from elmpeg.core.methods.fastening.fasteners import (
    LOCKING_NUT_MM,
    SIZES,
    STANDARDS,
    THREADS,
    largest_through,
    ring_outside_mm,
    size_of,
    socket_outside_mm,
    thread,
)
from elmpeg.core.stages.mount.bolt_section import nut_height_mm


class Tables(unittest.TestCase):
    """A figure copied wrongly would drill a wrong hole."""

    def test_every_size_is_consistent(self):
        for name, size in SIZES.items():
            with self.subTest(name):
                d = next(t.d_mm for t in THREADS.values() if t.size == name)
                self.assertTrue(d < size.close_mm < size.normal_mm < size.loose_mm < 1.3 * d + 1)
                self.assertTrue(d < size.washer.inside_mm < size.washer.outside_mm)
                self.assertLess(size.hex.flats_mm / d, 2.01)
                self.assertGreaterEqual(size.washer.outside_mm, size.nut.flats_mm)
                self.assertTrue(0.55 * d < size.hex.height_mm < 0.75 * d)
                self.assertTrue(0.65 * d < size.nut.height_mm < 0.96 * d)
                self.assertTrue(size.socket.height_mm == d or abs(size.socket.height_mm - d) < 1e-6)
                if size.countersunk is not None:
                    self.assertTrue(1.8 * d < size.countersunk.across_mm < 2.3 * d)

    def test_sizes_grow(self):
        for series in ("M", ""):
            some = [s for n, s in SIZES.items() if n.startswith("M") == bool(series)]
            for smaller, larger in pairwise(some):
                for figure in ("close_mm", "normal_mm", "loose_mm"):
                    self.assertLess(getattr(smaller, figure), getattr(larger, figure))
                self.assertLess(smaller.nut.height_mm, larger.nut.height_mm)

    def test_a_tap_drill_leaves_between_60_and_85_percent_of_thread(self):
        for found in THREADS.values():
            with self.subTest(found.name):
                share = (found.d_mm - found.tap_drill_mm) / (1.299 * found.pitch_mm)
                self.assertTrue(0.6 < share < 0.87, share)

    def test_fine_threads_are_finer_and_each_table_names_its_standard(self):
        for name in SIZES:
            pitches = [t.pitch_mm for t in THREADS.values() if t.size == name]
            self.assertEqual(pitches, sorted(pitches, reverse=True))
            self.assertGreaterEqual(len(pitches), 2)
        self.assertTrue(all(names["metric"] and names["inch"] for names in STANDARDS.values()))
        self.assertLess(size_of(thread("M12")).nut.flats_mm, socket_outside_mm(18))
        self.assertLess(socket_outside_mm(18), ring_outside_mm(18))

    def test_as_people_write_them(self):
        for text, name in (
            ("M12x1.75", "M12x1.75"), ("m12", "M12x1.75"), ("M 10 × 1,25", "M10x1.25"), ("1/2-13 UNC", "1/2-13 UNC"), ("1/2-13", "1/2-13 UNC"),
            ('5/16"-24', "5/16-24 UNF"), ("#10-32", "#10-32 UNF"), ("3/8 UNC", "3/8-16 UNC"), ("No.10-24", "#10-24 UNC"),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(thread(text.replace("M 10", "M10")).name, name)
        for text, words in (
            ("M11.3x9", "not a known thread"),
            ("M12x3", "M12 has M12x1.75"),
            ("1/2-14", "1/2 has 1/2-13"),
            ("", "not a known"),
            ("M12x1.75x40", "not a known"),
        ):
            with self.subTest(text), self.assertRaises(InputError) as refused:
                thread(text)
            self.assertIn(words, str(refused.exception))

    def test_the_largest_bolt_through_a_hole(self):
        self.assertEqual(largest_through(13.0)[0], "M12")
        self.assertNotIn("M12", largest_through(12.9))
        self.assertEqual(largest_through(2.0), ())


class FinerThreadsAndLockingNuts(unittest.TestCase):
    """What ISO 261 has besides, and nuts that lock."""

    def test_the_finer_threads_of_iso_261_are_there_with_a_drill_of_about_diameter_less_pitch(self):
        for d, pitch in ((8, 0.75), (10, 0.75), (12, 1.0), (14, 1.25), (16, 1.0), (20, 1.0)):
            found = thread(f"M{d}x{pitch:g}")
            self.assertEqual((found.d_mm, found.pitch_mm), (d, pitch))
            self.assertAlmostEqual(found.tap_drill_mm, d - pitch, delta=0.051)
            self.assertLess(pitch, thread(f"M{d}").pitch_mm, "a bare name stays the coarse thread")

    def test_a_locking_nut_is_higher_than_a_plain_one_by_its_ring_and_never_by_half(self):
        for name, high in LOCKING_NUT_MM.items():
            plain_mm = SIZES[name].nut.height_mm
            self.assertGreater(high, plain_mm, name)
            self.assertLess(high - plain_mm, max(0.5 * plain_mm, 3.0) + 2.0, name)
        # By ISO 7040, as its table gives them.
        self.assertEqual([LOCKING_NUT_MM[n] for n in ("M6", "M8", "M10", "M12", "M16", "M20")], [8.0, 9.5, 11.9, 14.9, 19.1, 22.8])
        self.assertEqual(set(SIZES) - set(LOCKING_NUT_MM), {"M18"})

    def test_a_section_takes_it_and_a_fine_thread_takes_the_same(self):
        for name, high in (("M8x1.25", 9.5), ("M8x0.75", 9.5), ("M18x1.5", 22.8), ("3/8-16", 0.468 * 25.4)):
            self.assertAlmostEqual(nut_height_mm(thread(name), Fastener(name, end="locking nut")), high)
        self.assertAlmostEqual(nut_height_mm(thread("M8"), Fastener("M8", end="nut")), 6.8)
        self.assertAlmostEqual(nut_height_mm(thread("M8"), Fastener("M8", end="locking nut", nut_mm=8.1)), 8.1)


class Lengths(unittest.TestCase):
    """The shortest that fits, by trying every one."""

    layers = st.lists(st.floats(0.5, 60), min_size=1, max_size=4)

    @given(name=st.sampled_from(sorted(THREADS)), layers=layers, nut=st.floats(2, 20))
    def test_through_a_nut(self, name, layers, nut):
        found = THREADS[name]
        choice = bolt_choice(found, tuple(layers), (), NutEnd(nut))
        enough = [v for v in stock_lengths_mm(found.series) if v - sum(layers) - nut >= 2 * found.pitch_mm - 1e-6]
        self.assertEqual(choice.length_mm, min(enough, default=None))
        if enough:
            self.assertAlmostEqual(choice.protrusion_threads * found.pitch_mm, choice.protrusion_mm)
            self.assertEqual({c.verdict for c in choice.checks}, {"holds"})
        else:
            self.assertEqual([c.verdict for c in choice.checks], ["fails"])

    @given(
        name=st.sampled_from(sorted(THREADS)), layers=layers, depth=st.floats(4, 60), parent=st.sampled_from(sorted(ENGAGEMENT_DIAMETERS))
    )
    def test_into_a_blind_hole_it_holds_and_never_bottoms(self, name, layers, depth, parent):
        found = THREADS[name]
        choice = bolt_choice(found, tuple(layers), (), TappedEnd(depth, parent, True))
        if choice.length_mm is not None:
            self.assertLessEqual(choice.length_mm, sum(layers) + depth - found.pitch_mm + 1e-6)
            self.assertGreaterEqual(choice.engagement_diameters, ENGAGEMENT_DIAMETERS[parent] - 1e-6)
        else:
            lengths = [v for v in stock_lengths_mm(found.series) if choice.min_length_mm - 1e-6 <= v <= choice.max_length_mm + 1e-6]
            self.assertEqual(lengths, [])

    def test_a_fitted_bolt_is_judged_as_it_is(self):
        short = bolt_choice(thread("M12"), (57.0,), (), NutEnd(12), None, 70.0)
        self.assertEqual([c.verdict for c in short.checks], ["fails"])
        self.assertIn("2.5 mm more", short.checks[0].why)
        long = bolt_choice(thread("M8"), (34.6,), (), TappedEnd(20, "aluminium", True), None, 55.0)
        self.assertEqual({c.code: c.verdict for c in long.checks}, {"engagement": "holds", "bottoms": "fails"})
        with self.assertRaises(InputError):
            bolt_choice(thread("M8"), (-1.0,), (), NutEnd(6))
