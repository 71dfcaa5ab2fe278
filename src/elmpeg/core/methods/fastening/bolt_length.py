"""How long a bolt must be: through a grip into a nut or a tapped hole."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.later import Later
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.methods.fastening.fasteners import INCH, Series, Thread

Parent = Literal["steel", "cast_iron", "aluminium"]
ENGAGEMENT_DIAMETERS: dict[Parent, float] = {"steel": 1.0, "cast_iron": 1.5, "aluminium": 2.0}
"""Least length of thread in a tapped hole, in bolt diameters (common workshop rule)."""
PROUD_PITCHES = 2.0
"""Least thread that shows beyond a nut, so that its whole height bears and a locking ring grips."""
BOTTOM_PITCHES = 1.0
"""Thread left free at the bottom of a blind hole: the tap's lead."""
METRIC_STOCK_MM = (8, 10, 12, 16, 20, 25, 30, 35, 40, 45, 50, 55, 60, 65, 70, 75, 80, 85, 90, 95, *range(100, 201, 10))
INCH_STOCK_MM = tuple(k * INCH / 8 for k in range(1, 9)) + tuple(k * INCH / 4 for k in range(5, 25))
SAME_MM = 1e-6


@record
class NutEnd:
    """A nut of so much height."""

    height_mm: float


@record
class TappedEnd:
    """A tapped hole: how deep its full thread goes, in what, and whether it ends inside."""

    thread_depth_mm: float
    material: Parent
    blind: bool


@record
class BoltCheck:
    """One verdict on a bolt in words; figures in mm."""

    code: str
    verdict: Verdict
    why: str


@record
class BoltChoice:
    """What a bolt must be, and what the shortest fitting one of the stock gives; None where there is none, or it does not apply."""

    grip_mm: float
    min_length_mm: float
    max_length_mm: float | None
    length_mm: float | None
    protrusion_mm: float | None
    protrusion_threads: float | None
    engagement_mm: float | None
    engagement_diameters: float | None
    checks: Sequence[BoltCheck]


def stock_lengths_mm(series: Series) -> tuple[float, ...]:
    """Lengths that bolts are sold in."""
    return tuple(float(v) for v in METRIC_STOCK_MM) if series == "metric" else INCH_STOCK_MM


def bolt_choice(
    thread: Thread,
    layers_mm: tuple[float, ...],
    washers_mm: tuple[float, ...],
    end: NutEnd | TappedEnd,
    stock_mm: tuple[float, ...] | None = None,
    fitted_mm: float | None = None,
) -> BoltChoice:
    """The shortest bolt of the stock that fits, or with ``fitted_mm`` what a given bolt does there. Lengths under the head.

    With a nut at least two pitches show beyond it. In a tapped hole at least 1.0 (steel),
    1.5 (cast iron) or 2.0 (aluminium) diameters of thread hold; a blind hole leaves one
    pitch free at its bottom. Raises InputError for negative figures.
    """
    for field, figures in (("layers_mm", layers_mm), ("washers_mm", washers_mm)):
        for i, v in enumerate(figures):
            if v < 0:
                raise InputError(f"{field}.{i}", f"is {v:g} mm; a layer is 0 mm or thicker")
    grip = math.fsum((*layers_mm, *washers_mm))
    if isinstance(end, NutEnd):
        least, most = grip + end.height_mm + PROUD_PITCHES * thread.pitch_mm, None
    else:
        least = grip + ENGAGEMENT_DIAMETERS[end.material] * thread.d_mm
        most = grip + end.thread_depth_mm - BOTTOM_PITCHES * thread.pitch_mm if end.blind else None
    lengths = sorted(stock_mm) if stock_mm is not None else list(stock_lengths_mm(thread.series))
    fitting = (v for v in lengths if v >= least - SAME_MM and (most is None or v <= most + SAME_MM))
    length = fitted_mm if fitted_mm is not None else next(fitting, None)
    # Many are chosen among only to see their figures.
    checks = Later(lambda: _checks(thread, grip, least, most, length, end, lengths))
    if length is None:
        return BoltChoice(grip, least, most, None, None, None, None, None, checks)
    if isinstance(end, NutEnd):
        proud = length - grip - end.height_mm
        return BoltChoice(grip, least, most, length, proud, proud / thread.pitch_mm, None, None, checks)
    held = max(min(length - grip, end.thread_depth_mm), 0.0)
    return BoltChoice(grip, least, most, length, None, None, held, held / thread.d_mm, checks)


def _checks(
    thread: Thread, grip: float, least: float, most: float | None, length: float | None, end: NutEnd | TappedEnd, lengths: list[float]
) -> tuple[BoltCheck, ...]:
    if length is None:
        return (BoltCheck("length", "fails", _why_none(thread, grip, least, most, end, lengths)),)
    found = []
    if isinstance(end, NutEnd):
        proud = (length - grip - end.height_mm) / thread.pitch_mm
        if proud < PROUD_PITCHES - SAME_MM:
            short = least - length
            why = f"{length:g} mm leaves {proud:.1f} threads beyond the nut; at least {PROUD_PITCHES:g} must show, {short:.1f} mm more"
            found.append(BoltCheck("proud", "fails", why))
        else:
            found.append(BoltCheck("proud", "holds", f"{proud:.1f} threads show beyond the nut; at least {PROUD_PITCHES:g}"))
        return tuple(found)
    held, wanted = min(length - grip, end.thread_depth_mm), ENGAGEMENT_DIAMETERS[end.material]
    in_words = f"{held / thread.d_mm:.2f} diameters of thread hold in {end.material.replace('_', ' ')}; at least {wanted:g}"
    found.append(BoltCheck("engagement", "holds" if held >= wanted * thread.d_mm - SAME_MM else "fails", in_words))
    if most is not None:
        over = length - most
        if over > SAME_MM:
            found.append(
                BoltCheck("bottoms", "fails", f"{length:g} mm bottoms in the blind hole: {over:.1f} mm too long, at most {most:.1f} mm")
            )
        else:
            found.append(BoltCheck("bottoms", "holds", f"{-over:.1f} mm short of the last thread it may use in the blind hole"))
    return tuple(found)


def _why_none(thread: Thread, grip: float, least: float, most: float | None, end: NutEnd | TappedEnd, lengths: list[float]) -> str:
    if most is not None and isinstance(end, TappedEnd) and least > most + SAME_MM:
        needed = ENGAGEMENT_DIAMETERS[end.material] * thread.d_mm + BOTTOM_PITCHES * thread.pitch_mm
        return (
            f"no bolt fits: {least - grip:.1f} mm of thread must hold and the blind hole allows {most - grip:.1f} mm; "
            f"tap it {needed:.1f} mm deep, or use a smaller thread"
        )
    if most is not None:
        return f"no stock length lies between {least:.1f} and {most:.1f} mm; cut one to length or change the washers"
    longest = max(lengths, default=0.0)
    return f"the longest in stock is {longest:g} mm and {least:.1f} mm is needed"
