"""Two levers and a rod of fixed length between them, on ball ends, through the drive lever's movement.

A lever's end runs on a circle about its axis. For a place of the drive's end the
driven's end must lie at the rod's length from it, which has two answers, one, or none;
the one that the match began with is followed.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, cross, dot, norm, scale, sub, unit

Array = NDArray[np.float64]
SHORTEST_LEVER_MM = 1e-6
SHORTEST_ROD_MM = 1e-6
ON_CIRCLE = 1e-7
"""How far a root may lie off the unit circle and still be a place of the lever."""
TOUCHES = 1e-6
"""Share of the reach below which two roots are one place, where the rod is straight in line and carries on."""
DEAD = 1e-9
SEARCHED = 720
"""Places looked at for turning points of the driven lever; each found is then closed in on."""
CLOSED_IN = 36
ROUNDING_DEG = 1e-9


@record
class Lever:
    """A lever as given (0°), the axis that it turns about by the right-hand rule, and how far it may go."""

    pivot_mm: Vec3
    axis: Vec3
    end_mm: Vec3
    from_deg: float
    to_deg: float


@record
class LeverStep:
    """Where both levers are; what cannot be is None. Leverage is d driven / d drive, None at a dead point."""

    drive_deg: float
    driven_deg: float | None
    leverage: float | None
    drive_joint_deg: float | None
    driven_joint_deg: float | None
    drive_end_mm: Vec3
    driven_end_mm: Vec3 | None


@record
class LeverSweep:
    """The rod, the steps, and what the drive does to the driven over the whole of its movement.

    ``inside_deg`` is the part of the drive's movement, around the match, that keeps the driven lever within its own; None
    where the match itself does not.
    """

    rod_mm: float
    steps: tuple[LeverStep, ...]
    over_travel_deg: float
    driven_used_pct: float
    follows_from_deg: float
    follows_to_deg: float
    reached_deg: tuple[float, float]
    leverage_range: tuple[float, float] | None
    inside_deg: tuple[float, float] | None


class _Circle:
    """The circle that a lever's end runs on: centre + radius x (cos u + sin w)."""

    def __init__(self, lever: Lever, field: str) -> None:
        self.axis = unit(lever.axis)
        out = sub(lever.end_mm, lever.pivot_mm)
        along = scale(self.axis, dot(out, self.axis))
        across = sub(out, along)
        self.radius = norm(across)
        if self.radius < SHORTEST_LEVER_MM:
            raise InputError(f"{field}.end_mm", "lies on the lever's own axis, so turning does not move it; give the ball's centre")
        self.centre = add(lever.pivot_mm, along)
        self.u = unit(across)
        self.w = cross(self.axis, self.u)

    def at(self, deg: float) -> Vec3:
        a = math.radians(deg)
        return add(self.centre, scale(add(scale(self.u, math.cos(a)), scale(self.w, math.sin(a))), self.radius))

    def every(self, degs: Array) -> Array:
        """The ends (n, 3) at many angles (n)."""
        a = np.radians(degs)[:, None]
        ends: Array = np.array(self.centre) + self.radius * (np.cos(a) * np.array(self.u) + np.sin(a) * np.array(self.w))
        return ends

    def slope(self, deg: float) -> Vec3:
        """How the end moves, mm for each radian."""
        a = math.radians(deg)
        return scale(add(scale(self.u, -math.sin(a)), scale(self.w, math.cos(a))), self.radius)


class _Pair:
    def __init__(self, drive: Lever, driven: Lever, match_drive_deg: float, match_driven_deg: float) -> None:
        self.drive, self.driven = _Circle(drive, "drive"), _Circle(driven, "driven")
        self.match_deg = match_drive_deg
        self.rod_mm = norm(sub(self.drive.at(match_drive_deg), self.driven.at(match_driven_deg)))
        if self.rod_mm < SHORTEST_ROD_MM:
            raise InputError("match", "puts both ends on one spot, so there is no rod; match the levers at another place")
        middle, _ = self._middle_and_half(match_drive_deg)
        self.side = 1.0 if math.sin(math.radians(match_driven_deg) - middle) >= 0 else -1.0
        self.base = match_driven_deg
        self.low, self.high, self.swaps = self._reach()

    def _terms(self, drive_deg: float) -> tuple[float, float, float]:
        """a cos + b sin = c is what the driven lever's angle must meet."""
        d = sub(self.drive.at(drive_deg), self.driven.centre)
        r = self.driven.radius
        return 2 * r * dot(d, self.driven.u), 2 * r * dot(d, self.driven.w), dot(d, d) + r * r - self.rod_mm**2

    def _middle_and_half(self, drive_deg: float) -> tuple[float, float]:
        a, b, c = self._terms(drive_deg)
        reach = math.hypot(a, b)
        share = c / reach if reach > 0 else 0.0
        return math.atan2(b, a), math.acos(min(1.0, max(-1.0, share)))

    def _room(self, drive_deg: float) -> float:
        """At least 0 where the rod reaches: (a² + b² − c²), a trigonometric polynomial of the second degree."""
        a, b, c = self._terms(drive_deg)
        return a * a + b * b - c * c

    def _reach(self) -> tuple[float, float, tuple[float, ...]]:
        """The drive angles nearest to the match at which the rod stops following, and where it passes straight in line."""
        samples = np.array([self._room(72.0 * k) for k in range(5)])
        size = max(float(np.abs(samples).max()), DEAD)
        waves = np.fft.fft(samples / size) / 5
        ordered = [waves[2], waves[1], waves[0], waves[4], waves[3]]
        stops: list[float] = []
        swaps: list[float] = []
        roots = np.roots(ordered) if max(abs(w) for w in ordered) > DEAD else np.array([])
        angles = sorted(math.degrees(math.atan2(z.imag, z.real)) for z in roots if abs(abs(z) - 1) < 1e-3)
        for place in angles:
            sides = [self._room(place + off) for off in (-0.05, 0.05)]
            if min(sides) > 0 and self._room(place) >= -TOUCHES * size:
                if not any(abs(place - s) < 0.1 for s in swaps):
                    swaps.append(place)
            elif min(sides) < 0 < max(sides):
                stops.append(self._closed_in(place))
        around = [s + 360 * k for s in stops for k in range(-3, 4)]
        low = max((s for s in around if s <= self.match_deg + DEAD), default=-math.inf)
        high = min((s for s in around if s >= self.match_deg - DEAD), default=math.inf)
        return low, high, tuple(s + 360 * k for s in swaps for k in range(-3, 4))

    def _closed_in(self, place: float) -> float:
        """The root between two places of opposite sign."""
        return float(brentq(self._room, place - 0.05, place + 0.05, xtol=1e-12))

    def follows(self, drive_deg: float) -> bool:
        return self.low <= drive_deg <= self.high and self._room(drive_deg) >= -DEAD * max(1.0, abs(self._room(self.match_deg)))

    def driven_deg(self, drive_deg: float) -> float:
        """The driven lever's angle, on the branch of the match, followed step by step so that full turns are counted."""
        middle, half = self._middle_and_half(drive_deg)
        between = sorted((self.match_deg, drive_deg))
        passed = sum(1 for s in self.swaps if between[0] < s < between[1])
        found = math.degrees(middle + self.side * (-1.0) ** passed * half)
        return found + 360.0 * round((self.base - found) / 360.0)

    def every_driven_deg(self, places: Array) -> Array:
        """The same at many angles (n) of the drive."""
        d = self.drive.every(places) - np.array(self.driven.centre)
        r = self.driven.radius
        a, b = 2 * r * d @ np.array(self.driven.u), 2 * r * d @ np.array(self.driven.w)
        share = (np.einsum("ij,ij->i", d, d) + r * r - self.rod_mm**2) / np.maximum(np.hypot(a, b), DEAD)
        passed = np.zeros(len(places), dtype=int)
        for s in self.swaps:
            passed += (np.minimum(places, self.match_deg) < s) & (s < np.maximum(places, self.match_deg))
        found = np.degrees(np.arctan2(b, a) + self.side * (-1.0) ** passed * np.arccos(np.clip(share, -1.0, 1.0)))
        followed: Array = found + 360.0 * np.round((self.base - found) / 360.0)
        return followed

    def leverage(self, drive_deg: float, driven_deg: float) -> float | None:
        rod = sub(self.drive.at(drive_deg), self.driven.at(driven_deg))
        pushed, against = dot(rod, self.drive.slope(drive_deg)), dot(rod, self.driven.slope(driven_deg))
        return None if abs(against) <= DEAD * self.rod_mm * self.driven.radius else pushed / against

    def step(self, drive_deg: float) -> LeverStep:
        end = self.drive.at(drive_deg)
        if not self.follows(drive_deg):
            return LeverStep(drive_deg, None, None, None, None, end, None)
        driven = self.driven_deg(drive_deg)
        other = self.driven.at(driven)
        rod = scale(sub(other, end), 1 / self.rod_mm)
        joints = [math.degrees(math.asin(min(1.0, abs(dot(rod, c.axis))))) for c in (self.drive, self.driven)]
        return LeverStep(drive_deg, driven, self.leverage(drive_deg, driven), joints[0], joints[1], end, other)


def lever_sweep(drive: Lever, driven: Lever, match_drive_deg: float, match_driven_deg: float, steps: int) -> LeverSweep:
    """Both levers through the drive's movement, from ``from_deg`` to ``to_deg`` in equal ``steps`` places.

    The rod's length is the distance between the ends at the match. Past the first place at which the rod cannot follow,
    on either side of the match, nothing is known of the driven lever. Over-travel and the share of the driven lever's
    range that is used hold over the whole movement, turning points between the steps included. Joint angles are those
    between the rod and the plane in which the lever turns.

    Raises InputError where a lever's end lies on its axis, both ends meet, or a range is empty.
    """
    for lever, name in ((drive, "drive"), (driven, "driven")):
        if lever.from_deg == lever.to_deg:
            raise InputError(f"{name}.to_deg", f"is {lever.to_deg:g}°, where the lever begins; give it some way to go")
    pair = _Pair(drive, driven, match_drive_deg, match_driven_deg)
    places = [drive.from_deg + (drive.to_deg - drive.from_deg) * k / (steps - 1) for k in range(steps)]
    made = tuple(pair.step(place) for place in places)
    low, high = max(min(drive.from_deg, drive.to_deg), pair.low), min(max(drive.from_deg, drive.to_deg), pair.high)
    least, most = sorted((driven.from_deg, driven.to_deg))
    if low > high:
        return LeverSweep(pair.rod_mm, made, 0.0, 0.0, low, high, (match_driven_deg, match_driven_deg), None, None)
    reached = [pair.driven_deg(place) for place in _telling(pair, low, high)]
    used = max(0.0, min(most, max(reached)) - max(least, min(reached)))
    leverages = [s.leverage for s in made if s.leverage is not None]
    return LeverSweep(
        pair.rod_mm, made, max(0.0, max(reached) - most, least - min(reached)), 100.0 * used / (most - least), low, high,
        (min(reached), max(reached)), (min(leverages), max(leverages)) if leverages else None, _inside(pair, low, high, least, most),
    )  # fmt: skip


def _inside(pair: _Pair, low: float, high: float, least: float, most: float) -> tuple[float, float] | None:
    """The stretch of the drive around the match in which the driven lever stays between ``least`` and ``most``."""

    def within(place: float) -> bool:
        return least - ROUNDING_DEG <= pair.driven_deg(place) <= most + ROUNDING_DEG

    start = min(max(pair.match_deg, low), high)
    if not within(start):
        return None
    ends = []
    for end in (low, high):
        places = np.linspace(start, end, SEARCHED + 1)
        driven = pair.every_driven_deg(places)
        out = np.flatnonzero((driven < least - ROUNDING_DEG) | (driven > most + ROUNDING_DEG))
        ends.append(_edge(within, float(places[out[0] - 1]), float(places[out[0]])) if len(out) else end)
    return ends[0], ends[1]


def _edge(within: Callable[[float], bool], inside: float, outside: float) -> float:
    for _ in range(CLOSED_IN):
        middle = (inside + outside) / 2
        if within(middle):
            inside = middle
        else:
            outside = middle
    return inside


def _telling(pair: _Pair, low: float, high: float) -> list[float]:
    """The ends of what can be followed, and every place between at which the driven lever turns back."""

    def push(place: float) -> float:
        driven = pair.driven_deg(place)
        return dot(sub(pair.drive.at(place), pair.driven.at(driven)), pair.drive.slope(place))

    places = np.linspace(low, high, SEARCHED + 1)
    ends = pair.drive.every(places)
    rods = ends - pair.driven.every(pair.every_driven_deg(places))
    pushes = np.einsum("ij,ij->i", rods, pair.drive.every(places + 90.0) - np.array(pair.drive.centre))
    found = [low, high]
    for k in np.flatnonzero(pushes[:-1] * pushes[1:] < 0):
        a, b = float(places[k]), float(places[k + 1])
        found.append(float(brentq(push, a, b, xtol=1e-10)))
    return found
