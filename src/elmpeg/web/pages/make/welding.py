"""Welding: seams in runs, tacks and runs in their order, what heat harms, what is done before and who saw it."""

from __future__ import annotations

from dataclasses import replace
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.alone import looked_again
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.signers import same_person, signed_here
from elmpeg.core.build.weldments import Bevel, GateKind, Heated, HeatedThing, Seam, WeldDone, WeldGate, Weldment
from elmpeg.core.stages.make.weld_checks import CAUTION, GATE_WORDS, WeldState, before_welding, run_called, sides_pulled
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk, now
from elmpeg.web.drawing.made_things import weld_drawing
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.line_fields import Cells, joined, kept, rows
from elmpeg.web.pages.make.pieces import TABS
from elmpeg.web.remedies import TRIED_NOWHERE
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import Show

router = APIRouter()
BEVELS: tuple[Bevel, ...] = get_args(Bevel)
HEATED: tuple[Heated, ...] = get_args(Heated)
GATES: tuple[GateKind, ...] = get_args(GateKind)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """All weldments, and one of them."""
    at = build_page(desk, build_id, "Make", outcome)
    build = at.build
    chosen = next((w for w in build.weldments if w.id == desk.text("weldment")), build.weldments[0] if build.weldments else None)
    state = next((s for s in at.evaluation.of(WeldState) if chosen and s.weldment == chosen.id), None)
    plan = state.plan if state else None
    checks = [c for c in at.evaluation.checks if chosen and c.concerns("weldments", chosen.id)]
    return desk.render(
        "make/welding.html", outcome, alone=desk.alone, first=before_welding(checks), called=lambda run: run_called(chosen, run) if chosen else run, page=at, chosen=chosen, plan=plan, pulled=sides_pulled(plan) if plan else (), caution=CAUTION,
        drawing=weld_drawing(chosen, plan, desk.show) if chosen and plan and chosen.seams else None,
        seams_text=seams_text(chosen, desk.show) if chosen else "", heated_text=heated_text(chosen, desk.show) if chosen else "",
        done={d.id: d for d in chosen.done} if chosen else {}, seams={s.id: s for s in chosen.seams} if chosen else {},
        checks=checks, gate_words=GATE_WORDS, gates=GATES,
        pieces=[(p.id, p.name) for p in build.pieces], bevels=BEVELS, heats=HEATED, tab="welding", tabs=TABS, mends=TRIED_NOWHERE,
    )  # fmt: skip


def seams_text(weldment: Weldment, show: Show) -> str:
    """A seam a line: name; x; y; z; x; y; z of its ends; throat; runs; bevel; thickness; room; the pieces it joins."""
    return "\n".join(
        joined(
            s.name, *(show.entered_exact(v) for v in (*s.a_mm, *s.b_mm, s.throat_mm)), str(s.runs), s.bevel, show.entered_exact(s.thick_mm), show.entered_exact(s.room_mm), *s.joins
        )
        for s in weldment.seams
    )  # fmt: skip


def heated_text(weldment: Weldment, show: Show) -> str:
    """A thing a line: name; kind; x; y; z."""
    return "\n".join(joined(h.name, h.kind, *(show.entered_exact(v) for v in h.at_mm)) for h in weldment.heated)


@router.get("/builds/{build_id}/make/welding", name="welding")
def show_all(build_id: str, desk: ReadDesk) -> Response:
    """All weldments, and one of them."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/make/welding", name="keep_weldment")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Begin a weldment, change it, note a gate, a tack or a run, or take it out."""
    do, form, build = act.text("do"), act.form, act.build
    if do == "begin":
        name = cleaned_name(act.text("new_name"))
        made = Weldment(new_id(name, (w.id for w in build.weldments)), name)
        outcome = _kept(act, made, f"Began the weldment {name}")
        return act.go_to("welding", weldment=made.id) if outcome.saved else outcome
    old = build.weldment(act.text("weldment"))
    person = act.desk.person.name
    if do == "remove":
        return act.change(f"Took the weldment {old.name} out", lambda b: _without(b, old.id))
    if do == "seam":
        name = cleaned_name(act.text("seam_name"))
        a, b = (form.point(f"seam_{end}x", f"seam_{end}y", f"seam_{end}z") for end in "ab")
        joins = tuple(v for v in act.desk.form.getlist("seam_joins") if isinstance(v, str) and v)
        thick = min((p.thick_mm for p in build.pieces if p.id in joins), default=0.0)
        seam = Seam(
            new_id(name, (s.id for s in old.seams)), name, a, b, form.length("seam_throat", 4.0), form.count("seam_runs", 1, 12, 1),
            form.choice("seam_bevel", BEVELS, "none"), joins, form.length("seam_thick", thick), form.length("seam_room", 0.0),
        )  # fmt: skip
        form.require()
        return _kept(act, replace(old, seams=(*old.seams, seam)), f"Seam {name} of {old.name}")
    if do == "heat":
        name = cleaned_name(act.text("heat_name"))
        place = form.point("heat_x", "heat_y", "heat_z")
        thing = HeatedThing(new_id(name, (h.id for h in old.heated)), name, form.choice("heat_kind", HEATED, "bush"), place)
        form.require()
        return _kept(act, replace(old, heated=(*old.heated, thing)), f"{name} near {old.name}")
    if do == "spared":
        heated = tuple(replace(h, out=not h.out) if h.id == act.text("thing") else h for h in old.heated)
        return _kept(act, replace(old, heated=heated), f"What heat would harm at {old.name}")
    if do == "gate":
        what = form.reason("gate_what", message="say in a few words what must be done")
        gate = WeldGate(new_id(what, (g.id for g in old.gates)), form.choice("gate_kind", GATES, "braced"), what)
        form.require()
        return _kept(act, replace(old, gates=(*old.gates, gate)), f"Before welding {old.name}: {what}")
    if do in ("gate_done", "gate_seen"):
        return _kept(
            act,
            replace(old, gates=tuple(_passed(act, g, do, person) if g.id == act.text("gate") else g for g in old.gates)),
            f"Before welding {old.name}",
        )
    if do == "welded":
        run = act.text("run")
        if any(d.id == run for d in old.done):
            return _kept(
                act, replace(old, done=tuple(d for d in old.done if d.id != run)), f"{run_called(old, run)} of {old.name} is not welded yet"
            )
        return _kept(act, replace(old, done=(*old.done, WeldDone(run, person, now()))), f"Welded {run_called(old, run)} of {old.name}")
    show = act.desk.show
    seams = kept(act.text("seams"), seams_text(old, show), old.seams, lambda t: seams_from(t, show, old))
    heated = kept(act.text("heated"), heated_text(old, show), old.heated, lambda t: heated_from(t, show, old))
    made = replace(
        old, name=cleaned_name(act.text("name")), structural=form.tick("structural"), welder=form.text("welder", 80), seams=seams, heated=heated,
    )  # fmt: skip
    form.require()
    return _kept(act, made, f"Changed the weldment {made.name}")


def _passed(act: Act, gate: WeldGate, do: str, person: str) -> WeldGate:
    """A gate noted as done, or as seen by a second person; by the same where nobody else is there, who says how they looked again."""
    if do == "gate_seen" and not signed_here(gate.by):
        raise InputError("gate", "is not done here yet; do it, then let a second person see it")
    if do == "gate_done":
        return replace(gate, by=person, at=now(), seen_by="", alone="")
    if not same_person(gate.by, person):
        return replace(gate, seen_by=person, alone="")
    if not act.desk.alone:
        raise InputError("gate", f"was done by {person}; somebody else looks")
    how = act.looked_again()
    act.form.require()
    return replace(gate, seen_by=person, alone=looked_again("alone_note", how))


def _kept(act: Act, made: Weldment, words: str) -> Outcome:
    def edit(build: Build) -> Build:
        known = any(w.id == made.id for w in build.weldments)
        return replace(build, weldments=with_item(build.weldments, made) if known else (*build.weldments, made))

    return act.change(words, edit)


def _without(build: Build, weldment_id: str) -> Build:
    left: Build = taken_out(build, "weldments", weldment_id)
    return left


def seams_from(text: str, show: Show, old: Weldment) -> tuple[Seam, ...]:
    """The seams that a field says; those of a known name keep their ids."""
    ids = {s.name: s.id for s in old.seams}
    taken: set[str] = set()

    def read(cells: Cells) -> Seam:
        name = cells.text(0, 60)
        if not name:
            raise cells.refused("has no name")
        own = ids[name] if name in ids and ids[name] not in taken else new_id(name, {*taken, *ids.values()})
        taken.add(own)
        joins = tuple(cells.text(k) for k in range(12, 16) if cells.text(k))
        return Seam(
            own,
            name,
            cells.place(1),
            cells.place(4),
            cells.length(7, 4.0),
            int(cells.number(8, 1)),
            cells.one_of(9, BEVELS, "none"),
            joins,
            cells.length(10, 0.0),
            cells.length(11, 0.0),
        )

    return rows(text, "seams", show, read)


def heated_from(text: str, show: Show, old: Weldment) -> tuple[HeatedThing, ...]:
    """What heat would harm, as a field says it."""
    known = {h.name: h for h in old.heated}
    taken: set[str] = set()

    def read(cells: Cells) -> HeatedThing:
        name = cells.text(0, 60)
        if not name:
            raise cells.refused("has no name")
        before = known.get(name)
        own = before.id if before and before.id not in taken else new_id(name, {*taken, *(h.id for h in old.heated)})
        taken.add(own)
        return HeatedThing(own, name, cells.one_of(1, HEATED, "bush"), cells.place(2), before.out if before else False)

    return rows(text, "heated", show, read)
