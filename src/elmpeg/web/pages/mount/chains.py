"""Chains of dimensions: picked from points and layers in order, worst case and likely, and which link to hold tighter."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal, get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.hardware import Chain, ChainLink
from elmpeg.core.build.survey import Axis3
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount import chains
from elmpeg.core.stages.mount.chains import ChainResult, chain_result
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.mount.mounts import TABS
from elmpeg.web.security import ReadDesk

router = APIRouter()


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The chains, and the chosen one worked out."""
    at = build_page(desk, build_id, "Mount", outcome)
    chosen = next((c for c in at.build.chains if c.id == desk.text("chain")), next(iter(at.build.chains), None))
    result: ChainResult | None = None
    if chosen is not None and chosen.links:
        try:
            result = chain_result(Scene(at.build, at.option), chosen)
        except InputError:
            result = None
    layers = [(f"{m.id}|{x.id}", f"{m.name}: {x.name}") for m in at.build.mounts for x in m.layers]
    return desk.render(
        "mount/chains.html",
        outcome,
        page=at,
        chosen=chosen,
        result=result,
        in_column=desk.show.column((mm, None, None) for mm in _lengths(result)) if result else desk.show,
        check=at.evaluation.check(f"chain.{chosen.id}") if chosen else None,
        layers=[("", "–"), *layers],
        places=[("", "–"), *((p.id, p.name) for p in at.build.points)],
        tab="chains",
        tabs=TABS,
    )


def _lengths(result: ChainResult) -> list[float]:
    """Every length of a chain that is read beside others."""
    band = result.band
    least, most = band.rss_centre_mm - band.rss_half_mm, band.rss_centre_mm + band.rss_half_mm
    sizes = [v for one in result.links for v in (one.mm, one.link.plus_mm, one.link.minus_mm)]
    return [band.nominal_mm, band.worst_min_mm, band.worst_max_mm, least, most, *sizes]


@router.get("/builds/{build_id}/chains", name="chains")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The chains."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/chains", name="keep_chain")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Add a chain, set its limits, add or take out a link, or take the chain out."""
    desk = act.desk
    build = act.build
    do = desk.text("do")
    if do == "new":
        name = cleaned_name(desk.text("name"))
        made = Chain(new_id(name, (c.id for c in build.chains)), name, ())
        outcome = act.change(f"Began the chain {name}", lambda b: chains.with_chain(b, made))
        return act.go_to("chains", chain=made.id) if outcome.saved else outcome
    chain = build.chain(desk.text("chain"))
    if do == "remove":
        return act.change(f"Took the chain {chain.name} out", lambda b: chains.without_chain(b, chain.id))
    if do == "unlink":
        link_id = desk.text("link")
        changed = replace(chain, links=tuple(k for k in chain.links if k.id != link_id))
    elif do == "limits":
        changed = replace(
            chain, low_mm=act.form.length_or_none("low", chain.low_mm), high_mm=act.form.length_or_none("high", chain.high_mm)
        )
    else:
        changed = replace(chain, links=(*chain.links, link_from(desk, act.form, chain)))
    outcome = act.change(f"Changed the chain {chain.name}", lambda b: chains.with_chain(b, changed))
    return outcome


def link_from(desk: Desk, form: Form, chain: Chain) -> ChainLink:
    """The link that a form says. Raises InputError beside each field."""
    plus = form.length("plus", 0.0)
    minus = form.length_or_none("minus")
    direction: Literal[1, -1] = form.choice("direction", (1, -1), 1)
    axis: Axis3 = form.choice("axis", get_args(Axis3), "z")
    mount, _, layer = desk.text("layer").partition("|")
    size = form.length_or_none("size")
    from_point, to_point = desk.text("from_point"), desk.text("to_point")
    if not (mount or (from_point and to_point) or size is not None):
        raise InputError("size", "choose two points or a layer, or write a size")
    name = cleaned_name(desk.text("name") or desk.text("layer") or f"link {len(chain.links) + 1}")
    made = new_id("l1", (k.id for k in chain.links))
    return ChainLink(made, name, direction, plus, plus if minus is None else minus, size or 0.0, from_point, to_point, axis, mount, layer)
