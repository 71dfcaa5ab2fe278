"""What measuring devices send, and the stream that takes it to the pages of whoever holds them.

A device sends one JSON object a reading to ``POST /api/v1/readings`` with its token as
bearer: ``{"value": 12.7, "unit": "mm", "battery_pct": 80, "sequence": 17}``.
"""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import JSONResponse, Response, StreamingResponse
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from elmpeg.core.calculators.registry import explained
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM, MM_PER_INCH
from elmpeg.store.devices import DeviceRow
from elmpeg.web.security import COOKIE, ReadDesk, aside
from elmpeg.web.shop import Shop

router = APIRouter()
LOW_PCT = 15.0
LARGEST_DEG = 360.0
_MOST = {"mm": LONGEST_MM, "in": LONGEST_MM / float(MM_PER_INCH), "deg": LARGEST_DEG}


class DeviceReading(BaseModel):
    """One reading as a device sends it."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, strict=True)
    value: float = Field(description="what the display shows")
    unit: Literal["mm", "in", "deg"] = Field(description="the display's unit")
    battery_pct: float | None = Field(default=None, ge=0, le=100)
    sequence: int | None = Field(
        default=None, ge=0, description="counts the device's readings; a repeat of the last one is not passed on again"
    )


def device(request: Request) -> DeviceRow:
    """The device whose token was sent."""
    found: DeviceRow | None = getattr(request.state, "device", None)
    if found is None:
        raise HTTPException(401, "needs the token of a device; its holder makes one on their own page")
    return found


@router.post(
    "/api/v1/readings",
    name="device_reading",
    tags=["devices"],
    summary="A reading from a measuring device, on its way to its holder's open page",
    openapi_extra={"requestBody": {"required": True, "content": {"application/json": {"schema": DeviceReading.model_json_schema()}}}},
)
async def reading(request: Request, sender: Annotated[DeviceRow, Depends(device)]) -> Response:
    """Passed on at once and not kept: it becomes a reading where its holder puts it. Says how many open pages got it."""
    shop: Shop = request.app.state.shop
    try:
        sent = DeviceReading.model_validate_json(await request.body())
    except ValidationError as refused:
        return JSONResponse({"errors": [{"field": e.field, "message": e.message} for e in explained(refused)]}, 422)
    if abs(sent.value) > _MOST[sent.unit]:
        said = [{"field": "value", "message": f"is beyond {_MOST[sent.unit]:g} {sent.unit}, more than any device reads"}]
        return JSONResponse({"errors": said}, 422)
    if sent.sequence is not None and shop.last_sequence.get(sender.id) == sent.sequence:
        return JSONResponse({"pages": 0, "repeat": True})
    if sent.sequence is not None:
        shop.last_sequence[sender.id] = sent.sequence
    await aside(shop.devices.heard, sender.id, sent.battery_pct)
    return JSONResponse({"pages": shop.hub.publish(sender.user_id, json.dumps(_event(sender, sent))), "repeat": False})


def _event(sender: DeviceRow, sent: DeviceReading) -> dict[str, Any]:
    places = {"mm": 2, "in": 4, "deg": 2}[sent.unit]
    text = f"{sent.value:.{places}f}" + ("°" if sent.unit == "deg" else f" {sent.unit}")
    return {
        "device": sender.name,
        "tool": sender.tool,
        "kind": "deg" if sent.unit == "deg" else "mm",
        "text": text,
        "battery_pct": sent.battery_pct,
        "battery_low": sent.battery_pct is not None and sent.battery_pct < LOW_PCT,
    }


@router.get("/stream", name="stream", include_in_schema=False)
async def stream(request: Request, desk: ReadDesk) -> Response:
    """What this person's devices send, as server-sent events."""
    secret = request.cookies.get(COOKIE, "")

    async def still() -> bool:
        return await aside(desk.shop.accounts.session, secret) is not None

    events = desk.shop.hub.stream(desk.person.id, request, still)
    return StreamingResponse(events, media_type="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"})
