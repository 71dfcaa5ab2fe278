"""Mounts, stacks, bolts, patterns and chains of tolerances."""

from __future__ import annotations

import math

from elmpeg.core.base.quantities import Words, mm, words
from elmpeg.core.base.vectors import unit
from elmpeg.core.calculators.bolt import Bolt, NutFields
from elmpeg.core.calculators.mounts import Mounts
from elmpeg.core.calculators.pattern import Pattern
from elmpeg.core.calculators.sheet import Result
from elmpeg.core.calculators.stack import Stack
from elmpeg.core.calculators.tolerance import PartFields, Tolerance
from elmpeg.core.methods.fastening.fasteners import thread
from elmpeg.figures.figure import Figure, LineClass
from elmpeg.figures.said import length, named, plain

MAGNIFIED = 4.0


def mounts(request: Mounts, result: Result | None) -> Figure:
    """Seats and the part's points from behind and from the left, with the gap at each."""
    figure = Figure()
    rows = {m["id"]: m for m in result["mounts"]} if result else {}
    for title, i in (("From behind", 1), ("From the left", 0)):
        panel = figure.panel(title)
        for k, m in enumerate(request.mounts):
            seat, axis = m.seat.point_mm, unit(m.seat.axis)
            half = m.seat.hole_mm
            s = (seat[i], seat[2])
            across = (axis[2] * half, -axis[i] * half)
            panel.line([(s[0] - across[0], s[1] - across[1]), (s[0] + across[0], s[1] + across[1])], "other", title="seat")
            if i == 1:
                panel.note(s, f"{m.id} seat", f"mounts.{k}.seat.point_mm.2")
            if m.id in rows:
                p = rows[m.id]["component_point_mm"]
                at = (p[i], p[2])
                panel.dot(at, "part")
                good = rows[m.id]["lines_up"] and rows[m.id]["gap_mm"] >= 0
                panel.measure(s, at, named("gap", rows[m.id]["gap_mm"]))
                panel.note(at, named(f"{m.id} off", rows[m.id]["offset_mm"]), fails=not good)
    return figure


def stack(request: Stack, result: Result | None) -> Figure:
    """The gap, and the best stack in it, lying down."""
    figure = Figure()
    panel = figure.panel("The gap lying down, and the best stack in it")
    gap = request.gap_mm
    wide = max(abs(gap) * 0.5, 10.0)
    for x in (0.0, gap):
        panel.line([(x, -wide), (x, wide)], "other")
    panel.measure((0, wide), (gap, wide), length(gap), "gap_mm", wide * 0.3)
    sizes = {s.id: s.mm for s in request.stock}
    if result is not None and result["options"]:
        x = 0.0
        for piece in result["options"][0]["pieces"]:
            for _ in range(piece["count"]):
                panel.box(x, -wide * 0.7, x + sizes[piece["id"]], wide * 0.7, "path", piece["id"])
                x += sizes[piece["id"]]
            panel.note((x - sizes[piece["id"]] / 2, -wide * 0.7), f"{piece['count']} × {piece['id']}")
        panel.measure((0, -wide), (x, -wide), named("stack", x), off_mm=-wide * 0.4)
    return figure


def bolt(request: Bolt, result: Result | None) -> Figure:
    """The joint in section along the bolt, head to the left."""
    figure = Figure()
    panel = figure.panel("In section along the bolt, head to the left")
    try:
        d = thread(request.thread).d_mm
    except ValueError:
        d = 10.0
    x = 0.0
    panel.box(-0.65 * d, -0.9 * d, 0, 0.9 * d, "part", "head")
    washers = list(request.washers_mm)
    order = [(w, f"washers_mm.{0}" if k == 0 else "", "thin") for k, w in enumerate(washers[:1])]
    order += [(t, "" if k else "layers_mm", "other") for k, t in enumerate(request.layers_mm)]
    order += [(w, "", "thin") for w in washers[1:]]
    for t, name, class_ in order:
        shape: LineClass = "thin" if class_ == "thin" else "other"
        reach = 1.1 * d if class_ == "thin" else 2.2 * d
        panel.box(x, -reach, x + t, reach, shape)
        if t > 0:
            panel.measure((x, 2.2 * d), (x + t, 2.2 * d), length(t), name.replace("washers_mm.0", "washers_mm"), 0.5 * d)
        x += t
    if isinstance(request.end, NutFields):
        panel.box(x, -0.9 * d, x + request.end.height_mm, 0.9 * d, "part", "nut")
        panel.measure((x, -2.2 * d), (x + request.end.height_mm, -2.2 * d), named("nut", request.end.height_mm), "end.height_mm", -0.5 * d)
    else:
        panel.box(x, -2.2 * d, x + request.end.thread_depth_mm * 1.15, 2.2 * d, "other", "tapped part")
        panel.line([(x, -d / 2), (x + request.end.thread_depth_mm, -d / 2), (x + request.end.thread_depth_mm, d / 2), (x, d / 2)], "thin")
        ends = ((x, -2.2 * d), (x + request.end.thread_depth_mm, -2.2 * d))
        panel.measure(*ends, length(request.end.thread_depth_mm), "end.thread_depth_mm", -0.5 * d)
    if result is not None:
        long = result["length_mm"] or result["min_length_mm"]
        panel.box(0, -d / 2, long, d / 2, "path" if result["length_mm"] else "fails", "bolt")
        panel.measure((0, -3.6 * d), (long, -3.6 * d), named("bolt", long))
    return figure


def pattern(request: Pattern, result: Result | None) -> Figure:
    """Studs, and the plate's holes laid over them at its best; misses drawn four times as large."""
    figure = Figure()
    panel = figure.panel("Plate over its studs at its best, misses four times as large")
    studs = {s.id: s for s in request.studs}
    for k, s in enumerate(request.studs):
        panel.circle((s.x_mm, s.y_mm), s.bolt_mm / 2, "other", title=f"stud {s.id}")
        if result is None:
            panel.note((s.x_mm, s.y_mm), s.id, f"studs.{k}.x_mm")
    if result is None:
        for k, h in enumerate(request.holes):
            panel.circle((h.x_mm, h.y_mm), h.hole_mm / 2, "fails")
            panel.note((h.x_mm, h.y_mm), h.id, f"holes.{k}.x_mm")
        return figure
    a = math.radians(result["rotation_deg"])
    index = {h.id: k for k, h in enumerate(request.holes)}
    for p in result["pairs"]:
        h, s = request.holes[index[p["hole"]]], studs[p["stud"]]
        x0 = -h.x_mm if result["mirrored"] else h.x_mm
        x = x0 * math.cos(a) - h.y_mm * math.sin(a) + result["shift_mm"][0]
        y = x0 * math.sin(a) + h.y_mm * math.cos(a) + result["shift_mm"][1]
        at = (s.x_mm + MAGNIFIED * (x - s.x_mm), s.y_mm + MAGNIFIED * (y - s.y_mm))
        tight = p["miss_mm"] > p["float_mm"]
        panel.circle(at, h.hole_mm / 2, "fails" if tight else "path", title=f"hole {h.id}")
        panel.line([(s.x_mm, s.y_mm), at], "thin")
        says = words(f"{plain(h.id)} misses {{0}}", mm(p["miss_mm"]))
        panel.note(at, says, f"holes.{index[p['hole']]}.hole_mm", fails=tight)
    return figure


def _with_its_own(part: PartFields) -> Words:
    """A part's length and how far it may be off either way; a way in which it may not is left out."""
    off = [(sign, size) for sign, size in (("+", part.plus_mm), ("−", part.minus_mm)) if size]
    if part.plus_mm == part.minus_mm != 0.0:
        off = [("± ", part.plus_mm)]
    said = "".join(f" {sign}{{{k}}}" for k, (sign, _) in enumerate(off, start=1))
    return words(f"{plain(part.id)} {{0}}{said}", mm(part.mm), *(mm(size) for _, size in off))


def tolerance(request: Tolerance, result: Result | None) -> Figure:
    """The chain end to end, one part above the other, and where it ends at worst and likely."""
    figure = Figure()
    panel = figure.panel("The chain end to end")
    row = 0.08 * max(1.0, sum(abs(p.mm) for p in request.parts))
    x = 0.0
    for k, p in enumerate(request.parts):
        end = x + p.direction * p.mm
        panel.line([(x, -k * row), (end, -k * row)], "part")
        panel.line([(end, -k * row), (end, -(k + 1) * row)], "thin")
        panel.note(((x + end) / 2, -k * row), _with_its_own(p), f"parts.{k}.mm")
        x = end
    y = -len(request.parts) * row
    if result is not None:
        panel.line([(result["worst_min_mm"], y), (result["worst_max_mm"], y)], "fails")
        low, high = (result["rss_centre_mm"] + s * result["rss_half_mm"] for s in (-1, 1))
        panel.line([(low, y - row * 0.5), (high, y - row * 0.5)], "path")
        panel.note((result["worst_max_mm"], y), words("worst {0} to {1}", mm(result["worst_min_mm"]), mm(result["worst_max_mm"])))
        panel.note((high, y - row * 0.5), words("likely {0} to {1}", mm(low), mm(high)))
    return figure
