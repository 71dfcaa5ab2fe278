"""Stacks put into an option and taken out."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.build.document import Build, find, with_option
from elmpeg.core.build.mounts import MountStack, StackPiece
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
    for stack in find(build.options, option_id, "option").stacks:
        if stack.mount != mount_id:
            for piece in stack.pieces:
                used[piece.stock] = used.get(piece.stock, 0) + piece.count
    return used
