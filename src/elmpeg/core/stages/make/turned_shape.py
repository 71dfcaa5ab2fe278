"""A turned part worked out: its outside and its bores from left to right, limits of its fits, the wall left, the bar it comes from."""

from __future__ import annotations

import math
from itertools import pairwise

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.build.hardware import DENSITY_KG_M3
from elmpeg.core.build.pieces import Piece, TurnedAs, TurnedBody, TurnedBore
from elmpeg.core.methods.fastening.fasteners import thread
from elmpeg.core.methods.turning.fits import Limits, limits_of

SKIN_MM = 1.0
"""What the bar is larger than the part at the least, so that its skin comes off."""
PARTING_MM = 4.0
"""What facing and parting off take of the bar for each part."""
MINOR_SHARE = 1.2269
"""Of its pitch, what a thread is smaller across its roots than across its crests (ISO 68-1)."""
THREAD_OFF_MM = 0.5
HOW: dict[TurnedAs, str] = {
    "one piece": "Turned from one bar.",
    "nut welded to tube": "A nut is welded to a tube, drawn up on a greased bolt so that it stays true; the thread is run through again when it is cold.",
    "tapped bar": "A length of bar is drilled and tapped from its end; the thread is in at least as deep as it is wide.",
    "stepped washer and bush": "Two parts: a washer with a step that centres it, and a plain bush on the step.",
}


@record
class TurnedZone:
    """A stretch of the part: from, to, its outside, and what is bored there; 0 for solid."""

    from_mm: float
    to_mm: float
    outside_mm: float
    bore_mm: float

    @property
    def wall_mm(self) -> float:
        """What is left between bore and outside."""
        return (self.outside_mm - self.bore_mm) / 2


@record
class FitLimits:
    """A surface of the part with a class: what it is, and its limits."""

    of: str
    fit: str
    limits: Limits


@record
class TurnedShape:
    """A turned part worked out."""

    long_mm: float
    widest_mm: float
    bar_mm: float
    bar_long_mm: float
    zones: tuple[TurnedZone, ...]
    fits: tuple[FitLimits, ...]
    mass_kg: float
    thinnest: TurnedZone

    @property
    def size_mm(self) -> tuple[float, float]:
        """Its length and its largest diameter."""
        return (self.long_mm, self.widest_mm)


def turned_shape(piece: Piece) -> TurnedShape:
    """The shape of a turned piece. Raises InputError, in words, for steps, bores, threads or fits that cannot be."""
    body = piece.turned
    if body is None or not body.steps:
        raise InputError("steps", "has no steps yet; write the length and the diameter of each, from the left")
    long = sum(s.long_mm for s in body.steps)
    for k, step in enumerate(body.steps, 1):
        if step.thread and abs(thread(step.thread, "steps").d_mm - step.outside_mm) > THREAD_OFF_MM:
            raise InputError(
                "steps", f"line {k}: {step.thread} is cut on {thread(step.thread, 'steps').d_mm:g} mm; the step is {step.outside_mm:g} mm"
            )
    for bore in body.bores:
        if bore.deep_mm > long:
            raise InputError("bores", f"are deeper ({bore.deep_mm:g} mm) than the part is long ({long:g} mm)")
        if bore.thread and bore.bore_mm > thread(bore.thread, "bores").d_mm:
            raise InputError("bores", f"have one of {bore.bore_mm:g} mm, too large for {bore.thread}")
    zones = _zones(body, long)
    if not zones:
        raise InputError("steps", "have no length; every step is longer than 0 mm")
    thinnest = min((z for z in zones if z.bore_mm), key=lambda z: z.wall_mm, default=zones[0])
    if thinnest.wall_mm <= 0:
        raise InputError(
            "bores",
            f"leave no wall at {thinnest.from_mm:g} to {thinnest.to_mm:g} mm: {thinnest.bore_mm:g} mm in {thinnest.outside_mm:g} mm",
        )
    widest = max(s.outside_mm for s in body.steps)
    volume = sum(math.pi / 4 * (z.outside_mm**2 - z.bore_mm**2) * (z.to_mm - z.from_mm) for z in zones)
    return TurnedShape(
        long, widest, widest + SKIN_MM, long + PARTING_MM, zones, _fits(body), volume * 1e-9 * DENSITY_KG_M3[piece.material], thinnest
    )


def _zones(body: TurnedBody, long_mm: float) -> tuple[TurnedZone, ...]:
    places = [0.0]
    for step in body.steps:
        places.append(places[-1] + step.long_mm)
    cuts = sorted({*places, *(_reach(b, long_mm)[1] if b.side == "left" else _reach(b, long_mm)[0] for b in body.bores)})
    found = []
    for low, high in pairwise(cuts):
        if high - low < 1e-9:
            continue
        middle = (low + high) / 2
        step = next(s for k, s in enumerate(body.steps) if places[k] <= middle <= places[k + 1])
        bore = max((_open_mm(b) for b in body.bores if _reach(b, long_mm)[0] <= middle <= _reach(b, long_mm)[1]), default=0.0)
        outside = step.outside_mm - (MINOR_SHARE * thread(step.thread, "steps").pitch_mm if step.thread else 0.0)
        found.append(TurnedZone(low, high, outside, bore))
    return tuple(found)


def _reach(bore: TurnedBore, long_mm: float) -> tuple[float, float]:
    deep = bore.deep_mm or long_mm
    return (0.0, deep) if bore.side == "left" else (long_mm - deep, long_mm)


def _open_mm(bore: TurnedBore) -> float:
    """What a bore takes away: of a threaded one the thread's own size."""
    return thread(bore.thread, "bores").d_mm if bore.thread else bore.bore_mm


def _class_of(mm: float, fit: str, field: str, n: int) -> Limits:
    """The limits of a class; refused by the field and the line that it stands in."""
    try:
        return limits_of(mm, fit)
    except InputError as refused:
        raise InputError(field, f"line {n}: the fit {refused.errors[0].message}") from None


def _fits(body: TurnedBody) -> tuple[FitLimits, ...]:
    found = []
    for k, step in enumerate(body.steps, 1):
        if step.fit:
            if step.fit[:1].isupper():
                raise InputError("steps", f"line {k}: {step.fit} is the class of a hole; a shaft's is in small letters")
            found.append(FitLimits(f"step {k}, Ø {step.outside_mm:g}", step.fit, _class_of(step.outside_mm, step.fit, "steps", k)))
    for k, bore in enumerate(body.bores, 1):
        if bore.fit:
            if bore.fit[:1].islower():
                raise InputError("bores", f"line {k}: {bore.fit} is the class of a shaft; a hole's is in capitals")
            found.append(FitLimits(f"bore {k}, Ø {bore.bore_mm:g}", bore.fit, _class_of(bore.bore_mm, bore.fit, "bores", k)))
    return tuple(found)
