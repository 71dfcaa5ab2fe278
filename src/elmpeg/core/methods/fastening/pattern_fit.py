"""Whether a plate's holes drop over studs: the move of the plate that makes its worst hole as good as it can be.

A hole falls short by its miss less its float, float being half the play of the bolt
in it. The move wanted makes the largest shortfall as small as possible, which is not
the move that a least-squares fit gives.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.methods.fastening.smallest_shortfall import (
    SAME_PLACE_MM,
    descended,
    eased,
    least_squares_turn,
    shortfall,
    turned,
    turned_each,
)

Array = NDArray[np.float64]
Flat = tuple[float, float]

MOST_UNKNOWN_PAIRS = 12
"""Above this the search for who belongs to whom would take too long; name the pairs."""
TRIED_MATCHES = 6
"""Ways to pair that come nearest by least squares, each then fitted properly."""
TURNS_TRIED = 12
ASTRAY_SHARE = 0.05
"""A shortfall above this share of the pattern's reach means that it does not match at that turn."""
DROPS_MM = 1e-6
CLEARLY = 0.5
"""The suspect's removal must leave at most this share of the largest miss that the next best removal leaves."""
ALIKE_SHARE, ALIKE_MM = 0.08, 6.0
"""Two holes may stand for two studs whose distance differs by no more than this."""


@record
class Hole:
    """A hole of the plate, in the plate's own plane."""

    id: str
    xy_mm: Flat
    hole_mm: float


@record
class Stud:
    """A stud, or a bolt to go in, in its own plane."""

    id: str
    xy_mm: Flat
    bolt_mm: float


@record
class PairFit:
    """One hole over its stud: how far it misses, which way, and how far it may."""

    hole: str
    stud: str
    miss_mm: float
    float_mm: float
    miss_vector_mm: Flat


@record
class Opened:
    """A hole that would let its bolt through once opened to so much."""

    hole: str
    to_mm: float


@record
class PatternFit:
    """The best move of the plate: mirrored (x to −x) first where that is so, then turned, then shifted."""

    shift_mm: Flat
    rotation_deg: float
    mirrored: bool
    worst_short_mm: float
    pairs: tuple[PairFit, ...]
    open_up: tuple[Opened, ...]
    suspect: str | None

    @property
    def drop_in(self) -> bool:
        """Whether all bolts go through at once."""
        return self.worst_short_mm <= DROPS_MM

    def moved(self, xy_mm: Flat) -> Flat:
        """A place on the plate, where the plate then lies."""
        x, y = (-xy_mm[0] if self.mirrored else xy_mm[0]), xy_mm[1]
        c, s = math.cos(math.radians(self.rotation_deg)), math.sin(math.radians(self.rotation_deg))
        return (c * x - s * y + self.shift_mm[0], s * x + c * y + self.shift_mm[1])


def pattern_fit(
    holes: tuple[Hole, ...],
    studs: tuple[Stud, ...],
    pairs: tuple[tuple[str, str], ...] | None = None,
    allow_rotation: bool = True,
    allow_mirror: bool = False,
) -> PatternFit:
    """The best fit of a plate over studs. Lengths mm, counter-clockwise turns positive.

    ``pairs`` (hole, stud) defaults to equal ids, else to the best assignment of up to
    twelve. A mirrored plate is taken only where allowed, where the plate does not drop
    in as it is, and where mirroring is better. ``suspect`` is the one hole whose removal
    lets the rest drop in. Raises InputError for doubled or unknown ids, or nothing to pair.
    """
    matched = _matched(holes, studs, pairs)
    plain = _best(holes, studs, matched, allow_rotation, mirrored=False)
    assert plain is not None
    if allow_mirror and not plain.drop_in:
        plain = _best(holes, studs, matched, allow_rotation, mirrored=True, better_than=plain.worst_short_mm - DROPS_MM) or plain
    return plain if plain.drop_in else _with_suspect(holes, studs, plain, allow_rotation)


def _matched(holes: tuple[Hole, ...], studs: tuple[Stud, ...], pairs: tuple[tuple[str, str], ...] | None) -> list[tuple[Hole, Stud]] | None:
    """The given pairs, or those of equal ids; None where they must be searched for."""
    by_hole, by_stud = {h.id: h for h in holes}, {s.id: s for s in studs}
    for field, some, ids in (("holes", holes, by_hole), ("studs", studs, by_stud)):
        if not some:
            raise InputError(field, "is empty; give at least one")
        if len(ids) < len(some):
            raise InputError(field, "names one id twice; give each its own")
    if pairs is not None:
        if not pairs:
            raise InputError("pairs", "is empty; leave it out to have them found")
        for i, (hole, stud) in enumerate(pairs):
            if hole not in by_hole:
                raise InputError(f"pairs.{i}", f"“{hole}” is not one of the holes")
            if stud not in by_stud:
                raise InputError(f"pairs.{i}", f"“{stud}” is not one of the studs")
        if len({h for h, _ in pairs}) < len(pairs) or len({s for _, s in pairs}) < len(pairs):
            raise InputError("pairs", "uses one hole or stud twice")
        return [(by_hole[h], by_stud[s]) for h, s in pairs]
    if set(by_hole) <= set(by_stud) or set(by_stud) <= set(by_hole):
        return [(h, by_stud[h.id]) for h in holes if h.id in by_stud]
    if max(len(holes), len(studs)) > MOST_UNKNOWN_PAIRS:
        raise InputError("pairs", f"must be given for more than {MOST_UNKNOWN_PAIRS} holes, or holes and studs given equal ids")
    return None


def _best(
    holes: tuple[Hole, ...],
    studs: tuple[Stud, ...],
    matched: list[tuple[Hole, Stud]] | None,
    turns: bool,
    mirrored: bool,
    better_than: float = math.inf,
) -> PatternFit | None:
    """The best fit that falls short by less than ``better_than``; None where there is none."""
    best: PatternFit | None = None
    for some in [matched] if matched is not None else _likely(holes, studs, turns, mirrored):
        least = better_than if best is None else best.worst_short_mm
        if _falls_short_by(some, turns, mirrored) >= least:
            continue
        fit = _fitted(some, turns, mirrored) if matched is not None else _settled(holes, studs, some, turns, mirrored)
        if fit.worst_short_mm < least:
            best = fit
    return best


def _falls_short_by(matched: list[tuple[Hole, Stud]], turns: bool, mirrored: bool) -> float:
    """What known pairs fall short by at the least, however the plate is laid; quick to tell, and often enough to rule a pairing out.

    Two misses make up for the difference of two distances, and the largest miss is no smaller than the root mean square of
    the best fit by least squares.
    """
    plate, over, play = _arrays(matched, mirrored)
    flat, aim = plate - plate.mean(axis=0), over - over.mean(axis=0)
    squares = float((flat**2).sum() + (aim**2).sum())
    along = float((flat * aim).sum())
    if turns:
        along = math.hypot(along, float((flat[:, 0] * aim[:, 1] - flat[:, 1] * aim[:, 0]).sum()))
    by_squares = math.sqrt(max(squares - 2 * along, 0.0) / len(plate)) - float(play.max())
    apart = [np.hypot(*(some[:, None, :] - some[None, :, :]).transpose(2, 0, 1)) for some in (flat, aim)]
    by_distances = float((np.abs(apart[0] - apart[1]) - play[:, None] - play[None, :]).max()) / 2
    # Rounding must not rule out what fits exactly.
    return max(by_squares, by_distances, -float(play.min())) - SAME_PLACE_MM


def _arrays(matched: list[tuple[Hole, Stud]], mirrored: bool) -> tuple[Array, Array, Array]:
    """Holes, studs and float of known pairs, the plate turned over first where that is so."""
    plate = np.array([(-h.xy_mm[0] if mirrored else h.xy_mm[0], h.xy_mm[1]) for h, _ in matched])
    return plate, np.array([s.xy_mm for _, s in matched]), np.array([(h.hole_mm - s.bolt_mm) / 2 for h, s in matched])


def wrong_ways(holes: tuple[Hole, ...], studs: tuple[Stud, ...], within_mm: float) -> tuple[PatternFit, ...]:
    """Ways to lay a plate over its studs other than by equal ids that fall short by no more than ``within_mm``, best first.

    Turned in its plane and turned over; of each kind the best.
    """
    found = []
    for mirrored in (False, True):
        ways = [some for some in _likely(holes, studs, True, mirrored) if mirrored or any(h.id != s.id for h, s in some)]
        fits = [_fitted(some, True, mirrored) for some in ways]
        best = min(fits, key=lambda f: f.worst_short_mm, default=None)
        if best is not None and best.worst_short_mm <= within_mm:
            found.append(best)
    return tuple(sorted(found, key=lambda f: f.worst_short_mm))


def beside_suspect(holes: tuple[Hole, ...], studs: tuple[Stud, ...], fit: PatternFit) -> PatternFit:
    """The same plate laid so that all holes but the suspect are at their best: what is wrong with that one then shows."""
    by_hole, by_stud = {h.id: h for h in holes}, {s.id: s for s in studs}
    rest = [(by_hole[p.hole], by_stud[p.stud]) for p in fit.pairs if p.hole != fit.suspect]
    laid = _fitted(rest, True, fit.mirrored)
    pairs = []
    for p in fit.pairs:
        x, y = laid.moved(by_hole[p.hole].xy_mm)
        dx, dy = x - by_stud[p.stud].xy_mm[0], y - by_stud[p.stud].xy_mm[1]
        pairs.append(PairFit(p.hole, p.stud, math.hypot(dx, dy), p.float_mm, (dx, dy)))
    return PatternFit(laid.shift_mm, laid.rotation_deg, laid.mirrored, fit.worst_short_mm, tuple(pairs), fit.open_up, fit.suspect)


Sides = tuple[tuple[Hole, ...], tuple[Stud, ...]]


@dataclass(frozen=True, slots=True)
class LaidAnew:
    """Many plates laid: shifts (plates x 2), turns (plates), misses and floats (plates x pairs)."""

    shift_mm: Array
    rotation_deg: Array
    miss_mm: Array
    float_mm: Array


def laid_anew(sides: Sequence[Sides], fit: PatternFit, turns: bool) -> LaidAnew:
    """Holes and studs that each differ a little from those of a fit, at their best with the same pairs, the same side up.

    Sought all together from the fit's own move, along the largest shortfall smoothed ever less (the logarithm of the sum of
    exponentials), Newton's way. The worst is within a few times ``EDGES_MM[-1]`` of the least.
    """
    rows = []
    for holes, studs in sides:
        by_hole, by_stud = {h.id: h for h in holes}, {s.id: s for s in studs}
        rows.append([(by_hole[p.hole], by_stud[p.stud]) for p in fit.pairs])
    plate, over, play = (np.array(a) for a in zip(*(_arrays(row, fit.mirrored) for row in rows), strict=True))
    centre, target = plate.mean(axis=1), over.mean(axis=1)
    flat, aim, start = plate - centre[:, None], over - target[:, None], math.radians(fit.rotation_deg)
    moves = eased(flat, aim, play, turned(centre, start) + np.array(fit.shift_mm) - target, start, turns)
    left = turned_each(flat, moves[:, 2]) + moves[:, None, :2] - aim
    shift = target + moves[:, :2] - turned_each(centre[:, None], moves[:, 2])[:, 0]
    return LaidAnew(shift, (np.degrees(moves[:, 2]) + 180.0) % 360.0 - 180.0, np.hypot(left[..., 0], left[..., 1]), play)


# The minimax move


def _fitted(matched: list[tuple[Hole, Stud]], turns: bool, mirrored: bool) -> PatternFit:
    """The best move for known pairs."""
    plate, over, play = _arrays(matched, mirrored)
    centre, target = plate.mean(axis=0), over.mean(axis=0)
    flat, aim = plate - centre, over - target
    reach = max(float(np.abs(flat).max()), float(np.abs(aim).max()), 1.0)
    start = least_squares_turn(flat, aim) if turns and len(matched) > 1 else 0.0
    best = descended(flat, aim, play, start, reach, turns)
    if turns and len(matched) > 1 and shortfall(flat, aim, play, best) > ASTRAY_SHARE * reach:
        # A plate that nearly fits at the least-squares turn misses by its own size at any other; one that does not may do better there.
        ways = [start + k * 2 * math.pi / TURNS_TRIED for k in range(1, TURNS_TRIED)]
        likely = sorted(ways, key=lambda a: shortfall(flat, aim, play, (0.0, 0.0, a)))[:3]
        others = [descended(flat, aim, play, a, reach, turns) for a in likely]
        best = min((best, *others), key=lambda m: shortfall(flat, aim, play, m))
    return _told(matched, mirrored, best)


def _told(matched: list[tuple[Hole, Stud]], mirrored: bool, move: tuple[float, float, float]) -> PatternFit:
    """A plate told where it lies: its middle shifted from over that of the studs, and turned."""
    plate, over, play = _arrays(matched, mirrored)
    centre, target = plate.mean(axis=0), over.mean(axis=0)
    flat, aim = plate - centre, over - target
    dx, dy, angle = move
    c, s = math.cos(angle), math.sin(angle)
    shift = target + np.array((dx, dy)) - np.array(((c * centre[0] - s * centre[1]), (s * centre[0] + c * centre[1])))
    left = turned(flat, angle) + np.array((dx, dy)) - aim
    rows = []
    for (h, stud), v, f in zip(matched, left, play, strict=True):
        rows.append(PairFit(h.id, stud.id, float(np.hypot(*v)), float(f), (float(v[0]), float(v[1]))))
    opened = tuple(
        Opened(r.hole, stud.bolt_mm + 2 * r.miss_mm)
        for r, (_, stud) in zip(rows, matched, strict=True)
        if r.miss_mm > r.float_mm + DROPS_MM
    )
    worst = max(r.miss_mm - r.float_mm for r in rows)
    return PatternFit((float(shift[0]), float(shift[1])), _wrapped(math.degrees(angle)), mirrored, worst, tuple(rows), opened, None)


def _wrapped(deg: float) -> float:
    return (deg + 180.0) % 360.0 - 180.0


# Who belongs to whom


def _likely(holes: tuple[Hole, ...], studs: tuple[Stud, ...], turns: bool, mirrored: bool) -> list[list[tuple[Hole, Stud]]]:
    """The ways to pair that come nearest: every hole (and, where the plate may turn, a second one) put over every stud."""
    plate = np.array([(-h.xy_mm[0] if mirrored else h.xy_mm[0], h.xy_mm[1]) for h in holes])
    over = np.array([s.xy_mm for s in studs])
    if not turns or len(holes) == 1 or len(studs) == 1:
        shifts = [s - p for p in plate for s in over] + [over.mean(axis=0) - plate.mean(axis=0)]
        laid = plate[None, :, :] + np.array(shifts)[:, None, :]
    else:
        ways = []
        spans = [(float(np.hypot(*(over[m] - over[k]))), k, m) for k in range(len(studs)) for m in range(len(studs)) if k != m]
        for i, j in combinations(range(len(holes)), 2):
            long = float(np.hypot(*(plate[j] - plate[i])))
            ways += [(abs(span - long), long, i, j, k, m) for span, k, m in spans]
        near = [w for w in ways if w[0] <= max(ALIKE_MM, ALIKE_SHARE * w[1])] or sorted(ways)[: 4 * len(holes)]
        # The longest bases give the truest turn; a few hundred of them see every sensible way to pair.
        chosen = sorted(near, key=lambda w: w[0] / (1.0 + w[1]))[:800]
        i, j, k, m = np.array([w[2:] for w in chosen]).T
        a, b = plate[j] - plate[i], over[m] - over[k]
        angle = np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], (a * b).sum(axis=1))
        about = plate[None, :, :] - ((plate[i] + plate[j]) / 2)[:, None, :]
        laid = turned_each(about, angle) + ((over[k] + over[m]) / 2)[:, None, :]
    best = _nearest_pairings(laid, over)
    return [[(holes[i], studs[c]) for i, c in enumerate(key) if c >= 0] for key in best]


def _nearest_pairings(laid: Array, over: Array) -> list[tuple[int, ...]]:
    """Of many ways to lay a plate (ways x holes x 2) the few pairings whose farthest pair is nearest, by hole: its stud, -1 for none."""
    apart = ((laid[:, :, None, :] - over[None, None, :, :]) ** 2).sum(axis=3)
    few = 2 if len(over) >= laid.shape[1] else 1
    nearest, count = apart.argmin(axis=few), min(laid.shape[1], len(over))
    # Where the nearest of each are different ones, nobody does better with another.
    clear = np.asarray((np.diff(np.sort(nearest, axis=1), axis=1) > 0).all(axis=1))
    bounds = apart.min(axis=few).max(axis=1)
    tried: dict[tuple[int, ...], float] = {}
    for n in np.lexsort((bounds, ~clear)):
        if not clear[n] and len(tried) >= TRIED_MATCHES and bounds[n] > sorted(tried.values())[TRIED_MATCHES - 1]:
            break
        if clear[n]:
            rows, columns = (np.arange(count), nearest[n]) if few == 2 else (nearest[n], np.arange(count))
        else:
            rows, columns = linear_sum_assignment(apart[n])
        key = tuple(_full(rows, columns, laid.shape[1]))
        tried[key] = min(tried.get(key, math.inf), float(apart[n][rows, columns].max()))
    return sorted(tried, key=lambda key: tried[key])[:TRIED_MATCHES]


def _full(rows: NDArray[np.intp], columns: NDArray[np.intp], count: int) -> list[int]:
    full = [-1] * count
    for r, c in zip(rows, columns, strict=True):
        full[int(r)] = int(c)
    return full


def _settled(holes: tuple[Hole, ...], studs: tuple[Stud, ...], matched: list[tuple[Hole, Stud]], turns: bool, mirrored: bool) -> PatternFit:
    """A pairing fitted, paired anew where the plate then lies, until nothing changes."""
    fit = _fitted(matched, turns, mirrored)
    for _ in range(4):
        moved = np.array([fit.moved(h.xy_mm) for h in holes])
        over = np.array([s.xy_mm for s in studs])
        play = np.array([[(h.hole_mm - s.bolt_mm) / 2 for s in studs] for h in holes])
        short = np.hypot(*(moved[:, None, :] - over[None, :, :]).transpose(2, 0, 1)) - play
        # A high power makes the sum follow its largest member: the assignment with the least worst shortfall.
        rows, columns = linear_sum_assignment((np.maximum(short - short.min(), 0.0) / max(float(np.ptp(short)), SAME_PLACE_MM)) ** 8)
        again = [(holes[int(r)], studs[int(c)]) for r, c in zip(rows, columns, strict=True)]
        if {(h.id, s.id) for h, s in again} == {(p.hole, p.stud) for p in fit.pairs}:
            break
        other = _fitted(again, turns, mirrored)
        if other.worst_short_mm >= fit.worst_short_mm - SAME_PLACE_MM:
            break
        fit = other
    return fit


def _with_suspect(holes: tuple[Hole, ...], studs: tuple[Stud, ...], fit: PatternFit, turns: bool) -> PatternFit:
    """Name the one hole whose removal lets the rest drop in; where several would, the one that clearly leaves the least miss."""
    by_hole, by_stud = {h.id: h for h in holes}, {s.id: s for s in studs}
    matched = [(by_hole[p.hole], by_stud[p.stud]) for p in fit.pairs]
    found: list[tuple[float, str]] = []
    if len(matched) > 2:
        for i, (hole, _) in enumerate(matched):
            others = matched[:i] + matched[i + 1 :]
            if _falls_short_by(others, turns, fit.mirrored) > DROPS_MM:
                continue
            rest = _fitted(others, turns, fit.mirrored)
            if rest.drop_in:
                found.append((max(p.miss_mm for p in rest.pairs), hole.id))
    found.sort()
    suspect = found[0][1] if found and (len(found) == 1 or found[0][0] <= CLEARLY * found[1][0]) else None
    return PatternFit(fit.shift_mm, fit.rotation_deg, fit.mirrored, fit.worst_short_mm, fit.pairs, fit.open_up, suspect)
