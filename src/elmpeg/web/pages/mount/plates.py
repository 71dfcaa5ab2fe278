"""Adapter plates: two patterns on one plate, worked out, drawn, and taken out as DXF and SVG."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.quantities import capitalised
from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import HoleKind, Piece, PlateHole
from elmpeg.core.methods.fastening.fasteners import NAMES
from elmpeg.core.methods.shapes.outlines import straight
from elmpeg.core.stages.mount import plates
from elmpeg.core.stages.mount.patterns import laid
from elmpeg.core.stages.mount.plates import MATERIALS, PlateGeometry, plate_geometry
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.flat import plate_drawing
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.mount.mounts import TABS
from elmpeg.web.remedies import tried
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
USUAL_MARGIN_MM = 15.0
SAME_CORNER_MM = 0.01
"""Finer than anybody types a corner."""
KINDS: tuple[HoleKind, ...] = get_args(HoleKind)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The plates, and the chosen one worked out."""
    at = build_page(desk, build_id, "Mount", outcome)
    fresh = desk.text("plate") == "new" or not _plates(at.build)
    chosen = None if fresh else next((p for p in _plates(at.build) if p.id == desk.text("plate")), _plates(at.build)[0])
    made, trouble = _made(at.build, chosen) if chosen else (None, "")
    return desk.render(
        "mount/plates.html",
        outcome,
        page=at,
        chosen=chosen,
        made=made,
        trouble=trouble,
        drawing=plate_drawing(made, desk.show, chosen.name) if chosen and made else None,
        plates=_plates(at.build),
        checks=[c for c in at.evaluation.checks if chosen and c.concerns("pieces", chosen.id)],
        used_by=[m.name for m in at.build.mounts if chosen and m.plate == chosen.id],
        kinds=KINDS,
        materials=MATERIALS,
        threads=NAMES,
        tab="plates",
        tabs=TABS,
    )


def _made(build: Build, plate: Piece) -> tuple[PlateGeometry | None, str]:
    try:
        return plate_geometry(build, plate), ""
    except (InputError, MissingError) as refused:
        return None, f"{capitalised(str(refused))}."


@router.get("/builds/{build_id}/plates", name="plates")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The plates."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/plates", name="keep_plate")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Add a plate, change one, or take one out."""
    desk, build = act.desk, act.build
    if act.text("do") == "remove":
        gone = build.piece(act.text("plate"))
        return act.change(f"Took the plate {gone.name} out", lambda b: plates.without_plate(b, gone.id))
    old = next((p for p in build.pieces if p.id == act.text("plate")), None)
    made = plate_from(desk, act.form, build, old)
    outcome = act.change(f"{'Changed' if old else 'Added'} the plate {made.name}", lambda b: plates.with_plate(b, made))
    if outcome.saved is None or old is not None:
        return outcome
    return act.go_to("plates", plate=made.id)


def plate_from(desk: Desk, form: Form, build: Build, old: Piece | None) -> Piece:
    """What the form says. Raises InputError where a plate cannot be made of it."""
    name = cleaned_name(desk.text("name"))
    ids = tuple(p.id for p in build.patterns) or ("",)
    lower, upper = form.choice("lower", ids), form.choice("upper", ids)
    form.require()
    if lower == upper:
        raise InputError("upper", "choose another pattern than the lower one")
    own = new_id(name, (p.id for p in build.pieces))
    corners = _outline(desk)
    plate = replace(
        old or Piece(own, name, 0.0),
        name=name,
        thick_mm=form.length("thick", now=old.thick_mm if old else None),
        lower=lower,
        upper=upper,
        material=form.choice("material", MATERIALS, "steel"),
        shift_mm=(
            form.length("shift_x", 0.0, old.shift_mm[0] if old else None),
            form.length("shift_y", 0.0, old.shift_mm[1] if old else None),
        ),
        turn_deg=form.angle("turn", 0.0, old.turn_deg if old else None),
        margin_mm=form.length("margin", USUAL_MARGIN_MM, old.margin_mm if old else None),
        upper_on_mm=form.length("upper_on", 0.0, old.upper_on_mm if old else None),
        # Arcs that were read from a drawing stay as long as nobody types other corners.
        outline=old.outline if old and _same(corners, old) else straight(corners),
        up=form.text("up", 80),
        forward=form.text("forward", 80),
    )
    holes = []
    drilled = {(h.pattern, h.hole): h.drill_mm for h in plate.holes}
    for which, pattern in (("lower", build.pattern(lower)), ("upper", build.pattern(upper))):
        for hole in laid(build, pattern).holes:
            own = f"kind_{which}_{hole.id}"
            kind = form.choice(own if form.given(own) else f"kind_{which}", KINDS, "through")
            thread = desk.text(f"thread_{which}_{hole.id}", desk.text(f"thread_{which}")).strip()
            drill = drilled.get((which, hole.id), 0.0)
            if kind != "through" or thread or drill:
                holes.append(PlateHole(which, hole.id, kind, thread, drill))
    return replace(plate, holes=tuple(holes))


def _same(corners: tuple[tuple[float, float], ...], old: Piece) -> bool:
    return len(corners) == len(old.outline) and all(
        math.dist(c, o.xy_mm) < SAME_CORNER_MM for c, o in zip(corners, old.outline, strict=True)
    )


def _plates(build: Build) -> tuple[Piece, ...]:
    """The pieces that join two patterns."""
    return tuple(p for p in build.pieces if p.lower)


def _outline(desk: Desk) -> tuple[tuple[float, float], ...]:
    corners = []
    for n, line in enumerate(desk.text("outline").replace(MINUS, "-").splitlines(), 1):
        parts = [p for p in line.replace(";", " ").split() if p]
        if not parts:
            continue
        if len(parts) != 2:
            raise InputError("outline", f"line {n} has {len(parts)} figures; write x and y of one corner a line")
        corners.append((desk.show.read(parts[0].rstrip(","), "mm", "outline"), desk.show.read(parts[1], "mm", "outline")))
    return tuple(corners)


@router.post("/builds/{build_id}/plates/remedy", name="plate_remedy")
@answers(page)
def try_remedy(act: Act) -> Outcome:
    """What would mend a check, tried."""
    return tried(act)
