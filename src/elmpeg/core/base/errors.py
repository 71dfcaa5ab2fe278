"""The few kinds of refusal the core can give.

Each carries a message that a person at the vehicle can act on: the field, the
rule, what was given and what would be accepted.
"""

from __future__ import annotations

from dataclasses import dataclass


class ElmPegError(Exception):
    """Anything the core refuses or cannot do."""


@dataclass(frozen=True, slots=True)
class FieldError:
    """One refused field: where it is and what would be accepted there."""

    field: str
    message: str


class InputError(ElmPegError, ValueError):
    """What was asked cannot be computed as it stands; says which fields and why."""

    def __init__(self, field: str, message: str, *more: FieldError) -> None:
        self.errors = (FieldError(field, message), *more)
        super().__init__("; ".join(f"{e.field}: {e.message}" for e in self.errors))

    @property
    def message(self) -> str:
        """The first message alone, for showing beside its field."""
        return self.errors[0].message


class MissingError(ElmPegError, LookupError):
    """Something is named that the build does not hold."""


class TooLargeError(InputError):
    """The question is well put but too large to answer exactly in the time allowed."""
