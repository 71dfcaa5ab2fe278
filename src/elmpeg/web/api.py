"""The JSON interface: calculators, builds, their evaluation, and the schema of the build file."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Body, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import JSONResponse, Response
from pydantic import TypeAdapter

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import changed
from elmpeg.core.calculators import CALCULATORS, Calculator, Refused, answer
from elmpeg.core.evaluation.evaluate import Evaluation, evaluate
from elmpeg.core.integrity.permitted import told
from elmpeg.core.scene.states import Load, axle_at
from elmpeg.formats import build_file
from elmpeg.store.builds import Conflict
from elmpeg.store.revisions import Author
from elmpeg.web.security import Caller, CallingChanger
from elmpeg.web.shop import Shop

router = APIRouter(prefix="/api/v1")
_EVALUATION: TypeAdapter[Evaluation] = TypeAdapter(Evaluation)


def _calculator_route(calculator: Calculator) -> Callable[..., Any]:
    async def route(request: Request, _person: Caller) -> Response:
        try:
            plain = json.loads(await request.body())
        except (ValueError, RecursionError):
            return _refused([{"field": "request", "message": "is not valid JSON"}])
        try:
            return JSONResponse(await run_in_threadpool(answer, calculator.name, plain))
        except Refused as refused:
            return _refused(refused.as_json())

    return route


for _calculator in CALCULATORS.values():
    router.add_api_route(
        f"/calc/{_calculator.name}",
        _calculator_route(_calculator),
        methods=["POST"],
        summary=_calculator.purpose,
        tags=["calculators"],
        name=f"calc {_calculator.name}",
        openapi_extra={
            "requestBody": {"required": True, "content": {"application/json": {"schema": _calculator.request.model_json_schema()}}},
            "responses": {"422": {"description": "Refused, with each field and what would be accepted"}},
        },
    )


def _refused(errors: list[dict[str, str]], status: int = 422) -> JSONResponse:
    return JSONResponse({"errors": errors}, status)


@router.get("/builds", tags=["builds"], summary="All builds with their newest revision")
def builds(request: Request, _person: Caller) -> list[dict[str, Any]]:
    """Id, name and revision of each build."""
    shop: Shop = request.app.state.shop
    return [{"id": b.id, "name": b.name, "revision": b.number} for b in shop.glances.listed()]


@router.get("/builds/{build_id}", tags=["builds"], summary="A build as its open file")
def build(build_id: str, request: Request, _person: Caller) -> Response:
    """The build file; the revision is in the header X-Revision."""
    head = request.app.state.shop.builds.head(build_id)
    return Response(build_file.written(head.build), media_type="application/json", headers={"X-Revision": str(head.number)})


@router.get("/builds/{build_id}/evaluation", tags=["builds"], summary="Everything that follows from an option of a build")
def evaluation(
    build_id: str,
    request: Request,
    _person: Caller,
    option: Annotated[str, Query()],
    axle: Annotated[str, Query(description="a carried axle that stands elsewhere than at ride height, or under a load")] = "",
    rise_mm: Annotated[float, Query(description="how far its centre has come up", allow_inf_nan=False)] = 0.0,
    roll_deg: Annotated[float, Query(description="how far its right side is up", allow_inf_nan=False)] = 0.0,
    load: Annotated[Load, Query(description="drive, or coast on the overrun")] = "",
) -> Response:
    """The evaluation: positions, mounts, drivelines, room and checks, worst first; at rest, or with an axle in its travel or loaded."""
    shop: Shop = request.app.state.shop
    head = shop.builds.head(build_id)
    try:
        state = axle_at(axle, rise_mm, roll_deg, load)
        found = shop.evaluated(head, option) if state.is_rest else evaluate(head.build, option, state)
    except InputError as refused:
        return _refused([{"field": "rise_mm", "message": refused.message}])
    # Written whole: what is otherwise looked for at the first look at it, too.
    whole = replace(found, checks=tuple(changed(c, remedies=tuple(c.remedies), rests_on=tuple(c.rests_on)) for c in found.checks))
    plain = _EVALUATION.dump_python(whole, mode="json")
    # What each stage found stands under its own name, beside the rest.
    return JSONResponse({name: found for name, found in (*plain.items(), *plain.pop("states")) if name != "states"})


@router.put("/builds/{build_id}", tags=["builds"], summary="Keep a build file as the next revision of a build")
def replace_build(
    build_id: str,
    request: Request,
    person: CallingChanger,
    revision: Annotated[int, Query(description="the revision that the file was made from")],
    content: Annotated[Any, Body()],
) -> Response:
    """Merged with what others saved since ``revision``; 409 where both changed the same thing."""
    shop: Shop = request.app.state.shop
    try:
        new = build_file.read(json.dumps(content).encode())
        if new.id != build_id:
            raise InputError("build.id", f"is “{new.id}”; this is build “{build_id}”")
        shop.photos.require(new)
        shop.meshes.require(new)
        words = f"Brought in a file through the interface: {told(shop.builds.at(build_id, revision), new)}"
        saved = shop.builds.change(
            build_id, revision, Author(person.id, person.name, person.role, shop.accounts.works_alone()), words, lambda _: new
        )
    except Conflict as conflict:
        return _refused([{"field": ".".join(c.path), "message": "was changed by somebody else meanwhile"} for c in conflict.clashes], 409)
    return JSONResponse({"id": build_id, "revision": saved.head.number})


@router.get("/schema/build", tags=["builds"], summary="JSON Schema of the build file")
def schema(_person: Caller) -> dict[str, Any]:
    """The schema."""
    return build_file.schema()
