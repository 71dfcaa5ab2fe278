"""Two bodies with their nearest line, and one of them through its movement."""

from __future__ import annotations

from elmpeg.core.base.errors import InputError
from elmpeg.core.calculators.clearance import Clearance, body_of, motion_of
from elmpeg.core.calculators.sheet import Result
from elmpeg.core.methods.shapes.clearance import Body, Swing, moved
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, View, bounds_mm, silhouette
from elmpeg.figures.figure import Figure, LineClass, Panel
from elmpeg.figures.said import named

FRAMES, FEW_FRAMES = 13, 7
MANY_SHAPES = 12
"""Of a body of more, fewer places of the movement are drawn."""
MOST_NAMED = 5
PLACES = ("centre_mm", "start_mm")
"""The field of a shape that says where it is."""
VIEWS: tuple[tuple[str, View], ...] = (("Side", "side"), ("Plan", "plan"), ("Rear", "rear"))


def clearance(request: Clearance, result: Result | None) -> Figure:
    """Both bodies in three views: as they stand, through the movement, and with the line between their nearest points."""
    figure = Figure()
    try:
        bodies = {"a": body_of(request.a, "a"), "b": body_of(request.b, "b")}
    except InputError:
        return figure
    motion = motion_of(request)
    of = request.motion.of if request.motion else ""
    places: list[float] = []
    if motion is not None:
        low, high = (motion.from_deg, motion.to_deg) if isinstance(motion, Swing) else (0.0, 1.0)
        frames = FRAMES if len(bodies[of].solids) <= MANY_SHAPES else FEW_FRAMES
        places = [low + (high - low) * k / (frames - 1) for k in range(frames)]
        if result is not None:
            nearest_place = min(range(frames), key=lambda k: abs(places[k] - result["at"]))
            places[nearest_place] = result["at"]
            figure.frame = nearest_place
        figure.frames = [f"{p:.1f}°" if isinstance(motion, Swing) else f"{100 * p:.0f} % of the way" for p in places]
    for title, view in VIEWS:
        panel = figure.panel(title, weight=1.7 if view == "side" else 1.0)
        for side, class_ in (("a", "part"), ("b", "other")):
            _body(panel, bodies[side], view, "ghost" if side == of else "part" if class_ == "part" else "other", None)
        for k, place in enumerate(places):
            if motion is not None:
                _body(panel, moved(bodies[of], motion, place), view, "part", k)
        if view == "side":
            _names(panel, request, bodies)
        if result is not None:
            _nearest(
                panel,
                view,
                result["nearest"],
                result["distance_mm"],
                "ghost" if motion else "path",
                None,
                "as they stand" if motion else "",
            )
            if motion is not None:
                _nearest(panel, view, result["nearest_then"], result["least_mm"], "path", figure.frame, "least")
        if isinstance(motion, Swing):
            i, j = AXES_OF_VIEW[view]
            about = _at((motion.about_mm[i], motion.about_mm[j]), view)
            panel.dot(about, "centre", title="swings about")
            if view == "side":
                panel.note(about, "swings about", "motion.about_mm.0")
    return figure


def _body(panel: Panel, body: Body, view: View, class_: LineClass, frame: int | None) -> None:
    for solid in body.solids:
        for outline in silhouette(solid, body.where, view):
            panel.line([_at(p, view) for p in outline], class_, closed=True, frame=frame, title=solid.name or solid.id)


def _at(p: tuple[float, float], view: View) -> tuple[float, float]:
    """Plan has the vehicle's right side down, so that its front is to the left as in the side view."""
    return (p[0], -p[1]) if view == "plan" else p


def _names(panel: Panel, request: Clearance, bodies: dict[str, Body]) -> None:
    """What each of a few shapes is called, at its middle as it is given."""
    for side, fields in (("a", request.a), ("b", request.b)):
        for k, (solid, given) in enumerate(zip(bodies[side].solids, fields.solids, strict=True)):
            if k >= MOST_NAMED:
                return
            low, high = bounds_mm(solid)
            x, _, z = bodies[side].where.point(((low[0] + high[0]) / 2, (low[1] + high[1]) / 2, (low[2] + high[2]) / 2))
            field = next((f"{side}.solids.{k}.{name}" for name in PLACES if hasattr(given, name)), "")
            panel.note((x, z), given.name or given.id, f"{field}.0" if field else "")


def _nearest(panel: Panel, view: View, points: Result, room: float, class_: LineClass, frame: int | None, name: str) -> None:
    i, j = AXES_OF_VIEW[view]
    a, b = (_at((points[k][i], points[k][j]), view) for k in ("a_mm", "b_mm"))
    panel.line([a, b], "fails" if room < 0 else class_, frame=frame)
    panel.dot(a, class_, frame=frame)
    panel.dot(b, class_, frame=frame)
    if view == "side":
        panel.note(((a[0] + b[0]) / 2, (a[1] + b[1]) / 2), named(name, room) if name else named("", room), fails=room < 0, frame=frame)
