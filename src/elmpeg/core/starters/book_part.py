"""A part of the shop's book, and how it goes into a build and comes back better measured."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import LONGEST_NAME, cleaned_name, new_id, of_whole
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.build.survey import NOT_MEASURED, Datum, Photo, Point
from elmpeg.core.build.usual_cautions import OF_KIND
from elmpeg.core.integrity.sound import problems
from elmpeg.core.methods.shapes.solids import Solid, bounds_mm
from elmpeg.core.scene.located_points import surveyed
from elmpeg.core.starters.given import PART, Given, StarterForm

REAR_FACE = "rear face"
"""The point of a part where the next one is bolted on behind it."""


@record
class BookPart:
    """A part by itself: its shapes and points in its own frame, its mass, and where its figures come from."""

    name: str
    kind: str = ""
    solids: tuple[Solid, ...] = ()
    points: tuple[Point, ...] = ()
    mass_kg: float | None = None
    centre_of_mass_mm: Vec3 | None = None
    figures_from: str = ""
    note: str = ""
    photos: tuple[Photo, ...] = ()


def begun(form: StarterForm, given: Given, name: str) -> BookPart:
    """The part that a starter form lays out from its figures."""
    laid = form.make(given)
    soft = given.assumed(*(f.name for f in form.figures if f.unit != "kg"))
    told = f"Taped; assumed: {'; '.join(soft)}." if soft else "Taped; steps between the taped figures are drawn by proportion."
    if len(soft) == sum(f.unit != "kg" for f in form.figures):
        told = "Nothing of it is taped yet; every figure is assumed."
    return BookPart(name, form.id, laid.solids, laid.points, laid.mass_kg, figures_from=told)


def by_itself(part: BookPart) -> Build:
    """A build that holds nothing but one part, at the datum: for drawing it and for looking it through."""
    component = Component(PART, part.name or "part", Pose(), part.solids)
    points = tuple(replace(p, on=PART) for p in part.points)
    lowest = min((bounds_mm(s)[0][2] for s in part.solids), default=0.0)
    return Build(
        "part-alone",
        "part",
        "",
        Datum("its own origin", "", lowest),
        components=(component,),
        points=points,
        options=(Option("alone", "alone"),),
    )


def require_sound_part(part: BookPart) -> None:
    """Raise InputError with what is wrong with a part."""
    cleaned_name(part.name)
    found = problems(by_itself(part))
    if found:
        raise InputError("part", f"{found[0].field} {found[0].message}", *found[1:20])


def put_in(build: Build, part: BookPart, name: str, pose: Pose, parent: str | None = None, origin: str = "") -> Build:
    """The build with a copy of a part, last, with its points. A part that is bolted on has its pose on its parent."""
    name = cleaned_name(name)
    if any(c.name.lower() == name.lower() for c in build.components):
        raise InputError("name", f"another part of this build is called “{name}” already; choose a different name")
    if parent is not None:
        build.component(parent)
    part_id = new_id(name, (c.id for c in build.components))
    component = Component(
        part_id,
        name,
        pose,
        part.solids,
        parent,
        note=part.note,
        mass_kg=part.mass_kg,
        centre_of_mass_mm=part.centre_of_mass_mm,
        figures_from=part.figures_from,
        origin=origin,
    )
    taken = {p.id for p in build.points}
    renamed: dict[str, str] = {}
    for point in part.points:
        renamed[point.id] = new_id(f"{part_id}-{point.id}", taken)
        taken.add(renamed[point.id])
    points = tuple(
        replace(p, id=renamed[p.id], name=of_whole(name, p.name)[:LONGEST_NAME], on=part_id, start=renamed.get(p.start, ""))
        for p in part.points
    )
    listed = {p.id for p in build.photos}
    pictures = tuple(p for p in part.photos if p.id not in listed)
    caution = OF_KIND.get(part.kind, "")
    cautions = (*build.cautions, caution) if caution and caution not in build.cautions else build.cautions
    return replace(
        build,
        components=(*build.components, component),
        points=(*build.points, *points),
        photos=(*build.photos, *pictures),
        cautions=cautions,
    )


def taken_from(build: Build, component_id: str, kind: str = "") -> BookPart:
    """A part as it is known on a vehicle, for the book: each point where its readings put it, with their doubt."""
    component = build.component(component_id)
    places = surveyed(build).points
    points = []
    for point in (p for p in build.points if p.on == component_id):
        where = places[point.id]
        sure = point.source in ("measured", "drawing")
        points.append(
            Point(
                point.id.removeprefix(f"{component_id}-"),
                _bare(component, point.name),
                PART,
                point.kind,
                where.xyz_mm,
                point.axis,
                point.hole_mm,
                point.source,
                point.tool,
                max(where.sd_mm) if sure else None,
                where.axis_sd_deg if sure and point.axis is not None else None,
                note=point.note,
                thread=point.thread,
                depth=point.depth,
            )
        )
    return BookPart(
        component.name,
        kind,
        component.solids,
        tuple(points),
        component.mass_kg,
        component.centre_of_mass_mm,
        f"Measured on {build.name}.",
        component.note,
    )


def _bare(component: Component, name: str) -> str:
    """A point's name without that of its part, which a build puts before it."""
    return name.removeprefix(f"{component.name}, ")


def rear_face(build: Build, component: Component) -> Point | None:
    """The point of a part where the next one is bolted on behind it, if it has one."""
    return next((p for p in build.points if p.on == component.id and _bare(component, p.name).lower() == REAR_FACE), None)


def better_known(build: Build, component_id: str, kept: BookPart) -> tuple[str, ...]:
    """The names of the points that are surer on this vehicle than the book has them, or that the book lacks."""
    here = taken_from(build, component_id)
    book = {p.name: p for p in kept.points}
    return tuple(
        p.name
        for p in here.points
        if p.source not in NOT_MEASURED
        and (p.name not in book or book[p.name].source in NOT_MEASURED or (p.sd_mm or 0.0) < 0.9 * (book[p.name].sd_mm or 0.0))
    )
