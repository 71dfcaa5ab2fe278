"""On the bench: simulated measuring devices that send over the same interface as real ones."""

from __future__ import annotations

import random
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.devices import simulated
from elmpeg.devices.simulated import KINDS, Simulated
from elmpeg.web.desk import Desk
from elmpeg.web.security import ChangeDesk, ReadDesk

router = APIRouter()
_chance = random.Random()


def _page(
    desk: Desk, shown: dict[str, str], line: dict[str, Any] | None = None, token: str = "", bad: dict[str, str] | None = None
) -> Response:
    devices = [_held(desk, kind)[0] for kind in KINDS]
    body = desk.shop.templates.get_template("shop/_bench_body.html").render(
        csrf=desk.session.csrf,
        devices=devices,
        shown=shown,
        line=line,
        token=token,
        bad=bad or {},
        url=lambda route, **params: str(desk.request.app.url_path_for(route, **params)),
    )
    return HTMLResponse(body, headers={"Cache-Control": "no-store"})


def _held(desk: Desk, kind: str) -> tuple[Simulated, str]:
    """This person's simulated device of a kind and its token, made when first asked for."""
    key = (desk.person.id, kind)
    if key not in desk.shop.bench:
        fresh = KINDS[kind]
        desk.shop.bench[key] = (fresh, desk.shop.devices.add(desk.person.id, fresh.name, fresh.tool, simulated=True))
    return desk.shop.bench[key]


@router.get("/bench", name="bench")
def bench(desk: ReadDesk) -> Response:
    """The panel."""
    return _page(desk, {})


@router.post("/bench/{kind}", name="press")
def press(kind: str, desk: ChangeDesk) -> Response:
    """Press a device's button, or turn the knobs of the stand-in. What it sends, the page sends on with the device's token."""
    if kind not in KINDS:
        raise MissingError("there is no such device on the bench")
    device, token = _held(desk, kind)
    do, line = desk.text("do"), None
    shown: dict[str, str] = {}
    if do == "read":
        pressed = simulated.pressed(device, _chance)
        device, line = pressed.device, pressed.line
        shown[kind] = (
            "dark; change the battery" if line is None else f"{line['value']:g}{'°' if device.unit == 'deg' else ' ' + device.unit}"
        )
    elif do == "zero":
        device = simulated.zeroed(device)
        shown[kind] = f"0{'°' if device.unit == 'deg' else ' ' + device.unit}, zeroed"
    elif do == "unit":
        device = simulated.turned_to_next_unit(device)
    else:
        try:
            device = simulated.set_to(device, *(_figure(desk, name) for name in ("true", "noise", "battery")))
        except InputError as refused:
            return _page(desk, shown, bad={kind: f"{refused.errors[0].field}: {refused.message}"})
    desk.shop.bench[(desk.person.id, kind)] = (device, token)
    return _page(desk, shown, line, token)


def _figure(desk: Desk, name: str) -> float:
    text = desk.text(name).replace(",", ".").replace("\u2212", "-").strip()
    try:
        value = float(text)
    except ValueError:
        raise InputError(name, "write a plain number") from None
    if value != value or abs(value) > 1e6:
        raise InputError(name, "write a plain number")
    return value
