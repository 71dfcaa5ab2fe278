"""Typed fields: each refused by its name, all at once, and never a default where something wrong was chosen."""

import unittest
from dataclasses import dataclass
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import ENTITIES
from elmpeg.web.forms import SPEEDS, Form, typed_fields
from elmpeg.web.pages.shop.things import general
from elmpeg.web.showing import Show


def form(units="mm", **fields):
    return Form(lambda name: fields.get(name, ""), lambda name: name in fields, Show(units))


def told(one):
    return {e.field: e.message for e in one.errors}


@dataclass(frozen=True)
class Inner:
    gap_mm: float
    to: str = ""


@dataclass(frozen=True)
class Whole:
    """One field of every kind that a record may have."""

    id: str
    name: str
    gap_mm: float
    pitch_deg: float
    at_mm: Vec3
    share: float
    count: int
    kind: Literal["a", "b"]
    inner: Inner
    hole_mm: float | None = None
    on: bool = False
    loose: tuple[str, ...] = ()
    note: str = "none"


ALL = {
    "name": " A   name ", "gap_mm": "1/2 in", "pitch_deg": "1° 30'", "at_mm_x": "1", "at_mm_y": "2", "at_mm_z": "-3", "share": "0.5",
    "count": "4", "kind": "b", "inner_gap_mm": "2", "inner_to": "", "on": "1",
}  # fmt: skip


class Units(unittest.TestCase):
    """What is no length nor angle, with its unit behind it."""

    def test_a_mass_in_either_unit(self):
        for text, kg in (("210", 210.0), ("210 kg", 210.0), ("463 lb", 463 * 0.45359237), ("1e2LBS", 100 * 0.45359237), (".5kg", 0.5)):
            one = form(mass=text)
            self.assertAlmostEqual(one.mass("mass"), kg, msg=text)
            self.assertEqual(one.errors, [])

    def test_another_unit_is_refused_with_those_there_are(self):
        for text in ("210 stone", "kg", "2,5 kg", "1e", "--4", "4 kg kg"):
            one = form(mass=text)
            one.mass("mass")
            self.assertIn("with kg or lb", told(one)["mass"])
        plain = form(n="4 kg")
        plain.number("n", 0, 9)
        self.assertIn("digits only", told(plain)["n"])

    def test_the_bounds_are_those_of_the_fields_own_unit(self):
        one = form(speed="300 mph")
        one.number("speed", 1, 400, units=SPEEDS)
        self.assertIn("out of range", told(one)["speed"])


class Fields(unittest.TestCase):
    def test_lengths_and_angles_in_the_persons_own_units(self):
        self.assertEqual(form(a="12.5").length("a"), 12.5)
        self.assertEqual(form("in_decimal", a="1").length("a"), 25.4)
        self.assertEqual(form(a="\u22121 1/2 in").length("a"), -38.1)
        self.assertEqual(form(a="2°").angle("a"), 2.0)
        self.assertEqual((form(a=" ").length_or_none("a"), form(a="").length("a", 7.0)), (None, 7.0))
        self.assertEqual(form(a="10; 20\n1 in").lengths("a"), (10.0, 20.0, 25.4))

    def test_what_is_wrong_is_refused_by_name_and_all_of_it_together(self):
        one = form(a="x", b="", c="12", d="z", e="1.5")
        self.assertEqual((one.length("a"), one.length("b"), one.angle("d")), (0.0, 0.0, 0.0))
        one.number("c", 0, 10)
        one.count("e", 0, 10)
        one.choice("d", ("p", "q"))
        self.assertEqual(set(told(one)), {"a", "b", "c", "d", "e"})
        with self.assertRaises(InputError) as refused:
            one.require()
        self.assertEqual([e.field for e in refused.exception.errors], ["a", "b", "d", "c", "e"])
        form(a="1").require()

    def test_a_wrong_choice_is_refused_and_never_a_default(self):
        for said, sent, answer, refused in (
            ("q", True, "q", False), ("nonsense", True, "p", True), ("", True, "p", True), ("", False, "p", False),
        ):  # fmt: skip
            with self.subTest(said, sent=sent):
                one = form(**({"a": said} if sent else {}))
                self.assertEqual(one.choice("a", ("p", "q"), "p"), answer)
                self.assertEqual("a" in told(one), refused)
        one = form(a="2")
        self.assertEqual(one.choice("a", (1, 2)), 2)
        self.assertIn("choose one of “p”, “q”", told_of(form(a="x")))

    def test_texts(self):
        one = form(a="  b   c ", long="x" * 50)
        self.assertEqual(one.text("a"), "b c")
        one.text("long", 40)
        self.assertIn("50 characters; keep it to 40", told(one)["long"])
        one.reason("nothing")
        self.assertIn("few words", told(one)["nothing"])
        self.assertEqual([form(a=v).tick("a") for v in ("1", "on", "", "0", "no")], [True, True, False, False, False])


def told_of(one):
    one.choice("a", ("p", "q"))
    return told(one)["a"]


class Records(unittest.TestCase):
    def test_a_whole_record_from_names_with_units(self):
        made = form(**ALL).record(Whole, given={"id": "w"})
        self.assertEqual(made, Whole("w", "A name", 12.7, 1.5, (1.0, 2.0, -3.0), 0.5, 4, "b", Inner(2.0), None, True, (), ""))

    def test_each_field_of_it_is_refused_under_its_own_name(self):
        for field, wrong in (
            ("gap_mm", "wide"), ("pitch_deg", "steep"), ("at_mm_y", "left"), ("share", "half"), ("count", "1.5"), ("kind", "c"), ("inner_gap_mm", "?"),
        ):  # fmt: skip
            with self.subTest(field):
                one = form(**{**ALL, field: wrong})
                one.record(Whole, given={"id": "w"})
                self.assertEqual(list(told(one)), [field])

    def test_references_are_chosen_among_what_is_there(self):
        one = form(**{**ALL, "inner_to": "nobody"})
        one.record(Whole, given={"id": "w"}, among={"inner.to": ("", "p1", "p2")})
        self.assertEqual(list(told(one)), ["inner_to"])

    def test_what_no_field_can_say_is_not_silently_left_out(self):
        @dataclass(frozen=True)
        class Untold:
            id: str
            rows: dict[str, float]

        with self.assertRaises(TypeError):
            typed_fields(Untold)

    def test_every_list_without_a_page_of_its_own_has_a_record_that_can_be_typed(self):
        for entity in ENTITIES.values():
            if not entity.page:
                with self.subTest(entity.list):
                    self.assertTrue(general(entity))
