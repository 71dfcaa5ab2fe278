"""What a check says in three words: for a row that has room for no more."""

from __future__ import annotations

from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.judging.checks import Check

BELOW, ABOVE, SAID = "below", "above", "said"
"""Under its lower limit, over its upper one, or told without a figure."""
_FAILS: dict[str, dict[str, str]] = {
    "gap": {BELOW: "gap overfilled", ABOVE: "gap still open"},
    "offset": {ABOVE: "bolt misses hole"},
    "tilt": {ABOVE: "faces not parallel"},
    "proud": {BELOW: "bolt too short"},
    "engagement": {BELOW: "too little thread"},
    "bottoms": {ABOVE: "bolt bottoms"},
    "bolt": {SAID: "no bolt fits"},
    "head": {SAID: "head does not fit"},
    "countersink": {BELOW: "too thin to sink"},
    "edge": {BELOW: "too near its edge"},
    "tool": {BELOW: "no room for spanner"},
    "washer": {BELOW: "washer on a wall"},
    "beside": {BELOW: "heads touch"},
    "sleeve": {BELOW: "sleeve too short", ABOVE: "sleeve too long"},
    "hanger": {SAID: "one nut holds it"},
    "squash": {ABOVE: "bush squashed flat"},
    "shear": {ABOVE: "bush sheared"},
    "mockup": {SAID: "mock-up bolt in"},
    "once": {SAID: "bolt used before"},
    "grade": {SAID: "grade not known"},
    "lone": {SAID: "only one bolt"},
    "joint": {BELOW: "bends too little", ABOVE: "bends too far"},
    "room": {BELOW: "too little room"},
    "slip": {BELOW: "too little slip"},
    "speed": {BELOW: "not safe at speed"},
    "ground": {BELOW: "too low"},
    "shaft": {ABOVE: "runs unevenly"},
    "load": {ABOVE: "uneven under load"},
    "layout": {ABOVE: "angles not equal"},
    "travel": {ABOVE: "binds on its way"},
    "pattern": {ABOVE: "holes do not meet"},
    "reading": {ABOVE: "readings disagree"},
    "square": {ABOVE: "not square"},
    "mirror": {ABOVE: "sides differ"},
    "span": {ABOVE: "tapes do not meet"},
    "goes_on": {BELOW: "may not go on"},
    "current": {ABOVE: "out of date", SAID: "out of date"},
    "print": {ABOVE: "print off scale"},
    "bolts": {BELOW: "bolts too short"},
    "dowels": {BELOW: "dowels too short"},
    "reach": {BELOW: "shaft too short"},
    "bends": {BELOW: "bent too tight"},
    "folds": {BELOW: "folds too close"},
    "wall": {BELOW: "wall too thin"},
    "tapped": {BELOW: "too thin to tap"},
    "countersunk": {BELOW: "too thin to sink"},
    "hand": {SAID: "hand not marked"},
    "one_way": {SAID: "goes in wrong too"},
    "heat": {BELOW: "too near the heat"},
    "place": {SAID: "place not clear"},
    "bench": {ABOVE: "bench and vehicle differ"},
    "chain": {BELOW: "too short a chain", ABOVE: "too long a chain"},
}
"""By the kind of check, by its code within its thing or else its family; what is not here says its own name."""
_OTHERWISE: dict[Verdict, str] = {"near": "not sure enough", "unknown": "not known yet", "holds": "holds", "fails": "fails"}


def kind_in(check: Check) -> str:
    """What tells a check from the others of its thing: ``tool`` of ``mount.RM.tool.nut``; its family where nothing does."""
    return next((part for part in check.code.split(".")[1:] if part in _FAILS), check.family)


def in_short(check: Check) -> str:
    """A check in about three words: which way it fails, or why it is not settled.

    A check that holds says so; one whose kind has no words of its own says its name.
    """
    if check.verdict != "fails" and not (check.verdict == "near" and check.value is None):
        return _OTHERWISE[check.verdict]
    side = SAID
    if check.value is not None:
        side = BELOW if check.low is not None and check.value < check.low else ABOVE
    told = _FAILS.get(kind_in(check), {})
    return told.get(side) or told.get(SAID) or check.name.rsplit(": ", 1)[-1]
