"""Rows that are made at the first look, and records changed quickly."""

import unittest
from dataclasses import replace

from elmpeg.core.base.later import Later
from elmpeg.core.base.record import changed, record
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.demo import cairn
from tests.core.test_kept_reads import forget


@record
class Thing:
    """A record to change."""

    name: str
    size_mm: float
    of: tuple[str, ...] = ()


class Rows(unittest.TestCase):
    def made_of(self, things):
        looks = []

        def make():
            looks.append(1)
            return things

        return Later(make), looks

    def test_made_once_and_only_when_looked_at(self):
        row, looks = self.made_of(("a", "b", "c"))
        self.assertEqual(looks, [])
        self.assertEqual((len(row), row[1], row[1:], list(row)), (3, "b", ("b", "c"), ["a", "b", "c"]))
        self.assertEqual(looks, [1])

    def test_equal_to_a_row_of_the_same_things(self):
        row, _ = self.made_of(("a", "b"))
        other, _ = self.made_of(("a", "b"))
        self.assertEqual(row, ("a", "b"))
        self.assertEqual(row, other)
        self.assertNotEqual(row, ("a",))
        self.assertNotEqual(row, ["a", "b"])
        self.assertEqual(hash(row), hash(("a", "b")))
        self.assertFalse(self.made_of(())[0])

    def test_nothing_of_an_evaluation_is_looked_for_before_it_is_looked_at(self):
        # What is kept from before may have been looked at by then.
        forget()
        found = [c for c in evaluate(cairn.build(), "low").checks if c.verdict == "fails" and isinstance(c.remedies, Later)]
        self.assertGreaterEqual(len(found), 3)
        for check in found:
            self.assertIsNotNone(check.remedies._make, check.code)
            self.assertTrue(check.remedies, "and then it is there")


class Changed(unittest.TestCase):
    def test_as_the_library_does_it(self):
        thing = Thing("a", 2.0, ("x",))
        for fields in ({}, {"name": "b"}, {"size_mm": 3.0, "of": ()}):
            self.assertEqual(changed(thing, **fields), replace(thing, **fields))
        self.assertEqual(thing, Thing("a", 2.0, ("x",)))

    def test_a_field_that_is_not_there_is_refused(self):
        with self.assertRaises(TypeError):
            changed(Thing("a", 2.0), nmae="b")


if __name__ == "__main__":
    unittest.main()
