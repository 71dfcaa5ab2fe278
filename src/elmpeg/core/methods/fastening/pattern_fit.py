"""Whether a plate's holes drop over studs: the move of the plate that makes its worst hole as good as it can be.

A hole falls short by its miss less its float, float being half the play of the bolt
in it. The move wanted makes the largest shortfall as small as possible, which is not
the move that a least-squares fit gives.
"""

from __future__ import annotations

import math
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment, minimize

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

Array = NDArray[np.float64]
Flat = tuple[float, float]

MOST_UNKNOWN_PAIRS = 12
"""Above this the search for who belongs to whom would take too long; name the pairs."""
TRIED_MATCHES = 6
"""Ways to pair that come nearest by least squares, each then fitted properly."""
TURNS_TRIED = 12
ASTRAY_SHARE = 0.05
"""A shortfall above this share of the pattern's reach means that it does not match at that turn."""
SAME_PLACE_MM = 1e-6
DROPS_MM = 1e-6
NEAR_ENOUGH_MM = 1e-7
"""Of a plate laid anew for its doubt only."""
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
    if allow_mirror and not plain.drop_in:
        other = _best(holes, studs, matched, allow_rotation, mirrored=True)
        if other.worst_short_mm < plain.worst_short_mm - DROPS_MM:
            plain = other
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
    holes: tuple[Hole, ...], studs: tuple[Stud, ...], matched: list[tuple[Hole, Stud]] | None, turns: bool, mirrored: bool
) -> PatternFit:
    if matched is not None:
        return _fitted(matched, turns, mirrored)
    fits = [_settled(holes, studs, some, turns, mirrored) for some in _likely(holes, studs, turns, mirrored)]
    return min(fits, key=lambda f: f.worst_short_mm)


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


def laid_anew(holes: tuple[Hole, ...], studs: tuple[Stud, ...], fit: PatternFit, turns: bool) -> PatternFit:
    """Holes and studs that differ a little from those of a fit, at their best with the same pairs, the same side up."""
    by_hole, by_stud = {h.id: h for h in holes}, {s.id: s for s in studs}
    return _fitted([(by_hole[p.hole], by_stud[p.stud]) for p in fit.pairs], turns, fit.mirrored, fit)


# The minimax move


def _fitted(matched: list[tuple[Hole, Stud]], turns: bool, mirrored: bool, near: PatternFit | None = None) -> PatternFit:
    """The best move for known pairs; with ``near``, of pairs that differ a little from those of a fit, sought from there."""
    plate = np.array([(-h.xy_mm[0] if mirrored else h.xy_mm[0], h.xy_mm[1]) for h, _ in matched])
    over = np.array([s.xy_mm for _, s in matched])
    play = np.array([(h.hole_mm - s.bolt_mm) / 2 for h, s in matched])
    centre, target = plate.mean(axis=0), over.mean(axis=0)
    flat, aim = plate - centre, over - target
    reach = max(float(np.abs(flat).max()), float(np.abs(aim).max()), 1.0)
    if near is not None:
        start = math.radians(near.rotation_deg)
        away = _turned(centre[None, :], start)[0] + np.array(near.shift_mm) - target
        best = _descended(flat, aim, play, start, reach, turns, (float(away[0]), float(away[1])), NEAR_ENOUGH_MM)
    else:
        start = _least_squares_turn(flat, aim) if turns and len(matched) > 1 else 0.0
        best = _descended(flat, aim, play, start, reach, turns)
    if near is None and turns and len(matched) > 1 and _shortfall(flat, aim, play, best) > ASTRAY_SHARE * reach:
        # A plate that nearly fits at the least-squares turn misses by its own size at any other; one that does not may do better there.
        ways = [start + k * 2 * math.pi / TURNS_TRIED for k in range(1, TURNS_TRIED)]
        likely = sorted(ways, key=lambda a: _shortfall(flat, aim, play, (0.0, 0.0, a)))[:3]
        others = [_descended(flat, aim, play, a, reach, turns) for a in likely]
        best = min((best, *others), key=lambda m: _shortfall(flat, aim, play, m))
    dx, dy, angle = best
    c, s = math.cos(angle), math.sin(angle)
    shift = target + np.array((dx, dy)) - np.array(((c * centre[0] - s * centre[1]), (s * centre[0] + c * centre[1])))
    left = _turned(flat, angle) + np.array((dx, dy)) - aim
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


def _turned(flat: Array, angle: float) -> Array:
    c, s = math.cos(angle), math.sin(angle)
    turned: Array = flat @ np.array([[c, s], [-s, c]])
    return turned


def _shortfall(flat: Array, aim: Array, play: Array, move: tuple[float, float, float]) -> float:
    left = _turned(flat, move[2]) + np.array(move[:2]) - aim
    return float((np.hypot(left[:, 0], left[:, 1]) - play).max())


def _least_squares_turn(flat: Array, aim: Array) -> float:
    return math.atan2(float((flat[:, 0] * aim[:, 1] - flat[:, 1] * aim[:, 0]).sum()), float((flat * aim).sum()))


def _descended(
    flat: Array, aim: Array, play: Array, start: float, reach: float, turns: bool, at: Flat = (0.0, 0.0), within: float = 1e-12
) -> tuple[float, float, float]:
    """Least z for which every hole's miss stays below z + float: sequential quadratic programming from a start.

    The unknowns are shift, turn (times the reach, so that all are mm) and z; a miss of
    nothing is rounded off by a millionth of a millimetre, so that it has a slope.
    """

    def misses(v: Array) -> Array:
        return _turned(flat, start + v[2] / reach) + v[:2] - aim

    def lengths(left: Array) -> Array:
        return np.asarray(np.sqrt((left**2).sum(axis=1) + SAME_PLACE_MM**2))

    def room(v: Array) -> Array:
        return np.asarray(v[3] + play - lengths(misses(v)))

    def slopes(v: Array) -> Array:
        left = misses(v)
        ways = left / lengths(left)[:, None]
        spun = _turned(flat, start + v[2] / reach + math.pi / 2) / reach
        return np.column_stack((-ways, -(ways * spun).sum(axis=1), np.ones(len(play))))

    first = np.array((*at, 0.0, max(_shortfall(flat, aim, play, (*at, start)), -float(play.min())) + SAME_PLACE_MM))
    limits = [(None, None), (None, None), (None, None) if turns else (0.0, 0.0), (-float(play.min()), None)]
    down = np.array((0.0, 0.0, 0.0, 1.0))
    found = minimize(
        lambda v: v[3],
        first,
        jac=lambda v: down,
        bounds=limits,
        constraints=[{"type": "ineq", "fun": room, "jac": slopes}],
        method="SLSQP",
        options={"ftol": within, "maxiter": 100},
    )
    return (float(found.x[0]), float(found.x[1]), start + float(found.x[2]) / reach)


def _wrapped(deg: float) -> float:
    return (deg + 180.0) % 360.0 - 180.0


# Who belongs to whom


def _likely(holes: tuple[Hole, ...], studs: tuple[Stud, ...], turns: bool, mirrored: bool) -> list[list[tuple[Hole, Stud]]]:
    """The ways to pair that come nearest: every hole (and, where the plate may turn, a second one) put over every stud."""
    plate = np.array([(-h.xy_mm[0] if mirrored else h.xy_mm[0], h.xy_mm[1]) for h in holes])
    over = np.array([s.xy_mm for s in studs])
    tried: dict[tuple[int, ...], float] = {}

    def look(moved: Array) -> None:
        apart = ((moved[:, None, :] - over[None, :, :]) ** 2).sum(axis=2)
        rows, columns = linear_sum_assignment(apart)
        key = tuple(int(c) for c in _full(rows, columns, len(holes)))
        cost = float(apart[rows, columns].max())
        if cost < tried.get(key, math.inf):
            tried[key] = cost

    if not turns or len(holes) == 1 or len(studs) == 1:
        for p in plate:
            for s in over:
                look(plate + (s - p))
        look(plate + (over.mean(axis=0) - plate.mean(axis=0)))
    else:
        ways = []
        spans = [(float(np.hypot(*(over[m] - over[k]))), k, m) for k in range(len(studs)) for m in range(len(studs)) if k != m]
        for i, j in combinations(range(len(holes)), 2):
            long = float(np.hypot(*(plate[j] - plate[i])))
            ways += [(abs(span - long), long, i, j, k, m) for span, k, m in spans]
        near = [w for w in ways if w[0] <= max(ALIKE_MM, ALIKE_SHARE * w[1])] or sorted(ways)[: 4 * len(holes)]
        # The longest bases give the truest turn; a few hundred of them see every sensible way to pair.
        for _, _, i, j, k, m in sorted(near, key=lambda w: w[0] / (1.0 + w[1]))[:800]:
            a, b = plate[j] - plate[i], over[m] - over[k]
            angle = math.atan2(float(a[0] * b[1] - a[1] * b[0]), float(a @ b))
            look(_turned(plate - (plate[i] + plate[j]) / 2, angle) + (over[k] + over[m]) / 2)
    best = sorted(tried, key=lambda key: tried[key])[:TRIED_MATCHES]
    return [[(holes[i], studs[c]) for i, c in enumerate(key) if c >= 0] for key in best]


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
            rest = _fitted(matched[:i] + matched[i + 1 :], turns, fit.mirrored)
            if rest.drop_in:
                found.append((max(p.miss_mm for p in rest.pairs), hole.id))
    found.sort()
    suspect = found[0][1] if found and (len(found) == 1 or found[0][0] <= CLEARLY * found[1][0]) else None
    return PatternFit(fit.shift_mm, fit.rotation_deg, fit.mirrored, fit.worst_short_mm, fit.pairs, fit.open_up, suspect)
