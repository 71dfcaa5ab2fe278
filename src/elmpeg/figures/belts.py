"""Belts around pulleys."""

from __future__ import annotations

import math

from elmpeg.core.base.quantities import Quantity, deg, mm, words
from elmpeg.core.calculators.belt import Belt, pulleys_of
from elmpeg.core.calculators.sheet import Result
from elmpeg.core.methods.belts.belt_path import BeltPath, Pulley, Slot, belt_path, slid
from elmpeg.figures.figure import Figure, Panel
from elmpeg.figures.said import length, named, plain

ARC_STEP_DEG = 4.0


def belt(request: Belt, result: Result | None) -> Figure:
    """Pulleys from the front, the belt around them with its wraps, the slot and the pulley at its two ends."""
    figure = Figure()
    panel = figure.panel("From the front of the engine")
    speeds = {s["id"]: s["rpm"] for s in (result or {}).get("speeds", ())}
    wraps = {w["id"]: w["wrap_deg"] for w in (result or {}).get("wraps", ())}
    for k, p in enumerate(request.pulleys):
        panel.circle((p.x_mm, p.y_mm), p.d_mm / 2, "other" if p.back else "part", title=p.id)
        panel.dot((p.x_mm, p.y_mm), "centre")
        says = words(f"{plain(p.id)} ⌀{{0}}", mm(p.d_mm))
        if p.id in wraps:
            says = words(f"{plain(p.id)} ⌀{{0}}, wraps {{1}}", mm(p.d_mm), deg(wraps[p.id]))
        panel.note((p.x_mm, p.y_mm), says, f"pulleys.{k}.d_mm")
        if p.id in speeds:
            panel.note((p.x_mm, p.y_mm), words("{0}", Quantity(speeds[p.id], "rpm")))
    if result is None:
        panel.line([(p.x_mm, p.y_mm) for p in request.pulleys], "fails", closed=True)
        return figure
    pulleys = pulleys_of(request)
    path = belt_path(pulleys)
    _drawn(panel, pulleys, path, "path")
    longest = max(path.spans, key=lambda s: s.mm)
    panel.measure(longest.leaves_mm, longest.arrives_mm, length(longest.mm))
    panel.note(longest.leaves_mm, named("belt", path.length_mm))
    if request.slot is not None:
        _slot(panel, request, pulleys)
    return figure


def _slot(panel: Panel, request: Belt, pulleys: tuple[Pulley, ...]) -> None:
    s = request.slot
    if s is None:
        return
    slot = Slot(s.id, s.direction, s.from_mm, s.to_mm)
    ends = []
    for by, field in ((s.from_mm, "slot.from_mm"), (s.to_mm, "slot.to_mm")):
        moved = slid(pulleys, slot, by)
        at = next(p for p in moved if p.id == s.id)
        panel.circle(at.centre, at.d_mm / 2, "ghost")
        panel.note(at.centre, named("slot", by), field)
        ends.append(at.centre)
        _drawn(panel, moved, belt_path(moved), "ghost")
    panel.line(ends, "centre")


def _drawn(panel: Panel, pulleys: tuple[Pulley, ...], path: BeltPath, class_: str) -> None:
    """The belt as one closed line: its runs, and around each pulley an arc the way that it turns."""
    places: list[tuple[float, float]] = []
    for k, (p, wrap) in enumerate(zip(pulleys, path.wraps, strict=True)):
        start = path.spans[k - 1].arrives_mm
        first = math.degrees(math.atan2(start[1] - p.y_mm, start[0] - p.x_mm))
        n = max(2, int(wrap.wrap_deg / ARC_STEP_DEG) + 1)
        way = -1.0 if p.back else 1.0
        for step in range(n + 1):
            a = math.radians(first + way * wrap.wrap_deg * step / n)
            places.append((p.x_mm + p.d_mm / 2 * math.cos(a), p.y_mm + p.d_mm / 2 * math.sin(a)))
    panel.line(places, "path" if class_ == "path" else "ghost", closed=True)
