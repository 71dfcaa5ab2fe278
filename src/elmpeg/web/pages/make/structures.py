"""Structures of tube: nodes typed or on points, members between them, every cut and length at once."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.document import Build
from elmpeg.core.build.structures import Member, Node, Structure
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make import structure_members
from elmpeg.core.stages.make.centre_lines import with_node_moved
from elmpeg.core.stages.make.structure_checks import StructureState
from elmpeg.core.stages.make.tube_checks import PieceState, piece_states
from elmpeg.core.stages.mount.plates import MATERIALS
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page, chosen_option
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.made_things import structure_drawings
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.centre_lines import NODE, SECTIONS, end_choices, picking, with_line
from elmpeg.web.pages.make.line_fields import Cells, joined, kept, rows
from elmpeg.web.pages.make.pieces import TABS
from elmpeg.web.remedies import tried
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import Show

router = APIRouter()
RUNS = ("", "runs")


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """All structures, and one of them."""
    at = build_page(desk, build_id, "Make", outcome)
    build = at.build
    chosen = next((s for s in build.structures if s.id == desk.text("structure")), build.structures[0] if build.structures else None)
    state = next((s for s in at.evaluation.of(StructureState) if chosen and s.structure == chosen.id), None)
    states = piece_states(build, at.evaluation.of(PieceState))
    begin_at = _goes_on_at(desk, chosen) if outcome and outcome.saved else None
    made = {p.tube.member: (p, states[p.id]) for p in build.pieces if p.tube and p.tube.member}
    return desk.render(
        "make/structures.html", outcome, page=at, chosen=chosen, state=state, made=made,
        drawings=structure_drawings(state.members, desk.show, chosen.name) if chosen and state and state.members else [],
        nodes_text=nodes_text(chosen, desk.show) if chosen else "", members_text=members_text(chosen, desk.show) if chosen else "",
        checks=[c for c in at.evaluation.checks if chosen and c.concerns("structures", chosen.id)],
        points=[(p.id, p.name) for p in build.points], materials=[(m, m) for m in MATERIALS], section_choices=[(s, s) for s in SECTIONS],
        picking=picking(desk, build, chosen, at.option.id, begin_at) if chosen and desk.may_change else "",
        end_choices=end_choices(build, chosen) if chosen else [], begin_at=f"{NODE}{begin_at}" if begin_at else "",
        next_end="end" if begin_at or desk.text("line_next") == "end" else "start",
        last_member=chosen.members[-1] if chosen and chosen.members else None, acted_line=desk.text("do") in ("line", "move"),
        mends={"post": desk.shop.url("structure_remedy", build_id=build_id), "fields": {"structure": chosen.id if chosen else ""}},
        tab="structures", tabs=TABS,
    )  # fmt: skip


def _goes_on_at(desk: Desk, structure: Structure | None) -> str:
    """Where the next centre line begins: at the end of the one that was just added."""
    return structure.members[-1].end if structure and structure.members and desk.text("do") == "line" else ""


def nodes_text(structure: Structure, show: Show) -> str:
    """A node a line: name; x; y; z; the point that it follows."""
    return "\n".join(joined(n.id, *(show.entered_exact(v) for v in n.xyz_mm), n.point) for n in structure.nodes)


def members_text(structure: Structure, show: Show) -> str:
    """A member a line: name; from; to; outside; wall; round or box; runs."""
    return "\n".join(
        joined(m.id, m.start, m.end, show.entered_exact(m.across_mm), show.entered_exact(m.wall_mm), m.section, "runs" if m.runs else "")
        for m in structure.members
    )


@router.get("/builds/{build_id}/make/structures", name="structures")
def show_all(build_id: str, desk: ReadDesk) -> Response:
    """All structures, and one of them."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/make/structures", name="keep_structure")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Begin a structure, change it, add a node or a member, or take it out."""
    do, form, build = act.text("do"), act.form, act.build
    option = chosen_option(build, act.text("option"))
    if do == "begin":
        name = cleaned_name(act.text("new_name"))
        made = Structure(new_id(name, (s.id for s in build.structures)), name)
        outcome = _kept(act, made, option.id, f"Began the structure {name}")
        return act.go_to("structures", structure=made.id) if outcome.saved else outcome
    old = build.structure(act.text("structure"))
    if do == "remove":
        return act.change(f"Took the structure {old.name} out", lambda b: structure_members.without_structure(b, old.id))
    if do == "node":
        name = cleaned_name(act.text("node_name"))[:40]
        if any(n.id == name for n in old.nodes):
            form.refuse("node_name", f"there is a node {name} already")
        point = act.text("node_point")
        # A node on a point that is there needs no place of its own.
        place = (form.point_or_none("node_x", "node_y", "node_z") or (0.0, 0.0, 0.0)) if point else form.point("node_x", "node_y", "node_z")
        if point:
            build.point(point)
        form.require()
        return _kept(act, replace(old, nodes=(*old.nodes, Node(name, place, point))), option.id, f"Node {name} of {old.name}")
    if do == "line":
        made = with_line(form, Scene(build, option), old)
        return _kept(act, made, option.id, f"Centre line {made.members[-1].id} of {old.name}")
    if do == "move":
        by = form.point("by_x", "by_y", "by_z")
        form.require()
        name = act.text("node")
        return _kept(act, with_node_moved(old, name, by), option.id, f"Moved node {name} of {old.name}")
    show = act.desk.show
    nodes = kept(act.text("nodes"), nodes_text(old, show), old.nodes, lambda t: nodes_from(t, show, build))
    members = kept(act.text("members"), members_text(old, show), old.members, lambda t: members_from(t, show))
    made = replace(
        old, name=cleaned_name(act.text("name")), gap_mm=form.length("gap", 0.0, old.gap_mm), material=form.choice("material", MATERIALS, "steel"),
        nodes=nodes, members=members,
    )  # fmt: skip
    form.require()
    return _kept(act, made, option.id, f"Changed the structure {made.name}")


def _kept(act: Act, made: Structure, option_id: str, words: str) -> Outcome:
    return act.change(words, lambda b: structure_members.with_structure(b, Scene(b, b.option(option_id)), made))


def nodes_from(text: str, show: Show, build: Build) -> tuple[Node, ...]:
    """The nodes that a field says."""
    points = {p.id for p in build.points}

    def read(cells: Cells) -> Node:
        point = cells.text(4)
        if point and point not in points:
            raise cells.refused(f"there is no point “{point[:40]}”")
        return Node(cells.name(0), cells.place(1), point)

    found = rows(text, "nodes", show, read)
    _once(found, "nodes")
    return found


def members_from(text: str, show: Show) -> tuple[Member, ...]:
    """The members that a field says."""
    found = rows(
        text, "members", show,
        lambda c: Member(c.name(0), c.name(1), c.name(2), c.length(3), c.length(4, 0.0), c.one_of(5, SECTIONS, "round"), bool(c.one_of(6, RUNS, ""))),
    )  # fmt: skip
    _once(found, "members")
    return found


def _once(found: tuple[Node, ...] | tuple[Member, ...], field: str) -> None:
    ids = [f.id for f in found]
    doubled = next((i for i in ids if ids.count(i) > 1), None)
    if doubled is not None:
        raise InputError(field, f"has two called {doubled}; give each its own name")


@router.post("/builds/{build_id}/make/structures/remedy", name="structure_remedy")
@answers(page)
def try_remedy(act: Act) -> Outcome:
    """What would mend a check, tried."""
    return tried(act)
