"""An outline and its holes from a photograph of a template on a bench, by marks of known place.

The light over a bench is never even and a sensor is never quiet. The picture is freed of
slow changes of light, parted into template and bench, and every edge is then looked for
along its own normal in the picture as it was taken, to a fraction of a pixel. Edges are
taken to the plane of the marks; straight ones and round ones are recognised there.
"""

from __future__ import annotations

import io
import math
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from shapely.geometry import Polygon

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.plane_projection import FEWEST, Mark, PlaneProjection, plane_projection
from elmpeg.formats.parted_picture import LEAST_CONTRAST, one_brightness, parted, without_light

LARGEST_BYTES = 40_000_000
MOST_PIXELS = 26_000_000
AROUND_SHARE = 0.35
"""Of the marks' extent in the picture, how far beyond them is looked at."""
PROFILE_PX = 5.0
PROFILE_STEPS = 41
MARGIN_PX = 16
"""Round the template: an edge is looked for twice, each time so many pixels of a profile aside, and a little more."""
LEAST_HOLE_MM = 2.0
LEAST_HOLE_SHARE = 2e-5
ROUND_SHARE = 0.025
"""How far a round hole's edge may lie off its circle, as a share of its diameter, or twice a pixel."""
LARGEST_HOLE_MM = 80.0
STRAIGHT_PX = 1.2
LEAST_EDGE_SHARE = 0.06
BOW_PX = 0.35
"""A long edge that clearly bows by more in the picture, all the same way, is bent by the lens or was never straight."""
CORNER_PX = 6.0
"""Over how many pixels a sharp corner may look rounded."""
MOST_OPENINGS = 300
"""A picture with more of them shows a grating, a bench or a cloth, and takes minutes to follow."""
MOST_TURNS = 2500
"""A ring that turns more often is the grain of a bench or a sensor's noise: no template, and hours to follow."""
Array = NDArray[np.float64]
Run = tuple[Array, tuple[Array, Array] | None]
Told = Callable[[str, float], None]


@dataclass(frozen=True, slots=True)
class RoundHole:
    """A round hole: its centre and diameter, and how far its edge lies off the circle, mm."""

    xy_mm: tuple[float, float]
    d_mm: float
    rms_mm: float


@dataclass(frozen=True, slots=True)
class Traced:
    """What a photograph shows: the outline and openings in the plane of the marks, mm, counter-clockwise; round holes; doubts."""

    outline_mm: tuple[tuple[float, float], ...]
    holes: tuple[RoundHole, ...]
    openings_mm: tuple[tuple[tuple[float, float], ...], ...]
    rms_px: float
    mm_per_px: float
    sd_mm: float
    """Doubt of an edge: what the marks leave over and how finely an edge is seen."""
    straight_edges: int
    bowed_px: float
    """By how much the worst long edge bows in the picture; 0 where none does so clearly."""

    @property
    def warnings(self) -> tuple[str, ...]:
        """What speaks against the trace."""
        if self.bowed_px > BOW_PX:
            return (
                f"A long edge bows by {self.bowed_px:.1f} pixels: the lens bends straight lines. Stand further back, zoom in, and keep the template "
                "in the middle of the picture.",
            )
        return ()


def traced(data: bytes, marks: tuple[Mark, ...], told: Told = lambda words, share: None) -> Traced:
    """Trace the largest thing within the marks. Raises InputError for what is no picture, for marks that do not fit, or where
    nothing stands out from the bench."""
    told("reading the picture", 0.02)
    picture = _picture(data)
    if len(marks) < FEWEST:
        raise InputError("marks", f"has {len(marks)}; a photograph needs {FEWEST} marks or more of known place, no three of four in a line")
    projection = plane_projection(marks)
    left, top, right, bottom = _window(marks, picture.shape)
    part = picture[top:bottom, left:right]
    told("evening out the light", 0.15)
    flat = without_light(one_brightness(part))
    if float(np.ptp(flat)) == 0.0:
        raise InputError(
            "photo", "shows nothing that stands out from the bench; put the template on a ground of another brightness or colour"
        )
    told("parting template and bench", 0.4)
    mask = parted(flat)
    told("following the edges", 0.6)
    outer, inner = _contours(mask)
    _require_a_template(outer)
    smooth, corner = _smoothed(part, outer)
    to_mm = _to_mm(projection, (left, top))
    edge_px = _followed(smooth, outer - corner) + corner
    told("recognising straight and round", 0.85)
    pixel = _mm_per_px(edge_px, to_mm)
    edge = to_mm(edge_px)
    outline, straight, bow = _recognised(edge, edge_px, pixel)
    holes, openings = [], []
    least = max(math.pi / 4 * LEAST_HOLE_MM**2, LEAST_HOLE_SHARE * Polygon(edge).buffer(0).area)
    for ring in _large_enough(inner, to_mm, least / 3):
        ring_px = _followed(smooth, ring - corner) + corner
        ring_mm = to_mm(ring_px)
        if Polygon(ring_mm).buffer(0).area < least:
            continue
        _require_a_template(ring)
        hole = _round(ring_mm)
        if hole.d_mm <= LARGEST_HOLE_MM and hole.rms_mm <= max(ROUND_SHARE * hole.d_mm, 2 * pixel):
            holes.append(hole)
        else:
            openings.append(_recognised(ring_mm, ring_px, pixel)[0])
    told("done", 1.0)
    doubt = math.hypot(projection.rms_px * pixel, 0.25 * pixel)
    ordered = tuple(sorted(holes, key=lambda h: (round(h.xy_mm[1], 1), h.xy_mm[0])))
    return Traced(outline, ordered, tuple(openings), projection.rms_px, pixel, doubt, straight, bow)


def _picture(data: bytes) -> NDArray[np.uint8]:
    if len(data) > LARGEST_BYTES:
        raise InputError("photo", f"is {len(data) / 1e6:.0f} MB; at most {LARGEST_BYTES / 1e6:.0f} MB are read")
    try:
        with Image.open(io.BytesIO(data)) as seen:
            pixels = seen.size[0] * seen.size[1]
    except (OSError, ValueError, Image.DecompressionBombError):
        raise InputError("photo", "is not a picture that can be read; take a JPEG or PNG") from None
    if pixels > MOST_PIXELS:
        raise InputError("photo", f"has {pixels / 1e6:.0f} million pixels; at most {MOST_PIXELS / 1e6:.0f} million are traced")
    try:
        found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    except cv2.error:
        found = None
    if found is None:
        raise InputError("photo", "is not a picture that can be read; take a JPEG or PNG")
    return np.asarray(found, dtype=np.uint8)


def _window(marks: tuple[Mark, ...], shape: tuple[int, ...]) -> tuple[int, int, int, int]:
    xs, ys = [m.px[0] for m in marks], [m.px[1] for m in marks]
    dx, dy = AROUND_SHARE * (max(xs) - min(xs)), AROUND_SHARE * (max(ys) - min(ys))
    left, top = max(0, int(min(xs) - dx)), max(0, int(min(ys) - dy))
    right, bottom = min(shape[1], int(max(xs) + dx) + 1), min(shape[0], int(max(ys) + dy) + 1)
    if right - left < 40 or bottom - top < 40:
        raise InputError("marks", "lie outside the picture, or almost in one place")
    return left, top, right, bottom


def _require_a_template(ring: Array) -> None:
    turns = len(cv2.approxPolyDP(ring.astype(np.float32).reshape(-1, 1, 2), STRAIGHT_PX, True))
    if turns > MOST_TURNS:
        raise InputError(
            "photo",
            f"shows nothing that stands out from the bench: the edge found turns {turns} times. Lay the template on a calm ground of "
            "another colour or brightness, and keep hard shadows off it",
        )


def _contours(mask: NDArray[np.uint8]) -> tuple[Array, list[Array]]:
    """The edge of the largest thing, and the edges of what is open in it, pixels."""
    found, tree = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    if tree is None:
        raise InputError("photo", "shows nothing that stands out from the bench")
    outer = [k for k in range(len(found)) if tree[0][k][3] < 0]
    largest = max(outer, key=lambda k: cv2.contourArea(found[k]))
    if cv2.contourArea(found[largest]) < 0.002 * mask.size:
        raise InputError("photo", "shows nothing large enough within the marks; put the marks around the template, near to it")
    inner = [np.asarray(found[k][:, 0, :], dtype=float) for k in range(len(found)) if tree[0][k][3] == largest and len(found[k]) >= 12]
    return np.asarray(found[largest][:, 0, :], dtype=float), inner


def _large_enough(rings: list[Array], to_mm: Callable[[Array], Array], least_mm2: float) -> list[Array]:
    """Without specks, before any edge is followed: a noisy picture has thousands."""
    if not rings:
        return []
    starts = np.cumsum([0, *(len(ring) for ring in rings[:-1])])
    places = to_mm(np.concatenate(rings))
    following = np.arange(len(places)) + 1
    following[np.append(starts[1:], len(places)) - 1] = starts
    crossed = places[:, 0] * places[following, 1] - places[following, 0] * places[:, 1]
    areas = np.abs(np.add.reduceat(crossed, starts)) / 2
    kept = [ring for ring, area in zip(rings, areas, strict=True) if area >= least_mm2]
    if len(kept) > MOST_OPENINGS:
        raise InputError(
            "photo",
            f"shows {len(kept)} holes and openings; at most {MOST_OPENINGS} are traced. Lay the template on a calm ground of another colour or "
            "brightness, and close what shows through it",
        )
    return kept


def _smoothed(part: NDArray[np.uint8], outer: Array) -> tuple[NDArray[np.float32], Array]:
    """The picture round the template, calmed, and where its corner lies: the rest of a large picture would cost memory for nothing."""
    low, high = outer.min(axis=0).astype(int) - MARGIN_PX, outer.max(axis=0).astype(int) + MARGIN_PX
    left, top = (int(v) for v in np.maximum(low, 0))
    crop = part[top : int(high[1]) + 1, left : int(high[0]) + 1].astype(np.float32)
    return np.asarray(cv2.GaussianBlur(crop, (0, 0), 0.8), dtype=np.float32), np.array([left, top], dtype=np.float64)


def _followed(picture: NDArray[np.float32], ring: Array) -> Array:
    """An edge to a fraction of a pixel; looked for twice, since a blurred one is only seen fairly from its middle."""
    return _refined(picture, _refined(picture, ring))


def _refined(picture: NDArray[np.float32], ring: Array) -> Array:
    """Each place of an edge moved along its normal to where the colour is half way between its two sides."""
    count = len(ring)
    half = min(7, max(2, count // 24))
    ahead, behind = np.roll(ring, -half, axis=0), np.roll(ring, half, axis=0)
    along = ahead - behind
    long = np.hypot(along[:, 0], along[:, 1])
    keep = long > 1e-6
    along[keep] /= long[keep, None]
    normal = np.stack([-along[:, 1], along[:, 0]], axis=1)
    middle = (ring + np.roll(ring, 1, axis=0) + np.roll(ring, -1, axis=0)) / 3
    steps = np.linspace(-PROFILE_PX, PROFILE_PX, PROFILE_STEPS)
    xs = (middle[:, None, 0] + steps[None, :] * normal[:, None, 0]).astype(np.float32)
    ys = (middle[:, None, 1] + steps[None, :] * normal[:, None, 1]).astype(np.float32)
    seen = np.empty((*xs.shape, 3), np.float32)
    rows = 16_000
    for k in range(0, count, rows):
        seen[k : k + rows] = cv2.remap(picture, xs[k : k + rows], ys[k : k + rows], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    # A little of the neighbours' profiles calms noise without rounding corners by more than a pixel.
    calm = (
        np.roll(seen, 2, axis=0) + np.roll(seen, 1, axis=0) * 2 + seen * 3 + np.roll(seen, -1, axis=0) * 2 + np.roll(seen, -2, axis=0)
    ) / 9
    side = PROFILE_STEPS // 4
    first, last = calm[:, :side].mean(axis=1), calm[:, -side:].mean(axis=1)
    apart = last - first
    # Colours mix in proportion to what of a pixel each covers: the share of the far side along the way between the two.
    mixed = np.einsum("nsc,nc->ns", calm - first[:, None, :], apart) / np.maximum((apart * apart).sum(axis=1), 1e-9)[:, None]
    above = mixed > 0.5
    # The crossing nearest to where the mask's edge is.
    change = above[:, 1:] & ~above[:, :-1]
    away = np.abs(steps[:-1] + (steps[1] - steps[0]) / 2)
    cost = np.where(change, away[None, :], np.inf)
    at = np.argmin(cost, axis=1)
    index = np.arange(count)
    a, b = mixed[index, at], mixed[index, at + 1]
    share = np.clip((0.5 - a) / np.where(np.abs(b - a) < 1e-6, 1e-6, b - a), 0, 1)
    shift = steps[at] + share * (steps[1] - steps[0])
    clear = np.isfinite(cost[index, at]) & (np.sqrt((apart * apart).mean(axis=1)) > LEAST_CONTRAST)
    shift = np.where(clear, shift, 0.0)
    moved: Array = middle + shift[:, None] * normal
    return moved


def _to_mm(projection: PlaneProjection, corner: tuple[int, int]) -> Callable[[Array], Array]:
    back = np.linalg.inv(np.array(projection.rows))

    def convert(places: Array) -> Array:
        whole = np.column_stack([places[:, 0] + corner[0], places[:, 1] + corner[1], np.ones(len(places))]) @ back.T
        if np.any(np.abs(whole[:, 2]) < 1e-12):
            raise InputError("marks", "put part of the template on the picture's horizon; check which mark is which")
        plane: Array = whole[:, :2] / whole[:, 2:]
        return plane

    return convert


def _mm_per_px(edge_px: Array, to_mm: Callable[[Array], Array]) -> float:
    middle = edge_px.mean(axis=0)
    cross = np.array([middle, middle + np.array([1, 0]), middle + np.array([0, 1])])
    at = to_mm(cross)
    return float((np.hypot(*(at[1] - at[0])) + np.hypot(*(at[2] - at[0]))) / 2)


def _round(ring: Array) -> RoundHole:
    """The circle of least squares through a ring. Source: Kåsa's linear fit, then Gauss-Newton on the distances."""
    x, y = ring[:, 0], ring[:, 1]
    system = np.column_stack([2 * x, 2 * y, np.ones(len(ring))])
    a, b, c = np.linalg.lstsq(system, x * x + y * y, rcond=None)[0]
    r = math.sqrt(max(c + a * a + b * b, 1e-12))
    for _ in range(8):
        dx, dy = x - a, y - b
        d = np.maximum(np.hypot(dx, dy), 1e-9)
        step = np.linalg.lstsq(np.column_stack([-dx / d, -dy / d, -np.ones(len(ring))]), -(d - r), rcond=None)[0]
        a, b, r = a + step[0], b + step[1], r + step[2]
        if float(np.abs(step).max()) < 1e-9:
            break
    rms = float(np.sqrt(np.mean((np.hypot(x - a, y - b) - r) ** 2)))
    return RoundHole((float(a), float(b)), 2 * float(r), rms)


def _recognised(ring: Array, ring_px: Array, pixel: float) -> tuple[tuple[tuple[float, float], ...], int, float]:
    """A ring with its straight runs as straight pieces; how many there are, and how far the worst of them bows in the picture."""
    within = STRAIGHT_PX * pixel
    size = float(np.hypot(*(ring.max(axis=0) - ring.min(axis=0))))
    closed = np.vstack([ring, ring[:1]])
    rough = cv2.approxPolyDP(closed[:-1].astype(np.float32).reshape(-1, 1, 2), max(within, 1e-4), True)[:, 0, :]
    index = sorted({int(np.argmin(np.hypot(*(ring - p).T))) for p in rough})
    if len(index) < 3:
        return _as_ring(_thinned(ring, within)), 0, 0.0
    lines: list[Run] = []
    bow = 0.0
    for k, start in enumerate(index):
        end = index[(k + 1) % len(index)]
        run = ring[start : end + 1] if end > start else np.vstack([ring[start:], ring[: end + 1]])
        run_px = ring_px[start : end + 1] if end > start else np.vstack([ring_px[start:], ring_px[: end + 1]])
        long = float(np.hypot(*(run[-1] - run[0])))
        if long < max(LEAST_EDGE_SHARE * size, 12 * pixel) or len(run) < 16:
            lines.append((run, None))
            continue
        trim = max(2, min(len(run) // 8, int(4 / max(pixel, 1e-6)), 12))
        inside = run[trim:-trim]
        centre = inside.mean(axis=0)
        _, _, ways = np.linalg.svd(inside - centre, full_matrices=False)
        lines.append((run, (centre, ways[0])))
        bow = max(bow, _bow_px(run_px[trim:-trim]))
    lines = _without_corner_runs(lines, pixel)
    places: list[Array] = []
    straight = sum(1 for _, line in lines if line is not None)
    for k, (run, line) in enumerate(lines):
        before = lines[k - 1][1]
        if line is not None and before is not None:
            met = _met(before, line)
            places.append(met if met is not None and np.hypot(*(met - run[0])) < 2 * CORNER_PX * pixel else run[0])
        elif line is not None or before is not None:
            at = line if line is not None else before
            assert at is not None
            places.append(at[0] + at[1] * float((run[0] - at[0]) @ at[1]))
        else:
            places.append(run[0])
        if line is None:
            places += list(_thinned(run[1:-1], within / 3))
    return _as_ring(_without_level_corners(np.array(places), pixel)), straight, bow


def _without_level_corners(places: Array, pixel: float) -> Array:
    """Without corners that lie on the line of their neighbours within a pixel."""
    kept = cv2.approxPolyDP(places.astype(np.float32).reshape(-1, 1, 2), 0.8 * pixel, True)[:, 0, :]
    index = sorted({int(np.argmin(np.hypot(*(places - p).T))) for p in kept})
    return places[index] if len(index) >= 3 else places


def _without_corner_runs(lines: list[Run], pixel: float) -> list[Run]:
    """Without the few places where two straight edges meet and the eye of the camera rounds the corner."""
    first = next((k for k, (_, line) in enumerate(lines) if line is not None), None)
    if first is None:
        return lines
    kept: list[Run] = []
    short: list[Run] = []
    for run, line in [*lines[first:], *lines[: first + 1]]:
        if line is None:
            short.append((run, line))
            continue
        if short and not _is_corner(kept[-1], short, line, pixel):
            kept += short
        short = []
        kept.append((run, line))
    return kept[:-1]


def _is_corner(before: Run, short: list[Run], line: tuple[Array, Array], pixel: float) -> bool:
    assert before[1] is not None
    places = np.vstack([run for run, _ in short])
    met = _met(before[1], line)
    return met is not None and float(np.hypot(*(places - met).T).max()) < 2 * CORNER_PX * pixel


def _bow_px(run: Array) -> float:
    """How far the middle of a run lies off the line of its ends, where the whole of it bows one way; 0 where it does not."""
    centre = run.mean(axis=0)
    _, _, ways = np.linalg.svd(run - centre, full_matrices=False)
    s, w = (run - centre) @ ways[0], (run - centre) @ ways[1]
    long = float(np.ptp(s))
    if long < 80:
        return 0.0
    u = (s - s.min()) / long * 2 - 1
    curve = np.polyfit(u, w, 2)
    rest = float(np.sqrt(np.mean((w - np.polyval(curve, u)) ** 2)))
    sagitta = abs(float(curve[0]))
    return sagitta if sagitta > 2 * rest else 0.0


def _met(a: tuple[Array, Array], b: tuple[Array, Array]) -> Array | None:
    det = a[1][0] * b[1][1] - a[1][1] * b[1][0]
    if abs(det) < 0.05:
        return None
    d = b[0] - a[0]
    met: Array = a[0] + a[1] * float((d[0] * b[1][1] - d[1] * b[1][0]) / det)
    return met


def _thinned(run: Array, within: float) -> Array:
    """A run with no more places than its shape needs."""
    if len(run) < 3:
        return run
    smooth = run.copy()
    smooth[2:-2] = (run[:-4] + run[1:-3] + run[2:-2] + run[3:-1] + run[4:]) / 5 if len(run) > 5 else run[2:-2]
    kept = cv2.approxPolyDP(smooth.astype(np.float32).reshape(-1, 1, 2), max(within, 1e-4), False)[:, 0, :]
    thin: Array = kept.astype(float)
    return thin


def _as_ring(places: Array) -> tuple[tuple[float, float], ...]:
    ring = [(float(x), float(y)) for x, y in places]
    shape = Polygon(ring)
    if not shape.is_valid:
        fixed = shape.buffer(0)
        if isinstance(fixed, Polygon) and not fixed.is_empty:
            ring = [(float(x), float(y)) for x, y in fixed.exterior.coords[:-1]]
            shape = fixed
    return tuple(ring if shape.exterior.is_ccw else ring[::-1])
