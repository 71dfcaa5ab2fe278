"""What the people of a shop may do, by role. Whoever needs to know asks here: pages, files, the interface, the command line."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

RoleName = Literal["lead", "fabricator", "viewer"]
"""As the store and the interface call them."""


@dataclass(frozen=True, slots=True)
class Role:
    """One role. ``may_change``: builds and all that the shop keeps; ``leads``: agrees options, changes limits, looks after people.

    ``does`` says it to whoever gives the role, ``refused`` to whoever has it and asks for more.
    """

    name: RoleName
    may_change: bool
    leads: bool
    does: str
    refused: str = ""


ROLES: dict[RoleName, Role] = {
    role.name: role
    for role in (
        Role("lead", True, True, "does everything and looks after people"),
        Role("fabricator", True, False, "works on builds", "Only leads do this. Ask one."),
        Role("viewer", False, False, "looks, and changes nothing", "Viewers look and do not change. Ask a lead for another role."),
    )
}
"""Every role, the one that may most first."""
CHANGING: tuple[RoleName, ...] = tuple(name for name in get_args(RoleName) if ROLES[name].may_change)
"""The roles of those who change builds."""
LEADING: tuple[RoleName, ...] = tuple(name for name in get_args(RoleName) if ROLES[name].leads)
LOOKING: RoleName = next(name for name in get_args(RoleName) if not ROLES[name].may_change)
"""What everybody is to a build that is put away."""
USUAL: RoleName = "fabricator"
"""What somebody new is, unless it is said otherwise."""
