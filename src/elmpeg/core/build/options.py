"""Options: trial sets of positions, each with its stacks."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.pose import Pose
from elmpeg.core.base.record import record
from elmpeg.core.build.mounts import MountStack


@record
class Position:
    """Where an option puts one component."""

    component: str
    pose: Pose


@record
class Excepted:
    """A check that an option was agreed with although it failed: by its code, as it was called and how it stood."""

    check: str
    name: str
    stood: str


@record
class Option:
    """One trial set of positions for the build, with the stacks that fill its gaps."""

    id: str
    name: str
    positions: tuple[Position, ...] = ()
    stacks: tuple[MountStack, ...] = ()
    note: str = ""


def stack_of(option: Option, mount_id: str) -> MountStack | None:
    """The stack an option uses at a mount, if any."""
    return next((s for s in option.stacks if s.mount == mount_id), None)


def with_positions(option: Option, positions: tuple[Position, ...]) -> Option:
    """An option with some positions in place of its own."""
    mine = {p.component for p in positions}
    return replace(option, positions=(*(p for p in option.positions if p.component not in mine), *positions))
