"""The exact motion that a line of joints passes on, for many lines of one make-up at once.

The **ears** of a joint's forks are a unit vector square to their shaft. In the
plane square to a shaft they are told by two numbers along a pair of directions,
the first of them **square** to the shafts on both sides of the joint. A search
or a doubt asks for many slightly different lines; asked together they cost
little more than one.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.record import record

JointKind = Literal["cardan", "double_cardan", "constant_velocity"]
Array = NDArray[np.float64]

SAMPLES = 60
"""Positions over half a turn of the input; everything repeats after that. With joints bent up to 45° the peaks found between them
are within two in a hundred thousand, with those of a vehicle within two in a million."""
DRAWN_SAMPLES = 180
AROUND = np.arange(-2, 3)
STRAIGHT = 1e-9
"""Sine of a joint's angle below which it counts as straight: its ripple is below 1e-17."""


@record
class PassedOn:
    """By line, member and input position over half a turn: speed ratio, and its rate per radian of input."""

    speeds: Array
    rates: Array


def passed_on(axes: Array, kinds: tuple[JointKind, ...], phases_deg: tuple[float, ...] | Array, samples: int = SAMPLES) -> PassedOn:
    """The motion of each member of many lines.

    ``axes``: lines x (joints + 1) x 3, unit vectors from the drive end to the
    driven end. ``phases_deg``: one a shaft, so one less than joints, the same for all
    lines or lines x shafts. Answers: lines x joints x samples; ratios to the input
    speed, rates to its square.

    A cardan bent by b, its driving ears at (p, q) along the square direction s and
    along (arriving axis x s), turns its driven ears to lie along (leaving axis x
    driving ears), which is (-q cos b, p) along s and (leaving axis x s): the
    driven side turns at cos b / (1 - sin²b q²) times the driving side. Other joints
    carry (p, q) over as they are.
    """
    lines, members = axes.shape[0], len(kinds)
    turn_rad = np.arange(samples) * (math.pi / samples)
    speeds, rates = np.empty((lines, members, samples)), np.empty((lines, members, samples))
    speed: Array = np.ones((lines, samples))
    rate: Array = np.zeros((lines, samples))
    p: Array = np.broadcast_to(np.cos(turn_rad), (lines, samples))
    q: Array = np.broadcast_to(np.sin(turn_rad), (lines, samples))
    along = _perpendiculars(axes[:, 0])
    phases = np.radians(np.broadcast_to(np.array(phases_deg, dtype=np.float64), (lines, members - 1)))
    for i, kind in enumerate(kinds):
        arriving, leaving = axes[:, i], axes[:, i + 1]
        both = _crossed(arriving, leaving)
        sine = np.sqrt(np.einsum("ij,ij->i", both, both))
        bent = sine > STRAIGHT
        square = np.where(bent[:, None], both / np.where(bent, sine, 1.0)[:, None], along)
        cosine = np.einsum("ij,ij->i", arriving, leaving)
        turn = np.arctan2(np.einsum("ij,ij->i", square, _crossed(arriving, along)), np.einsum("ij,ij->i", square, along))
        if i:
            turn = turn - phases[:, i - 1]
        c, s = np.cos(turn)[:, None], np.sin(turn)[:, None]
        p, q = p * c + q * s, q * c - p * s
        if kind == "cardan":
            bend, sine2 = cosine[:, None], np.where(bent, sine * sine, 0.0)[:, None]
            below = 1.0 - sine2 * q * q
            ratio = bend / below
            own = (ratio / below) * (2.0 * sine2) * (q * p)
            # At the first the input itself comes in, at one speed.
            rate, speed = (rate * ratio + speed * speed * own, speed * ratio) if i else (own, ratio)
            if i + 1 < members:
                long = np.sqrt(p * p + (q * bend) ** 2)
                p, q = -q * bend / long, p / long
        speeds[:, i], rates[:, i] = speed, rate
        along = square
    return PassedOn(speeds, rates)


def peaks(*curves: Array) -> Array:
    """Highest and lowest values of smooth periodic curves along the last axis, the lowest with their sign turned: of each in turn its
    highest, then its lowest.

    That of the quartic through the highest sample and two neighbours on either side, where it stands by Newton's rule from the
    parabola's.
    """
    shape, n = curves[0].shape, curves[0].shape[-1]
    around = []
    for curve in curves:
        flat = curve.reshape(-1, n)
        rows = np.arange(len(flat))[:, None]
        around += [flat[rows, (flat.argmax(axis=1)[:, None] + AROUND) % n], -flat[rows, (flat.argmin(axis=1)[:, None] + AROUND) % n]]
    far_left, left, top, right, far_right = np.stack(around).transpose(2, 0, 1)
    near, far, apart, wide = left + right, far_left + far_right, right - left, far_right - far_left
    slope, bend = (8.0 * apart - wide) / 12.0, (16.0 * near - far - 30.0 * top) / 12.0
    third, fourth = (wide - 2.0 * apart) / 2.0, far - 4.0 * near + 6.0 * top
    sound = bend < 0
    at = np.where(sound, -slope / np.where(sound, bend, -1.0), 0.0)
    at = at - (slope + at * (bend + at * (third / 2 + at * fourth / 6))) / np.where(sound, bend + at * (third + at * fourth / 2), -1.0)
    at = np.clip(np.where(sound, at, 0.0), -1.0, 1.0)
    found: Array = top + at * (slope + at * (bend / 2 + at * (third / 6 + at * fourth / 24)))
    return found.reshape(len(around), *shape[:-1])


def ripples_pct(motion: PassedOn) -> Array:
    """Half of the swing of speed in percent of the input speed: lines x members."""
    fastest, slowest = peaks(motion.speeds)
    swing: Array = (fastest + slowest) * 50.0
    return swing


def accel_peaks_rad_s2(motion: PassedOn, rpm: float) -> Array:
    """The largest angular acceleration either way: lines x members."""
    omega = rpm * 2 * math.pi / 60
    most, least = peaks(motion.rates)
    largest: Array = np.maximum(0.0, np.maximum(most, least)) * omega * omega
    return largest


def ripples_and_accels(motion: PassedOn, rpm: float) -> tuple[Array, Array]:
    """Both of the above, with all their peaks found at once."""
    omega = rpm * 2 * math.pi / 60
    fastest, slowest, most, least = peaks(motion.speeds, motion.rates)
    ripples: Array = (fastest + slowest) * 50.0
    accels: Array = np.maximum(0.0, np.maximum(most, least)) * omega * omega
    return ripples, accels


def _crossed(a: Array, b: Array) -> Array:
    """Vector products row by row; several times quicker on a few rows than the general function."""
    out = np.empty_like(a)
    out[:, 0] = a[:, 1] * b[:, 2] - a[:, 2] * b[:, 1]
    out[:, 1] = a[:, 2] * b[:, 0] - a[:, 0] * b[:, 2]
    out[:, 2] = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    return out


def _perpendiculars(axes: Array) -> Array:
    """A unit vector square to each axis; which one is arbitrary."""
    helper = np.where(np.abs(axes[:, 2:3]) < 0.9, [[0.0, 0.0, 1.0]], [[1.0, 0.0, 0.0]])
    square = _crossed(axes, helper)
    found: Array = square / np.sqrt(np.einsum("ij,ij->i", square, square))[:, None]
    return found
