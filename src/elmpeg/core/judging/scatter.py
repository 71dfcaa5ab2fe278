"""How a figure scatters, and the chance that it lies inside its limits.

Most figures hang nearly straight on what was read and scatter as a **normal**
figure does. A length that cannot be below zero (an offset, a tilt, a bend) is the
**size** of a vector; its parts scatter as normal figures do, it does not: near zero
it only ever grows. What bends more than either is asked of many **shaken** twins.
"""

from __future__ import annotations

import math
from functools import cached_property, lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq
from scipy.special import gdtrix, ndtr, ndtri

from elmpeg.core.base.verdicts import AT_LIMIT, SURE

Array = NDArray[np.float64]
FAR_SPREADS = 6.0
"""A vector so many of its spreads away from zero has a size that scatters as a normal figure does."""
NEAR_ZERO_SPREADS = 2.0
"""One nearer than this can come out at nothing; its doubt has one side only."""
FLAT = 1e-4
"""Share of the largest spread, squared, below which a direction has none worth telling."""
SURELY_SPREADS = 7.0
"""No vector is scattered further than this, a chance of one in a hundred thousand million."""
LEAST_CHANCE = 1e-15
ROOM_SHARE = 1 / 4096
"""Of a limit, how finely the length is found at which a vector is surely within it."""
WEIGHTY_SPREADS = 6.0
CONTESTED_SPREADS = 4.0
"""Candidates further apart than so many of the spreads of their difference never change places."""
_PLACES, _WEIGHTS = (np.polynomial.legendre.leggauss(24)[0] + 1) / 2, np.polynomial.legendre.leggauss(24)[1] / 2
"""Places and weights of a quadrature from 0 to 1."""
_BOTH = np.array((-1.0, 1.0))
TINY, SAME = 1e-300, 1e-9
_TANGENTS = np.tan(_PLACES * math.pi / 2) ** 2
_TANGENT_WEIGHTS = _WEIGHTS * math.pi / 2 / np.sin(_PLACES * math.pi / 2) ** 2
"""Squares of tan φ from 0 to a quarter turn, and weights over sin² φ."""


class Scatter(Protocol):
    """How one figure scatters."""

    @property
    def value(self) -> float:
        """The figure itself."""
        ...

    @property
    def sd(self) -> float:
        """Its standard deviation."""
        ...

    @property
    def at_most(self) -> float | None:
        """For a size that may as well be nothing: what it stays below with the usual chance; None for all others."""
        ...

    @property
    def widest_sd(self) -> float:
        """Of a figure that is the least of several, the largest standard deviation among them; else its own."""
        ...

    def inside(self, low: float | None, high: float | None) -> float:
        """The chance that it lies within limits, 0 to 1."""
        ...

    def reach(self, sure: float) -> float:
        """How far above itself it stays with a chance."""
        ...

    def best(self, low: float | None, high: float | None, share: float = 1.0) -> float:
        """The chance of being within limits that it would have were it, with a share of the doubt it has, where that is largest."""
        ...


class Normal:
    """A figure that scatters to both sides alike."""

    def __init__(self, value: float, sd: float, widest_sd: float | None = None) -> None:
        self.value, self.sd, self.at_most = value, sd, None
        self.widest_sd = sd if widest_sd is None else widest_sd

    def reach(self, sure: float) -> float:
        """How far above itself it stays with a chance."""
        return float(ndtri(sure)) * self.sd

    def best(self, low: float | None, high: float | None, share: float = 1.0) -> float:
        """Half-way between two limits; as far as one likes from a single one."""
        return 1.0 if low is None or high is None else Normal((low + high) / 2, share * self.sd).inside(low, high)

    def inside(self, low: float | None, high: float | None) -> float:
        """The normal distribution's; certain either way where there is no doubt."""
        if self.sd <= 0:
            return float((low is None or self.value >= low - AT_LIMIT) and (high is None or self.value <= high + AT_LIMIT))
        above = 1.0 if high is None else _phi((high - self.value) / self.sd)
        below = 0.0 if low is None else _phi((low - self.value) / self.sd)
        return max(0.0, above - below)


class Size:
    """The length of a vector of one to three parts, of which each scatters as a normal figure does, also together.

    ``parts``: the vector; ``rows``: (sources x parts) the shift of one standard deviation that each source of doubt brings;
    ``own``: the eigenvalues and directions of its spread, where they are known already.
    Nothing depends on the frame that the vector is written in.
    """

    def __init__(self, parts: tuple[float, ...], rows: Array, own: tuple[Array, Array] | None = None) -> None:
        vector = np.array(parts)
        spread = rows.T @ rows
        self.value = math.sqrt(sum(v * v for v in parts))
        if len(parts) > 1:
            eigenvalues, ways = np.linalg.eigh(spread) if own is None else own
            values, along = eigenvalues.tolist(), (vector @ ways).tolist()
        else:
            values, along = [float(spread[0, 0])], [parts[0]]
        widest = max(values[-1], 0.0)
        self._largest = math.sqrt(widest)
        kept = [k for k in range(len(values) - 1, -1, -1) if values[k] > FLAT * widest]
        self._spreads: tuple[float, ...] = tuple([math.sqrt(values[k]) for k in kept])
        self._along: tuple[float, ...] = tuple([along[k] for k in kept])
        self._fixed: float = sum(along[k] ** 2 for k in range(len(values)) if k not in kept)
        self._far = self.value > FAR_SPREADS * self._largest
        straight2 = sum(v * a * a for v, a in zip(values, along, strict=True))
        self._straight: float = math.sqrt(max(straight2, 0.0)) / self.value if self.value > 0 else 0.0

    @cached_property
    def sd(self) -> float:
        """Its standard deviation: the root of (mean square less mean, squared)."""
        if self._far or self._largest == 0:
            return self._straight
        return math.sqrt(max(self._mean_square - self._mean() ** 2, 0.0))

    @cached_property
    def _mean_square(self) -> float:
        return self._fixed + math.fsum(a * a + s * s for a, s in zip(self._along, self._spreads, strict=True))

    @property
    def widest_sd(self) -> float:
        """Its own."""
        return self.sd

    def reach(self, sure: float) -> float:
        """How far above itself it stays with a chance, about."""
        return Normal(self.value, self.sd).reach(sure)

    def best(self, low: float | None, high: float | None, share: float = 1.0) -> float:
        """At nothing below a single limit; half-way between two."""
        if high is None or self._largest * share == 0:
            return 1.0
        if low is not None and low > 0:
            return Normal(0.0, self._largest).best(low, high, share)
        return min(1.0, _within((0.0,) * len(self._spreads), tuple(share * s for s in self._spreads), high * high))

    def room_below(self, high: float, sure: float) -> float:
        """How far below a limit it must come, its vector growing shorter, to be surely below; all the way where nothing is enough."""
        if self._largest == 0:
            return 0.0
        short = max(self.value, AT_LIMIT)

        def spare(length: float) -> float:
            square = high * high - self._fixed * (length / short) ** 2
            chance = _within(tuple(a * length / short for a in self._along), self._spreads, square) if square > 0 else 0.0
            # In standard deviations, which a length goes down by almost evenly.
            return float(ndtri(min(max(chance, LEAST_CHANCE), 1.0 - LEAST_CHANCE)) - ndtri(sure))

        if spare(0.0) < 0:
            return high
        if spare(high) >= 0:
            return 0.0
        near = high * ROOM_SHARE
        return high - max(0.0, float(brentq(spare, 0.0, high, xtol=near)) - near)

    def _mean(self) -> float:
        """Mean length: (1/√π) ∫ (1 − E exp(−s²·length²)) / s² ds from 0 on; the mean of the exponential is a product over the
        vector's own directions. Put s = tan φ over the usual length, and the integral is smooth."""
        square = self._mean_square
        s2 = _TANGENTS / square
        log, grown = -self._fixed * s2, np.ones_like(s2)
        for a, s in zip(self._along, self._spreads, strict=True):
            more = 1.0 + 2.0 * s2 * (s * s)
            log = log - s2 * (a * a) / more
            grown = grown * more
        return float(_TANGENT_WEIGHTS @ (1.0 - np.exp(log) / np.sqrt(grown))) * math.sqrt(square / math.pi)

    @cached_property
    def at_most(self) -> float | None:
        """The length that the usual share of scattered vectors stays below.

        Its square scatters much as a sum of squares of normal figures does; the gamma
        distribution of the same mean and spread is within two percent of it (Patnaik).
        """
        if self._largest == 0 or self.value > NEAR_ZERO_SPREADS * self._largest:
            return None
        mean = self._mean_square - self._fixed
        spread2 = sum(2 * s**4 + 4 * s * s * a * a for a, s in zip(self._along, self._spreads, strict=True))
        return math.sqrt(self._fixed + float(gdtrix(mean / spread2, mean * mean / spread2, SURE)))

    def inside(self, low: float | None, high: float | None) -> float:
        """The chance that its length lies within limits."""
        if self._far or self._largest == 0:
            return Normal(self.value, self._straight).inside(low, high)
        above = 1.0 if high is None else self.below(high)
        under = 0.0 if low is None else self.below(low)
        return max(0.0, above - under)

    def below(self, length: float) -> float:
        """The chance that it is shorter than a length, by quadrature over all but the last of the vector's own directions."""
        if abs(length - self.value) > SURELY_SPREADS * self._largest * math.sqrt(len(self._spreads)):
            return float(length > self.value)
        square = length * length - self._fixed
        if length <= 0 or square <= 0:
            return 0.0
        return min(1.0, _within(self._along, self._spreads, square))


def _within(along: tuple[float, ...], spreads: tuple[float, ...], square: float) -> float:
    """The chance that a vector is shorter than the root of ``square``. The widest direction comes first and is gone over; put
    x = r sin θ, and the other directions' share is smooth in θ."""
    if len(spreads) == 3:
        return _within_space(along, spreads, square)
    radius, a, s = math.sqrt(square), along[0], spreads[0]
    if len(spreads) == 1:
        return _phi((radius - a) / s) - _phi((-radius - a) / s)
    x, weights = _gone_over(np.array(radius), a, s)
    left = np.sqrt(np.maximum(square - x * x, 0.0))
    return float(weights @ (ndtr((left - along[1]) / spreads[1]) - ndtr((-left - along[1]) / spreads[1])))


def _within_space(along: tuple[float, ...], spreads: tuple[float, ...], square: float) -> float:
    """``_within`` of three directions: every place of the first and of the second at once."""
    (a, b, c), (s, t, u) = along, spreads
    x, weights = _gone_over(np.array(math.sqrt(square)), a, s)
    y, inner = _gone_over(np.sqrt(np.maximum(square - x * x, 0.0)), b, t)
    left = np.sqrt(np.maximum(square - (x * x)[:, None] - y * y, 0.0))
    return float(weights @ (inner * (ndtr((left - c) / u) - ndtr((-left - c) / u))).sum(axis=1))


def _gone_over(radius: Array, a: float, s: float) -> tuple[Array, Array]:
    """Places along one direction within a radius, or within each of some, and their weights times the density there."""
    ends = np.arcsin(np.clip((a + WEIGHTY_SPREADS * s * _BOTH) / np.maximum(radius, TINY)[..., None], -1.0, 1.0))
    over = ends[..., 1:] - ends[..., :1]
    theta = ends[..., :1] + over * _PLACES
    x = radius[..., None] * np.sin(theta)
    density = np.exp(-0.5 * ((x - a) / s) ** 2)
    return x, _WEIGHTS * density * np.cos(theta) * (radius[..., None] * over / (s * math.sqrt(2 * math.pi)))


class Least(tuple[float, ...]):
    """The candidates for a figure that is the least of them: which one that is may change within their doubt."""

    __slots__ = ()


def least_of(candidates: Least, rows: Array) -> Twins | Normal:
    """How the least of some figures scatters; ``rows`` (sources x candidates) as for a vector.

    One that lies well below all others scatters as it does itself.
    """
    values, widest = np.array(candidates), math.sqrt(float((rows * rows).sum(axis=0).max(initial=0.0)))
    first = int(np.argmin(values))
    apart = rows - rows[:, first : first + 1]
    contested = values - values[first] <= CONTESTED_SPREADS * np.sqrt((apart * apart).sum(axis=0))
    if contested.sum() == 1:
        return Normal(candidates[first], math.sqrt(float(rows[:, first] @ rows[:, first])), widest)
    # Together they scatter in as many directions as there are of them, however much brings it: few are gone over more evenly.
    spread, along = np.linalg.eigh(rows[:, contested].T @ rows[:, contested])
    shaken = values[contested] + (normal_spreads(len(spread), MANY_TWINS) * np.sqrt(np.maximum(spread, 0.0))) @ along.T
    return Twins(candidates[first], shaken.min(axis=1), widest)


class Twins:
    """A figure as it came out at many twins that were shaken together."""

    def __init__(self, value: float, values: Array, widest_sd: float | None = None) -> None:
        self._values = np.sort(values)
        self.value, self.sd, self.at_most = value, float(self._values.std()), None
        self.widest_sd = self.sd if widest_sd is None else widest_sd

    @cached_property
    def stays(self) -> float:
        """The share of twins at which it is exactly what it is: of a figure that only the least likely of its candidates changes."""
        low, high = np.searchsorted(self._values, (self.value - SAME, self.value + SAME))
        return float(high - low) / len(self._values)

    def reach(self, sure: float) -> float:
        """How far above itself it stays with a chance."""
        return float(np.quantile(self._values, sure)) - self.value

    def best(self, low: float | None, high: float | None, share: float = 1.0) -> float:
        """As a figure that scatters to both sides alike."""
        return Normal(self.value, self.sd).best(low, high, share)

    def inside(self, low: float | None, high: float | None) -> float:
        """The share of twins that lies within limits, a twin at either side of a limit counting in part."""
        above = 1.0 if high is None else self._below(high)
        under = 0.0 if low is None else self._below(low)
        return max(0.0, above - under)

    def _below(self, limit: float) -> float:
        count = len(self._values)
        ranks = (np.arange(count) + 0.5) / count
        return float(np.interp(limit, self._values, ranks, left=0.0, right=1.0))


def _phi(spreads: float) -> float:
    return 0.5 * math.erfc(-spreads / math.sqrt(2.0))


TWINS = 64
MANY_TWINS = 2048
"""Where a twin costs no more than a few additions."""


@lru_cache(8)
def even_spreads(count: int) -> tuple[float, ...]:
    """So many equally likely places of a normal figure, in standard deviations from its middle."""
    return tuple(float(v) for v in ndtri((np.arange(count) + 0.5) / count))


@lru_cache(64)
def normal_spreads(parts: int, count: int = TWINS) -> Array:
    """Fixed normal scatter for shaking ``parts`` independent doubts at once, twins x parts: spread evenly (Sobol), each twin
    with its opposite, so that means are exact."""
    # It takes a fifth as long to load as the whole application, and most evaluations shake nothing.
    from scipy.stats import qmc

    even = qmc.Sobol(max(parts, 1), seed=5).random(count // 2)
    half = ndtri(np.clip(even, 1e-9, 1 - 1e-9))[:, :parts]
    return np.concatenate((half, -half))
