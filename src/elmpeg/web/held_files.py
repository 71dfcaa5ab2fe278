"""Build files that somebody looks at before they bring them in; the newest few are kept until they say."""

from __future__ import annotations

import secrets
from collections import OrderedDict
from threading import Lock

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build

MOST_HELD = 16
TOKEN_BYTES = 12


class HeldFiles:
    """Builds as their files say, each by a word that only its bringer knows."""

    def __init__(self) -> None:
        self._held: OrderedDict[tuple[int, str], Build] = OrderedDict()
        self._lock = Lock()

    def keep(self, person: int, build: Build) -> str:
        """Keep a build that was read from a file; gives the word for it."""
        word = secrets.token_hex(TOKEN_BYTES)
        with self._lock:
            self._held[person, word] = build
            while len(self._held) > MOST_HELD:
                self._held.popitem(last=False)
        return word

    def get(self, person: int, word: str) -> Build:
        """The build that a person looked at; raises InputError where it is not kept any more."""
        with self._lock:
            found = self._held.get((person, word))
        if found is None:
            raise InputError("file", "is not held any more; choose it again")
        return found
