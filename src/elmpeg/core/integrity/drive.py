"""What must be true of a build's drivelines, carried axles and shaft orders before they are kept."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import CarriedAxle, ControlLink, Driveline, members_of
from elmpeg.core.methods.fastening.fasteners import thread
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM

READS = ("drivelines", "axles", "components", "series", "lengths", "slopes", "orders")
"""What of a build these rest on."""
MOST_JOINTS = 20
MOST_STATIONS = 40
LONGEST_TEXT = 400
FASTEST_RPM = 100_000.0
STEEPEST_ROLL_DEG = 40.0
STEEPEST_DEG = 90.0


def line_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Each problem of lines, axles, joint sizes and orders: the field, and what is wrong."""
    for i, line in enumerate(build.drivelines):
        for field, message in _line(line):
            yield f"drivelines.{i}{field}", message
    for i, axle in enumerate(build.axles):
        for field, message in _axle(axle, {c.id for c in build.components if c.parent is None}):
            yield f"axles.{i}{field}", message
    for i, one in enumerate(build.series):
        if not (0 < one.max_angle_deg < 90 and 0 < one.swing_mm <= LONGEST_MM and one.name.strip()):
            yield f"series.{i}", "needs a name, a largest angle below 90° and a swept diameter above 0"
    shafts = {(d.id, a.id, b.id) for d in build.drivelines for a, b in pairwise(d.joints)}
    for i, taped in enumerate(build.lengths):
        if (taped.line, taped.near, taped.far) not in shafts:
            yield f"lengths.{i}", "is of a shaft that is not there"
        if not 0 < taped.value_mm <= LONGEST_MM:
            yield f"lengths.{i}.value_mm", "must be above 0"
    members = {(d.id, *member) for d in build.drivelines for member in members_of(d)}
    for i, read in enumerate(build.slopes):
        if (read.line, read.near, read.far) not in members:
            yield f"slopes.{i}", "is of a part of a line that is not there"
        if not abs(read.value_deg) < STEEPEST_DEG:
            yield f"slopes.{i}.value_deg", f"must be below {STEEPEST_DEG:g}° either way"
    for i, order in enumerate(build.orders):
        if not 0 <= order.lead_days <= 1000:
            yield f"orders.{i}.lead_days", "must be 0 to 1000 days"
        if max(len(t) for t in (order.maker, order.measured_how, order.height, order.note)) > LONGEST_TEXT:
            yield f"orders.{i}", f"has a text over {LONGEST_TEXT} characters"


def _line(line: Driveline) -> Iterator[tuple[str, str]]:
    if not line.joints or len(line.phases_deg) != len(line.joints) - 1 or not 0 < line.rpm <= FASTEST_RPM:
        yield "", "needs joints, one phase a shaft, and a speed above 0"
    if len(line.joints) > MOST_JOINTS or len(line.stations_mm) > MOST_STATIONS:
        yield "", f"has more than {MOST_JOINTS} joints or {MOST_STATIONS} stations"
    for k, joint in enumerate(line.joints):
        if joint.max_angle_deg is not None and not 0 < joint.max_angle_deg < 90:
            yield f".joints.{k}.max_angle_deg", "must be above 0° and below 90°"
    if line.shafts and len(line.shafts) != len(line.joints) - 1:
        yield ".shafts", "needs one entry a shaft, or none"
    for k, shaft in enumerate(line.shafts):
        if not (shaft.wall_mm > 0 and 2 * shaft.wall_mm <= shaft.od_mm <= LONGEST_MM):
            yield f".shafts.{k}", "needs a tube whose wall is above 0 and at most half of its outside"
        if any(s is not None and s < 0 for s in (shaft.slip_in_mm, shaft.slip_out_mm)):
            yield f".shafts.{k}", "has a slip below 0"
    if line.road and not (line.road.top_speed_kmh > 0 and line.road.tyre_mm > 0 and line.road.axle_ratio > 0):
        yield ".road", "needs a speed, a tyre and a ratio above 0"


def _axle(axle: CarriedAxle, roots: set[str]) -> Iterator[tuple[str, str]]:
    if axle.component not in roots:
        yield ".component", f"“{axle.component}” is not a component that stands by itself"
    if not (0 <= axle.bump_mm <= LONGEST_MM and 0 <= axle.droop_mm <= LONGEST_MM and 0 <= axle.roll_deg <= STEEPEST_ROLL_DEG):
        yield "", f"needs a travel of 0 mm or more both ways and a roll of 0° to {STEEPEST_ROLL_DEG:g}°"
    links = tuple(link for link in (axle.upper, axle.lower) if link)
    for link in links:
        yield from _link(link)
    lengths = (axle.shackle_half_mm, axle.perch_mm, axle.tube_mm)
    if axle.apart_mm < 0 or any(v is not None and not 0 < v <= LONGEST_MM for v in lengths):
        yield "", "has a length that is not above 0"
    if any(not 0 < r.value_mm <= LONGEST_MM for r in axle.readings):
        yield ".readings", "each need a length above 0"


def _link(link: ControlLink) -> Iterator[tuple[str, str]]:
    if link.thread:
        try:
            thread(link.thread)
        except InputError as refused:
            yield "", f"has a link whose thread {refused.message}"
    if link.engaged_mm is not None and link.engaged_mm < 0:
        yield "", "has a link with less than no thread engaged"
