"""The shop's test strips, from which the neutral line of a fold is known, and what its brake can do."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.pieces import Brake, TestStrip
from elmpeg.core.methods.sheet_metal.bends import LARGEST_K, Strip, k_by_rule, k_of_strip
from elmpeg.core.stages.make import piece_edits
from elmpeg.core.stages.mount.plates import MATERIALS
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.pieces import TABS
from elmpeg.web.security import ReadDesk

router = APIRouter()
LIKELY_K = (0.0, LARGEST_K)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The strips and the brake."""
    at = build_page(desk, build_id, "Make", outcome)
    rows = [(s, _k(s), k_by_rule(s.inside_radius_mm, s.thick_mm)) for s in at.build.strips]
    chosen = next((s for s in at.build.strips if s.id == desk.text("strip")), None)
    return desk.render(
        "make/sheet_rules.html", outcome, page=at, rows=rows, chosen=chosen, materials=MATERIALS, tab="sheet_rules", tabs=TABS
    )


def _k(strip: TestStrip) -> float:
    return k_of_strip(Strip(strip.flat_mm, strip.flanges_mm, strip.angle_deg, strip.inside_radius_mm), strip.thick_mm)


@router.get("/builds/{build_id}/make/sheet", name="sheet_rules")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The strips and the brake."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/make/sheet", name="keep_strip")
@answers(page)
def keep(act: Act) -> Outcome:
    """A strip added, changed or taken out."""
    form, build = act.form, act.build
    if act.text("do") == "remove":
        gone = act.text("strip")
        return act.change("Took a test strip out", lambda b: piece_edits.without_strip(b, gone))
    old = next((s for s in build.strips if s.id == act.text("strip")), None)
    material = form.choice("material", MATERIALS, "steel")
    thick, radius, angle = form.length("thick"), form.length("radius"), form.angle("angle", 90.0)
    flat, one, other = form.length("flat"), form.length("one"), form.length("other")
    form.require()
    name = cleaned_name(act.text("name") or f"{material} {thick:g} mm, radius {radius:g} mm")
    made = TestStrip(
        old.id if old else new_id(name, (s.id for s in build.strips)), name, material, thick, flat, (one, other), angle, radius
    )
    if thick > 0 and 0 < angle < 180 and not LIKELY_K[0] <= _k(made) <= LIKELY_K[1]:
        raise InputError(
            "flat", f"would put the neutral line at {_k(made):.2f} of the thickness; 0 to {LARGEST_K} is possible. Measure the strip again"
        )
    return act.change(f"Test strip {name}", lambda b: piece_edits.with_strip(b, made))


@router.post("/builds/{build_id}/make/sheet/brake", name="keep_brake")
@answers(page)
def keep_brake(act: Act) -> Outcome:
    """What the brake can do."""
    form, old = act.form, act.build.brake
    made = Brake(
        form.length("least_flange", 0.0, old.least_flange_mm),
        form.length("widest", None, old.widest_mm),
        form.number("channel_share", 0.1, 10.0, old.channel_share),
        form.length("most_thick", None, old.most_thick_mm),
    )
    return act.change("What the brake can do", lambda b: piece_edits.with_brake(b, made))
