"""The room between two bodies of several shapes, at rest and through a whole movement.

Through a movement steps would miss what lies between them. Each piece can come nearer
no faster than its farthest point moves, and no farther along the line to its neighbour
than its outermost point goes that way; stretches of the movement that these bounds
clear are not looked at, the others are halved until nothing nearer can hide.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable
from functools import lru_cache
from typing import Literal

import coal
import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.pose import Placed
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, norm, unit
from elmpeg.core.methods.shapes.parting import least_shift
from elmpeg.core.methods.shapes.room import Nearest, hull_corners, hulls, nearest, nearest_pair, pieces
from elmpeg.core.methods.shapes.solids import Cylinder, Mesh, Solid, corners_of

Array = NDArray[np.float64]
WITHIN_MM = 0.005
"""Nothing nearer than the least told, by more than this, is left unseen."""
TOUCHING_WITHIN_MM = 0.05
"""The same once they touch on the way: how deep is then of less account than that they do."""
MOST_LOOKS = 60_000
SEEN_FROM_AFAR = 33
ROUND_ALLOWANCE = 1.0022
"""Corners that stand for a circle lie on it; between them it reaches farther by less than this."""
PARTED_MM = 1e-6
ON_AXIS_MM = 1e-9
CLEARLY_APART_MM = 1e-3
"""Below this the line to the nearest point has no sure direction."""


@record
class Body:
    """Shapes that are one body, and where it sits."""

    solids: tuple[Solid, ...]
    where: Placed


@record
class Straight:
    """A movement straight along a shift; its place counts from 0 to 1."""

    by_mm: Vec3


@record
class Swing:
    """A movement about an axis by the right-hand rule; its place counts in degrees from where the body is given."""

    about_mm: Vec3
    axis: Vec3
    from_deg: float
    to_deg: float


@record
class LeastRoom:
    """The least over a movement, where in it, and the two nearest points then."""

    least_mm: float
    at: float
    nearest: Nearest


def room_between(a: Body, b: Body) -> Nearest:
    """The exact least distance between two bodies; negative where they overlap, by the least shift that parts them whole.

    Round sides that overlap more than one piece of the other body are taken as many-sided, 0.2 % of the radius small.
    """
    found = [nearest(one, a.where, other, b.where) for one in a.solids for other in b.solids]
    least = min(found, key=lambda n: n.distance_mm)
    if least.distance_mm >= -PARTED_MM:
        return least
    parted = _Parting(a, b)
    shift = np.array(least.on_b_mm) - np.array(least.on_a_mm)
    if parted.overlap(shift) is None:
        return least
    whole = least_shift(parted.corners, parted.overlap)
    x, y, z = (float(p + s) for p, s in zip(least.on_a_mm, whole, strict=True))
    return Nearest(-float(np.linalg.norm(whole)), least.on_a_mm, (x, y, z))


@lru_cache(maxsize=4096)
def room_of(a: Solid, where_a: Placed, b: Solid, where_b: Placed) -> Nearest:
    """The room between two placed solids; negative where they overlap, by the least shift that parts them whole."""
    return room_between(Body((a,), where_a), Body((b,), where_b))


class _Parting:
    """Every two convex pieces of two bodies, for asking which still overlap after a shift of the first body."""

    def __init__(self, a: Body, b: Body) -> None:
        own, others = ([piece for solid in body.solids for piece in hulls(solid, body.where)] for body in (a, b))
        sets = [_corner_sets(body) for body in (a, b)]
        self.pairs = [(one, other) for one in own for other in others]
        self.corners = [(one, other) for one in sets[0] for other in sets[1]]
        self.apart_mm = [nearest_pair(one, other).distance_mm for one, other in self.pairs]

    def overlap(self, shift: Array) -> int | None:
        """The pair that overlaps most after the shift, None where none does."""
        worst, which = -PARTED_MM, None
        reach = float(np.linalg.norm(shift))
        for k, ((shape, at), (other, where)) in enumerate(self.pairs):
            # A shift brings no pair nearer by more than its own length.
            if self.apart_mm[k] > reach:
                continue
            moved = coal.Transform3s(at.getRotation(), np.array(at.getTranslation()).reshape(3) + shift)
            distance = coal.distance(shape, moved, other, where, coal.DistanceRequest(), coal.DistanceResult())
            if distance < worst:
                worst, which = distance, k
        return which


def _corner_sets(body: Body) -> list[Array]:
    turn, shift = np.array(body.where.rotation), np.array(body.where.origin_mm)
    return [corners @ turn.T + shift for solid in body.solids for corners in hull_corners(solid)]


def least_room(a: Body, b: Body, moving: Literal["a", "b"], motion: Straight | Swing) -> LeastRoom:
    """The least distance over a whole movement of one of two bodies, nothing between steps left out.

    To 0.005 mm where they stay apart; where they touch on the way the least is 0 or negative and the place one where they
    overlap about the most.
    """
    mover, still = (a, b) if moving == "a" else (b, a)
    path = _Path(motion)
    own = [piece for solid in mover.solids for piece in _pieces_of(solid, mover.where, path)]
    others = [piece for solid in still.solids for piece in _pieces_of(solid, still.where, None)]
    search = _Search(own, others, path)
    at = search.least_at()
    carried = path.placed(mover.where, at)
    bodies = (Body(a.solids, carried), b) if moving == "a" else (a, Body(b.solids, carried))
    then = room_between(*bodies)
    return LeastRoom(then.distance_mm, at, then)


def moved(body: Body, motion: Straight | Swing, at: float) -> Body:
    """A body carried to a place of a movement."""
    return Body(body.solids, _Path(motion).placed(body.where, at))


class _Path:
    """A movement as a turn and a shift at each place, and how fast it goes there."""

    def __init__(self, motion: Straight | Swing) -> None:
        self.motion = motion
        if isinstance(motion, Straight):
            self.low, self.high = 0.0, 1.0
            self.by = np.array(motion.by_mm)
        else:
            self.low, self.high = sorted((motion.from_deg, motion.to_deg))
            self.axis, self.about = np.array(unit(motion.axis)), np.array(motion.about_mm)
            self.skew = np.array([[0, -self.axis[2], self.axis[1]], [self.axis[2], 0, -self.axis[0]], [-self.axis[1], self.axis[0], 0]])

    def turn_and_shift(self, at: float) -> tuple[Array, Array]:
        if isinstance(self.motion, Straight):
            return np.eye(3), self.by * at
        angle = math.radians(at)
        turn = np.eye(3) + math.sin(angle) * self.skew + (1 - math.cos(angle)) * (self.skew @ self.skew)
        return turn, self.about - turn @ self.about

    def placed(self, where: Placed, at: float) -> Placed:
        turn, shift = self.turn_and_shift(at)
        rows = (turn @ np.array(where.rotation)).tolist()
        x, y, z = (turn @ np.array(where.origin_mm) + shift).tolist()
        return Placed((tuple(rows[0]), tuple(rows[1]), tuple(rows[2])), (x, y, z))


class _Piece:
    """A convex piece, or a surface: its geometry, where it is at rest, how far out it reaches along any direction and how
    fast its farthest point moves."""

    def __init__(self, geometry: coal.CollisionGeometry, at: coal.Transform3s, speed: float, radius_mm: float) -> None:
        self.geometry, self.speed, self.radius_mm = geometry, speed, radius_mm
        self.turn, self.shift = np.array(at.getRotation()), np.array(at.getTranslation()).reshape(3)
        self.at_rest = at
        self.lowest = _lowest(geometry)
        lows, highs = (sign * np.array([self.lowest(sign * way) for way in np.eye(3)]) for sign in (1.0, -1.0))
        self.middle = self.turn @ ((lows + highs) / 2) + self.shift
        self.ball_mm = float(np.linalg.norm(highs - lows)) / 2

    def low(self, way: Array, turn: Array, shift: Array) -> float:
        """The least of ``way`` times a place of the piece, moved by a turn and a shift."""
        whole = turn @ self.turn
        return float(way @ (turn @ self.shift + shift)) + self.lowest(whole.T @ way)


def _lowest(geometry: coal.CollisionGeometry) -> Callable[[Array], float]:
    """The least of a direction times a place of the geometry, in its own frame."""
    if isinstance(geometry, coal.Box):
        half = np.array(geometry.halfSide).reshape(3)
        return lambda w: -float(np.abs(w) @ half)
    if isinstance(geometry, coal.Cylinder):
        r, h = geometry.radius, geometry.halfLength
        return lambda w: -(r * math.hypot(w[0], w[1]) + h * abs(w[2]))
    if isinstance(geometry, coal.Sphere):
        radius = geometry.radius
        return lambda w: -radius * float(np.linalg.norm(w))
    corners = np.array(geometry.points() if isinstance(geometry, coal.ConvexBase) else geometry.vertices())
    return lambda w: float((corners @ w).min())


def _pieces_of(solid: Solid, where: Placed, path: _Path | None) -> list[_Piece]:
    speed = radius = 0.0
    if path is not None and isinstance(path.motion, Straight):
        speed = norm(path.motion.by_mm)
    elif path is not None:
        corners = corners_of(solid) @ np.array(where.rotation).T + np.array(where.origin_mm) - path.about
        radius = float(np.linalg.norm(np.cross(corners, path.axis), axis=1).max()) * ROUND_ALLOWANCE
        radius += 0.0 if isinstance(solid, Mesh) else getattr(solid, "diameter_mm", 0.0) / 2 if solid.kind == "tube" else 0.0
        speed = 0.0 if _spins(solid, where, path) else math.radians(radius)
    return [_Piece(geometry, at, speed, radius) for geometry, at in pieces(solid, where)]


def _spins(solid: Solid, where: Placed, path: _Path) -> bool:
    """Whether a round solid turns about its own axis and so goes nowhere."""
    if not isinstance(solid, Cylinder):
        return False
    ends = np.array([where.point(solid.start_mm), where.point(solid.end_mm)]) - path.about
    return bool(np.linalg.norm(np.cross(ends, path.axis), axis=1).max() < ON_AXIS_MM)


class _Look:
    """What was seen of one pair at one place of the movement."""

    __slots__ = ("at", "distance_mm", "shift", "turn", "way")

    def __init__(self, at: float, distance_mm: float, way: Array | None, turn: Array, shift: Array) -> None:
        self.at, self.distance_mm, self.way, self.turn, self.shift = at, distance_mm, way, turn, shift


class _Search:
    def __init__(self, own: list[_Piece], others: list[_Piece], path: _Path) -> None:
        self.pairs = [(a, b) for a in own for b in others]
        self.path = path
        self.looks = 0
        self.least, self.place = math.inf, path.low
        self.request = coal.DistanceRequest()
        self.moved: dict[float, tuple[Array, Array]] = {}

    def least_at(self) -> float:
        """The place of the least distance, by halving the stretch that could hide the nearest until none can."""
        low, high = self.path.low, self.path.high
        heap: list[tuple[float, int, int, _Look | None, _Look | None]] = []
        heap = [(bound, k, k, None, None) for k, bound in enumerate(self._from_afar())]
        heapq.heapify(heap)
        count = len(heap)
        while heap and self.looks < MOST_LOOKS:
            bound, _, k, first, last = heapq.heappop(heap)
            if bound > self.least - (WITHIN_MM if self.least > 0 else TOUCHING_WITHIN_MM):
                break
            if first is None or last is None:
                parts = [(self._look(k, low), self._look(k, high))]
            else:
                middle = self._look(k, (first.at + last.at) / 2)
                parts = [(first, middle), (middle, last)]
            for one, other in parts:
                count += 1
                heapq.heappush(heap, (self._bound(k, one, other), count, k, one, other))
        return self.place

    def _from_afar(self) -> list[float]:
        """No less than this is the distance of each pair anywhere on the way: by balls around both, the mover's middle seen at
        places along its path and nowhere further from one of them than half a step."""
        places = np.linspace(self.path.low, self.path.high, SEEN_FROM_AFAR)
        steps = [self.path.turn_and_shift(float(at)) for at in places]
        movers = {id(a): a for a, _ in self.pairs}
        half = (self.path.high - self.path.low) / (SEEN_FROM_AFAR - 1) / 2
        tracks = {key: np.array([turn @ piece.middle + shift for turn, shift in steps]) for key, piece in movers.items()}
        found = []
        for a, b in self.pairs:
            nearest_mm = float(np.linalg.norm(tracks[id(a)] - b.middle, axis=1).min())
            found.append(nearest_mm - a.speed * half - a.ball_mm - b.ball_mm)
        return found

    def _look(self, k: int, at: float) -> _Look:
        a, b = self.pairs[k]
        if at not in self.moved:
            self.moved[at] = self.path.turn_and_shift(at)
        turn, shift = self.moved[at]
        where = coal.Transform3s(turn @ a.turn, turn @ a.shift + shift)
        reply = coal.DistanceResult()
        distance = float(coal.distance(a.geometry, where, b.geometry, b.at_rest, self.request, reply))
        self.looks += 1
        if distance < self.least:
            self.least, self.place = distance, at
        way = None
        if distance > CLEARLY_APART_MM:
            away = np.array(reply.getNearestPoint1()).reshape(3) - np.array(reply.getNearestPoint2()).reshape(3)
            way = away / np.linalg.norm(away)
        return _Look(at, distance, way, turn, shift)

    def _bound(self, k: int, first: _Look, last: _Look) -> float:
        """No less than this is the distance of a pair anywhere between two looks."""
        width, speed = last.at - first.at, self.pairs[k][0].speed
        by_speed = (first.distance_mm + last.distance_mm - speed * width) / 2
        if by_speed > self.least or first.way is None or last.way is None:
            return by_speed
        by_way = min(self._along(k, first, width / 2), self._along(k, last, -width / 2))
        return max(by_speed, by_way)

    def _along(self, k: int, look: _Look, step: float) -> float:
        """The least gap along the line seen from a look, from there to a step away, by how the outermost point goes.

        A turn is followed by its tangent; what it then strays is at most radius x angle² / 2.
        """
        a, b = self.pairs[k]
        way = look.way
        assert way is not None
        high_b = -float(-way @ b.shift) - b.lowest(b.turn.T @ -way)
        if isinstance(self.path.motion, Straight):
            return a.low(way, look.turn, look.shift) - high_b + min(0.0, step * float(way @ self.path.by))
        angle = math.radians(step)
        about = self.path.about
        shift = look.shift - about
        sideways = np.cross(way, self.path.axis)
        lows = [a.low(m, look.turn, shift) for m in (way, way + angle * sideways)]
        return min(lows) + float(way @ about) - high_b - a.radius_mm * float(np.linalg.norm(sideways)) * angle * angle / 2
