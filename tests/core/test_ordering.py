"""Orders for shafts: nothing goes out that nobody measured."""

import unittest
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose
from elmpeg.core.build.drivelines import CarriedAxle, LengthReading, SlopeReading, TravelReading, members_of
from elmpeg.core.build.survey import Noted, Reading, SheetFigure
from elmpeg.core.methods.driveline.line_motion import line_axes
from elmpeg.core.scene.axis_from_gauge import lean_deg
from elmpeg.core.scene.line_in_scene import laid_line, lengths_of, steps_at
from elmpeg.core.scene.states import risen
from elmpeg.core.stages.drive import order_edits
from elmpeg.core.stages.drive.shaft_order import sheet_of, taped_length
from elmpeg.core.stages.place import position_edits
from elmpeg.demo import cairn, dynamo
from tests.core.lines_shop import build, scene

LENGTH = round(lengths_of(laid_line(scene(build()), build().driveline("rear")))[0], 1)


def twice(point):
    return replace(
        point,
        sd_mm=None,
        tool="tape",
        readings=tuple(
            Reading(f"{axis}{k}", axis, "x", v + off, "tape", who, "2026-10-01T10:00:00")
            for axis, v in zip("xyz", point.xyz_mm, strict=True)
            for k, (off, who) in enumerate(((-0.4, "Teo"), (0.4, "Wil")))
        ),
    )


def tape(text=str(LENGTH), value=LENGTH, person="Teo", stance="ride"):
    return LengthReading("", "rear", "J1", "J2", text, value, "tape", person, "2026-11-01T09:00:00", stance)


def gauge(member, value, person="Teo", stance="ride", zero="level", text="x"):
    return SlopeReading("", "rear", *member, text, value, zero, "gauge", person, "2026-11-01T09:30:00", stance)


def gauged(made, off=0.0):
    """The build with every part of its line read twice from level, as the position has it, on a vehicle out of level by so much."""
    laid = laid_line(scene(made), made.driveline("rear"))
    axes = line_axes(laid.input_axis, laid.output_axis, laid.joints)
    for member, axis in zip(members_of(made.driveline("rear")), axes, strict=True):
        for k, who in enumerate(("Teo", "Wil")):
            made = order_edits.with_slope(made, gauge(member, round(lean_deg(axis) + off, 1) + 0.1 * k, who))
    return made


def sound():
    """A build whose order could be called final: everything measured twice, at ride height, all chosen."""
    made = build()
    travel = tuple(
        TravelReading(f"{w}{k}", w, "x", v + k, "tape", "Teo", "2026-10-02T09:00:00")
        for w, v in (("bump", 80.0), ("droop", 90.0))
        for k in (0, 1)
    )
    axles = tuple(replace(a, readings=travel, source="measured") if a.id == "springs" else a for a in made.axles)
    made = replace(made, points=tuple(twice(p) for p in made.points), axles=axles)
    for who in ("Teo", "Wil"):
        made = order_edits.with_length(made, tape(person=who))
    made = gauged(made)
    made = order_edits.with_order(made, "rear", "o", "The shaft shop", 14, "Teo", "2026-11-01T10:00:00")
    return order_edits.with_order_told(made, "rear-order", "The shaft shop", 14, "tape on a strap", "tank full", "", ())


def blockers(made):
    return sheet_of(made, made.orders[0]).blockers


class Blockers(unittest.TestCase):
    """What keeps an order from being called final, each by its name."""

    def test_nothing_is_in_the_way_of_a_sound_one(self):
        self.assertEqual(blockers(sound()), ())

    def test_each_kind_of_lack(self):
        made = sound()
        points = {p.id: p for p in made.points}

        def point(point_id, **changed):
            return replace(made, points=tuple(replace(p, **changed) if p.id == point_id else p for p in made.points))

        def axle(**changed):
            return replace(made, axles=tuple(replace(a, **changed) if a.id == "springs" else a for a in made.axles))

        def shaft(**changed):
            line = made.driveline("rear")
            return replace(made, drivelines=(replace(line, shafts=(replace(line.shafts[0], **changed),)),))

        one_tape = order_edits.with_length_dropped(made, made.lengths[0].id, "slipped")
        none = order_edits.with_length_dropped(one_tape, made.lengths[1].id, "slipped")
        cases = {
            "borrowed": point("eye", source="borrowed"),
            "assumed": point("pin", source="assumed"),
            "drawing": point("out", source="drawing"),
            "without a reading": point("out", readings=()),
            "measured once along X": point("out", readings=tuple(r for r in points["out"].readings if r.id != "x1")),
            "no reading along Z": point("out", readings=tuple(r for r in points["out"].readings if r.axis != "z")),
            "taped once": one_tape,
            "nobody has taped it": none,
            "off ride height": order_edits.with_length(made, tape(stance="stands")),
            "does not say how the vehicle stood": replace(made, lengths=tuple(replace(r, stance="") for r in made.lengths)),
            "tapes differ": order_edits.with_length(made, tape("9", LENGTH + 9)),
            "do not belong to one position": position_edits.shifted(made, "o", "engine", (-25.0, 0.0, 0.0)),
            "nobody has read drive end and J1-J2": replace(made, slopes=tuple(r for r in made.slopes if r.near)),
            "J1-J2 and driven end were not read from one zero": replace(made, slopes=tuple(replace(r, zero="drive end") if not r.far else r for r in made.slopes)),
            "slope of driven end: read once": order_edits.with_slope_dropped(made, made.slopes[-1].id, "face was dirty"),
            "slope of J1-J2: “x” by Teo was read off ride height": order_edits.with_slope(made, gauge(("J1", "J2"), 3.0, stance="stands")),
            "slope of J1-J2: “x” by Teo does not say how the vehicle stood": replace(made, slopes=tuple(replace(r, stance="") for r in made.slopes)),
            "slope of driven end: the readings differ by 2.": order_edits.with_slope(made, gauge(("J2", ""), made.slopes[-1].value_deg + 2.0)),
            "the gauge says": position_edits.placed_at(made, "o", "axle", Pose(2700, 0, 400, 0, 9.0, 0)),
            "travel to bump of On springs: entered without a reading": axle(readings=tuple(r for r in made.axle("springs").readings if r.way == "droop")),
            "travel to droop of On springs: measured once": axle(readings=made.axle("springs").readings[:3]),
            "travel to bump of On springs: the readings differ by 9.0 mm": axle(readings=tuple(replace(r, value_mm=89.0) if r.id == "bump1" else r for r in made.axle("springs").readings)),
            "travel to bump of On springs is assumed": axle(readings=(), source="assumed"),
            "say how the axle is carried": replace(made, drivelines=(replace(made.driveline("rear"), axle=""),)),
            "drive flange is not chosen": shaft(drive_flange=""),
            "joint size is not chosen": shaft(series=""),
            "slip is to close and open is not chosen": shaft(slip_out_mm=None),
            "tube, joint size and flanges are not chosen": replace(made, drivelines=(replace(made.driveline("rear"), shafts=()),)),
            "how it was measured is not written down": order_edits.with_order_told(made, "rear-order", "x", 1, "", "h", "", ()),
            "at what ride height": order_edits.with_order_told(made, "rear-order", "x", 1, "m", " ", "", ()),
        }  # fmt: skip
        for words, changed in cases.items():
            with self.subTest(words):
                found = blockers(changed)
                self.assertTrue(any(words in b for b in found), found)
                checked = order_edits.with_order_step(changed, "rear-order", "checked", "Wil", "2026-11-02T10:00:00")
                with self.assertRaises(InputError) as refused:
                    order_edits.with_final(checked, "rear-order", "Orla", "2026-11-02T11:00:00")
                self.assertEqual(len(refused.exception.errors), len(found))

    def test_a_reading_set_aside_does_not_count_as_the_second(self):
        made = sound()
        dropped = replace(
            made,
            points=tuple(
                replace(p, readings=tuple(replace(r, dropped="slipped") if r.id == "y1" else r for r in p.readings)) if p.id == "out" else p
                for p in made.points
            ),
        )
        self.assertTrue(any("once along Y" in b for b in blockers(dropped)))

    def test_the_ambulance_has_not_been_measured_enough_and_the_lorry_has(self):
        ambulance = blockers(cairn.build())
        self.assertTrue(any("off ride height" in b for b in ambulance) and any("without a reading" in b for b in ambulance))
        self.assertEqual(blockers(dynamo.build()), ())


class Figures(unittest.TestCase):
    """What the sheet says."""

    def test_lengths_at_bump_and_droop_are_the_taped_one_and_the_travels_change(self):
        made = sound()
        sheet = sheet_of(made, made.orders[0])
        line, axle = made.driveline("rear"), made.axle("springs")
        rest, bump, droop = steps_at(scene(made), line, axle, risen(axle.id, (0.0, 80.5, -90.5)))
        figures = {f.name: f for f in sheet.shafts[0].figures}
        self.assertAlmostEqual(figures["length at ride height"].value, LENGTH)
        self.assertAlmostEqual(figures["length at full bump"].value, LENGTH + bump.lengths_mm[0] - rest.lengths_mm[0])
        self.assertAlmostEqual(figures["length at full droop"].value, LENGTH + droop.lengths_mm[0] - rest.lengths_mm[0])

    def test_two_tapes_are_surer_than_one_and_travel_adds_its_own_doubt(self):
        made = sound()
        figures = {f.name: f for f in sheet_of(made, made.orders[0]).shafts[0].figures}
        self.assertAlmostEqual(figures["length at ride height"].sd, 1.0 / 2**0.5)
        self.assertGreater(figures["length at full droop"].sd, figures["length at ride height"].sd)
        once = order_edits.with_length_dropped(made, made.lengths[0].id, "slipped")
        self.assertAlmostEqual(taped_length(once, once.driveline("rear"), "J1", "J2").sd_mm, 1.0)

    def test_an_untaped_length_is_the_positions_and_says_so(self):
        made = replace(sound(), lengths=())
        first = sheet_of(made, made.orders[0]).shafts[0].figures[0]
        self.assertIn("not measured", first.basis)
        self.assertTrue(first.lacking)

    def test_ride_heights_come_from_the_sheet_as_people_wrote_them(self):
        noted = Noted("21 3/4 in", 552.45, "tape", "Pip", "2026-10-19T08:00:00")
        made = replace(
            sound(), sheet=(SheetFigure("s", "left sill", "ride height", "mm", noted), SheetFigure("g", "gap", "gap", "mm", noted))
        )
        self.assertEqual(sheet_of(made, made.orders[0]).heights, ("left sill: 21 3/4 in (Pip, 19 Oct 2026)",))


class States(unittest.TestCase):
    """From drafted to fitted, with a second pair of eyes between."""

    def checked(self):
        return order_edits.with_order_step(sound(), "rear-order", "checked", "Wil", "2026-11-02T10:00:00")

    def test_the_whole_way_and_when_it_is_due(self):
        made = order_edits.with_final(self.checked(), "rear-order", "Orla", "2026-11-02T11:00:00")
        for state in ("sent", "received", "fitted"):
            made = order_edits.with_order_step(made, "rear-order", state, "Orla", "2026-11-03T08:00:00")
        self.assertEqual(made.orders[0].state, "fitted")
        self.assertEqual(sheet_of(made, made.orders[0]).due, "2026-11-17")

    def test_what_is_refused(self):
        made, checked = sound(), self.checked()
        final = order_edits.with_final(checked, "rear-order", "Orla", "2026-11-02T11:00:00")
        sent = order_edits.with_order_step(final, "rear-order", "sent", "Orla", "2026-11-03T08:00:00")
        when = "2026-11-04T08:00:00"
        for words, call in (
            ("second person", lambda: order_edits.with_order_step(made, "rear-order", "checked", "Teo", when)),
            ("a second person checks it", lambda: order_edits.with_final(made, "rear-order", "Orla", when)),
            ("not called final", lambda: order_edits.with_order_step(checked, "rear-order", "sent", "Orla", when)),
            ("next comes", lambda: order_edits.with_order_step(final, "rear-order", "fitted", "Orla", when)),
            ("called final", lambda: order_edits.with_order_told(final, "rear-order", "x", 1, "m", "h", "", ())),
            ("has been sent", lambda: order_edits.with_final_taken_back(sent, "rear-order")),
            ("stays on record", lambda: order_edits.without_order(sent, "rear-order")),
            ("under way", lambda: order_edits.with_order(made, "rear", "o", "x", 1, "Teo", when)),
            ("days", lambda: order_edits.with_order(replace(made, orders=()), "rear", "o", "x", -1, "Teo", when)),
            ("how the vehicle stood", lambda: order_edits.with_length(made, tape(stance=""))),
            ("above 0", lambda: order_edits.with_length(made, tape(value=-3.0))),
            ("tool for lengths", lambda: order_edits.with_length(made, replace(tape(), tool="gauge"))),
            ("one of the parts", lambda: order_edits.with_slope(made, gauge(("J1", ""), 2.0))),
            ("zeroed on", lambda: order_edits.with_slope(made, gauge(("", "J1"), 0.0, zero="drive end"))),
            ("below 90", lambda: order_edits.with_slope(made, gauge(("J1", "J2"), 90.0))),
            ("how the vehicle stood when it was read", lambda: order_edits.with_slope(made, gauge(("J1", "J2"), 2.0, stance=""))),
            ("tool for angles", lambda: order_edits.with_slope(made, replace(gauge(("J1", "J2"), 2.0), tool="tape"))),
            ("one of the shafts", lambda: order_edits.with_length(made, replace(tape(), near="J2"))),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaises(InputError) as refused:
                call()
            self.assertIn(words, str(refused.exception))

    def test_what_was_ordered_stays_and_a_later_move_is_told(self):
        final = order_edits.with_final(self.checked(), "rear-order", "Orla", "2026-11-02T11:00:00")
        self.assertEqual(sheet_of(final, final.orders[0]).since_final, ())
        moved = position_edits.placed_at(final, "o", "axle", Pose(2700, 0, 400, 0, 9.0, 0))
        told = sheet_of(moved, moved.orders[0]).since_final
        self.assertTrue(any("angle of J2: the gauge says" in t for t in told), told)
        back = order_edits.with_final_taken_back(final, "rear-order")
        self.assertEqual((back.orders[0].final, back.orders[0].figures), (None, ()))

    def test_an_axle_without_travel_readings_is_the_lead_of_nothing(self):
        self.assertEqual(CarriedAxle("a", "A", "axle", "parallel", 1.0, 1.0).source, "assumed")
