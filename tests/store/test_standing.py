"""Builds put away, removed and forgotten; and the parts book with its versions."""

import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.starters.book_part import begun
from elmpeg.core.starters.forms import FORMS
from elmpeg.core.starters.given import Given
from elmpeg.core.starters.vehicle import vehicle_begun
from elmpeg.store.revisions import Author
from tests.empty import EmptyShop
from tests.shop import TestShop

IDA = Author(None, "Ida Quill")


def renamed(build):
    return replace(build, name=f"{build.name} again")


class Standing(unittest.TestCase):
    """Where builds stand."""

    def setUp(self):
        self.shop = EmptyShop()
        self.builds = self.shop.shop.builds
        self.id = self.builds.add(vehicle_begun("bare", "Kestrel", "", {}), IDA, "Began").build.id

    def tearDown(self):
        self.shop.close()

    def test_a_build_is_in_one_place_at_a_time(self):
        for where in ("archived", "removed", "in work", "removed", "archived", "in work"):
            self.builds.put(self.id, where, IDA)
            self.assertEqual(self.builds.standing(self.id).where, where)
            self.assertEqual([w for w in ("in work", "archived", "removed") if self.builds.ids(w)], [where])

    def test_what_is_put_away_can_be_looked_at_and_not_changed(self):
        for where in ("archived", "removed"):
            self.builds.put(self.id, where, IDA)
            with self.assertRaises(InputError) as refused:
                self.builds.change(self.id, 1, IDA, "Renamed", renamed)
            self.assertIn(where, str(refused.exception))
            self.assertEqual(self.builds.head(self.id).build.name, "Kestrel")
        self.builds.put(self.id, "in work", IDA)
        self.assertEqual(self.builds.change(self.id, 1, IDA, "Renamed", renamed).head.build.name, "Kestrel again")

    def test_a_removed_build_is_forgotten_after_its_time_and_its_name_is_free_again(self):
        self.builds.put(self.id, "removed", IDA)
        now = datetime.now(UTC)
        self.assertEqual(self.builds.forget_removed(now - timedelta(days=1)), 0)
        self.assertEqual(self.builds.forget_removed(now + timedelta(seconds=1)), 1)
        with self.assertRaises(MissingError):
            self.builds.head(self.id)
        again = self.builds.add(vehicle_begun("ladder", "Kestrel", "", {}), IDA, "Began anew")
        self.assertEqual(again.build.id, self.id)
        self.assertTrue(self.builds.head(self.id).build.solids, "nothing of the old one is remembered")


class Reserved(unittest.TestCase):
    """What a removed build had reserved."""

    def test_it_lies_on_the_shelf_again(self):
        shop = TestShop()
        self.addCleanup(shop.close)
        held = [h for h in shop.shop.shelf.held("cairn-2") if h.state == "reserved"]
        self.assertTrue(held)
        shop.shop.builds.put("cairn-2", "removed", IDA)
        self.assertEqual([h for h in shop.shop.shelf.held("cairn-2") if h.state == "reserved"], [])


class BookOfParts(unittest.TestCase):
    """The parts book."""

    def setUp(self):
        self.shop = EmptyShop()
        self.book = self.shop.shop.book
        form = FORMS["seat"]
        self.part = begun(form, Given(form.figures, {"width_mm": 455.0}), "Attendant seat")

    def tearDown(self):
        self.shop.close()

    def test_every_version_is_kept_as_it_was(self):
        first = self.book.keep(self.part, IDA, "Begun")
        heavier = replace(self.part, mass_kg=14.5, name="Folding seat")
        second = self.book.keep(heavier, IDA, "Weighed", first.id, 1)
        self.assertEqual((first.number, second.number), (1, 2))
        self.assertEqual(self.book.part(first.id, 1).part, self.part)
        self.assertEqual(self.book.part(first.id).part, heavier)
        self.assertEqual([v.words for v in self.book.versions(first.id)], ["Weighed", "Begun"])

    def test_two_people_do_not_write_over_each_other(self):
        first = self.book.keep(self.part, IDA, "Begun")
        self.book.keep(replace(self.part, mass_kg=14.5), IDA, "Weighed", first.id, 1)
        with self.assertRaises(InputError):
            self.book.keep(replace(self.part, mass_kg=15.5), IDA, "Weighed too", first.id, 1)

    def test_names_differ_among_the_parts_that_are_there(self):
        first = self.book.keep(self.part, IDA, "Begun")
        with self.assertRaises(InputError):
            self.book.keep(replace(self.part, name="attendant SEAT"), IDA, "Again")
        self.book.take_out(first.id)
        self.assertEqual(self.book.parts(), ())
        again = self.book.keep(self.part, IDA, "Again")
        self.assertNotEqual(again.id, first.id)
        self.assertEqual([k.id for k in self.book.parts(gone=True)], [first.id])

    def test_a_part_that_makes_no_sense_is_refused_whole(self):
        broken = replace(self.part, solids=(replace(self.part.solids[0], size_mm=(0.0, 1.0, 1.0)),))
        for part in (broken, replace(self.part, name="")):
            with self.assertRaises(InputError):
                self.book.keep(part, IDA, "Begun")
        self.assertEqual(self.book.parts(), ())


if __name__ == "__main__":
    unittest.main()
