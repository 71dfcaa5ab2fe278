"""Three-component vectors as plain tuples.

A build has a few hundred points and each is touched a few times per
evaluation; for that, tuples are several times faster than small arrays.
"""

from __future__ import annotations

import math

Vec3 = tuple[float, float, float]

SHORTEST_DIRECTION = 1e-9
"""Length (of a direction, no unit) below which it has no direction."""


def add(a: Vec3, b: Vec3) -> Vec3:
    """Sum of two vectors."""
    return (a[0] + b[0], a[1] + b[1], a[2] + b[2])


def sub(a: Vec3, b: Vec3) -> Vec3:
    """First vector less the second."""
    return (a[0] - b[0], a[1] - b[1], a[2] - b[2])


def scale(a: Vec3, factor: float) -> Vec3:
    """Vector times a number."""
    return (a[0] * factor, a[1] * factor, a[2] * factor)


def dot(a: Vec3, b: Vec3) -> float:
    """Scalar product."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


def cross(a: Vec3, b: Vec3) -> Vec3:
    """Vector product, right-handed."""
    return (
        a[1] * b[2] - a[2] * b[1],
        a[2] * b[0] - a[0] * b[2],
        a[0] * b[1] - a[1] * b[0],
    )


def norm(a: Vec3) -> float:
    """Length of a vector."""
    return math.hypot(a[0], a[1], a[2])


def unit(a: Vec3) -> Vec3:
    """Direction of length one; raises ValueError for a vector with no direction."""
    length = norm(a)
    if length < SHORTEST_DIRECTION:
        raise ValueError("a direction must not be zero")
    return (a[0] / length, a[1] / length, a[2] / length)


def mean(points: list[Vec3]) -> Vec3:
    """Centroid of one or more points."""
    n = len(points)
    return (sum(p[0] for p in points) / n, sum(p[1] for p in points) / n, sum(p[2] for p in points) / n)


def angle_deg(a: Vec3, b: Vec3) -> float:
    """True angle between two directions, 0 to 180 deg, exact also when nearly parallel."""
    return math.degrees(math.atan2(norm(cross(a, b)), dot(a, b)))


def any_perpendicular(a: Vec3) -> Vec3:
    """A unit vector square to a direction; which one is arbitrary but repeatable."""
    along = unit(a)
    helper: Vec3 = (0.0, 0.0, 1.0) if abs(along[2]) < 0.9 else (1.0, 0.0, 0.0)
    return unit(cross(along, helper))


def turned(v: Vec3, about: Vec3, turn_deg: float) -> Vec3:
    """Vector turned about a unit axis by the right-hand rule.

    Source: Rodrigues' rotation formula.
    """
    angle = math.radians(turn_deg)
    c, s = math.cos(angle), math.sin(angle)
    along = scale(about, dot(about, v) * (1.0 - c))
    return add(add(scale(v, c), scale(cross(about, v), s)), along)


def side_slope_deg(direction: Vec3) -> float:
    """Slope in the side view, tail down positive: atan2(-z, x)."""
    return math.degrees(math.atan2(-direction[2], direction[0]))


def plan_slope_deg(direction: Vec3) -> float:
    """Slope in plan, tail to the right positive: atan2(y, x)."""
    return math.degrees(math.atan2(direction[1], direction[0]))


def wrapped_deg(value: float) -> float:
    """Angle brought into (-180, 180]."""
    wrapped = math.fmod(value, 360.0)
    if wrapped > 180.0:
        return wrapped - 360.0
    if wrapped <= -180.0:
        return wrapped + 360.0
    return wrapped
