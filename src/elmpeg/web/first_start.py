"""The one-time code that guards an empty shop: whoever reads it from the server's own output makes the first lead."""

from __future__ import annotations

import secrets
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from elmpeg.core.base.errors import InputError

LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"
LETTERS_OF_CODE = 8
WRONG_ALLOWED = 10
WINDOW = timedelta(minutes=10)


def _new_code() -> str:
    letters = "".join(secrets.choice(LETTERS) for _ in range(LETTERS_OF_CODE))
    return f"{letters[:4]}-{letters[4:]}"


@dataclass
class FirstStart:
    """The code of this run of the server, and whether the shop has people already."""

    code: str = field(default_factory=_new_code)
    done: bool = False
    wrong: list[datetime] = field(default_factory=list)

    def require(self, given: str) -> None:
        """Raise InputError for a wrong code, and for any code after too many wrong ones."""
        now = datetime.now(UTC)
        self.wrong = [at for at in self.wrong if now - at < WINDOW]
        if len(self.wrong) >= WRONG_ALLOWED:
            raise InputError("code", "Too many wrong codes. Wait ten minutes, or start the server anew and read its new code.")
        plain = "".join(c for c in given.upper() if c.isalnum())
        if not secrets.compare_digest(plain.encode(), self.code.replace("-", "").encode()):
            self.wrong.append(now)
            raise InputError("code", "That is not the code that the server printed when it started.")
