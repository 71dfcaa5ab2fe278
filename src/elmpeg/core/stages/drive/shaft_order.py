"""The order for a line's shafts: every figure with its doubt and where it comes from, and what keeps it from being final.

A shaft is made once, and cut to a length that somebody must have measured: with
weight on the wheels, twice, on this vehicle. Whatever rests on less says so, and
the order is not called final until nothing does.
"""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Literal

from elmpeg.core.base.days import day_said
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import CarriedAxle, Driveline, LengthReading, OrderFigure, ShaftOrder, SlopeReading
from elmpeg.core.build.survey import Point
from elmpeg.core.judging.doubt import doubt_of
from elmpeg.core.methods.measuring.repeats import APART_SD, ENOUGH, together
from elmpeg.core.scene.carried_axle import carried_at, reach_of, travel_read
from elmpeg.core.scene.line_in_scene import angles_in, axle_of, joint_max_deg, laid_line, lengths_of, steps_at
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import risen
from elmpeg.core.stages.drive.gauge_angles import gauged_joint, readings_of
from elmpeg.core.stages.drive.shaft_checks import safe_rpm, shaft_rpm

SLOPE_MM = 1.0
WAYS: tuple[Literal["bump", "droop"], ...] = ("bump", "droop")


@record
class SheetLine:
    """One figure of the order as it stands: its value and doubt, where it comes from, and what keeps it from being final."""

    name: str
    value: float
    unit: Literal["mm", "deg", "rpm"]
    sd: float | None
    basis: str
    lacking: tuple[str, ...] = ()


@record
class ShaftSheet:
    """One shaft of the order: its figures, and what is chosen for it in words."""

    member: str
    figures: tuple[SheetLine, ...]
    chosen: tuple[tuple[str, str], ...]
    lacking: tuple[str, ...]
    readings: tuple[LengthReading, ...]


@record
class OrderSheet:
    """An order as it would go out now."""

    order: ShaftOrder
    line: Driveline
    option_name: str
    shafts: tuple[ShaftSheet, ...]
    slopes: tuple[SlopeReading, ...]
    heights: tuple[str, ...]
    photos: tuple[str, ...]
    lacking: tuple[str, ...]
    since_final: tuple[str, ...]
    due: str

    @property
    def blockers(self) -> tuple[str, ...]:
        """Everything that keeps it from being called final, each once."""
        all_ = [
            *self.lacking,
            *(x for s in self.shafts for x in s.lacking),
            *(x for s in self.shafts for f in s.figures for x in f.lacking),
        ]
        return tuple(dict.fromkeys(all_))

    @property
    def frozen(self) -> tuple[OrderFigure, ...]:
        """Its figures as they would be frozen."""
        return tuple(OrderFigure(f"{s.member}: {f.name}", f.value, f.unit, f.sd) for s in self.shafts for f in s.figures)


@record
class Taped:
    """What the tapes say of a shaft's length at ride height, None where none counts, and what is wrong with them."""

    value_mm: float | None
    sd_mm: float
    readings: tuple[LengthReading, ...]
    lacking: tuple[str, ...]


def taped_length(build: Build, line: Driveline, near: str, far: str) -> Taped:
    """The mean of a shaft's tapes at ride height, its doubt, and what they lack."""
    member = f"{near}-{far}"
    mine = tuple(r for r in build.lengths if (r.line, r.near, r.far) == (line.id, near, far))
    counted = [r for r in mine if not r.dropped]
    at_ride = [r for r in counted if r.stance == "ride"]
    lacking = []
    for reading in counted:
        if reading.stance == "stands":
            lacking.append(f"length of {member}: “{reading.text}” by {reading.person} was measured off ride height")
        elif not reading.stance:
            lacking.append(f"length of {member}: “{reading.text}” by {reading.person} does not say how the vehicle stood")
    if not at_ride:
        lacking.append(f"length of {member}: nobody has taped it at ride height; what stands here is what the position gives")
        return Taped(None, 0.0, mine, tuple(lacking))
    read = together([r.value_mm for r in at_ride], (build.tool_sd_mm(r.tool) for r in at_ride))
    if not read.repeated:
        lacking.append(f"length of {member}: taped once; tape it again without looking at the first")
    if not read.agree:
        lacking.append(f"length of {member}: the tapes differ by {read.apart:.1f} mm; tape it again and set one aside")
    return Taped(read.mean, read.sd, mine, tuple(lacking))


def sheet_of(build: Build, order: ShaftOrder) -> OrderSheet:
    """The order's sheet as the build stands. Raises InputError where the line cannot be worked out at all."""
    line, option = build.driveline(order.line), build.option(order.option)
    scene = Scene(build, option)
    laid_line(scene, line)
    axle = axle_of(build, line)
    lacking = [*_words_lacking(order), *_axle_lacking(build, axle), *_points_lacking(build, scene, line, axle)]
    shafts = tuple(_shaft(scene, line, axle, k) for k in range(len(line.joints) - 1))
    photos = {p.id: p.name for p in build.photos}
    sheet = OrderSheet(
        order,
        line,
        option.name,
        shafts,
        readings_of(build, line),
        tuple(_heights(build)),
        tuple(photos[p] for p in order.photos if p in photos),
        tuple(lacking),
        (),
        due_on(order),
    )
    return replace(sheet, since_final=_since_final(sheet))


def due_on(order: ShaftOrder) -> str:
    """The day it should be back, once it has been sent; an empty text before."""
    sent = next((s for s in order.steps if s.state == "sent"), None)
    try:
        return (datetime.fromisoformat(sent.taken_at) + timedelta(days=order.lead_days)).date().isoformat() if sent else ""
    except (ValueError, OverflowError):
        return ""


def _words_lacking(order: ShaftOrder) -> list[str]:
    found = []
    if not order.measured_how:
        found.append("how it was measured is not written down")
    if not order.height:
        found.append("at what ride height it was measured is not written down")
    return found


def _axle_lacking(build: Build, axle: CarriedAxle | None) -> list[str]:
    if axle is None:
        return ["lengths at bump and droop: say how the axle is carried and how far it goes"]
    found = []
    for way in WAYS:
        read = travel_read(build, axle, way)
        if read is None and axle.source != "measured":
            found.append(f"travel to {way} of {axle.name} is {axle.source}")
        elif read is None or not read.repeated:
            found.append(f"travel to {way} of {axle.name}: {'measured once' if read else 'entered without a reading'}; measure it again")
        elif not read.agree:
            found.append(f"travel to {way} of {axle.name}: the readings differ by {read.apart:.1f} mm; measure it again and set one aside")
    return found


def _points_lacking(build: Build, scene: Scene, line: Driveline, axle: CarriedAxle | None) -> list[str]:
    points = dict.fromkeys([*(j.point for j in line.joints), *(p for p in (carried_at(axle) if axle else ()) if p)])
    return [why for p in points if (why := _point_lacking(scene.declared(p)))]


def _point_lacking(point: Point) -> str:
    """What a point's figures lack to be relied on; an empty text where somebody measured them twice."""
    if point.source == "drawing":
        return f"{point.name} is taken from a drawing, not measured"
    if point.source != "measured":
        return f"{point.name} is {point.source}"
    counted = [r for r in point.readings if not r.dropped]
    if point.got == "middle":
        return ""
    if not counted:
        return f"{point.name} was entered without a reading"
    if point.got in ("tapes", "centres"):
        return "" if len(counted) > len({r.held_at for r in counted}) or len(counted) > 3 else f"{point.name} was measured once"
    by_axis = [sum(r.axis == axis for r in counted) for axis in "xyz"]
    if min(by_axis) == 0:
        return f"{point.name} has no reading along {', '.join(a.upper() for a, n in zip('xyz', by_axis, strict=True) if not n)}"
    if min(by_axis) < ENOUGH:
        return f"{point.name} was measured once along {', '.join(a.upper() for a, n in zip('xyz', by_axis, strict=True) if n < ENOUGH)}"
    return ""


def _heights(build: Build) -> list[str]:
    """Ride heights of the before and after sheet, the newest of each, as their people wrote them."""
    found = []
    for figure in build.sheet:
        noted = figure.after or figure.before
        if figure.kind == "ride height" and noted:
            found.append(f"{figure.name}: {noted.text} ({noted.person}, {day_said(noted.taken_at)})")
    return found


def _shaft(scene: Scene, line: Driveline, axle: CarriedAxle | None, k: int) -> ShaftSheet:
    build = scene.build
    near, far = line.joints[k], line.joints[k + 1]
    member = f"{near.id}-{far.id}"
    subject = (near.point, far.point, *(p for p in (carried_at(axle) if axle else ()) if p))
    reach = reach_of(build, axle) if axle else None
    ends = risen(axle.id, (reach.bump_mm, -reach.droop_mm)) if axle and reach else ()

    def figures(twin: Scene) -> tuple[float, ...]:
        length = lengths_of(laid_line(twin, line))[k]
        moved = steps_at(twin, line, axle, ends) if axle else ()
        angles = angles_in(twin, line)
        return (length, angles[k], angles[k + 1], *(s.lengths_mm[k] - length for s in moved))

    base = figures(scene)
    sds = doubt_of(scene, subject, figures, base).sds
    taped = taped_length(build, line, near.id, far.id)
    length, length_sd = (base[0], sds[0]) if taped.value_mm is None else (taped.value_mm, taped.sd_mm)
    lacking = list(taped.lacking)
    if taped.value_mm is not None and abs(taped.value_mm - base[0]) > APART_SD * math.hypot(taped.sd_mm, sds[0]):
        lacking.append(
            f"length of {member}: the tape says {taped.value_mm:.1f} mm, the position {base[0]:.1f} mm; they do not belong to one position"
        )
    basis = _taped_words(taped) if taped.value_mm is not None else "from the position, not measured"
    found = [SheetLine("length at ride height", length, "mm", length_sd, basis, tuple(lacking))]
    for name, change, sd, end in zip(("at full bump", "at full droop"), base[3:], sds[3:], ends, strict=False):
        along = _slope(scene, line, axle, end.axle(axle.id).rise_mm, k) * (reach.sd_mm if reach else 0.0) if axle else 0.0
        how = "computed from the length at ride height and the axle's travel"
        found.append(SheetLine(f"length {name}", length + change, "mm", math.sqrt(length_sd**2 + sd**2 + along**2), how))
    for joint, index, angle, sd in ((near, k, base[1], sds[1]), (far, k + 1, base[2], sds[2])):
        gauged = gauged_joint(build, line, laid_line(scene, line), index, sd)
        value, doubt, how = angle, sd, "from the position, not measured"
        if gauged.angle_deg is not None:
            value, doubt, how = gauged.angle_deg, gauged.sd_deg, gauged.basis
        found.append(SheetLine(f"angle of {joint.id} at ride height", value, "deg", doubt, how, gauged.lacking))
    found.append(SheetLine("fastest speed", shaft_rpm(line), "rpm", None, "as entered for the line and the road"))
    chosen, missing = _chosen(build, line, k)
    shaft = line.shaft(k)
    if shaft:
        share = build.limits.joints.speed_share
        found.append(SheetLine("speed the tube allows", safe_rpm(length, shaft, share), "rpm", None, "computed from tube and length"))
        if ends and shaft.slip_in_mm is not None and shaft.slip_out_mm is not None:
            found += [
                SheetLine("slip wanted to close from ride height", shaft.slip_in_mm, "mm", None, "chosen"),
                SheetLine("slip wanted to open from ride height", shaft.slip_out_mm, "mm", None, "chosen"),
            ]
    return ShaftSheet(member, tuple(found), chosen, missing, taped.readings)


def _slope(scene: Scene, line: Driveline, axle: CarriedAxle, rise_mm: float, k: int) -> float:
    """How much a shaft's length changes for each mm of travel at a height."""
    inward = -math.copysign(SLOPE_MM, rise_mm)
    there, beside = steps_at(scene, line, axle, risen(axle.id, (rise_mm, rise_mm + inward)))
    return abs(there.lengths_mm[k] - beside.lengths_mm[k]) / SLOPE_MM


def _taped_words(taped: Taped) -> str:
    counted = [r for r in taped.readings if not r.dropped and r.stance == "ride"]
    people = ", ".join(dict.fromkeys(r.person for r in counted))
    return f"taped {'once' if len(counted) == 1 else f'{len(counted)} times'} at ride height by {people}, last {day_said(max(r.taken_at for r in counted))}"


def _chosen(build: Build, line: Driveline, k: int) -> tuple[tuple[tuple[str, str], ...], tuple[str, ...]]:
    near, far = line.joints[k], line.joints[k + 1]
    member = f"{near.id}-{far.id}"
    shaft = line.shaft(k)
    told: list[tuple[str, str]] = []
    for joint, n in ((near, k), (far, k + 1)):
        most = joint_max_deg(build, line, n)
        told.append((f"joint {joint.id}", joint.kind.replace("_", " ") + (f", to {most:g}° at most" if most else "")))
    told.append(("forks", "in one plane" if not line.phases_deg[k] else f"far fork turned {line.phases_deg[k]:g}° against the near one"))
    missing: list[str] = []
    if shaft is None:
        return tuple(told), (f"shaft {member}: its tube, joint size and flanges are not chosen",)
    told.append(("tube", f"{shaft.od_mm:g} x {shaft.wall_mm:g} mm {shaft.material}"))
    series = next((s.name for s in build.series if s.id == shaft.series), "")
    for name, text in (("joint size", series), ("drive flange", shaft.drive_flange), ("driven flange", shaft.driven_flange)):
        if text:
            told.append((name, text))
        else:
            missing.append(f"shaft {member}: its {name} is not chosen")
    moves = bool(line.axle) and k == len(line.joints) - 2
    if moves and (shaft.slip_in_mm is None or shaft.slip_out_mm is None):
        missing.append(f"shaft {member}: how far its slip is to close and open is not chosen")
    if shaft.note:
        told.append(("note", shaft.note))
    return tuple(told), tuple(missing)


def _since_final(sheet: OrderSheet) -> tuple[str, ...]:
    """What has changed in the build since the order was called final: its figures, and what now keeps them from being relied on."""
    if sheet.order.final is None:
        return ()
    now = {f.name: f for f in sheet.frozen}
    found = list(sheet.blockers)
    for then in sheet.order.figures:
        current = now.get(then.name)
        if current is None:
            found.append(f"{then.name} is no longer there")
        elif abs(current.value - then.value) > max(APART_SD * (then.sd or 0.0), 0.05):
            unit = {"mm": " mm", "deg": "°", "rpm": " rpm"}[then.unit]
            found.append(f"{then.name} was {then.value:.1f}{unit} as ordered and is now {current.value:.1f}{unit}")
    return tuple(found)
