"""A picture of a template parted from its bench: one brightness in which the two differ, freed of the light that lies over it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

LIGHT_PX = 320
"""Longer side of the picture that the light is learnt from."""
LIGHT_ROUNDS = 6
LEAST_SHARE = 0.02
"""Of the picture that is looked at, what a template takes up."""
CLEARER, AS_LONG, FAR_SHORTER, MOST_OF_IT = 1.5, 1.1, 0.3, 0.6
"""When colour tells template and bench apart better than brightness: see ``one_brightness``."""
LEAST_CONTRAST = 6.0
Array = NDArray[np.float64]


def one_brightness(part: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """One brightness in which template and bench differ: the picture's own or, where that tells them apart better, a mixture of
    its colours.

    Brown card on brushed steel differs in colour where it does not in brightness, and a shadow darkens a bench without colouring
    it. The mixture is Fisher's discriminant of the logarithms of the three colours, found from the parting that each of three
    beginnings gives. It is taken where it is clearer and as large with an edge no longer, or where brightness shows a tangle.
    """
    grey = np.asarray(cv2.cvtColor(part, cv2.COLOR_BGR2GRAY), dtype=np.uint8)
    scale = min(1.0, LIGHT_PX / max(grey.shape))
    small = cv2.resize(part, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    log = np.log(np.maximum(small.reshape(-1, 3).astype(np.float64), 1.0))
    if float(np.abs(log - log.mean(axis=1, keepdims=True)).max()) < 0.02:
        return grey
    shape = small.shape[:2]
    small_grey = np.asarray(cv2.cvtColor(small, cv2.COLOR_BGR2GRAY), dtype=np.uint8)
    plain = without_light(small_grey).ravel().astype(np.float64)
    by_light = _judged(plain, shape) if np.ptp(plain) else _Judged(0.0, 0.0, math.inf)
    best, mixture = by_light, None
    for start in (plain, log[:, 2] - log[:, 1], log[:, 0] - log[:, 1]):
        high = start > _otsu(start)
        for _ in range(4):
            weights = _discriminant(log, high)
            high = log @ weights > _otsu(log @ weights)
        found = _judged(log @ weights, shape)
        if found.share >= LEAST_SHARE and found.clear > best.clear and _better(found, by_light):
            best, mixture = found, weights
    if mixture is None:
        return grey
    whole = np.log(np.maximum(part.astype(np.float32), 1.0)) @ mixture.astype(np.float32)
    low, top = (float(v) for v in np.percentile(whole[::4, ::4], (0.2, 99.8)))
    return np.asarray(np.clip(40 + (whole - low) * (175 / max(top - low, 1e-6)), 1, 255), dtype=np.uint8)


@dataclass(frozen=True, slots=True)
class _Judged:
    """How well a brightness parts a picture: distance of the two means in their own scatter, squared; the share of the largest
    thing, and the length of all edges."""

    clear: float
    share: float
    edges: float


def _judged(values: Array, shape: tuple[int, ...]) -> _Judged:
    high = values > _otsu(values)
    clear = 0.0
    if 0 < int(high.sum()) < high.size:
        one, two = values[high], values[~high]
        within = (float(one.var()) * one.size + float(two.var()) * two.size) / values.size
        clear = float(one.mean() - two.mean()) ** 2 / max(within, 1e-12)
    mask = high.reshape(shape).astype(np.uint8) * 255
    if float(np.mean(np.concatenate([mask[0], mask[-1], mask[:, 0], mask[:, -1]]))) > 127:
        mask = 255 - mask
    rings, _ = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    return _Judged(clear, max((cv2.contourArea(r) for r in rings), default=0.0) / mask.size, float(sum(len(r) for r in rings)))


def _better(found: _Judged, than: _Judged) -> bool:
    clearer = found.clear > CLEARER * than.clear and found.share > MOST_OF_IT * than.share and found.edges < AS_LONG * than.edges
    return clearer or found.edges < FAR_SHORTER * than.edges


def _discriminant(log: Array, high: NDArray[np.bool_]) -> Array:
    """The mixture of colours that parts two groups best. Source: Fisher's linear discriminant."""
    if not 0 < int(high.sum()) < high.size:
        return np.full(3, 1 / 3)
    one, two = log[high], log[~high]
    within = (np.cov(one.T, bias=True) * len(one) + np.cov(two.T, bias=True) * len(two)) / len(log)
    weights = np.linalg.solve(within + np.eye(3) * (1e-3 * np.trace(within) + 1e-9), one.mean(axis=0) - two.mean(axis=0))
    return np.asarray(weights / max(float(np.abs(weights).sum()), 1e-12))


def _terms(height: int, width: int) -> Array:
    y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
    x, y = x.ravel(), y.ravel()
    return np.stack([np.ones_like(x), x, y, x * x, x * y, y * y, x**3, x * x * y, x * y * y, y**3], axis=1)


def without_light(part: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The picture without the light that lies over it; all of it 0 where it has no contrast.

    The light is a smooth surface that scales bench and template alike. Both are told apart by what stands around the
    picture's border, the surface is fitted to each with its own brightness, and that is done again until it settles.
    """
    scale = LIGHT_PX / max(part.shape)
    small = cv2.resize(part, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else part
    log = np.log(np.maximum(cv2.medianBlur(small, 5).astype(np.float64), 1.0))
    terms = _terms(*log.shape)
    surface = np.zeros(log.size)
    values = log.ravel()
    for _ in range(LIGHT_ROUNDS):
        even = values - surface
        level = _otsu(even)
        high = even > level
        # Two brightnesses, one light: the surface is free of its constant, which each side has for itself.
        system = np.hstack([terms[:, 1:], high[:, None].astype(float), (~high)[:, None].astype(float)])
        near = np.ones(values.size, bool)
        for _ in range(2):
            solution, *_ = np.linalg.lstsq(system[near], values[near], rcond=None)
            off = np.abs(values - system @ solution)
            near = off < max(3.0 * float(np.median(off)), 0.02)
        new = terms[:, 1:] @ solution[:-2]
        settled = float(np.abs(new - surface).max()) < 1e-3
        surface = new
        if settled:
            break
    light = np.exp(surface.reshape(log.shape))
    whole = cv2.resize(light.astype(np.float32), (part.shape[1], part.shape[0]), interpolation=cv2.INTER_LINEAR)
    flat = np.clip(part.astype(np.float32) / whole, 0, 255)
    low, top = (float(v) for v in np.percentile(flat, (0.5, 99.5)))
    stretched = np.clip((flat - low) * (255.0 / max(top - low, 1.0)), 0, 255).astype(np.uint8)
    if top - low < LEAST_CONTRAST:
        return np.zeros_like(part)
    evened: NDArray[np.uint8] = stretched
    return evened


def _otsu(values: Array) -> float:
    low, high = (float(v) for v in np.percentile(values, (0.2, 99.8)))
    if high - low < 1e-9:
        return low
    scaled = np.clip((values - low) / (high - low) * 255, 0, 255).astype(np.uint8)
    level, _ = cv2.threshold(scaled.reshape(-1, 1), 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    return low + level / 255 * (high - low)


def parted(flat: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """255 where the template is: what is not like the picture's border."""
    calm = cv2.GaussianBlur(flat, (0, 0), max(1.0, min(flat.shape) / 700))
    _, mask = cv2.threshold(calm, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    border = np.concatenate([mask[0], mask[-1], mask[:, 0], mask[:, -1]])
    if float(np.mean(border)) > 127:
        mask = cv2.bitwise_not(mask)
    size = max(3, 2 * (min(flat.shape) // 900) + 1)
    opened = cv2.morphologyEx(mask, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    return np.asarray(cv2.morphologyEx(opened, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))), dtype=np.uint8)
