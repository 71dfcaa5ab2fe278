"""Stacks put into an option and taken out."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.build.document import Build, with_option
from elmpeg.core.build.mounts import MountStack, StackPiece
from elmpeg.core.build.options import Option
from elmpeg.core.stages.place.option_edits import refuse_agreed


def with_stack(build: Build, option_id: str, mount_id: str, pieces: tuple[StackPiece, ...]) -> Build:
    """The build with a mount's stack replaced in one option; no pieces takes the stack out."""
    option, mount = build.option(option_id), build.mount(mount_id)
    refuse_agreed(build, option, "given another stack")
    kept = tuple(s for s in option.stacks if s.mount != mount.id)
    return with_option(build, replace(option, stacks=(*kept, MountStack(mount.id, pieces)) if pieces else kept))


def used_elsewhere(build: Build, option_id: str, mount_id: str) -> dict[str, int]:
    """Pieces of each stock kind that an option's other mounts use."""
    used: dict[str, int] = {}
    for stack in build.option(option_id).stacks:
        if stack.mount != mount_id:
            for piece in stack.pieces:
                used[piece.stock] = used.get(piece.stock, 0) + piece.count
    return used


def with_reserved(build: Build, option_id: str, mount_id: str, stock: str = "", reserved: bool = True) -> Build:
    """The build with the pieces of a mount's stack reserved on the shelf, or given back; all kinds of it, or the one named.

    What another option's stack at this mount had reserved is given back: only one of them is ever put in. The agreed option
    may reserve; that leaves its stack as it is.
    """
    build.mount(mount_id)

    def changed(option: Option) -> Option:
        mine = option.id == option_id
        if not mine and not reserved:
            return option
        return replace(option, stacks=tuple(_held(s, mine and reserved, stock) if s.mount == mount_id else s for s in option.stacks))

    build.option(option_id)
    return replace(build, options=tuple(changed(option) for option in build.options))


def without_reservations(build: Build, option_id: str | None = None) -> Build:
    """The build with nothing reserved, in one option or in all."""
    return replace(
        build,
        options=tuple(
            o if option_id not in (None, o.id) else replace(o, stacks=tuple(_held(s, False, "") for s in o.stacks)) for o in build.options
        ),
    )


def _held(stack: MountStack, reserved: bool, stock: str) -> MountStack:
    pieces = tuple(replace(p, reserved=p.count if reserved else 0) if stock in ("", p.stock) else p for p in stack.pieces)
    return stack if pieces == stack.pieces else replace(stack, pieces=pieces)
