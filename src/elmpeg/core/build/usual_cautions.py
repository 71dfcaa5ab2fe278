"""The usual cautions of what a build holds: told wherever the build's own are, and left to local codes and qualified people."""

from __future__ import annotations

import re

from elmpeg.core.build.document import Build

HIGH_VOLTAGE = "High voltage: isolate it, prove it dead, and leave it to people qualified for it; nobody works on a live pack."
SEATS = "Seats and belt anchorages carry people: a qualified person and the local code say what holds them, not this tool."
TOWING = "A towing or recovery point is unrated unless a qualified person rates it."
OF_WHAT: tuple[tuple[str, str], ...] = (
    (r"battery pack|traction battery|high.voltage|inverter|\bpack\b", HIGH_VOLTAGE),
    (r"\bseats?\b|\bbelts?\b (?:anchor|reel)|seat belt", SEATS),
    (r"\btow(?:ing)?\b|recovery|\bwinch\b|\bhitch\b", TOWING),
)
"""Words of the trade by which such a thing is called, and what is always said of it."""

OF_KIND: dict[str, str] = {"pack": HIGH_VOLTAGE, "motor": HIGH_VOLTAGE, "seat": SEATS}
"""What goes with a kind of part, whatever it is called: it becomes one of the build's own when such a part is put in."""


def cautions_of(build: Build) -> tuple[str, ...]:
    """The cautions of a build: its own, and the usual ones of its parts and pieces that it does not say itself."""
    names = " | ".join(
        [*(c.name for c in build.components), *(f"{p.name}, {p.used_at}" for p in build.pieces), *(w.name for w in build.weldments)]
    ).lower()
    usual = (said for words, said in OF_WHAT if re.search(words, names) and said not in build.cautions)
    return (*build.cautions, *usual)
