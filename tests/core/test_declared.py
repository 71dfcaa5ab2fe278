"""What fields declare of their figures: a unit for every one, ranges that are held, and refusals that find their field."""

import re
import unittest
from dataclasses import dataclass, fields, is_dataclass, replace
from typing import Annotated, get_args, get_type_hints

from elmpeg.core.base.declared import (
    NOT_NEGATIVE,
    POSITIVE,
    Called,
    In,
    Within,
    all_records,
    called,
    declared,
    unit_named,
    unit_of,
    without_unit,
)
from elmpeg.core.build.document import ENTITIES, Build
from elmpeg.core.integrity.ranges import out_of_range
from elmpeg.core.integrity.sound import problems
from elmpeg.demo import cairn
from elmpeg.web.forms import Form, typed_fields
from elmpeg.web.refusals import meant_field
from elmpeg.web.showing import Show


def holds_figures(hint):
    """Whether a field is a figure, or figures in a row."""
    return hint is float or any(holds_figures(arg) for arg in get_args(hint) if not (isinstance(arg, type) and is_dataclass(arg)))


@dataclass(frozen=True, slots=True)
class Spring:
    """A made-up record, with figures of many units."""

    id: str
    name: str
    rate_n_mm: Annotated[float, POSITIVE]
    torque_nm: float = 0.0
    density_kg_m3: float = 0.0
    free_mm: Annotated[float, Within(10.0, 500.0)] = 100.0
    heights_mm: Annotated[tuple[float, ...], NOT_NEGATIVE] = ()
    weight_kg: float = 0.0


class Units(unittest.TestCase):
    def test_every_figure_of_a_build_has_one(self):
        found = 0
        for cls in all_records(Build):
            for name, hint in get_type_hints(cls).items():
                if name in {f.name for f in fields(cls)} and holds_figures(hint):
                    found += 1
                    with self.subTest(cls.__name__, field=name):
                        self.assertIsNotNone(unit_of(cls, name))
            for name, said in declared(cls, In):
                if said.beside and " " not in said.beside:
                    self.assertIn(said.beside, {f.name for f in fields(cls)}, (cls, name))
        self.assertGreater(found, 150)

    def test_the_longest_ending_counts(self):
        for name, unit in (
            ("rate_n_mm", "n_mm"), ("mm", "mm"), ("area_mm2", "mm2"), ("torque_nm", "nm"), ("density_kg_m3", "kg_m3"), ("at_deg", "deg"),
            ("comm", None), ("degrees", None), ("shaft_accel_rad_s2", "rad_s2"), ("coast_share", "ratio"),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertEqual(unit_named(name), unit)
        self.assertEqual(
            [without_unit(n) for n in ("rate_n_mm", "gap_mm", "axle_ratio", "crawler_rpm")], ["rate", "gap", "axle_ratio", "crawler_rpm"]
        )

    def test_a_rate_is_typed_as_a_rate_whatever_lengths_are_read_in(self):
        typed = {"name": "front", "rate_n_mm": "0.4", "free_mm": "2", "weight_kg": "10 lb", "torque_nm": "3"}
        for units, free in (("mm", 2.0), ("in_decimal", 50.8)):
            form = Form(lambda f: typed.get(f, ""), lambda f: f in typed, Show(units))
            made = form.record(Spring, "", {"id": "s", "heights_mm": ()})
            form.require()
            self.assertEqual((made.rate_n_mm, made.free_mm, made.torque_nm), (0.4, free, 3.0))
            self.assertAlmostEqual(made.weight_kg, 4.5359237)
        self.assertEqual({t.name: (t.kind, t.unit) for t in typed_fields(Spring, partly=True)}["rate_n_mm"], ("number", "n_mm"))


BEFORE_A_NAME_OR_A_DAY = ("by", "at")
SAYS_TOO_LITTLE = re.compile(r"[a-wA-W]|kg|mm|px|sd|to|from|at|by|got|far|near|out|use|way|off|up|on")


class Names(unittest.TestCase):
    def test_what_people_read_for_a_field_says_what_it_is(self):
        looked = 0
        for entity in ENTITIES.values():
            for cls in {inner for record in entity.records for inner in all_records(record)}:
                for typed in typed_fields(cls, partly=True):
                    looked += 1
                    with self.subTest(cls.__name__, field=typed.name):
                        self.assertFalse(SAYS_TOO_LITTLE.fullmatch(typed.label) and typed.name not in BEFORE_A_NAME_OR_A_DAY)
                        self.assertNotIn("_", typed.label)
        self.assertGreater(looked, 300)

    def test_a_name_that_is_declared_goes_before_its_own(self):
        @dataclass(frozen=True, slots=True)
        class Rod:
            reach_mm: Annotated[float, Called("from pin to pin")] = 0.0
            lower_point: str = ""

        self.assertEqual([called(Rod, n) for n in ("reach_mm", "lower_point")], ["from pin to pin", "lower"])
        self.assertEqual([t.label for t in typed_fields(Rod)], ["from pin to pin", "lower"])


class Ranges(unittest.TestCase):
    def test_each_end_as_it_is_declared(self):
        for within, inside, outside in (
            (POSITIVE, (1e-9, 5.0), (0.0, -1.0)), (NOT_NEGATIVE, (0.0,), (-1e-9,)), (Within(0.0, 90.0, "both"), (45.0,), (0.0, 90.0)),
            (Within(1, 12), (1, 12), (0, 13)), (Within(0.0, 9.0, "most"), (0.0,), (9.0,)),
        ):  # fmt: skip
            for value in inside:
                self.assertTrue(within.holds(value), (within, value))
            for value in outside:
                self.assertFalse(within.holds(value), (within, value))
        self.assertEqual(Within(0.0, 90.0, "both").words("deg"), "must be above 0° and below 90°")
        self.assertEqual((Within(1, 12).words("count"), POSITIVE.words("mm")), ("must be 1 to 12", "must be above 0 mm"))

    def test_where_it_stands_is_told(self):
        spring = Spring("s", "front", 0.0, free_mm=600.0, heights_mm=(1.0, -2.0))
        self.assertEqual(
            list(out_of_range("springs", (replace(spring, rate_n_mm=1.0, free_mm=20.0, heights_mm=()), spring))),
            [
                ("springs.1.rate_n_mm", "must be above 0 N/mm"),
                ("springs.1.free_mm", "must be 10 to 500 mm"),
                ("springs.1.heights_mm.1", "must be at least 0 mm"),
            ],
        )

    def test_every_declared_range_is_asked_of_a_build(self):
        build, tried = cairn.build(), 0
        for cls in all_records(Build):
            for name, within in declared(cls, Within):
                for wrong in ([within.least - 1] if within.least is not None else []) + (
                    [within.most + 1] if within.most is not None else []
                ):
                    made = with_first(build, cls, name, wrong)
                    if made is None:
                        continue
                    tried += 1
                    with self.subTest(cls.__name__, field=name, value=wrong):
                        self.assertTrue(
                            any(name in e.field and e.message.startswith("must be") for e in problems(made)), problems(made)[:3]
                        )
        self.assertGreater(tried, 90)


class BesideItsField(unittest.TestCase):
    def test_a_place_in_the_document_finds_the_field_of_the_form(self):
        for place, fields_of, field in (
            ("mounts.3.bush.loaded_mm", ("free", "loaded"), "loaded"), ("rooms.0.at_least_mm", ("at_least_mm", "sd_mm"), "at_least_mm"),
            ("axles.1.upper.engaged_mm", ("upper_engaged_mm", "engaged_mm"), "upper_engaged_mm"), ("points.2.xyz_mm", ("at_x",), "points.2.xyz_mm"),
            ("thread", ("thread",), "thread"), ("final", ("to",), "final"),
        ):  # fmt: skip
            with self.subTest(place):
                self.assertEqual(meant_field(place, fields_of), field)


def with_first(value, cls, name, wrong):
    """A document with a figure of the first record of a kind set; None where it has none, or where nothing stands there."""
    if type(value) is cls:
        now = getattr(value, name)
        return None if now is None or now == () else replace(value, **{name: (wrong, *now[1:]) if isinstance(now, tuple) else wrong})
    if isinstance(value, tuple):
        for k, item in enumerate(value):
            made = with_first(item, cls, name, wrong)
            if made is not None:
                return (*value[:k], made, *value[k + 1 :])
    elif is_dataclass(value):
        for f in fields(value):
            made = with_first(getattr(value, f.name), cls, name, wrong)
            if made is not None:
                return replace(value, **{f.name: made})
    return None


if __name__ == "__main__":
    unittest.main()
