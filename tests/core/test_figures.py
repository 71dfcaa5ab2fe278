"""One figure of a build set by where it stands."""

import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.advice.made_remedy import newly_out, with_remedy
from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.quantities import mm, words
from elmpeg.core.build.figures import with_figure
from elmpeg.core.build.options import stack_of
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.judging.checks import STACKS, Change, Remedy
from elmpeg.demo import cairn

CAIRN = cairn.build()


class Figures(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.sampled_from(CAIRN.mounts), st.floats(1.0, 90.0))
    def test_it_is_set_and_all_else_stays(self, mount, to):
        made = with_figure(CAIRN, "mounts", mount.id, "tolerance_mm", to)
        self.assertEqual(made.mount(mount.id).tolerance_mm, to)
        back = with_figure(made, "mounts", mount.id, "tolerance_mm", mount.tolerance_mm)
        self.assertEqual(back, CAIRN)

    def test_rows_are_found_by_id_or_by_place(self):
        line = CAIRN.drivelines[0]
        made = with_figure(CAIRN, "drivelines", line.id, "shafts.0.slip_in_mm", 77.0)
        self.assertEqual(made.driveline(line.id).shafts[0].slip_in_mm, 77.0)
        self.assertEqual(made.driveline(line.id).shafts[1:], line.shafts[1:])
        pattern = CAIRN.pattern("seat-marked")
        made = with_figure(CAIRN, "patterns", pattern.id, "holes.c.hole_mm", 12.0)
        self.assertEqual([h.hole_mm for h in made.pattern(pattern.id).holes], [12.0 if h.id == "c" else h.hole_mm for h in pattern.holes])

    def test_a_name_with_dots_in_it_is_found(self):
        pattern = CAIRN.pattern("seat-marked")
        dotted = replace(pattern, holes=tuple(replace(h, id=f"{h.id}.1") for h in pattern.holes))
        build = replace(CAIRN, patterns=tuple(dotted if p.id == pattern.id else p for p in CAIRN.patterns))
        made = with_figure(build, "patterns", pattern.id, "holes.c.1.hole_mm", 12.0)
        self.assertEqual([h.hole_mm for h in made.pattern(pattern.id).holes if h.id == "c.1"], [12.0])

    def test_a_way_that_leads_nowhere_is_refused(self):
        for of, thing, path in (
            ("mounts", "nobody", "bolt_mm"), ("mounts", "GM", "colour"), ("patterns", "seat-marked", "holes.z.hole_mm"),
            ("drivelines", "rear", "shafts.9.slip_in_mm"), ("mounts", "GM", "bolt_mm.deep"),
        ):  # fmt: skip
            with self.subTest(path), self.assertRaises(MissingError):
                with_figure(CAIRN, of, thing, path, 1.0)


class Made(unittest.TestCase):
    def test_a_stack_is_one_piece_made_to_measure_and_goes_at_nothing(self):
        fill = Remedy(words("Fill {0}.", mm(9.0)), changes=(Change(STACKS, "GM", "", 9.0),))
        made = with_remedy(CAIRN, "low", fill)
        self.assertEqual(stack_of(made.option("low"), "GM").total_mm, 9.0)
        self.assertTrue(fill.settles_a_stack and fill.can_be_made)
        gone = with_remedy(made, "low", Remedy(words("Out."), changes=(Change(STACKS, "GM", "", 0.0),)))
        self.assertIsNone(stack_of(gone.option("low"), "GM"))
        with self.assertRaises(InputError):
            with_remedy(CAIRN, "lifted", fill)

    def test_advice_changes_nothing_and_puts_nothing_out(self):
        advice = Remedy(words("Ask somebody."))
        self.assertIs(with_remedy(CAIRN, "low", advice), CAIRN)
        self.assertEqual(newly_out(CAIRN, "low", advice), ())

    def test_what_a_figure_newly_puts_out_is_told(self):
        """A bolt made far too short for what it goes through fails where it held."""
        held = next(c for c in evaluate(CAIRN, "low").checks if c.code.endswith(".proud") and c.verdict == "holds")
        mount = held.ids("mounts")[0]
        out = newly_out(CAIRN, "low", Remedy(words("Shorter."), changes=(Change("mounts", mount, "fastener.length_mm", 10.0),)))
        self.assertEqual([c.code for c in out], [held.code])


if __name__ == "__main__":
    unittest.main()
