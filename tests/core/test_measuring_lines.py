"""Lengths and slopes of drivelines, and leans, called out at the vehicle: taken once, judged with the others, and taken back."""

import unittest
from itertools import pairwise

from elmpeg.core.base.errors import InputError
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.stages.measure.measuring_list import LINES, Entry, quantities, understood, with_entry, without_entry
from elmpeg.demo import cairn
from elmpeg.web.drawing.survey import asked_sheet
from elmpeg.web.showing import Show

BUILD = cairn.build()
WHEN = "2026-11-20T10:00:00"


def entry(asked, text, tool, key="abcdefgh1"):
    return Entry(key, asked, text, tool, WHEN)


class Lines(unittest.TestCase):
    def test_every_shaft_and_member_of_every_line_is_asked_for(self):
        asked = [q.id for q in quantities(BUILD, LINES)]
        for line in BUILD.drivelines:
            ids = [j.id for j in line.joints]
            for near, far in pairwise(ids):
                self.assertIn(f"l:{line.id}:{near}:{far}", asked)
            for near, far in zip(["", *ids], [*ids, ""], strict=True):
                self.assertIn(f"g:{line.id}:{near}:{far}", asked)
        self.assertEqual(len(asked), len(set(asked)))

    def test_a_length_and_a_slope_go_to_their_line_and_come_out_again(self):
        angle = next(t.id for t in BUILD.tools if t.sd_deg > 0)
        for asked, text, tool, kept in (
            ("l:rear:J1:J2", "1318.5", "tape", lambda b: (b.lengths[-1].value_mm, b.lengths[-1].stance)),
            ("g:rear::J1", "3.2", angle, lambda b: (b.slopes[-1].value_deg, b.slopes[-1].stance)),
        ):
            with self.subTest(asked):
                taken = with_entry(BUILD, entry(asked, text, tool), "mm", "Teo Marsh").build
                require_sound(taken)
                self.assertEqual(kept(taken), (float(text), "ride"))
                back = without_entry(taken, "abcdefgh1")
                self.assertEqual((back.lengths, back.slopes), (BUILD.lengths, BUILD.slopes))

    def test_a_lean_turns_the_axis_and_back(self):
        point = next(q.point for p in ("vehicle", *(c.id for c in BUILD.components)) for q in quantities(BUILD, p) if q.id.startswith("d:"))
        angle = next(t.id for t in BUILD.tools if t.sd_deg > 0)
        before = BUILD.point(point)
        taken = with_entry(BUILD, entry(f"d:{point}", "5", angle), "mm", "Teo Marsh").build
        self.assertEqual(len(taken.point(point).leans), len(before.leans) + 1)
        self.assertNotEqual(taken.point(point).axis, before.axis)
        self.assertEqual(without_entry(taken, "abcdefgh1").point(point).leans, before.leans)

    def test_each_is_drawn_where_it_hangs_on_a_point(self):
        for scope in (LINES, "vehicle", *(c.id for c in BUILD.components)):
            for quantity in quantities(BUILD, scope):
                drawn = str(asked_sheet(BUILD, quantity, Show()))
                self.assertEqual(drawn.startswith("<svg"), bool(quantity.point), quantity.id)

    def test_what_makes_no_sense_is_refused_in_words(self):
        for asked, text, tool, words in (
            ("l:rear:J1:J9", "1300", "tape", "not in the build"), ("l:rear:J1:J2", "-4", "tape", "above 0"),
            ("g:rear::J1", "75", "gauge", "below 60"), ("d:nowhere", "1", "gauge", "not in the build"), ("l:rear:J1:J2", "long", "tape", "long"),
        ):  # fmt: skip
            with self.subTest(asked), self.assertRaises(InputError) as refused:
                understood(BUILD, entry(asked, text, tool), "mm")
            self.assertIn(words, str(refused.exception))
        with self.assertRaises(InputError):
            with_entry(BUILD, entry("g:rear::J1", "3", "tape"), "mm", "Teo Marsh")


if __name__ == "__main__":
    unittest.main()
