"""Levers and rods, control rods, bar against link, and hoses."""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise

from elmpeg.core.base.quantities import deg, mm, words
from elmpeg.core.base.vectors import Vec3, add, angle_deg, any_perpendicular, cross, dot, norm, scale, sub, turned, unit
from elmpeg.core.calculators.bar import Bar
from elmpeg.core.calculators.linkage import LeverFields, Linkage, sweep_of
from elmpeg.core.calculators.rod import Rod
from elmpeg.core.calculators.route import Route
from elmpeg.core.calculators.sheet import Result
from elmpeg.figures.figure import Figure, Flat, Panel
from elmpeg.figures.said import angle, length, named

MOST_FRAMES = 61


def linkage(request: Linkage, result: Result | None) -> Figure:
    """Both levers and the rod through their movement, seen along the drive's axis, with a place for every step."""
    figure = Figure()
    axis = unit(request.drive.axis)
    # Seen along the drive's axis with the vehicle's up upwards, as far as the axis allows; its own left side is the viewer's.
    across = cross((0.0, 0.0, 1.0), axis)
    across = scale(unit(across), -1.0) if norm(across) > 0.1 else (1.0, 0.0, 0.0)
    up = unit(cross(axis, across)) if dot(cross(axis, across), (0.0, 0.0, 1.0)) >= 0 else unit(cross(across, axis))

    def flat(p: Vec3) -> Flat:
        return (dot(p, across), dot(p, up))

    panel = figure.panel("Seen along the drive lever's axis")
    for side, lever in (("drive", request.drive), ("driven", request.driven)):
        _lever_range(panel, side, lever, flat)
    if result is None:
        match_ends = [_end(request.drive, request.match.drive_deg), _end(request.driven, request.match.driven_deg)]
        panel.line([flat(request.drive.pivot_mm), flat(match_ends[0]), flat(match_ends[1]), flat(request.driven.pivot_mm)], "fails")
        return figure
    sweep = sweep_of(request)
    every = max(1, math.ceil(len(sweep.steps) / MOST_FRAMES))
    steps = sweep.steps[::every]
    figure.frame = min(range(len(steps)), key=lambda k: abs(steps[k].drive_deg - request.match.drive_deg))
    for k, s in enumerate(steps):
        figure.frames.append(
            f"drive {s.drive_deg:.1f}°" + (f", driven {s.driven_deg:.1f}°" if s.driven_deg is not None else ": the rod cannot follow")
        )
        panel.line([flat(request.drive.pivot_mm), flat(s.drive_end_mm)], "part", frame=k)
        panel.dot(flat(s.drive_end_mm), "part", frame=k)
        if s.driven_end_mm is not None:
            panel.line([flat(s.drive_end_mm), flat(s.driven_end_mm)], "path", frame=k)
            panel.line([flat(request.driven.pivot_mm), flat(s.driven_end_mm)], "part", frame=k)
            panel.dot(flat(s.driven_end_mm), "part", frame=k)
        else:
            panel.circle(flat(s.drive_end_mm), 6.0, "fails", frame=k)
    at = steps[figure.frame]
    if at.driven_end_mm is not None:
        panel.measure(flat(at.drive_end_mm), flat(at.driven_end_mm), named("rod", sweep.rod_mm), off_mm=0.06 * sweep.rod_mm)
    course = figure.panel("Driven over drive", to_scale=False, weight=0.6)
    drives = [s.drive_deg for s in sweep.steps if s.driven_deg is not None]
    drivens = [s.driven_deg for s in sweep.steps if s.driven_deg is not None]
    low, high = sorted((request.drive.from_deg, request.drive.to_deg))
    least, most = sorted((request.driven.from_deg, request.driven.to_deg))
    tall = max(most, *drivens, 1.0) - min(least, *drivens) if drivens else most - least
    wide = high - low
    squeeze = wide / max(tall, 1e-6) * 0.8
    course.line([(low, least * squeeze), (high, least * squeeze)], "ghost")
    course.line([(low, most * squeeze), (high, most * squeeze)], "ghost")
    course.note((low, most * squeeze), named("stop", most, "deg"))
    course.note((high, least * squeeze), named("stop", least, "deg"))
    course.line([(d, v * squeeze) for d, v in zip(drives, drivens, strict=True) if v is not None], "path")
    course.note((low, least * squeeze), named("drive", low, "deg"))
    course.note((high, most * squeeze), named("drive", high, "deg"))
    return figure


def _lever_range(panel: Panel, side: str, lever: LeverFields, place: Callable[[Vec3], Flat]) -> None:
    low, high = sorted((lever.from_deg, lever.to_deg))
    places = [low + (high - low) * k / 24 for k in range(25)]
    panel.line([place(_end(lever, d)) for d in places], "ghost")
    panel.dot(place(lever.pivot_mm), "part")
    panel.note(place(lever.pivot_mm), f"{side} pivot", f"{side}.pivot_mm.0")
    panel.note(place(lever.end_mm), f"{side} ball", f"{side}.end_mm.0")
    panel.note(place(_end(lever, lever.from_deg)), angle(lever.from_deg), f"{side}.from_deg")
    panel.note(place(_end(lever, lever.to_deg)), angle(lever.to_deg), f"{side}.to_deg")


def _end(lever: LeverFields, degrees: float) -> Vec3:
    return add(lever.pivot_mm, turned(sub(lever.end_mm, lever.pivot_mm), unit(lever.axis), degrees))


def rod(request: Rod, result: Result | None) -> Figure:
    """The rod between its ends along its axis, with what is screwed in."""
    figure = Figure()
    panel = figure.panel("Along the rod")
    c, (a, b) = request.centre_mm, request.ends
    eye = max(6.0, 0.35 * max(a.body_mm, b.body_mm))
    stud = eye * 0.5
    for k, (at, way, e) in enumerate(((0.0, 1.0, a), (c, -1.0, b))):
        panel.circle((at, 0), eye, "part")
        panel.dot((at, 0), "centre")
        mouth = at + way * e.body_mm
        panel.box(min(at + way * eye * 0.8, mouth), -eye * 0.75, max(at + way * eye * 0.8, mouth), eye * 0.75, "part")
        bottom = mouth - way * e.thread_mm
        panel.line([(bottom, -stud), (mouth, -stud), (mouth, stud), (bottom, stud)], "thin", closed=True)
        panel.measure((at, 0), (mouth, 0), length(e.body_mm), f"ends.{k}.body_mm", -way * eye * 2.0)
        panel.measure((bottom, 0), (mouth, 0), length(e.thread_mm), f"ends.{k}.thread_mm", way * eye * 2.0)
        nut = mouth + way * request.locknut_mm
        if request.locknut_mm:
            panel.box(min(mouth, nut), -eye * 0.9, max(mouth, nut), eye * 0.9, "other")
    panel.measure((0, 0), (c, 0), length(c), "centre_mm", eye * 4.4)
    if result is not None:
        one, other = result["engage_mm"]
        left, right = a.body_mm - one, c - b.body_mm + other
        panel.box(left, -stud * 0.7, right, stud * 0.7, "path")
        panel.measure((left, 0), (right, 0), named("cut", result["cut_mm"]), off_mm=-eye * 4.4)
    else:
        panel.note((c / 2, 0), "no room for a rod", fails=True)
    return figure


def bar(request: Bar, result: Result | None) -> Figure:
    """Bar and link from behind, at rest and at every rise, and the steer over the rise."""
    figure = Figure()
    panel = figure.panel("From behind")
    rods = (("bar", request.bar, "part"), ("link", request.link, "other"))
    for name, one, _ in rods:
        ends = [(p[1], p[2]) for p in (one.frame_mm, one.axle_mm)]
        panel.line(ends, "part" if name == "bar" else "other")
        for end, side in zip(ends, ("frame_mm", "axle_mm"), strict=True):
            panel.dot(end, "part" if name == "bar" else "other")
            panel.note(
                end, f"{'track bar' if name == 'bar' else 'drag link'}, {'frame' if side == 'frame_mm' else 'axle'}", f"{name}.{side}.1"
            )
        panel.dot(ends[0], "centre")
    if result is None:
        return figure
    figure.frames = [_frame(s) for s in result["steps"]]
    figure.frame = min(range(len(result["steps"])), key=lambda k: abs(result["steps"][k]["rise_mm"]))
    for k, s in enumerate(result["steps"]):
        for name, one, _ in rods:
            end = (one.axle_mm[1] + s[f"{name}_shift_mm"], one.axle_mm[2] + s["rise_mm"])
            panel.line([(one.frame_mm[1], one.frame_mm[2]), end], "path", frame=k)
            panel.dot(end, "path", frame=k)
    for name, one, _ in rods:
        middle = ((one.frame_mm[1] + one.axle_mm[1]) / 2, (one.frame_mm[2] + one.axle_mm[2]) / 2)
        panel.note(middle, words("{0} long, {1}", mm(result[f"{name}_mm"]), deg(result[f"{name}_deg"])))
    steers = [(s["rise_mm"], s["steer_deg"]) for s in result["steps"]]
    told = steers if all(v is not None for _, v in steers) else [(s["rise_mm"], s["difference_mm"]) for s in result["steps"]]
    course = figure.panel("Steer over the rise" if told is steers else "Bar less link", to_scale=False, weight=0.5)
    places = sorted((r, v) for r, v in told if v is not None)
    most = max(1e-6, *(abs(v) for _, v in places))
    rises = [r for r, _ in places]
    tall = max(1.0, max(rises) - min(rises))
    course.line([(0, min(rises)), (0, max(rises))], "ghost")
    course.line([(v / most * tall * 0.4, r) for r, v in places], "path")
    for r, v in places:
        course.dot((v / most * tall * 0.4, r), "path")
    for r, v in (places[0], places[-1]):
        course.note((v / most * tall * 0.4, r), words("{0} at {1}", deg(v) if told is steers else mm(v), mm(r)))
    return figure


def _frame(step: Result) -> str:
    steer = "" if step["steer_deg"] is None else f", wheels steered {step['steer_deg']:.2f}°"
    return f"axle {step['rise_mm']:+.0f} mm{steer}"


def route(request: Route, result: Result | None) -> Figure:
    """The hose with its arcs, from the side and from above; runs that are too short stand out."""
    figure = Figure()
    short = {s["from"] for s in result["short"]} if result else set()
    for title, i, j in (("Side", 0, 2), ("Plan", 0, 1)):
        panel = figure.panel(title)
        corners = [(p[i], p[j]) for p in request.points_mm]
        panel.line(corners, "ghost")
        for k, c in enumerate(corners):
            panel.dot(c, "centre", title=f"point {k}")
            panel.note(c, f"{k}", f"points_mm.{k}.0")
        for k, (p, q) in enumerate(pairwise(corners)):
            if k in short:
                panel.line([p, q], "fails")
        if result is not None:
            panel.line([(p[i], p[j]) for p in _rounded(tuple(request.points_mm), request.bend_radius_mm)], "path")
        bends = range(1, len(corners) - 1)
        if bends and title == "Side":
            panel.note(corners[bends[0]], named("radius", request.bend_radius_mm), "bend_radius_mm")
    return figure


def _rounded(points: tuple[Vec3, ...], radius: float) -> list[Vec3]:
    """The middle of the hose, each arc as a line of many corners; what an arc takes may be more than its run has."""
    found = [points[0]]
    for before, at, after in zip(points, points[1:], points[2:], strict=False):
        into, out = unit(sub(at, before)), unit(sub(after, at))
        turn = math.radians(angle_deg(into, out))
        if turn < 1e-6:
            continue
        side = unit(sub(out, scale(into, dot(into, out)))) if norm(cross(into, out)) > 1e-9 else any_perpendicular(into)
        start = sub(at, scale(into, radius * math.tan(turn / 2)))
        centre = add(start, scale(side, radius))
        n = max(3, int(math.degrees(turn) / 5))
        for k in range(n + 1):
            a = turn * k / n
            found.append(add(centre, add(scale(side, -radius * math.cos(a)), scale(into, radius * math.sin(a)))))
    found.append(points[-1])
    return found
