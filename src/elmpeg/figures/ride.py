"""Ride heights, the clamp of an axle, shocks and weights."""

from __future__ import annotations

from elmpeg.core.base.quantities import Quantity, mm, words
from elmpeg.core.base.vectors import Vec3, add, scale, unit
from elmpeg.core.calculators.ride import Ride
from elmpeg.core.calculators.sheet import Result
from elmpeg.core.calculators.shock import Shock
from elmpeg.core.calculators.ubolt import UBolt
from elmpeg.core.calculators.weight import Weight
from elmpeg.figures.figure import Figure, Flat, LineClass, Panel
from elmpeg.figures.said import length, named

WHEEL_SHARE = 0.12


def ride(request: Ride, result: Result | None) -> Figure:
    """The vehicle from its left, front to the left: stations before and after over the floor, drops at the axles."""
    drawing = Figure()
    panel = drawing.panel("From the left; heights before (dashed) and after")
    base, r = request.wheelbase_mm, WHEEL_SHARE * request.wheelbase_mm
    xs = [0.0, base, *(s.x_mm for s in request.stations)]
    panel.line([(min(xs) - r, 0), (max(xs) + r, 0)], "ground")
    for x in (0.0, base):
        panel.circle((x, r), r, "other")
        panel.dot((x, r), "centre")
    panel.measure((0, 0), (base, 0), length(base), "wheelbase_mm", -1.2 * r)
    top = max((s.before_mm for s in request.stations), default=2 * r)
    for x, drop, field in ((0.0, request.front_drop_mm, "front_drop_mm"), (base, request.rear_drop_mm, "rear_drop_mm")):
        panel.line([(x, 1.3 * top), (x, 1.3 * top - drop)], "path")
        panel.dot((x, 1.3 * top), "ghost")
        panel.note((x, 1.3 * top - drop / 2), named("drop", drop), field)
    changes = {s["id"]: s for s in result["stations"]} if result else {}
    order = sorted(request.stations, key=lambda s: s.x_mm)
    panel.line([(s.x_mm, s.before_mm) for s in order], "ghost")
    for k, s in enumerate(request.stations):
        panel.dot((s.x_mm, s.before_mm), "ghost")
        panel.note((s.x_mm, s.before_mm), named(f"{s.id} before", s.before_mm), f"stations.{k}.before_mm")
        now = changes.get(s.id)
        if now:
            panel.dot((s.x_mm, now["predicted_mm"]), "path")
            panel.note((s.x_mm, now["predicted_mm"]), words("{0} → {1}", mm(now["change_mm"]), mm(now["predicted_mm"])))
            if s.after_mm is not None:
                panel.dot((s.x_mm, s.after_mm), "fails")
                panel.note((s.x_mm, s.after_mm), named("taped", s.after_mm), f"stations.{k}.after_mm")
    if changes:
        panel.line([(s.x_mm, changes[s.id]["predicted_mm"]) for s in order], "path")
    return drawing


def ubolt(request: UBolt, result: Result | None) -> Figure:
    """The clamp of an axle in section, from the bow down to the nut, every layer at its height."""
    drawing = Figure()
    panel = drawing.panel("The clamp in section, bow at the top")
    half = max(30.0, request.tube_mm / 2)
    leg = max(6.0, 4 * request.pitch_mm)
    layers = [
        ("tube_mm", "axle tube", 1.0), ("pad_mm", "pad", 0.9), ("blocks_mm", "blocks", 0.9), ("spring_mm", "spring pack", 0.8),
        ("plate_mm", "plate", 1.5), ("washer_mm", "washer", 0.0), ("nut_mm", "nut", 0.0),
    ]  # fmt: skip
    y = 0.0
    for field, name, wide in layers:
        t = getattr(request, field)
        low = y - t
        if field == "tube_mm":
            panel.circle((0, y - t / 2), t / 2, "other", title=name)
        elif wide:
            panel.box(-half * wide, low, half * wide, y, "other" if field == "blocks_mm" else "part", name)
        else:
            for x in (-half - leg / 2, half + leg / 2):
                panel.box(x - leg, low, x + leg, y, "part", name)
        if t > 0:
            panel.measure((half * 1.6, y), (half * 1.6, low), named(name, t), field, half * 0.5)
        y = low
    inside = result["length_mm"] or result["min_length_mm"] if result else -y
    for x in (-half - leg, half):
        panel.box(x, -inside, x + leg, -half, "path")
    panel.arc((0, -half), half, 0, 180, "path")
    panel.arc((0, -half), half + leg, 0, 180, "path")
    if result is not None:
        panel.measure((-half * 1.6, 0), (-half * 1.6, -inside), named("inside", inside), off_mm=-half * 0.6)
        if result["proud_mm"] is not None:
            panel.measure((-half * 1.6, y), (-half * 1.6, -inside), named("below the nut", result["proud_mm"]), off_mm=0)
    return drawing


def shock(request: Shock, result: Result | None) -> Figure:
    """The shock at ride, at bump and at droop, from the side and from behind, beside its own closed and open lengths."""
    drawing = Figure()
    way = unit(request.direction)
    places = [("ride", request.lower_mm, "path"), ("bump", add(request.lower_mm, scale(way, request.bump_mm)), "part"),
              ("droop", add(request.lower_mm, scale(way, -request.droop_mm)), "part")]  # fmt: skip
    for title, i, j in (("From behind", 1, 2), ("From the left", 0, 2)):
        panel = drawing.panel(title, weight=1.0 if title == "From behind" else 0.6)
        upper = (request.upper_mm[i], request.upper_mm[j])
        panel.dot(upper, "part")
        panel.note(upper, "upper eye", f"upper_mm.{i}" if title == "From behind" else "")
        for name, at, _ in places:
            eye = (at[i], at[j])
            panel.line([upper, eye], "path" if name == "ride" else "ghost")
            panel.dot(eye, "path" if name == "ride" else "ghost")
            if title == "From behind":
                field = {"ride": "lower_mm.1", "bump": "bump_mm", "droop": "droop_mm"}[name]
                panel.note(eye, named(name, result[f"{name}_mm"]) if result else name, field)
    stroke = drawing.panel("Its stroke, eye to eye", weight=1.3)
    stroke.line([(0, 0), (request.extended_mm, 0)], "ghost")
    stroke.dot((0, 0), "part")
    for value, name, field in ((request.compressed_mm, "closed", "compressed_mm"), (request.extended_mm, "open", "extended_mm")):
        stroke.line([(value, -25), (value, 25)], "part")
        stroke.note((value, -25), named(name, value), field)
    if result is not None:
        for name in ("ride", "bump", "droop"):
            value = result[f"{name}_mm"]
            inside = request.compressed_mm <= value <= request.extended_mm
            stroke.line([(value, -12), (value, 12)], "path" if inside else "fails")
            stroke.note((value, 12), named(name, value), fails=not inside)
    return drawing


def weight(request: Weight, result: Result | None) -> Figure:
    """Wheels and centre of gravity in plan, before and after, with what each axle carries; front to the left."""
    drawing = Figure()
    panel = drawing.panel("From above, front to the left")
    base = request.rear_x_mm - request.front_x_mm
    half = 0.09 * abs(base)
    for k, w in enumerate(request.wheels):
        at = _plan((w.x_mm, w.y_mm, 0.0))
        panel.box(at[0] - half, at[1] - half * 0.35, at[0] + half, at[1] + half * 0.35, "other", w.id)
        panel.note(at, named(w.id, w.kg, "kg"), f"wheels.{k}.kg")
    for k, c in enumerate(request.changes):
        at = _plan(c.xyz_mm)
        panel.dot(at, "ghost" if c.kg < 0 else "part", title=c.id)
        panel.note(at, named(c.id, c.kg, "kg"), f"changes.{k}.kg")
    for x, field in ((request.front_x_mm, "front_x_mm"), (request.rear_x_mm, "rear_x_mm")):
        panel.line([(x, -0.33 * abs(base)), (x, 0.33 * abs(base))], "centre")
        panel.note((x, 0.33 * abs(base)), length(x), field)
    if result is not None:
        for when, class_ in (("before", "ghost"), ("after", "path")):
            one = result[when]
            _cross(panel, _plan((one["x_mm"], one["y_mm"], 0.0)), 0.03 * abs(base), class_)
            panel.note(_plan((one["x_mm"], one["y_mm"], 0.0)), named(f"centre {when}", one["kg"], "kg"))
        for x, side in ((request.front_x_mm, "front"), (request.rear_x_mm, "rear")):
            before, after = result["before"][f"{side}_kg"], result["after"][f"{side}_kg"]
            panel.note((x, -0.33 * abs(base)), words(f"{side} {{0}} → {{1}}", Quantity(before, "kg"), Quantity(after, "kg")))
    return drawing


def _plan(p: Vec3) -> Flat:
    return (p[0], -p[1])


def _cross(panel: Panel, at: Flat, size: float, class_: str) -> None:
    shape: LineClass = "path" if class_ == "path" else "ghost"
    panel.line([(at[0] - size, at[1]), (at[0] + size, at[1])], shape)
    panel.line([(at[0], at[1] - size), (at[0], at[1] + size)], shape)
    panel.circle(at, size * 0.7, shape)
