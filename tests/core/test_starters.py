"""Beginnings: what is typed is as sure as the tape, what is not is assumed, and every shape and point says which."""

import math
import random
import statistics
import unittest
from dataclasses import replace
from typing import ClassVar

from elmpeg.core.advice.free_joints import suggested_line
from elmpeg.core.advice.neighbours import neighbours, with_rooms_watched
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose
from elmpeg.core.build.usual_cautions import HIGH_VOLTAGE
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.methods.shapes.solids import bounds_mm
from elmpeg.core.scene.point_from_readings import UNMEASURED_SD_MM
from elmpeg.core.starters.book_part import begun, better_known, put_in, require_sound_part, taken_from
from elmpeg.core.starters.forms import FORMS
from elmpeg.core.starters.given import TAPE_SD_MM, Figure, Given, questions
from elmpeg.core.starters.places import beside, first_place, with_wheels_on
from elmpeg.core.starters.vehicle import FIGURES, KINDS, vehicle_begun

SAMPLES = 120
"""Enough to know a scatter to within 7 %."""


def usual(form):
    """A form's figures typed in as they would be assumed."""
    return {f.name: f.usual for f in form.figures if not isinstance(f.usual, str)}


def given(form, typed, path=()):
    return Given(form.figures, typed, {p.name: p.choices[0][0] for p in form.picks}, path)


def part(form_id, typed=None, path=()):
    form = FORMS[form_id]
    return begun(form, given(form, typed or {}, path), form.name)


class EveryForm(unittest.TestCase):
    """All starter forms, as the table has them."""

    def test_each_makes_a_sound_part_from_nothing_and_from_all_its_figures(self):
        for form in FORMS.values():
            for typed in ({}, usual(form)):
                with self.subTest(form=form.id, typed=len(typed)):
                    made = begun(form, given(form, typed), form.name)
                    require_sound_part(made)
                    self.assertTrue(made.solids and made.points)

    def test_each_stays_sound_at_the_ends_of_what_makes_sense(self):
        for form in FORMS.values():
            for figure in form.figures:
                for value in (max(figure.low, 1.0) if figure.low >= 0 else figure.low, figure.high):
                    with self.subTest(form=form.id, figure=figure.name, value=value):
                        require_sound_part(begun(form, given(form, {figure.name: value}), form.name))

    def test_nothing_typed_is_assumed_throughout_and_says_what(self):
        for form in FORMS.values():
            made = part(form.id)
            with self.subTest(form=form.id):
                self.assertEqual({s.source for s in made.solids}, {"assumed"})
                self.assertGreater(min(s.sd_mm for s in made.solids), TAPE_SD_MM)
                self.assertIn("assumed", made.figures_from)

    def test_all_typed_is_measured_throughout(self):
        for form in FORMS.values():
            made = part(form.id, usual(form), ((0, 0, 0), (500, 0, 0)) if form.path else ())
            with self.subTest(form=form.id):
                self.assertEqual({s.source for s in made.solids} | {p.source for p in made.points}, {"measured"})
                self.assertLess(max(s.sd_mm for s in made.solids), 2 * TAPE_SD_MM)

    def test_one_figure_more_never_makes_anything_less_sure(self):
        for form in FORMS.values():
            bare, all_typed = part(form.id), usual(form)
            for name in all_typed:
                more = part(form.id, {name: all_typed[name]})
                with self.subTest(form=form.id, figure=name):
                    for a, b in zip(bare.solids, more.solids, strict=True):
                        self.assertLessEqual(b.sd_mm, a.sd_mm)

    def test_a_mass_is_kept_only_where_somebody_typed_it(self):
        for form in FORMS.values():
            with self.subTest(form=form.id):
                self.assertIsNone(part(form.id).mass_kg)
                self.assertEqual(part(form.id, {"mass_kg": 88.0}).mass_kg, 88.0)

    def test_the_doubt_of_a_shape_is_the_scatter_of_its_least_sure_face(self):
        """Draw every figure about its value by its own doubt, lay the part out, and look where its faces come to lie."""
        draw = random.Random(20261)
        for form in FORMS.values():
            for typed in ({}, {form.figures[0].name: form.figures[0].usual}):
                base = given(form, typed, ((0, 0, 0), (500, 0, 0)) if form.path else ())
                made = begun(form, base, "x")
                faces = {s.id: [[] for _ in range(6)] for s in made.solids}
                for _ in range(SAMPLES):
                    drawn = {f.name: base[f.name] + draw.gauss(0, base.one_sd_mm(f.name)) for f in form.figures if f.unit == "mm"}
                    for solid in begun(
                        form, given(form, drawn, tuple((x, y, z + draw.gauss(0, TAPE_SD_MM)) for x, y, z in base.path_mm)), "x"
                    ).solids:
                        low, high = bounds_mm(solid)
                        for k, value in enumerate((*low, *high)):
                            faces[solid.id][k].append(value)
                for solid in made.solids:
                    scatter = max(statistics.pstdev(values) for values in faces[solid.id])
                    with self.subTest(form=form.id, typed=len(typed), solid=solid.name, scatter=scatter, said=solid.sd_mm):
                        self.assertLess(scatter, 1.32 * solid.sd_mm)
                        self.assertGreater(scatter, 0.7 * solid.sd_mm)


class Sense(unittest.TestCase):
    """A figure that makes no sense is asked about, and the other unit is named only where it would fit."""

    FIGURE = Figure("wheelbase_mm", "wheelbase", 2700.0, 900.0, 9000.0)

    def asked(self, value):
        found = questions((self.FIGURE,), {"wheelbase_mm": value})
        return found[0].meant if found else None

    def test_within_what_makes_sense_nothing_is_asked(self):
        for value in (900.0, 2790.0, 9000.0):
            self.assertIsNone(self.asked(value))

    def test_a_wheelbase_of_110_was_inches(self):
        self.assertEqual(self.asked(110.0), "in")

    def test_one_of_110_inches_typed_twice_over_was_millimetres(self):
        self.assertEqual(self.asked(2794.0 * 25.4), "mm")

    def test_what_fits_neither_way_is_asked_about_without_a_guess(self):
        self.assertEqual(self.asked(3.0), "")


class Vehicles(unittest.TestCase):
    """A vehicle from a dozen figures."""

    TYPED: ClassVar = {"wheelbase_mm": 2790.0, "front_track_mm": 1480.0, "rear_track_mm": 1500.0, "tyre_mm": 760.0, "rail_top_mm": 640.0,
             "rails_apart_mm": 760.0, "rail_high_mm": 130.0, "rail_wide_mm": 70.0}  # fmt: skip

    def begun(self, kind="ladder", typed=None, **more):
        made = vehicle_begun(kind, "Kestrel", "survey truck", self.TYPED if typed is None else typed, **more)
        require_sound(made)
        return made

    def test_every_kind_is_sound_with_nothing_typed(self):
        for kind in KINDS:
            with self.subTest(kind=kind):
                made = self.begun(kind, {})
                self.assertTrue(evaluate(made, made.options[0].id).checks)

    def test_wheels_and_rails_lie_where_the_tape_says(self):
        made = self.begun()
        centres = {w.id: w.centre_mm for w in made.wheels}
        self.assertEqual(centres["rear-right"], (2790.0, 750.0, 380.0))
        self.assertEqual(centres["front-left"], (0.0, -740.0, 380.0))
        left, right = (bounds_mm(s) for s in made.solids)
        self.assertEqual((left[0][1], right[1][1]), (-380.0, 380.0), "outside to outside is 760")
        self.assertEqual((left[1][2], left[0][2]), (640.0, 510.0), "130 high, its top at 640")
        self.assertEqual(left[1][1], -310.0, "70 wide")

    def test_sills_carry_the_floor_of_a_unit_body(self):
        made = self.begun("unit_body", {"sill_low_mm": 250.0, "floor_up_mm": 50.0, "sills_apart_mm": 1500.0, "sill_wide_mm": 100.0})
        solids = {s.id: bounds_mm(s) for s in made.solids}
        self.assertEqual(solids["floor-pan"][0][2], 300.0)
        self.assertEqual(solids["floor-pan"][1][1], solids["right-sill"][0][1])

    def test_what_is_not_typed_is_assumed_and_doubtful_in_every_check_that_rests_on_it(self):
        engine = part("engine_inline", usual(FORMS["engine_inline"]))
        sure, loose = self.begun(), self.begun(typed={k: v for k, v in self.TYPED.items() if not k.startswith("rail")})
        doubts = []
        for build in (sure, loose):
            made = put_in(build, engine, "Engine", Pose(400, 0, 600))
            made = with_rooms_watched(made, made.options[0], "engine", 10.0, 1)
            check = next(c for c in evaluate(made, "first").checks if c.family == "room")
            doubts.append(check.sd)
            self.assertEqual("assumed" in check.why.template, build is loose)
        self.assertGreater(doubts[1], doubts[0] + 5.0)

    def test_the_doubt_of_a_rail_is_that_of_its_figures(self):
        rail = self.begun().solids[0]
        self.assertEqual(rail.source, "measured")
        self.assertAlmostEqual(rail.sd_mm, math.sqrt(2) * TAPE_SD_MM, msg="its underside is top less height")
        loose = self.begun(typed={}).solids[0]
        self.assertEqual(loose.source, "assumed")
        self.assertAlmostEqual(loose.sd_mm, math.sqrt(2) * UNMEASURED_SD_MM)

    def test_a_wheelbase_is_a_reading_as_it_was_typed(self):
        made = self.begun(texts={"wheelbase_mm": ("109 13/16 in", "in")}, person="Ida Quill", when="2026-11-26T09:00:00")
        reading = made.point("rear-left-wheel").readings[0]
        self.assertEqual((reading.text, reading.value_mm, reading.unit, reading.person), ("109 13/16 in", 2790.0, "in", "Ida Quill"))

    def test_a_rear_track_follows_the_front_one_and_is_doubtful_all_the_same(self):
        kind = FIGURES["ladder"]
        following = Given(kind, {"front_track_mm": 1480.0})
        self.assertEqual(following["rear_track_mm"], 1480.0)
        self.assertEqual(following.one_sd_mm("rear_track_mm"), UNMEASURED_SD_MM)
        self.assertEqual(following.one_sd_mm("front_track_mm"), TAPE_SD_MM)


class PutIn(unittest.TestCase):
    """Parts in a vehicle."""

    def setUp(self):
        self.build = vehicle_begun("ladder", "Kestrel", "", Vehicles.TYPED)

    def put(self, form_id, build=None, **typed):
        build = build or self.build
        made = part(form_id, typed)
        place = first_place(build, made)
        return put_in(build, made, made.name, place.pose, place.parent)

    def test_a_gearbox_goes_on_the_engine_and_a_transfer_case_on_the_gearbox(self):
        build = self.put("transfer", self.put("gearbox", self.put("engine_inline"), length_mm=700.0))
        self.assertEqual(build.component("gearbox").parent, "in-line-engine")
        self.assertEqual(build.component("gearbox").pose, Pose())
        self.assertEqual(build.component("transfer-case").parent, "gearbox")
        self.assertEqual(build.component("transfer-case").pose.x_mm, 700.0)
        require_sound(build)

    def test_a_second_gearbox_finds_no_free_face_and_stands_by_itself(self):
        build = self.put("gearbox", self.put("engine_inline"))
        again = part("gearbox")
        self.assertIsNotNone(first_place(build, again).parent, "the first gearbox has a face of its own")
        self.assertIsNone(first_place(self.build, again).parent, "without an engine there is nothing to bolt it to")

    def test_a_gearbox_that_is_not_bolted_on_stands_in_the_vehicle_and_not_at_the_engines_own_zero(self):
        build = self.put("engine_inline")
        alone = first_place(build, part("gearbox"), bolted=False)
        self.assertIsNone(alone.parent)
        self.assertEqual(alone.pose, first_place(self.build, part("gearbox")).pose)
        self.assertGreater(alone.pose.z_mm, 100.0)

    def test_whatever_is_put_in_begins_clear_of_everything(self):
        """Each kind by itself and bolted to the engine, in a vehicle with an engine, a gearbox and one of its own kind already."""
        line = self.put("gearbox", self.put("engine_inline"))
        line = with_rooms_watched(line, line.options[0], "gearbox", 10.0, 3)
        for form_id in FORMS:
            if form_id in ("axle", "gearbox"):
                continue
            made = part(form_id)
            one = first_place(line, made)
            build = put_in(line, made, "one", one.pose, one.parent)
            for parent in (None, "in-line-engine"):
                with self.subTest(form=form_id, parent=parent):
                    pose = beside(build, made, Pose(), parent) if parent else first_place(build, made).pose
                    placed = put_in(build, made, "another", pose, parent)
                    watched = with_rooms_watched(placed, placed.options[0], "another", 10.0, 3)
                    fails = [c.name for c in evaluate(watched, watched.options[0].id).checks if c.verdict == "fails"]
                    self.assertEqual([name for name in fails if "another" in name and "rail" not in name and "member" not in name], [])

    def test_a_pack_is_live_whatever_it_is_called(self):
        pack = part("pack")
        one = put_in(self.build, pack, "Blue box", Pose())
        self.assertEqual(one.cautions, (*self.build.cautions, HIGH_VOLTAGE))
        self.assertEqual(put_in(one, pack, "Green box", Pose()).cautions, one.cautions)
        self.assertEqual(put_in(self.build, part("tank"), "Tank", Pose()).cautions, self.build.cautions)

    def test_an_axle_goes_to_the_wheels_its_pinion_looks_away_from_and_carries_them(self):
        build = self.put("axle")
        self.assertEqual(build.component("live-axle").pose, Pose(2790.0, 0.0, 380.0))
        carried = with_wheels_on(build, "live-axle")
        self.assertEqual({w.id for w in carried.wheels if w.on == "live-axle"}, {"rear-left", "rear-right"})

    def test_points_are_called_after_their_part_and_come_back_to_the_book_without_it(self):
        build = self.put("axle")
        self.assertEqual(build.point("live-axle-pinion").name, "Live axle, pinion")
        self.assertEqual([p.name for p in taken_from(build, "live-axle").points], [p.name for p in part("axle").points])

    def test_two_copies_of_one_part_keep_their_points_apart(self):
        made = part("seat")
        build = put_in(put_in(self.build, made, "Left seat", Pose(1500, -300, 700)), made, "Right seat", Pose(1500, 300, 700))
        require_sound(build)
        self.assertEqual(len({p.id for p in build.points}), len(build.points))
        with self.assertRaises(InputError):
            put_in(build, made, "left seat", Pose())

    def test_what_was_measured_better_on_the_vehicle_is_offered_and_nothing_else(self):
        kept = part("axle", {"flanges_mm": 1500.0})
        build = put_in(self.build, kept, "Rear axle", Pose(2790, 0, 380))
        self.assertEqual(better_known(build, "rear-axle", kept), ())
        pinion = replace(build.point("rear-axle-pinion"), source="measured", sd_mm=0.3, xyz_mm=(-331.0, 2.0, 1.0))
        better = replace(build, points=tuple(pinion if p.id == pinion.id else p for p in build.points))
        self.assertEqual(better_known(better, "rear-axle", kept), ("pinion",))
        offered = {p.name: p for p in taken_from(better, "rear-axle").points}
        self.assertEqual(offered["pinion"].xyz_mm, (-331.0, 2.0, 1.0))
        self.assertEqual(offered["pinion"].sd_mm, 0.3)

    def test_a_shaft_is_suggested_from_the_output_to_the_pinion_that_it_looks_at(self):
        build = self.put("axle", self.put("gearbox", self.put("engine_inline")))
        self.assertEqual(suggested_line(build), ("gearbox-output", "live-axle-pinion"))
        self.assertEqual(suggested_line(self.put("engine_inline")), ())

    def test_room_to_neighbours_is_what_the_tape_would_show(self):
        """A block 290 wide in the middle of rails 760 outside to outside and 70 wide: (760 - 140 - 290) / 2 on each side."""
        block = part("block", {"length_mm": 400.0, "width_mm": 290.0, "height_mm": 100.0})
        build = put_in(self.build, block, "Block", Pose(1000, 0, 540))
        found = neighbours(build, build.options[0], "block")
        self.assertEqual([round(n.distance_mm, 6) for n in found], [165.0, 165.0])
        self.assertAlmostEqual(found[0].sd_mm, math.hypot(build.solids[0].sd_mm, block.solids[0].sd_mm))
        inside = put_in(self.build, block, "Block", Pose(1000, 300, 540))
        self.assertLess(neighbours(inside, inside.options[0], "block")[0].distance_mm, -100.0)

    def test_room_is_watched_once(self):
        build = put_in(self.build, part("block"), "Block", Pose(1000, 0, 540))
        once = with_rooms_watched(build, build.options[0], "block", 10.0, 5)
        self.assertEqual(len(once.rooms), 2)
        self.assertEqual(with_rooms_watched(once, once.options[0], "block", 10.0, 5).rooms, once.rooms)
        require_sound(once)


if __name__ == "__main__":
    unittest.main()
