"""Folds, copes, prints, tabs, seams and what comes out of photographs."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from elmpeg.core.base.quantities import deg, mm, words
from elmpeg.core.calculators.bracket import Bracket, bracket_of
from elmpeg.core.calculators.cope import CopeRequest
from elmpeg.core.calculators.flat import Flat as FlatRequest
from elmpeg.core.calculators.flat import flat_of
from elmpeg.core.calculators.one_way import OneWay, ways_of
from elmpeg.core.calculators.rectify import Rectify
from elmpeg.core.calculators.scale import Scale
from elmpeg.core.calculators.sheet import Result
from elmpeg.core.calculators.weld_order import WeldOrder
from elmpeg.core.methods.sheet_metal.folded_bracket import FoldedBracket
from elmpeg.core.methods.sheet_metal.tabs_and_slots import WAYS
from elmpeg.core.methods.tubes.cope import cope as cope_of
from elmpeg.figures.figure import Figure, Flat, LineClass, Panel
from elmpeg.figures.said import angle, length, named, plain

ARC_STEP_DEG = 6.0
EDGE_DIAMETERS = 1.5
WRAP_STEPS = 144


def folded(straights: Sequence[float], bends: Iterable[tuple[float, float]], thickness: float, start: Flat = (0.0, 0.0)) -> list[Flat]:
    """The outline of a folded strip on edge: straight lengths, with bends (turn in deg, left positive; inside radius) between."""
    x, y, heading = start[0], start[1], 0.0
    middle: list[tuple[float, float, float]] = [(x, y, heading)]
    turns = list(bends)
    for k, run in enumerate(straights):
        x, y = x + run * math.cos(heading), y + run * math.sin(heading)
        middle.append((x, y, heading))
        if k < len(turns):
            turn, inside = math.radians(turns[k][0]), turns[k][1]
            n = max(2, math.ceil(abs(turns[k][0]) / ARC_STEP_DEG))
            step, radius = turn / n, inside + thickness / 2
            chord = 2 * radius * math.sin(abs(step) / 2)
            for _ in range(n):
                x, y = x + chord * math.cos(heading + step / 2), y + chord * math.sin(heading + step / 2)
                heading += step
                middle.append((x, y, heading))
    half = thickness / 2
    left = [(px - half * math.sin(h), py + half * math.cos(h)) for px, py, h in middle]
    right = [(px + half * math.sin(h), py - half * math.cos(h)) for px, py, h in middle]
    return [*left, *reversed(right)]


def flat(request: FlatRequest, result: Result | None) -> Figure:
    """The flat with its bend lines, and the folded strip on edge."""
    figure = Figure()
    t = request.thickness_mm
    profile = figure.panel("Folded, on edge")
    turns = [(b.angle_deg, b.inside_radius_mm) for b in request.bends]
    if result is None:
        # As far as it goes: the flanges as sharp lines, so that the one that is too short shows.
        x = y = heading = 0.0
        for k, run in enumerate(request.flanges_mm):
            end = (x + run * math.cos(heading), y + run * math.sin(heading))
            profile.line([(x, y), end], "fails")
            profile.measure((x, y), end, length(run), f"flanges_mm.{k}" if k else "flanges_mm", -3 * t)
            x, y = end
            heading += math.radians(turns[k][0]) if k < len(turns) else 0.0
        return figure
    made = flat_of(request)
    backs = [0.0, *made.setbacks_mm, 0.0]
    straights = [f - backs[k] - backs[k + 1] for k, f in enumerate(request.flanges_mm)]
    profile.line(folded(straights, turns, t), "part", closed=True)
    _outside_lengths(profile, request)
    pattern = figure.panel("Flat: cut it to this, bend lines dashed", weight=1.4)
    wide = 0.32 * made.flat_mm
    pattern.box(0, 0, made.flat_mm, wide, "part")
    for k, (line, arc) in enumerate(zip(made.lines_mm, made.arcs_mm, strict=True)):
        for at, class_ in ((line - arc / 2, "thin"), (line, "fold"), (line + arc / 2, "thin")):
            pattern.line([(at, 0), (at, wide)], _line_class(class_))
        pattern.measure((0, wide), (line, wide), length(line), off_mm=wide * (0.25 + 0.3 * k))
        pattern.note((line, wide * 0.5), words("{0} up" if turns[k][0] > 0 else "{0} down", deg(abs(turns[k][0]))), f"bends.{k}.angle_deg")
    pattern.measure((0, 0), (made.flat_mm, 0), length(made.flat_mm), off_mm=-wide * 0.3)
    return figure


def _line_class(name: str) -> LineClass:
    return "fold" if name == "fold" else "thin"


def _outside_lengths(panel: Panel, request: FlatRequest) -> None:
    """Each flange's outside length, to the sharp corners, on the outside of its first bend."""
    t = request.thickness_mm
    heading, x, y = 0.0, 0.0, 0.0
    for k, run in enumerate(request.flanges_mm):
        turn = request.bends[k].angle_deg if k < len(request.bends) else request.bends[k - 1].angle_deg if request.bends else 1.0
        side = -1.0 if turn > 0 else 1.0
        ox, oy = -math.sin(heading) * side * t / 2, math.cos(heading) * side * t / 2
        a, b = (x + ox, y + oy), (x + ox + run * math.cos(heading), y + oy + run * math.sin(heading))
        panel.measure(a, b, length(run), "flanges_mm" if k == 0 else "", side * 0.12 * max(request.flanges_mm))
        x, y = x + run * math.cos(heading), y + run * math.sin(heading)
        heading += math.radians(request.bends[k].angle_deg) if k < len(request.bends) else 0.0


def bracket(request: Bracket, result: Result | None) -> Figure:
    """The flat with its holes, and the folded bracket on edge, onto face A and onto face B."""
    figure = Figure()
    if result is None:
        panel = figure.panel("The holes as they are given, from above")
        for side, face in (("a", request.a), ("b", request.b)):
            for k, h in enumerate(face.holes):
                panel.circle((h.xyz_mm[0], -h.xyz_mm[1]), h.hole_mm / 2, "part" if side == "a" else "other")
                panel.note((h.xyz_mm[0], -h.xyz_mm[1]), h.id, f"{side}.holes.{k}.xyz_mm.0")
        return figure
    made = bracket_of(request)
    t = request.thickness_mm
    edges = _edges(made)
    pattern = figure.panel("Flat, seen from outside the fold")
    _flat_bracket(pattern, made, edges, result)
    first = len(request.a.holes)
    for n, hole in enumerate(made.flat):
        field = f"a.holes.{n}.hole_mm" if n < first else f"b.holes.{n - first}.hole_mm"
        pattern.note((hole.x_mm, hole.y_mm), words(f"{plain(hole.id)} ⌀{{0}}", mm(hole.hole_mm)), field)
    profile = figure.panel("On edge, along the fold", weight=0.8)
    runs = [edges[3] - made.arc_mm / 2, edges[4] - made.arc_mm / 2]
    profile.line(folded(runs, [(-made.bend_deg, request.inside_radius_mm)], t), "part", closed=True)
    profile.note((runs[0], 0), words("{0}", deg(made.bend_deg)))
    profile.note((0, 0), named("t", t), "thickness_mm")
    for k, title in ((0, "Onto face A"), (1, "Onto face B")):
        panel = figure.panel(title, weight=0.8)
        low, high = (-edges[3], made.arc_mm / 2) if k == 0 else (-made.arc_mm / 2, edges[4])
        panel.box(edges[0], low, edges[1], high, "part")
        beyond = high if k == 0 else low
        panel.box(edges[0], beyond, edges[1], beyond + (t if k == 0 else -t), "other")
        for hole in made.flat[:first] if k == 0 else made.flat[first:]:
            panel.circle((hole.x_mm, hole.y_mm), hole.hole_mm / 2, "path")
            panel.note((hole.x_mm, hole.y_mm), hole.id)
    return figure


def _edges(made: FoldedBracket) -> tuple[float, float, float, float, float]:
    """Left, right, largest hole, and how far each flange goes from the bend line."""
    largest = max(h.hole_mm for h in made.flat)
    room = EDGE_DIAMETERS * largest
    xs, ys = [h.x_mm for h in made.flat], [h.y_mm for h in made.flat]
    least = made.arc_mm / 2 + room
    return (min(xs) - room, max(xs) + room, largest, max(least, room - min(ys)), max(least, room + max(ys)))


def _flat_bracket(panel: Panel, made: FoldedBracket, edges: tuple[float, float, float, float, float], result: Result) -> None:
    left, right, _, down, up = edges
    panel.box(left, -down, right, up, "part")
    for at, class_ in ((-made.arc_mm / 2, "thin"), (0.0, "fold"), (made.arc_mm / 2, "thin")):
        panel.line([(left, at), (right, at)], _line_class(class_))
    wrong = {c["id"].removeprefix("hole to bend ") for c in result["checks"] if c["verdict"] == "fails"}
    for h in made.flat:
        panel.circle((h.x_mm, h.y_mm), h.hole_mm / 2, "fails" if h.id in wrong else "path", title=h.id)
    first = made.flat[0]
    panel.measure((first.x_mm, first.y_mm), (first.x_mm, math.copysign(made.arc_mm / 2, first.y_mm)), length(made.hole_to_bend_mm[0][1]))


def bracket_paper(request: Bracket) -> Panel:
    """The flat alone, for a print at true size."""
    made = bracket_of(request)
    panel = Panel("Flat")
    checks = {"checks": [{"id": f"hole to bend {r.id}", "verdict": "holds"} for r in made.room]}
    _flat_bracket(panel, made, _edges(made), checks)
    for h in made.flat:
        panel.note((h.x_mm, h.y_mm), h.id)
    return panel


def flat_paper(request: FlatRequest) -> Panel:
    """The flat alone, for a print at true size: a strip with its bend lines."""
    made = flat_of(request)
    panel = Panel("Flat")
    wide = 40.0
    panel.box(0, 0, made.flat_mm, wide, "part")
    for line, arc in zip(made.lines_mm, made.arcs_mm, strict=True):
        for at, class_ in ((line - arc / 2, "thin"), (line, "fold"), (line + arc / 2, "thin")):
            panel.line([(at, 0), (at, wide)], _line_class(class_))
        panel.note((line, wide / 2), length(line))
    return panel


def cope(request: CopeRequest, result: Result | None) -> Figure:
    """The joint from the side, and the wrap that goes around the branch."""
    figure = Figure()
    joint = figure.panel("The joint", weight=0.7)
    r, big, a = request.branch_od_mm / 2, request.header_od_mm / 2, math.radians(request.angle_deg)
    long = 2.2 * big + 2 * r
    joint.box(-long, -big, long, big, "other")
    joint.line([(-long, 0), (long, 0)], "centre")
    way, side = (math.cos(a), math.sin(a)), (-math.sin(a), math.cos(a))
    start, end = big / max(math.sin(a), 0.2), 2.6 * big + 2 * r
    for sign in (-1, 1):
        joint.line([(way[0] * s + sign * r * side[0], way[1] * s + sign * r * side[1]) for s in (start * 0.9, end)], "part")
    joint.line([(0, 0), (way[0] * end, way[1] * end)], "centre")
    joint.measure(
        (way[0] * end - r * side[0], way[1] * end - r * side[1]), (way[0] * end + r * side[0], way[1] * end + r * side[1]),
        length(request.branch_od_mm), "branch_od_mm",
    )  # fmt: skip
    joint.measure((-long, -big), (-long, big), length(request.header_od_mm), "header_od_mm", big * 0.5)
    joint.arc((0, 0), big * 1.3, 0, request.angle_deg, "thin")
    joint.note((big * 1.3 * math.cos(a / 2), big * 1.3 * math.sin(a / 2)), angle(request.angle_deg), "angle_deg")
    if request.offset_mm:
        end_on = figure.panel("Along the header", weight=0.5)
        end_on.circle((0, 0), big, "other")
        end_on.box(request.offset_mm - r, 0, request.offset_mm + r, 2.5 * big, "part" if result else "fails")
        end_on.measure((0, 0), (request.offset_mm, 0), length(request.offset_mm), "offset_mm")
    if result is not None:
        figure.panels.append(wrap_paper(request))
    return figure


def wrap_paper(request: CopeRequest) -> Panel:
    """The wrap, unrolled with its outside up: turn 0 at the left edge, the edge to cut along above."""
    turns = tuple(360.0 * k / WRAP_STEPS for k in range(WRAP_STEPS + 1))
    made = cope_of(request.branch_od_mm, request.header_od_mm, request.angle_deg, request.offset_mm, turns)
    panel = Panel("Wrap: the edge is cut along the curve")
    edge = [(p.turn_deg / 360 * made.wrap_mm, -p.along_mm) for p in made.profile]
    foot = -made.deepest_mm - 0.3 * request.branch_od_mm
    panel.line([(0, foot), *edge, (made.wrap_mm, foot)], "path", closed=True)
    for turn in (0, 90, 180, 270, 360):
        x = turn / 360 * made.wrap_mm
        panel.line([(x, foot), (x, edge[turn * WRAP_STEPS // 360][1])], "fold" if turn in (0, 360) else "thin")
        panel.note((x, foot), angle(float(turn)))
    deepest = min(edge, key=lambda p: p[1])
    panel.measure((deepest[0], 0), deepest, length(made.deepest_mm))
    panel.measure((0, foot), (made.wrap_mm, foot), length(made.wrap_mm), off_mm=-0.25 * request.branch_od_mm)
    return panel


def scale(request: Scale, result: Result | None) -> Figure:
    """The drawing as it should be, and as the printer made it, drawn ten times as far off."""
    figure = Figure()
    panel = figure.panel("Dashed: true. Full: as printed, ten times as far off")
    w, h = request.size_mm
    panel.box(0, 0, w, h, "ghost")
    panel.measure((0, 0), (w, 0), length(w), "size_mm.0", -0.08 * h)
    panel.measure((0, 0), (0, h), length(h), "size_mm.1", 0.08 * w)
    for k, m in enumerate(request.marks):
        at = 0.12 * h + 0.08 * h * k
        a, b = ((0.05 * w, at), (0.05 * w + min(m.nominal_mm, 0.9 * w), at))
        if m.along == "y":
            a, b = ((0.12 * w + 0.08 * w * k, 0.05 * h), (0.12 * w + 0.08 * w * k, 0.05 * h + min(m.nominal_mm, 0.9 * h)))
        panel.measure(a, b, words("{0} is {1}", mm(m.nominal_mm), mm(m.measured_mm)), f"marks.{k}.measured_mm")
    if result is not None:
        off = result["off_mm"]
        panel.box(0, 0, w + 10 * off[0], h + 10 * off[1], "path" if result["true_size"] else "fails")
    return figure


def rectify(request: Rectify, result: Result | None) -> Figure:
    """Marks and places in the picture, and where they truly are."""
    figure = Figure()
    picture = figure.panel("In the picture, pixels", to_scale=False)
    places = [("marks", k, m.id, m.px) for k, m in enumerate(request.marks)] + [
        ("points", k, p.id, p.px) for k, p in enumerate(request.points)
    ]
    for kind, k, name, (u, v) in places:
        picture.dot((u, -v), "part" if kind == "marks" else "path")
        picture.note((u, -v), name, f"{kind}.{k}.px.0")
    if len(request.marks) >= 3:
        picture.line([(m.px[0], -m.px[1]) for m in request.marks[:4]], "ghost", closed=True)
    true = figure.panel("On the plane, true")
    for k, mark in enumerate(request.marks):
        wrong = result is not None and result["suspect"] == mark.id
        true.dot(mark.xy_mm, "fails" if wrong else "part")
        true.note(mark.xy_mm, mark.id, f"marks.{k}.xy_mm.0", fails=wrong)
    if len(request.marks) >= 3:
        true.line([m.xy_mm for m in request.marks[:4]], "ghost", closed=True)
    if result is not None:
        found = [(p["id"], (p["xy_mm"][0], p["xy_mm"][1])) for p in result["points"]]
        if len(found) > 2:
            true.line([at for _, at in found], "path", closed=True)
        for name, at in found:
            true.dot(at, "path")
            true.note(at, words(f"{plain(name)} {{0}}, {{1}}", mm(at[0]), mm(at[1])))
    return figure


def one_way(request: OneWay, result: Result | None) -> Figure:
    """Tabs over slots in all four ways, each shifted as well as it can be."""
    figure = Figure(rows=2)
    ways = ways_of(request) if result is not None else ()
    for k, (name, sx, sy) in enumerate(WAYS):
        way = ways[k] if ways else None
        panel = figure.panel(name if way is None else f"{name}: {'goes in' if way.goes_in else 'does not'}")
        for n, s in enumerate(request.slots):
            panel.box(s.x_mm - s.wide_mm / 2, s.y_mm - s.tall_mm / 2, s.x_mm + s.wide_mm / 2, s.y_mm + s.tall_mm / 2, "other", s.id)
            if k == 0:
                panel.note((s.x_mm, s.y_mm - s.tall_mm), s.id, f"slots.{n}.x_mm")
        dx, dy = way.shift_mm if way else (0.0, 0.0)
        class_: LineClass = "path" if way is None or way.goes_in else "fails"
        for n, tab in enumerate(request.tabs):
            x, y = sx * tab.x_mm + dx, sy * tab.y_mm + dy
            panel.box(x - tab.wide_mm / 2, y - tab.tall_mm / 2, x + tab.wide_mm / 2, y + tab.tall_mm / 2, class_, tab.id)
            panel.note((x, y + tab.tall_mm), tab.id, f"tabs.{n}.x_mm" if k == 0 else "")
        if way is not None:
            panel.note(
                (dx, dy),
                named("lacks", way.worst_short_mm) if not way.goes_in else named("spare", -way.worst_short_mm),
                fails=not way.goes_in,
            )
    return figure


def one_way_paper(request: OneWay) -> Panel:
    """Slots and tabs as drawn, for a print at true size: fold, lay over and look."""
    panel = Panel("Slots (full) and tabs (dashed), as drawn")
    for s in request.slots:
        panel.box(s.x_mm - s.wide_mm / 2, s.y_mm - s.tall_mm / 2, s.x_mm + s.wide_mm / 2, s.y_mm + s.tall_mm / 2, "part")
        panel.note((s.x_mm, s.y_mm - s.tall_mm), s.id)
    for t in request.tabs:
        panel.box(t.x_mm - t.wide_mm / 2, t.y_mm - t.tall_mm / 2, t.x_mm + t.wide_mm / 2, t.y_mm + t.tall_mm / 2, "fold")
        panel.note((t.x_mm, t.y_mm + t.tall_mm), t.id)
    return panel


def weld_order(request: WeldOrder, result: Result | None) -> Figure:
    """Seams from above and from the side with their turn, and the pull after each."""
    figure = Figure()
    turn = {name: k for k, name in enumerate(result["order"], 1)} if result else {}
    for title, i, j, sign in (("From above", 0, 1, -1.0), ("From the left", 0, 2, 1.0)):
        panel = figure.panel(title)
        at = {s.id: (s.at_mm[i], sign * s.at_mm[j]) for s in request.seams}
        if result is not None:
            panel.line([at[name] for name in result["order"]], "ghost")
            panel.dot((result["centre_mm"][i], sign * result["centre_mm"][j]), "centre", title="middle of all")
        for k, s in enumerate(request.seams):
            x, y = at[s.id]
            panel.line([(x - s.length_mm / 2, y), (x + s.length_mm / 2, y)], "path")
            panel.dot((x, y), "part")
            panel.note((x, y), f"{turn.get(s.id, '')} {s.id}".strip(), f"seams.{k}.length_mm" if title == "From above" else "")
    if result is not None:
        course = figure.panel("Pull after each seam", to_scale=False, weight=0.6)
        pulls = [0.0, *(s["pull_mm2"] for s in result["steps"])]
        most = max(max(pulls), 1e-9)
        places = [(k * 100.0, v / most * 250.0) for k, v in enumerate(pulls)]
        course.line([(0, 0), (places[-1][0], 0)], "ghost")
        course.line(places, "path")
        for (x, y), step in zip(places[1:], result["steps"], strict=True):
            course.dot((x, y), "path")
            course.note((x, y), f"{step['n']} {step['id']}")
    return figure
