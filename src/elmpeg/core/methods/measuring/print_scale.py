"""Whether a print came out at true size, from marks measured on it both ways."""

from __future__ import annotations

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.record import record


@record
class PrintedLength:
    """A length on the print, across (x) or up (y): what it should be and what the rule says."""

    along: str
    nominal_mm: float
    measured_mm: float


@record
class PrintScale:
    """Scale each way, how far the whole drawing is off, and what to print it at instead."""

    x_scale: float
    y_scale: float
    off_mm: tuple[float, float]
    true_size: bool
    print_at_pct: tuple[float, float]


def print_scale(marks: tuple[PrintedLength, ...], size_mm: tuple[float, float], tolerance_mm: float) -> PrintScale:
    """Least squares through zero each way: Σ nominal x measured / Σ nominal².

    Raises InputError unless both ways have been checked; printers are off differently along and across the paper.
    """
    found = []
    wrong = [
        FieldError("marks", f"has none along {way}; measure the print both ways, since one can be true and the other not")
        for way in ("x", "y")
        if all(m.along != way for m in marks)
    ]
    if wrong:
        raise InputError(wrong[0].field, wrong[0].message, *wrong[1:])
    for way in ("x", "y"):
        own = [m for m in marks if m.along == way]
        found.append(sum(m.nominal_mm * m.measured_mm for m in own) / sum(m.nominal_mm**2 for m in own))
    off = tuple((scale - 1.0) * size for scale, size in zip(found, size_mm, strict=True))
    true = all(abs(o) <= tolerance_mm for o in off)
    return PrintScale(found[0], found[1], (off[0], off[1]), true, (100.0 / found[0], 100.0 / found[1]))
