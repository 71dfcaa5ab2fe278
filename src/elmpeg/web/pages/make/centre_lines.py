"""Picking a structure's centre lines in a view: what the form says so far, drawn; and what it says in the end, read."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, TypeVar, get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import Section
from elmpeg.core.build.structures import Member, Structure
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.centre_lines import LineEnd, with_centre_line
from elmpeg.core.stages.make.structure_members import node_places
from elmpeg.web.build_page import chosen_option
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.bay import VIEW_NAMES, VIEW_WORDS
from elmpeg.web.drawing.line_pick import LineInHand, Partial, PickScene, Zoom, pick_drawing
from elmpeg.web.forms import Form
from elmpeg.web.security import ReadDesk

router = APIRouter()
T = TypeVar("T", bound=str)
Which = Literal["start", "end"]
Choices = list[tuple[str, list[tuple[str, str]]]]
NODE, POINT = "node:", "point:"
NOWHERE: Partial = (None, None, None)
SECTIONS: tuple[Section, ...] = get_args(Section)
ZOOMS: dict[Zoom, str] = {"whole": "The whole vehicle", "round": "Round the structure", "close": "Close to the last pick"}


def end_choices(build: Build, structure: Structure) -> Choices:
    """What an end can be on, in groups: a place, the nodes there are, the build's points."""
    nodes = [(f"{NODE}{n.id}", f"node {n.id}") for n in structure.nodes]
    return [("", [("", "a place")]), ("Nodes", nodes), ("Points", [(f"{POINT}{p.id}", p.name) for p in build.points])]


def picking(desk: Desk, build: Build, structure: Structure, option_id: str, begin_at: str | None = None) -> str:
    """The view that is picked in, with the line as the form says it so far; ``begin_at`` the node where a new one begins instead."""
    scene = Scene(build, build.option(option_id))
    view = _one_of(desk.text("view"), AXES_OF_VIEW, "side")
    usual: Zoom = "round" if structure.nodes else "whole"
    zoom = _one_of(desk.text("zoom"), ZOOMS, usual)
    if begin_at is None:
        last = _one_of(desk.text("line_last"), get_args(Which), "start")
        line = LineInHand(_said(desk, scene, structure, "start"), _said(desk, scene, structure, "end"), last)
    else:
        line = LineInHand(node_places(scene, structure).get(begin_at, NOWHERE))
    drawing = pick_drawing(PickScene(scene, structure, zoom, line), view, desk.show)
    return desk.shop.templates.get_template("make/_line_pick.html").render(
        view=view, zoom=zoom, zooms=ZOOMS.items(), names=VIEW_NAMES, words=VIEW_WORDS, url=desk.shop.url, build=build, option=scene.option,
        structure=structure, drawing=drawing, last=line.last, length=_length(desk, line),
    )  # fmt: skip


def _one_of(said: str, among: Iterable[T], otherwise: T) -> T:
    return next((a for a in among if a == said), otherwise)


def _length(desk: Desk, line: LineInHand) -> str:
    """Between the two ends, once both are known."""
    apart = [(b - a) ** 2 for a, b in zip(line.start, line.end, strict=True) if a is not None and b is not None]
    return str(desk.show.value(sum(apart) ** 0.5, "mm", None, 1)) if len(apart) == 3 else ""


def _said(desk: Desk, scene: Scene, structure: Structure, which: Which) -> Partial:
    """Where an end is as far as the form says."""
    on = desk.text(f"line_{which}")
    if on.startswith(NODE):
        return node_places(scene, structure).get(on.removeprefix(NODE), NOWHERE)
    if on.startswith(POINT):
        point = on.removeprefix(POINT)
        return scene.xyz(point) if any(p.id == point for p in scene.build.points) else NOWHERE
    return (_typed(desk, f"line_{which}_x"), _typed(desk, f"line_{which}_y"), _typed(desk, f"line_{which}_z"))


def _typed(desk: Desk, field: str) -> float | None:
    """A length that is being typed; None while it is none."""
    form = Form(desk.text, desk.has, desk.show)
    found = form.length_or_none(field)
    return None if form.errors else found


@router.get("/builds/{build_id}/make/structures/pick", name="line_pick")
def show(build_id: str, desk: ReadDesk) -> Response:
    """One view to pick ends in, with what the form says so far."""
    build = desk.shop.builds.head(build_id).build
    structure = build.structure(desk.text("structure"))
    return HTMLResponse(
        picking(desk, build, structure, chosen_option(build, desk.text("option")).id), headers={"Cache-Control": "no-store"}
    )


def with_line(form: Form, scene: Scene, old: Structure) -> Structure:
    """The structure with the centre line that the form says. Raises InputError by field."""
    choices = [value for _, own in end_choices(scene.build, old) for value, _ in own]
    start, end = _end(form, "start", choices), _end(form, "end", choices)
    name = form.text("member_name", 40)
    member = Member(
        cleaned_name(name) if name else "", "", "", form.length("member_across"), form.length("member_wall", 0.0),
        form.choice("member_section", SECTIONS, "round"), form.tick("member_runs"),
    )  # fmt: skip
    form.require()
    return with_centre_line(scene, old, start, end, member)


def _end(form: Form, which: Which, choices: list[str]) -> LineEnd:
    field = f"line_{which}"
    on = form.choice(field, choices, "")
    if on.startswith(NODE):
        return LineEnd(node=on.removeprefix(NODE))
    if on.startswith(POINT):
        return LineEnd(point=on.removeprefix(POINT))
    axes = [f"{field}_{a}" for a in "xyz"]
    if not any(form.given(a) for a in axes):
        form.refuse(field, "pick it in a view, or choose or type where it is")
        return LineEnd()
    for axis in axes:
        if not form.given(axis):
            form.refuse(axis, "one view shows two of the three: pick it in another view too, or type it")
    return LineEnd(place_mm=(form.length(axes[0]), form.length(axes[1]), form.length(axes[2])))
