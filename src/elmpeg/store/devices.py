"""Measuring devices: who holds each, and its token."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import UTC, datetime
from hashlib import sha256

from sqlalchemy import delete, select

from elmpeg.core.base.errors import MissingError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.store.database import Database
from elmpeg.store.tables import Device

TOKEN_START = "dev_"


@dataclass(frozen=True, slots=True)
class DeviceRow:
    """One device."""

    id: int
    user_id: int
    name: str
    tool: str
    simulated: bool
    created: datetime
    seen: datetime | None
    battery_pct: float | None


class Devices:
    """The shop's devices in the store."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def add(self, user_id: int, name: str, tool: str, simulated: bool = False) -> str:
        """A new device held by somebody; gives its token, which is not kept. A simulated one replaces that of the same name."""
        token = TOKEN_START + secrets.token_urlsafe(24)
        with self._db.writing() as session:
            if simulated:
                session.execute(delete(Device).where(Device.user_id == user_id, Device.name == name, Device.simulated))
            session.add(
                Device(
                    user_id=user_id,
                    name=cleaned_name(name),
                    tool=tool,
                    simulated=simulated,
                    token_hash=_hash(token),
                    created=datetime.now(UTC),
                )
            )
        return token

    def held_by(self, user_id: int) -> tuple[DeviceRow, ...]:
        """Somebody's devices, oldest first."""
        with self._db.reading() as session:
            return tuple(_row(d) for d in session.scalars(select(Device).where(Device.user_id == user_id).order_by(Device.id)))

    def drop(self, user_id: int, device_id: int) -> None:
        """Make a device's token useless; raises MissingError for one that is not theirs."""
        with self._db.writing() as session:
            device = session.get(Device, device_id)
            if device is None or device.user_id != user_id:
                raise MissingError("you hold no such device")
            session.delete(device)

    def of_token(self, token: str) -> DeviceRow | None:
        """The device of a token, if any."""
        with self._db.reading() as session:
            device = session.scalar(select(Device).where(Device.token_hash == _hash(token)))
            return _row(device) if device else None

    def heard(self, device_id: int, battery_pct: float | None) -> None:
        """Note that a device has sent something."""
        with self._db.writing() as session:
            device = session.get(Device, device_id)
            if device is not None:
                device.seen, device.battery_pct = datetime.now(UTC), battery_pct


def _row(d: Device) -> DeviceRow:
    return DeviceRow(d.id, d.user_id, d.name, d.tool, d.simulated, d.created, d.seen, d.battery_pct)


def _hash(token: str) -> str:
    return sha256(token.encode()).hexdigest()
