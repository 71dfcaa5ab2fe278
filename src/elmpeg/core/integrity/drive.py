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


def line_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Each problem of lines, axles, joint sizes and orders: the field, and what is wrong."""
    for i, line in enumerate(build.drivelines):
        for field, message in _line(line):
            yield f"drivelines.{i}{field}", message
    for i, axle in enumerate(build.axles):
        for field, message in _axle(axle, {c.id for c in build.components if c.parent is None}):
            yield f"axles.{i}{field}", message
    for i, one in enumerate(build.series):
        if one.swing_mm > LONGEST_MM:
            yield f"series.{i}.swing_mm", "is more than 100 m; check the unit"
    shafts = {(d.id, a.id, b.id) for d in build.drivelines for a, b in pairwise(d.joints)}
    for i, taped in enumerate(build.lengths):
        if (taped.line, taped.near, taped.far) not in shafts:
            yield f"lengths.{i}", "is of a shaft that is not there"
        if taped.value_mm > LONGEST_MM:
            yield f"lengths.{i}.value_mm", "is more than 100 m; check the unit"
    members = {(d.id, *member) for d in build.drivelines for member in members_of(d)}
    for i, read in enumerate(build.slopes):
        if (read.line, read.near, read.far) not in members:
            yield f"slopes.{i}", "is of a part of a line that is not there"
    for i, order in enumerate(build.orders):
        if max(len(t) for t in (order.maker, order.measured_how, order.height, order.note)) > LONGEST_TEXT:
            yield f"orders.{i}", f"has a text over {LONGEST_TEXT} characters"


def _line(line: Driveline) -> Iterator[tuple[str, str]]:
    if not line.joints or len(line.phases_deg) != len(line.joints) - 1:
        yield "", "needs joints, and one phase a shaft"
    if len(line.joints) > MOST_JOINTS or len(line.stations_mm) > MOST_STATIONS:
        yield "", f"has more than {MOST_JOINTS} joints or {MOST_STATIONS} stations"
    if line.shafts and len(line.shafts) != len(line.joints) - 1:
        yield ".shafts", "needs one entry a shaft, or none"
    for k, shaft in enumerate(line.shafts):
        if not 2 * shaft.wall_mm <= shaft.od_mm <= LONGEST_MM:
            yield f".shafts.{k}.wall_mm", "is at most half of the tube's outside"


def _axle(axle: CarriedAxle, roots: set[str]) -> Iterator[tuple[str, str]]:
    if axle.component not in roots:
        yield ".component", f"“{axle.component}” is not a component that stands by itself"
    for field in ("bump_mm", "droop_mm", "shackle_half_mm", "perch_mm", "tube_mm"):
        if (getattr(axle, field) or 0.0) > LONGEST_MM:
            yield f".{field}", "is more than 100 m; check the unit"
    links = tuple(link for link in (axle.upper, axle.lower) if link)
    for link in links:
        yield from _link(link)
    if any(r.value_mm > LONGEST_MM for r in axle.readings):
        yield ".readings", "has one of more than 100 m; check the unit"


def _link(link: ControlLink) -> Iterator[tuple[str, str]]:
    if link.thread:
        try:
            thread(link.thread)
        except InputError as refused:
            yield "", f"has a link whose thread {refused.message}"
