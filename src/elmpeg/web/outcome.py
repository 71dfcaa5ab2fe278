"""What became of a change."""

from __future__ import annotations

from dataclasses import dataclass

from elmpeg.core.base.errors import FieldError, MissingError
from elmpeg.store.builds import Conflict, Saved

GONE = "gone"


@dataclass
class Outcome:
    """What became of a change: saved, refused with words beside the fields, or in conflict with somebody else's."""

    saved: Saved | None = None
    errors: tuple[FieldError, ...] = ()
    conflict: Conflict | None = None
    notice: str = ""
    opens: str = ""
    """The thing that was just added, which is the open one now."""

    @classmethod
    def of_gone(cls, missing: MissingError) -> Outcome:
        """Of a thing that a page still named when it was sent, and that somebody has taken out meanwhile."""
        return cls(errors=(FieldError(GONE, f"{missing}. Nothing was saved; where somebody took it out, the history says who"),))

    @property
    def status(self) -> int:
        """HTTP status of the page that tells it."""
        return 409 if self.conflict else 422 if self.errors else 200
