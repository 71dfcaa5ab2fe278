"""Stands of plates that go into each other: where each stands, tabs and slots, the order, what could go in wrong."""

from __future__ import annotations

from dataclasses import dataclass, replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.ways import WAYS
from elmpeg.core.build.document import Build
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.signers import signed_here
from elmpeg.core.build.stands import Stand, StandBolt, StandPart, StandTick
from elmpeg.core.methods.sheet_metal.cutting_limits import PROCESSES, CutBy
from elmpeg.core.methods.sheet_metal.tabs_and_slots import MOST_TABS
from elmpeg.core.methods.stands.tab_joints import PLAY_MM, Tab, TabJoint, ways_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make import stand_edits
from elmpeg.core.stages.make.stand_checks import said_wrong
from elmpeg.core.stages.make.stand_shape import StandState
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page, chosen_option
from elmpeg.web.desk import Desk, now
from elmpeg.web.drawing.made_things import stand_drawing
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.line_fields import Cells, joined, kept, rows
from elmpeg.web.pages.make.pieces import TABS
from elmpeg.web.remedies import TRIED_NOWHERE
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import Show

router = APIRouter()
LOOKS = tuple(WAYS)
KINDS = ("bolt", "captive nut")


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """All stands, and one of them."""
    at = build_page(desk, build_id, "Make", outcome)
    build = at.build
    chosen = next((s for s in build.stands if s.id == desk.text("stand")), build.stands[0] if build.stands else None)
    state = next((s for s in at.evaluation.of(StandState) if chosen and s.stand == chosen.id), None)
    names = {i.id: i.name for i in state.items} if state else {}
    steps = (
        [(s.item, names.get(s.item, s.item), _along(s.along)) for s in state.order.steps]
        if state and state.order and state.order.exists
        else []
    )
    return desk.render(
        "make/stands.html", outcome, page=at, chosen=chosen, state=state, names=names, steps=steps,
        wrong=[(w, said_wrong(w, names)) for w in state.wrong] if state else [], play_mm=PLAY_MM[chosen.cut_by] if chosen else 0.0,
        drawing=stand_drawing(state, desk.show, chosen.name) if chosen and state and state.items else None,
        joint_ways=[(names.get(j.tabbed, j.tabbed), names.get(j.slotted, j.slotted), joint_ways(j, chosen.cut_by)) for j in state.joints]
        if chosen and chosen.joints and state else [],
        parts_text=parts_text(chosen, desk.show) if chosen else "", bolts_text=bolts_text(chosen, desk.show) if chosen else "",
        tabs_text={(j.tabbed, j.slotted): _tabs_text(j.tabs, desk.show) for j in chosen.joints} if chosen else {},
        checks=[c for c in at.evaluation.checks if chosen and c.concerns("stands", chosen.id)],
        plates=[(p.id, p.name) for p in build.pieces if p.tube is None and p.turned is None and not p.lower], looks=LOOKS,
        processes=[(p, p) for p in PROCESSES], ticked={t.said: t for t in chosen.ticks if signed_here(t.by)} if chosen else {}, tab="stands", tabs=TABS, mends=TRIED_NOWHERE,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class JointWays:
    """In which ways a joint's tabs go into its slots, and of the others the one that lacks least."""

    going: tuple[str, ...]
    nearest: str
    lacks_mm: float


def joint_ways(joint: TabJoint, cut_by: CutBy) -> JointWays | None:
    """What the calculation of tabs and slots says of one joint; None for one of more tabs than it tries."""
    if len(joint.tabs) > MOST_TABS:
        return None
    ways = ways_of(joint, cut_by)
    out = min((w for w in ways if not w.goes_in), key=lambda w: w.worst_short_mm, default=None)
    going = tuple(w.way for w in ways if w.goes_in)
    return JointWays(going, out.way if out else "", out.worst_short_mm if out else 0.0)


def _along(way: tuple[float, float, float]) -> str:
    best = max(WAYS, key=lambda w: sum(a * b for a, b in zip(WAYS[w], way, strict=True)))
    return {
        "up": "upwards",
        "down": "downwards",
        "forward": "forward",
        "rearward": "to the rear",
        "left": "to the left",
        "right": "to the right",
    }[best]


def _tabs_text(tabs: tuple[Tab, ...], show: Show) -> str:
    return "\n".join(joined(t.id, show.entered_exact(t.at_mm), show.entered_exact(t.wide_mm)) for t in tabs)


def parts_text(stand: Stand, show: Show) -> str:
    """A plate a line: name; piece; x; y; z; looks; turn."""
    return "\n".join(joined(p.id, p.piece, *(show.entered_exact(v) for v in p.at_mm), p.looks, f"{p.turn_deg:g}") for p in stand.parts)


def bolts_text(stand: Stand, show: Show) -> str:
    """A bolt a line: name; kind; x; y; z; out; size; length; head; tool; tool's length."""
    return "\n".join(
        joined(
            b.id, b.kind, *(show.entered_exact(v) for v in b.at_mm), b.out,
            *(show.entered_exact(v) for v in (b.d_mm, b.long_mm, b.head_mm, b.tool_mm, b.tool_long_mm)),
        )
        for b in stand.bolts
    )  # fmt: skip


@router.get("/builds/{build_id}/make/stands", name="stands")
def show_all(build_id: str, desk: ReadDesk) -> Response:
    """All stands, and one of them."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/make/stands", name="keep_stand")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Begin a stand, change it, join its plates, mend what could go in wrong, tick a step, or take it out."""
    do, form, build = act.text("do"), act.form, act.build
    option_id = chosen_option(build, act.text("option")).id
    if do == "begin":
        name = cleaned_name(act.text("new_name"))
        made = Stand(new_id(name, (s.id for s in build.stands)), name)
        outcome = act.change(f"Began the stand {name}", lambda b: stand_edits.with_stand(b, made))
        return act.go_to("stands", stand=made.id) if outcome.saved else outcome
    old = build.stand(act.text("stand"))
    if do == "remove":
        return act.change(f"Took the stand {old.name} out", lambda b: _without(b, old.id))
    if do == "join":
        return act.change(f"Tabs and slots of {old.name}", lambda b: stand_edits.with_joints(b, Scene(b, b.option(option_id)), old.id))
    if do == "unjoin":
        return act.change(f"Took the tabs and slots of {old.name} back", lambda b: stand_edits.without_joints(b, old.id))
    if do == "change_tab":
        joint, tab = (act.text("tabbed"), act.text("slotted")), act.text("tab")
        wider, along = form.number("wider", 0.0, 200.0, 0.0), form.number("along", -200.0, 200.0, 0.0)
        return act.change(
            f"A tab of {old.name} {'made wider' if wider else 'moved'}",
            lambda b: stand_edits.with_tab_changed(b, Scene(b, b.option(option_id)), old.id, joint, tab, wider, along),
        )
    if do == "tool_hole":
        bolt, held = act.text("bolt"), act.text("part")
        return act.change(
            f"A hole for a tool in {old.name}", lambda b: stand_edits.with_tool_hole(b, Scene(b, b.option(option_id)), old.id, bolt, held)
        )
    if do == "tabs":
        tabbed, slotted = act.text("tabbed"), act.text("slotted")
        show = act.desk.show
        tabs = rows(act.text("tabs"), "tabs", show, lambda c: Tab(c.name(0), c.length(1), c.length(2)))
        if not tabs or any(t.wide_mm <= 0 for t in tabs):
            raise InputError("tabs", "need a name, a place and a width above 0, one a line")
        return act.change(
            f"Tabs of {old.name}", lambda b: stand_edits.with_joints(b, Scene(b, b.option(option_id)), old.id, {(tabbed, slotted): tabs})
        )
    if do == "tick":
        said = act.text("said")[:200]
        tick = StandTick(new_id(said, (t.id for t in old.ticks)), said, act.desk.person.name, now())
        return act.change(
            f"{old.name}: {said}", lambda b: stand_edits.with_stand(b, replace(b.stand(old.id), ticks=(*b.stand(old.id).ticks, tick)))
        )
    if do == "part":
        piece = build.piece(act.text("piece"))
        place = form.point_or_none("x", "y", "z") or (0.0, 0.0, 0.0)
        added = StandPart(
            new_id(piece.id, (p.id for p in old.parts)), piece.id, place, form.choice("looks", LOOKS, "up"), form.angle("turn", 0.0)
        )
        form.require()
        return act.change(f"{piece.name} in {old.name}", lambda b: stand_edits.with_stand(b, replace(old, parts=(*old.parts, added))))
    show = act.desk.show
    parts = kept(act.text("parts"), parts_text(old, show), old.parts, lambda t: parts_from(t, show, old, build))
    bolts = kept(act.text("bolts"), bolts_text(old, show), old.bolts, lambda t: bolts_from(t, show))
    made = replace(old, name=cleaned_name(act.text("name")), cut_by=form.choice("cut_by", PROCESSES, "laser"), parts=parts, bolts=bolts)
    form.require()
    return act.change(f"Changed the stand {made.name}", lambda b: stand_edits.with_stand(b, made))


def _without(build: Build, stand_id: str) -> Build:
    left: Build = taken_out(stand_edits.without_joints(build, stand_id), "stands", stand_id)
    return left


def parts_from(text: str, show: Show, old: Stand, build: Build) -> tuple[StandPart, ...]:
    """The plates that a field says; what is known of each stays with its name."""
    bare = {(p.id, p.piece): p.bare for p in old.parts}
    pieces = {p.id for p in build.pieces}

    def read(cells: Cells) -> StandPart:
        name, piece = cells.name(0), cells.name(1)
        if piece not in pieces:
            raise cells.refused(f"there is no piece “{piece}”")
        return StandPart(name, piece, cells.place(2), cells.one_of(5, LOOKS, "up"), cells.number(6, 0.0), bare.get((name, piece), ()))

    return rows(text, "parts", show, read)


def bolts_from(text: str, show: Show) -> tuple[StandBolt, ...]:
    """The bolts and captive nuts that a field says."""
    return rows(
        text, "bolts", show,
        lambda c: StandBolt(
            c.name(0), c.name(0), c.one_of(1, KINDS, "bolt"), c.place(2), c.one_of(5, LOOKS, "up"), c.length(6), c.length(7), c.length(8),  # type: ignore[arg-type]
            c.length(9, 0.0), c.length(10, 0.0),
        ),
    )  # fmt: skip
