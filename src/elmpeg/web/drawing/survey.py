"""How a point was got, and how a vehicle stands: plan and side to true scale, with what was measured written on."""

from __future__ import annotations

import math

from markupsafe import Markup

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Levelling, Point
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, FIXED, Solid, View, silhouette
from elmpeg.core.scene.located_points import surveyed
from elmpeg.core.stages.measure.measuring_list import Quantity
from elmpeg.figures.labels import HARD, SOFT, Label, Sheet
from elmpeg.figures.projection import Pixel, Projection, Window, fitted
from elmpeg.web.drawing import svg
from elmpeg.web.drawing.bay import VIEW_NAMES
from elmpeg.web.showing import Show

POINT_PX = (420.0, 216.0)
LEVEL_PX = (420.0, 190.0)
ASKED_PX = (380.0, 170.0)
ARROW_PX = 9.0
LEAST_MM = 240.0
"""A window never shows less than this across: a point alone says nothing."""
ROUND = 0.22


def point_sheet(build: Build, point: Point, view: View, show: Show) -> Markup:
    """A point with the points it was measured from, the tapes between them, and the part or vehicle around it."""
    survey = surveyed(build)
    fix = survey.points[point.id].fix
    solids = build.solids if point.on == VEHICLE else build.component(point.on).solids
    bases = [b for b in point.bases if b in survey.points]
    near = [fix.xyz_mm, *(survey.points[b].xyz_mm for b in bases)]
    if fix.other_mm is not None:
        near.append(fix.other_mm)
    if not bases:
        near.append((0.0, 0.0, 0.0))
    page = _Page(fitted(view, *POINT_PX, _around(near, view)), show)
    page.solids(solids)
    page.datum()
    texts = {r.held_at: r.text for r in point.readings if r.axis == "tape" and not r.dropped}
    at = page.p.of(fix.xyz_mm)
    for base in bases:
        held = page.p.of(survey.points[base].xyz_mm)
        page.drawn.append(svg.line(held, at, "tape"))
        page.sheet.cover_line(held, at, SOFT)
        page.drawn.append(svg.element("circle", cx=held[0], cy=held[1], r=5.0, class_="base"))
        page.label(held, base, "base")
        if base in texts:
            page.label(((held[0] + at[0]) / 2, (held[1] + at[1]) / 2), texts[base], "tape")
    if not bases:
        page.offsets(fix.xyz_mm)
    if fix.other_mm is not None:
        other = page.p.of(fix.other_mm)
        page.drawn.append(svg.element("circle", svg.title("the other place that fits"), cx=other[0], cy=other[1], r=7.0, class_="other"))
        page.label(other, "or here", "other")
    page.drawn += [svg.element("circle", cx=at[0], cy=at[1], r=8.0, class_="here-point"), svg.element("circle", cx=at[0], cy=at[1], r=2.0)]
    page.label(at, point.id, "here", -1)
    return page.markup(f"{VIEW_NAMES[view]} of {point.name} and what it was measured from")


GAUGE_MM = 200.0
"""How long a gauge is drawn."""


def asked_sheet(build: Build, quantity: Quantity, show: Show) -> Markup:
    """Where one asked figure is taken, from what to what, to true scale; empty for a figure that hangs on no point."""
    if not quantity.point:
        return Markup("")
    survey, point = surveyed(build), build.point(quantity.point)
    place = survey.points[point.id].fix.xyz_mm
    leans = quantity.id.startswith("d:") and point.axis is not None
    _, _, along, edge, held_at = ("", "", "lean", "", "") if leans else quantity.id.split(":")
    if leans and point.axis is not None:
        # The gauge lies along the axis, which is seen from the side.
        way, name, begin = 0, point.id, place
        end = (place[0] + GAUGE_MM * point.axis[0], place[1] + GAUGE_MM * point.axis[1], place[2] + GAUGE_MM * point.axis[2])
    elif along == "tape":
        begin, name = survey.points[held_at].xyz_mm, held_at
        end, way = place, max(range(3), key=lambda i: abs(place[i] - begin[i]))
    else:
        way = "xyz".index(along)
        begin, name = (survey.points[point.start].xyz_mm, point.start) if point.start else ((0.0, 0.0, 0.0), "zero")
        to = place[way] + _to_edge(point, edge, place[way] - begin[way])
        end = (to if way == 0 else begin[0], to if way == 1 else begin[1], to if way == 2 else begin[2])
    view: View = "plan" if way == 1 or (along == "tape" and abs(place[1] - begin[1]) > abs(place[2] - begin[2])) else "side"
    solids = build.solids if point.on == VEHICLE else build.component(point.on).solids
    page = _Page(fitted(view, *ASKED_PX, _around([begin, end, place], view)), show)
    page.solids(solids)
    page.datum(named=name != "zero")
    a, b, c = page.p.of(begin), page.p.of(end), page.p.of(place)
    page.drawn.append(svg.line(b, c, "tape is-aside"))
    page.measured(a, b)
    page.label(a, name, "base")
    page.drawn += [svg.element("circle", cx=c[0], cy=c[1], r=7.0, class_="here-point"), svg.element("circle", cx=c[0], cy=c[1], r=2.0)]
    page.label(c, point.id, "here", -1)
    word = "tape" if along == "tape" else f"{along.upper()}, {edge} edge" if edge else along.upper()
    page.label(((a[0] + b[0]) / 2, (a[1] + b[1]) / 2), word, "tape")
    return page.markup(f"{VIEW_NAMES[view]}: {quantity.title}, {quantity.what}")


def _to_edge(point: Point, edge: str, reach_mm: float) -> float:
    """How far an edge of a hole lies beyond its middle, along the axis that is read."""
    radius = (point.hole_mm or 0.0) / 2
    return 0.0 if not edge else (radius if edge == "far" else -radius) * (1.0 if reach_mm >= 0 else -1.0)


OFF_PLANE_MM = 0.05
"""What a height may be off the plane of all and still be told as in it."""


def level_sheet(build: Build, levelling: Levelling, left_mm: tuple[float, ...], show: Show) -> Markup:
    """Where heights were read, seen from above: how much higher or lower than the mean each is, and by how much it is off their plane."""
    places = [p.xyz_mm for p in levelling.places]
    mean_mm = sum(p[2] for p in places) / len(places)
    page = _Page(fitted("plan", *LEVEL_PX, _around(places, "plan")), show)
    page.solids(build.solids)
    page.datum()
    for place, left in zip(levelling.places, left_mm, strict=True):
        at = page.p.of(place.xyz_mm)
        page.drawn.append(svg.element("circle", svg.title(place.name), cx=at[0], cy=at[1], r=6.0, class_="base"))
        off = f", {show.change(left, 0.0, 'mm')} off the plane" if abs(left) >= OFF_PLANE_MM else ""
        page.label(at, f"{place.name} {show.change(place.xyz_mm[2], mean_mm, 'mm')}{off}", "base")
    return page.markup("Plan of the places where heights were read")


def _around(places: list[Vec3], view: View) -> Window:
    i, j = AXES_OF_VIEW[view]
    us, vs = [p[i] for p in places], [p[j] for p in places]
    window = Window(min(us), min(vs), max(us), max(vs)).grown(ROUND)
    u, v = (window.left_mm + window.right_mm) / 2, (window.bottom_mm + window.top_mm) / 2
    half_u, half_v = max(window.right_mm - u, LEAST_MM / 2), max(window.top_mm - v, LEAST_MM / 4)
    return Window(u - half_u, v - half_v, u + half_u, v + half_v)


class _Page:
    """One sheet being drawn."""

    def __init__(self, projection: Projection, show: Show) -> None:
        self.p, self.show = projection, show
        self.sheet = Sheet(projection.width_px, projection.height_px)
        self.drawn: list[str] = []
        self.labels: list[Label] = []
        self.sheet.cover([[(0, 0), (110, 0), (110, 24), (0, 24)]], HARD)

    def solids(self, solids: tuple[Solid, ...]) -> None:
        for solid in solids:
            for outline in silhouette(solid, FIXED, self.p.view):
                self.drawn.append(svg.polygon([self.p.flat(c) for c in outline], "structure", data_solid=solid.id))

    def datum(self, named: bool = True) -> None:
        x, y = self.p.of((0.0, 0.0, 0.0))
        if 0 < x < self.p.width_px and 0 < y < self.p.height_px:
            self.drawn += [svg.line((x - 8, y), (x + 8, y), "datum"), svg.line((x, y - 8), (x, y + 8), "datum")]
            if named:
                self.label((x, y), "zero", "base")

    def offsets(self, xyz_mm: Vec3) -> None:
        """The two offsets that this view shows, as a tape would be laid: along, then across."""
        i, j = AXES_OF_VIEW[self.p.view]
        corner = [0.0, 0.0, 0.0]
        corner[i] = xyz_mm[i]
        a, b, c = self.p.of((0.0, 0.0, 0.0)), self.p.of((corner[0], corner[1], corner[2])), self.p.of(xyz_mm)
        for start, end, axis in ((a, b, i), (b, c, j)):
            self.drawn.append(svg.line(start, end, "tape"))
            self.sheet.cover_line(start, end, SOFT)
            if abs(start[0] - end[0]) + abs(start[1] - end[1]) > 24:
                words = f"{'XYZ'[axis]} {self.show.entered(xyz_mm[axis], 'mm')}".replace("-", "\u2212")
                self.label(((start[0] + end[0]) / 2, (start[1] + end[1]) / 2), words, "tape")

    def measured(self, a: Pixel, b: Pixel) -> None:
        """The length that is read, with an arrow at either end."""
        self.drawn.append(svg.line(a, b, "measured"))
        self.sheet.cover_line(a, b, SOFT)
        long = math.hypot(b[0] - a[0], b[1] - a[1])
        if long < 2 * ARROW_PX:
            return
        u, v = (b[0] - a[0]) / long, (b[1] - a[1]) / long
        for (x, y), sign in ((a, 1.0), (b, -1.0)):
            back, half = ARROW_PX * sign, ARROW_PX / 3
            corners = [(x, y), (x + u * back - v * half, y + v * back + u * half), (x + u * back + v * half, y + v * back - u * half)]
            self.drawn.append(svg.polygon(corners, "measured-end"))

    def label(self, at: Pixel, words: str, class_: str, gravity: int = 1) -> None:
        short = words if len(words) <= 26 else words[:25] + "…"
        self.labels.append(Label(at, short, f"label is-holds label-{class_}", f"{len(self.labels):03}", gravity))

    def markup(self, label: str) -> Markup:
        length, length_words = self.show.bar(min(110.0, self.p.width_px / 3) / self.p.px_per_mm)
        px, y = length * self.p.px_per_mm, self.p.height_px - 10
        right = self.p.width_px - 12
        self.sheet.cover([[(right - px - 6, y - 26), (right + 8, y - 26), (right + 8, y + 8), (right - px - 6, y + 8)]], HARD)
        bar = [
            svg.element(
                "polyline", points=svg.points([(right - px, y - 6), (right - px, y), (right, y), (right, y - 6)]), class_="scale-bar"
            ),
            svg.text((right - px / 2, y - 8), length_words, "note", text_anchor="middle"),
            svg.text((10, 17), VIEW_NAMES[self.p.view], "note"),
        ]
        placed = self.sheet.place(self.labels)
        words = [svg.line(one.label.anchor, one.leader_end, f"leader {one.label.class_}") for one in placed]
        for one in placed:
            box = svg.element("rect", x=one.left, y=one.top, width=one.width, height=one.height, rx=3.0)
            text = svg.text((one.left + one.width / 2, one.top + 16.5), one.label.words, "", text_anchor="middle")
            words.append(svg.element("g", box, text, class_=one.label.class_))
        body = [*self.drawn, *bar, *words]
        scale = svg.number(self.p.px_per_mm * 1000)
        return svg.sheet(self.p.width_px, self.p.height_px, "view is-survey", label, body, data_px_per_metre=scale)
