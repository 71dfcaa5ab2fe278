"""The Bay's three views: the vehicle, the parts as they sit, their ghosts, mounts, drivelines and tight room."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise
from typing import Any, TypeVar

import numpy as np
from markupsafe import Markup
from numpy.typing import NDArray

from elmpeg.core.base.memo import Kept
from elmpeg.core.base.pose import Placed
from elmpeg.core.base.vectors import add, scale
from elmpeg.core.base.verdicts import Verdict, gravity_of
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.evaluation.evaluate import Evaluation, PlacedComponent
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, FIXED, Solid, View, silhouette
from elmpeg.core.scene.scene import assembly_of, root_of
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.core.stages.mount.mount_checks import MountState
from elmpeg.core.stages.place.room_checks import RoomState
from elmpeg.figures.labels import HARD, SOFT, Label, PlacedLabel, Sheet
from elmpeg.figures.projection import Pixel, Projection, Window, fitted
from elmpeg.web.drawing import backdrop, svg
from elmpeg.web.showing import Show

VIEW_NAMES: dict[View, str] = {"side": "Side", "plan": "Plan", "rear": "Rear"}
VIEW_WORDS: dict[View, str] = {
    "side": "from the left, front to the left",
    "plan": "from above, front to the left",
    "rear": "from behind, looking forward",
}
LARGE_PX = (750.0, 330.0)
SMALL_PX: dict[View, tuple[float, float]] = {"side": (440.0, 190.0), "plan": (440.0, 190.0), "rear": (300.0, 190.0)}
CAPTION_PX = 26.0
ZOOM_PX = (156.0, 56.0)
"""What the page lays over a drawing: its caption, and in the large one the zoom buttons in the right corner."""
TRAVEL_PX = (680.0, 74.0)
"""What the axle's slider takes of the large drawing, in its lower left corner."""
MOST_SMALL_LABELS = 3
SHARE_BELOW = 0.3
"""Share of a view's spare height that goes below the ground line."""
VERDICT_MARK: dict[Verdict, str] = {"fails": "fails", "near": "near", "unknown": "unknown", "holds": ""}
"""The word written behind a label's value; a value that holds needs none."""


@dataclass(frozen=True, slots=True)
class Ghost:
    """Where things were: in the agreed option, or in the last round."""

    components: tuple[PlacedComponent, ...]
    class_: str


@dataclass(frozen=True, slots=True)
class BayScene:
    """What a view draws."""

    build: Build
    evaluation: Evaluation
    chosen: str
    """The component chosen to be moved; its assembly is drawn as the one to take hold of."""
    ghosts: tuple[Ghost, ...] = ()
    shown_check: str = ""
    """Code of the check that is opened, drawn with emphasis."""
    framed_as: BayScene | None = None
    """The scene whose whole vehicle the sheet is laid out for, so that it stays still while an axle travels."""


def whole(scene: BayScene, view: View) -> Window:
    """The window that shows the whole vehicle in a view."""
    i, j = AXES_OF_VIEW[view]
    build = scene.build
    us, vs = [0.0], [0.0 if view == "plan" else build.datum.ground_z_mm]
    for wheel in scene.evaluation.wheels:
        half = (wheel.diameter_mm / 2, wheel.width_mm / 2, wheel.diameter_mm / 2)
        for sign in (-1, 1):
            us.append(wheel.centre_mm[i] + sign * half[i])
            vs.append(wheel.centre_mm[j] + sign * half[j])
    where = {p.component: p.where for p in scene.evaluation.components}
    kept = _KEPT.get((build.components, build.solids), Drawn)
    for component, solids, at in ((VEHICLE, build.solids, FIXED), *((c.id, c.solids, where[c.id]) for c in build.components)):
        if not solids:
            continue
        reach = kept.keep(("reach", component, at, view), partial(_reach, solids, at, view))
        us += (reach[0], reach[2])
        vs += (reach[1], reach[3])
    return Window(min(us), min(vs), max(us), max(vs))


def _reach(solids: tuple[Solid, ...], where: Placed, view: View) -> tuple[float, float, float, float]:
    """Least and largest of what some solids cover in a view: left, bottom, right, top."""
    corners = [p for solid in solids for outline in silhouette(solid, where, view) for p in outline]
    us, vs = [u for u, _ in corners], [v for _, v in corners]
    return (min(us), min(vs), max(us), max(vs))


class Drawn:
    """What has been drawn of the parts of one document, by where they sit and how they are looked at."""

    def __init__(self) -> None:
        self._found: dict[tuple[object, ...], Any] = {}

    def keep(self, key: tuple[object, ...], make: Callable[[], T]) -> T:
        """What is kept under a key, made where it is not."""
        found: T | None = self._found.get(key)
        if found is None:
            found = self._found[key] = make()
            for old in list(self._found)[:-MOST_DRAWN]:
                self._found.pop(old, None)
        return found


@dataclass(frozen=True, slots=True)
class Shape:
    """Some parts as drawn: their SVG, and the cells of the sheet that they take."""

    svg: str
    taken: NDArray[np.float64]


_KEPT: Kept[Drawn] = Kept(24)
MOST_DRAWN = 600
"""Shapes kept of one document: several positions of every part in all three views."""
T = TypeVar("T")


def draw(scene: BayScene, view: View, show: Show, large: bool, window: Window | None = None) -> Markup:
    """One view as SVG. ``window`` narrows it; without one the whole vehicle is shown."""
    width, height = LARGE_PX if large else SMALL_PX[view]
    shown = whole(scene.framed_as or scene, view)
    projection = fitted(view, width, height, window or shown.grown(0.035))
    if window is None and view != "plan":
        projection = _set_low(projection, shown, TRAVEL_PX[1] if large and scene.build.axles else 0.0)
    return _Drawing(scene, projection, show, large).markup()


def _set_low(projection: Projection, shown: Window, kept_px: float) -> Projection:
    """The same projection with most of the height it has to spare above the vehicle, where labels go, and little below the
    ground but what the page lays over it there."""
    spare_mm = projection.window.top_mm - projection.window.bottom_mm - (shown.top_mm - shown.bottom_mm)
    below_mm = max(spare_mm * SHARE_BELOW, min(spare_mm, kept_px / projection.px_per_mm))
    u, v = projection.centre_mm
    return replace(projection, centre_mm=(u, v + spare_mm * 0.5 - below_mm))


class _Drawing:
    def __init__(self, scene: BayScene, projection: Projection, show: Show, large: bool) -> None:
        self.scene, self.p, self.show, self.large = scene, projection, show, large
        self.build, self.evaluation = scene.build, scene.evaluation
        self.points = {p.point: p.xyz_mm for p in scene.evaluation.points}
        self.sheet = Sheet(projection.width_px, projection.height_px)
        self.labels: list[Label] = []
        self.roots = {c.id: root_of(self.build, c.id).id for c in self.build.components}
        self.root = self.roots[scene.chosen] if scene.chosen else ""
        self.in_hand = {c.id for c in assembly_of(self.build, self.root)} if self.root else set()
        self.kept = _KEPT.get((self.build.components, self.build.solids), Drawn)

    def markup(self) -> Markup:
        p = self.p
        points = self._points()
        body = [
            self._layer("back", [*self._ground(), *self._grid(), *self._wheels(), *self._structure()]),
            self._layer("ghosts", self._ghosts()),
            *self._components(),
            *self._mounts(),
            self._layer("lines", self._lines()),
            self._layer("rooms", self._rooms()),
            self._layer("points", [p for on, p in points if on == VEHICLE]),
            *(
                self._layer(f"points-{root}", [p for on, p in points if on == root])
                for root in dict.fromkeys(on for on, _ in points if on != VEHICLE)
            ),
            self._layer("scale", [*self._datum(), *self._scale_bar()]),
        ]
        body.append(self._layer("labels", self._labels(self.sheet.place(self._wanted()))))
        w = p.window
        return svg.sheet(
            p.width_px,
            p.height_px,
            f"view view-{p.view}" + (" is-large" if self.large else " is-small"),
            f"{VIEW_NAMES[p.view]} view, {VIEW_WORDS[p.view]}",
            body,
            data_view=p.view,
            data_px_per_mm=f"{p.px_per_mm:.6f}",
            data_window=f"{w.left_mm:.1f},{w.bottom_mm:.1f},{w.right_mm:.1f},{w.top_mm:.1f}",
        )

    def _layer(self, name: str, drawn: list[str]) -> str:
        """What changes together, as a part of the page."""
        return svg.page_part(svg.element("g", *drawn, id=f"{self.p.view}-{name}"), f"{self.p.view}-{name}")

    def _flat(self, outline: tuple[tuple[float, float], ...]) -> list[Pixel]:
        return [self.p.flat(uv) for uv in outline]

    def _ground(self) -> list[str]:
        if self.p.view == "plan":
            return []
        y, w = self.p.flat((0.0, self.build.datum.ground_z_mm))[1], self.p.width_px
        return [svg.element("rect", x=-w, y=y, width=3 * w, height=max(0.0, self.p.height_px - y) + self.p.height_px, class_="ground")]

    def _grid(self) -> list[str]:
        """Faint lines at round distances, the centreline, all drawn on beyond the sheet to wherever the page shows more of it."""
        return [self.kept.keep(("grid", self.p, self.show.length_unit), lambda: "".join(self._grid_lines()))]

    def _grid_lines(self) -> list[str]:
        width, height = self.p.width_px, self.p.height_px
        lines = backdrop.grid(self.p, self.show, 110.0, beyond=1.0)
        x, y = self.p.flat((0.0, 0.0))
        if self.p.view == "plan":
            lines.append(svg.line((-width, y), (2 * width, y), "centreline"))
        elif self.p.view == "rear":
            lines.append(svg.line((x, -height), (x, 2 * height), "centreline"))
        return lines

    def _wheels(self) -> list[str]:
        return [backdrop.wheel(self.p, one) for one in self.scene.evaluation.wheels]

    def _shape(self, key: tuple[object, ...], draw: Callable[[Sheet], str]) -> str:
        """The SVG of some parts, as it is kept or drawn now, with the cells taken that they cover."""

        def made() -> Shape:
            sheet = Sheet(self.p.width_px, self.p.height_px)
            return Shape(draw(sheet), sheet.taken)

        shape = self.kept.keep((*key, self.p), made)
        self.sheet.cover_as(shape.taken)
        return shape.svg

    def _structure(self) -> list[str]:
        def drawn(sheet: Sheet) -> str:
            found = []
            for solid in self.build.solids:
                for outline in silhouette(solid, FIXED, self.p.view):
                    flat = self._flat(outline)
                    sheet.cover([flat], SOFT / 30)
                    found.append(svg.polygon(flat, f"structure {'is-' + solid.role if solid.role else ''}"))
            return "".join(found)

        return [self._shape(("structure",), drawn)]

    def _ghosts(self) -> list[str]:
        drawn = []
        for ghost in self.scene.ghosts:
            now = {p.component: p.where for p in self.evaluation.components}
            for placed in ghost.components:
                component = self.build.component(placed.component)
                if placed.where == now.get(placed.component) or not self.build.component(self.roots[component.id]).movable:
                    continue
                drawn.append(self._ghost(component, placed.where, ghost.class_))
        return drawn

    def _ghost(self, component: Component, where: Placed, class_: str) -> str:
        def drawn() -> str:
            outlines = (o for solid in component.solids for o in silhouette(solid, where, self.p.view))
            return "".join([svg.polygon(self._flat(o), f"ghost {class_}") for o in outlines])

        return self.kept.keep(("ghost", component.id, where, class_, self.p), drawn)

    def _components(self) -> list[str]:
        where = {p.component: p.where for p in self.evaluation.components}
        groups: dict[str, list[Component]] = {}
        for component in self.build.components:
            groups.setdefault(self.roots[component.id], []).append(component)
        drawn = []
        for root_id, parts in groups.items():
            movable = self.build.component(root_id).movable
            state = "is-chosen" if root_id == self.root else "is-movable" if movable else "is-fixed"
            key = ("assembly", root_id, state, *(where[c.id] for c in parts))
            drawn.append(self._shape(key, partial(self._assembly, root_id, state, parts, where)))
        drawn.sort(key=lambda g: "is-chosen" in g)
        return drawn

    def _assembly(self, root_id: str, state: str, parts: list[Component], where: dict[str, Placed], sheet: Sheet) -> str:
        """All parts of an assembly, each a group of its outlines."""
        cost, shapes = SOFT if state == "is-fixed" or not self.build.component(root_id).movable else HARD, []
        for component in parts:
            inner = []
            for solid in component.solids:
                for outline in silhouette(solid, where[component.id], self.p.view):
                    flat = self._flat(outline)
                    sheet.cover([flat], cost)
                    inner.append(svg.polygon(flat, "solid"))
            shapes.append(svg.element("g", svg.title(component.name), *inner, data_component=component.id, class_="component"))
        name = f"{self.p.view}-part-{root_id}"
        return svg.page_part(svg.element("g", *shapes, id=name, data_assembly=root_id, class_=f"assembly {state}"), name)

    def _mounts(self) -> list[str]:
        drawn = []
        for state in self.evaluation.of(MountState):
            seat, foot = self.p.of(state.seat_mm), self.p.of(state.geometry.component_point_mm)
            of_it = [svg.line(seat, foot, "leg")]
            if state.filled_mm:
                top = self.p.of(add(state.seat_mm, scale(state.seat_axis, state.filled_mm)))
                of_it.append(svg.line(seat, top, "stack"))
            of_it.append(svg.element("rect", x=seat[0] - 4.5, y=seat[1] - 4.5, width=9.0, height=9.0, class_="seat"))
            of_it.append(svg.element("circle", cx=foot[0], cy=foot[1], r=3.5, class_="foot"))
            drawn.append(self._layer(f"mount-{state.mount.id}", of_it))
            left = self.show.value(abs(state.left_over_mm), "mm")
            gap = "gap" if state.left_over_mm >= 0 else "interferes"
            after = "left over" if state.left_over_mm >= 0 else "too thick"
            words = f"{state.mount.id} {left} {after}" if state.filled_mm else f"{state.mount.id} {gap} {left}"
            middle = ((seat[0] + foot[0]) / 2, (seat[1] + foot[1]) / 2)
            # Every mount's leg is drawn in its colour; written on are those of the part in hand, and those that fail.
            if state.verdict in ("fails", "unknown") or self.build.point(state.mount.component_point).on in self.in_hand:
                self._label(middle, words, state.verdict, f"mount.{state.mount.id}.gap", "mount")
        return drawn

    def _lines(self) -> list[str]:
        drawn = []
        for state in self.evaluation.of(LineState):
            path = [self.p.of(j.xyz_mm) for j in state.geometry.joints]
            drawn.append(svg.element("polyline", points=svg.points(path), class_="shaft"))
            for a, b in pairwise(path):
                self.sheet.cover_line(a, b, SOFT * 4)
            for at, bent, verdict in zip(path, state.motion.joints, state.verdicts, strict=False):
                drawn.append(svg.element("circle", cx=at[0], cy=at[1], r=6.0 if self.large else 4.5, class_=f"joint is-{verdict}"))
                words = f"{bent.id} {self.show.value(bent.angle_deg, 'deg')}"
                self._label(at, words, verdict, f"line.{state.line.id}.{bent.id}", "joint")
        return drawn

    def _rooms(self) -> list[str]:
        drawn = []
        for state in self.evaluation.of(RoomState):
            code = f"room.{state.room.id}"
            if state.verdict == "holds" and self.scene.shown_check != code:
                continue
            a, b = self.p.of(state.nearest.on_a_mm), self.p.of(state.nearest.on_b_mm)
            drawn.append(svg.line(a, b, f"room is-{state.verdict}"))
            drawn += [svg.element("circle", cx=q[0], cy=q[1], r=2.5, class_=f"room-end is-{state.verdict}") for q in (a, b)]
            middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
            name = state.room.name if len(state.room.name) < 30 else state.room.name[:28] + "…"
            self._label(middle, f"{name} {self.show.value(state.nearest.distance_mm, 'mm')}", state.verdict, code, "room")
        return drawn

    def _points(self) -> list[tuple[str, str]]:
        """Each point that nothing else shows, with the driving part that it goes with."""
        if not self.large:
            return []
        used = {j.point for line in self.build.drivelines for j in line.joints}
        used |= {p for m in self.build.mounts for p in (m.component_point, m.seat_point)}
        return [(self.roots.get(p.on, VEHICLE), self._point(p)) for p in self.build.points if p.id not in used]

    def _point(self, point: Point) -> str:
        x, y = self.p.of(self.points[point.id])
        name = svg.title(f"{point.name} ({point.kind}{', ' + point.source if point.source != 'measured' else ''})")
        on = "on-vehicle" if point.on == VEHICLE else "on-part"
        if point.kind == "hole":
            shape = svg.element("circle", cx=x, cy=y, r=4.0) + svg.element("circle", cx=x, cy=y, r=1.0)
        elif point.kind == "wheel":
            shape = svg.line((x - 5, y), (x + 5, y), "") + svg.line((x, y - 5), (x, y + 5), "")
        elif point.kind == "joint":
            shape = svg.element("circle", cx=x, cy=y, r=5.0)
        elif point.kind == "face":
            shape = svg.polygon([(x - 4, y - 4), (x + 4, y - 4), (x + 4, y + 4), (x - 4, y + 4)], "")
        else:
            shape = svg.polygon([(x, y - 5), (x + 5, y + 4), (x - 5, y + 4)], "")
        return svg.element("g", name, shape, class_=f"point is-{point.kind} {on}")

    def _datum(self) -> list[str]:
        (x, y), drawn = backdrop.datum(self.p)
        if self.large and self.p.view == "side" and 0 < x < self.p.width_px and 0 < y < self.p.height_px:
            if not self.build.axles or y + 16 < self.p.height_px - TRAVEL_PX[1]:
                drawn.append(svg.text((x + 8, y + 16), "datum", "note"))
            self.sheet.cover([[(x, y - 9), (x + 60, y - 9), (x + 60, y + 20), (x, y + 20)]], HARD)
        return drawn

    def _scale_bar(self) -> list[str]:
        taken, drawn = backdrop.scale_bar(self.p, self.show)
        self.sheet.cover([taken], HARD)
        return drawn

    def _label(self, at: Pixel, words: str, verdict: Verdict, code: str, kind: str) -> None:
        shown = code == self.scene.shown_check
        if not (0 <= at[0] <= self.p.width_px and 0 <= at[1] <= self.p.height_px):
            return
        if not self.large and verdict not in ("fails", "near") and not shown:
            return
        mark = VERDICT_MARK[verdict]
        class_ = f"label label-{kind} is-{verdict}" + (" is-shown" if shown else "")
        self.labels.append(Label(at, f"{words} {mark}".strip(), class_, code, -1 if shown else gravity_of(verdict)))

    def _wanted(self) -> list[Label]:
        """All labels in the large view; in a small one only the gravest few, and the caption's corner kept free."""
        w, free = self.p.width_px, CAPTION_PX
        self.sheet.cover([[(0, 0), (w if self.large else 60, 0), (w if self.large else 60, free), (0, free)]], HARD)
        if self.large:
            self.sheet.cover([[(w - ZOOM_PX[0], 0), (w, 0), (w, ZOOM_PX[1]), (w - ZOOM_PX[0], ZOOM_PX[1])]], HARD)
            if self.build.axles:
                h, (wide, high) = self.p.height_px, TRAVEL_PX
                self.sheet.cover([[(0, h - high), (wide, h - high), (wide, h), (0, h)]], HARD)
            return self.labels
        return sorted(self.labels, key=lambda one: (one.gravity, one.code))[:MOST_SMALL_LABELS]

    def _labels(self, placed: list[PlacedLabel]) -> list[str]:
        drawn = [svg.line(one.label.anchor, one.leader_end, f"leader {one.label.class_}") for one in placed]
        for one in placed:
            box = svg.element("rect", x=one.left, y=one.top, width=one.width, height=one.height, rx=3.0)
            words = svg.text((one.left + one.width / 2, one.top + 16.5), one.label.words, "", text_anchor="middle")
            drawn.append(svg.element("g", box, words, class_=one.label.class_, data_check=one.label.code))
        return drawn
