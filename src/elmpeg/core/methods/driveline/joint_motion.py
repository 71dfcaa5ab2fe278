"""The exact motion that a line of joints passes on, for many lines of one make-up at once.

The **ears** of a joint's forks are a unit vector square to their shaft. In the
plane square to a shaft they are told by two numbers along a pair of directions,
the first of them **square** to the shafts on both sides of the joint. A joint
carries these two numbers over as a matrix does, so a whole line does as well,
and how uneven it runs can be told without following it round. A search or a
doubt asks for many slightly different lines; asked together they cost little
more than one.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.record import record

JointKind = Literal["cardan", "double_cardan", "constant_velocity"]
Array = NDArray[np.float64]

DRAWN_SAMPLES = 180
"""Positions over half a turn of the input at which a curve is drawn; everything repeats after that."""
STRAIGHT = 1e-9
"""Sine of a joint's angle below which it counts as straight: its ripple is below 1e-17."""


@record
class PassedOn:
    """How each member of many lines turns, lines x members: at input position t its speed is, as a ratio to the input's,
    ``product`` / (``mean`` + ``cosine`` cos 2t + ``sine`` sin 2t)."""

    product: Array
    mean: Array
    cosine: Array
    sine: Array

    @property
    def swing(self) -> Array:
        """How far the speed's denominator swings about its mean."""
        found: Array = np.hypot(self.cosine, self.sine)
        return found

    @property
    def ripples_pct(self) -> Array:
        """Half of the swing of speed in percent of the input speed.

        The speed goes from product / (mean + swing) to product / (mean − swing), and mean² − swing² is product².
        """
        found: Array = 100.0 * self.swing / self.product
        return found

    def accel_peaks_rad_s2(self, rpm: float) -> Array:
        """The largest angular acceleration either way, which is the same.

        The speed's rate is 2 product swing sin u / (mean + swing cos u)², greatest where swing cos²u − mean cos u = 2 swing.
        """
        mean, swing = self.mean, self.swing
        cosine = -4.0 * swing / (mean + np.sqrt(mean * mean + 8.0 * swing * swing))
        omega = rpm * 2 * math.pi / 60
        peaks: Array = 2.0 * self.product * swing * np.sqrt(1.0 - cosine * cosine) / (mean + swing * cosine) ** 2 * omega * omega
        return peaks

    def followed(self, samples: int = DRAWN_SAMPLES) -> tuple[Array, Array]:
        """Speed ratios at input positions over half a turn, and their rates per radian of input: lines x members x samples."""
        twice_rad = np.arange(samples) * (2 * math.pi / samples)
        c, s = np.cos(twice_rad), np.sin(twice_rad)
        product, cosine, sine = (one[..., None] for one in (self.product, self.cosine, self.sine))
        below = self.mean[..., None] + cosine * c + sine * s
        speeds: Array = product / below
        rates: Array = speeds * 2.0 * (cosine * s - sine * c) / below
        return speeds, rates


def passed_on(axes: Array, kinds: tuple[JointKind, ...], phases_deg: tuple[float, ...] | Array) -> PassedOn:
    """The motion of each member of many lines.

    ``axes``: lines x (joints + 1) x 3, unit vectors from the drive end to the
    driven end. ``phases_deg``: one a shaft, so one less than joints, the same for all
    lines or lines x shafts.

    A cardan bent by b, its driving ears at (p, q) along the square direction s and
    along (arriving axis x s), turns its driven ears to lie along (leaving axis x
    driving ears), which is (-q cos b, p) along s and (leaving axis x s). Other joints
    carry (p, q) over as they are. From one joint to the next the pair of directions
    turns about the shaft. So the ears of a member are M (cos t, sin t), M being the
    product of these; their direction turns at det M / |M (cos t, sin t)|² times the
    input's speed, and det M is the product of all cos b.
    """
    lines, members = axes.shape[0], len(kinds)
    arriving, leaving = axes[:, :-1], axes[:, 1:]
    both = _crossed(arriving, leaving)
    sines = np.sqrt(np.einsum("nij,nij->ni", both, both))
    cosines = np.einsum("nij,nij->ni", arriving, leaving)
    first = _perpendiculars(axes[:, 0])
    squares = _squares(both, sines, first)
    before = np.concatenate((first[:, None], squares[:, :-1]), axis=1)
    turns = np.arctan2(np.einsum("nij,nij->ni", squares, _crossed(arriving, before)), np.einsum("nij,nij->ni", squares, before))
    turns[:, 1:] -= np.radians(np.broadcast_to(np.array(phases_deg, dtype=np.float64), (lines, members - 1)))
    c, s = np.cos(turns), np.sin(turns)
    m = np.empty((4, members, lines))
    product = np.ones((members, lines))
    # (p of cos t, p of sin t, q of cos t, q of sin t), and the product of cosines so far.
    pc, ps, qc, qs, so_far = np.ones(lines), np.zeros(lines), np.zeros(lines), np.ones(lines), np.ones(lines)
    for i, kind in enumerate(kinds):
        ci, si = c[:, i], s[:, i]
        pc, ps, qc, qs = pc * ci + qc * si, ps * ci + qs * si, qc * ci - pc * si, qs * ci - ps * si
        if kind == "cardan":
            bend = cosines[:, i]
            pc, ps, qc, qs = -qc * bend, -qs * bend, pc, ps
            so_far = so_far * bend
        m[:, i] = pc, ps, qc, qs
        product[i] = so_far
    cc, ss = m[0] * m[0] + m[2] * m[2], m[1] * m[1] + m[3] * m[3]
    return PassedOn(product.T, ((cc + ss) / 2).T, ((cc - ss) / 2).T, (m[0] * m[1] + m[2] * m[3]).T)


def _squares(both: Array, sines: Array, first: Array) -> Array:
    """At every joint a direction square to both of its shafts; at a straight one that of the joint before, which suits it."""
    bent = sines > STRAIGHT
    squares: Array = both / np.where(bent, sines, 1.0)[..., None]
    if not bent.all():
        before = first
        for i in range(squares.shape[1]):
            before = squares[:, i] = np.where(bent[:, i, None], squares[:, i], before)
    return squares


def _crossed(a: Array, b: Array) -> Array:
    """Vector products along the last axis; several times quicker on a few rows than the general function."""
    out = np.empty(np.broadcast_shapes(a.shape, b.shape))
    out[..., 0] = a[..., 1] * b[..., 2] - a[..., 2] * b[..., 1]
    out[..., 1] = a[..., 2] * b[..., 0] - a[..., 0] * b[..., 2]
    out[..., 2] = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
    return out


def _perpendiculars(axes: Array) -> Array:
    """A unit vector square to each axis; which one is arbitrary."""
    helper = np.where(np.abs(axes[:, 2:3]) < 0.9, [[0.0, 0.0, 1.0]], [[1.0, 0.0, 0.0]])
    square = _crossed(axes, helper)
    found: Array = square / np.sqrt(np.einsum("ij,ij->i", square, square))[:, None]
    return found
