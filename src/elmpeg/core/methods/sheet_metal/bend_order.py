"""In which order the folds of a sheet can be made on a brake whose blade stands in the inside of the fold.

While a fold closes, the blade lies in the plane that halves its inside angle. What is
folded already, on either side, must stay clear of that plane: of a channel with two
folds of 90 degrees a leg as long as its web just does. ``share`` says how much of that
the shop's tool leaves (1 for a blade without thickness).
"""

from __future__ import annotations

import math
from collections.abc import Iterator

from shapely.geometry import Point as Dot
from shapely.geometry import Polygon

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, dot, scale, sub
from elmpeg.core.methods.sheet_metal.folded_sheet import LYING, BendLine, Flat, FoldedSheet, Frame, PlacedFlange, frame_beyond

MOST_SEARCHED = 8
"""More folds than that are not gone through: each set of folds made is folded once."""
CLEAR_MM = 0.5


@record
class Fouled:
    """A fold that cannot close: the bend, and the one already made whose flange meets the blade."""

    bend: str
    by: str


@record
class BendOrder:
    """The bends in an order in which each closes; else those that could be made, and what keeps the next ones from closing."""

    order: tuple[str, ...]
    fouled: tuple[Fouled, ...] = ()
    searched: bool = True

    @property
    def exists(self) -> bool:
        """Whether all can be made."""
        return not self.fouled


def bend_order(sheet: FoldedSheet, bends: tuple[BendLine, ...], base: Flat | None = None, share: float = 1.0) -> BendOrder:
    """An order in which every fold of a sheet that is known folded closes clear of the blade, the outermost first where they are
    free to choose."""
    first = outermost_first(bends, base)
    if len(bends) > MOST_SEARCHED:
        return BendOrder(tuple(b.id for b in first), searched=False)
    parts = _Sheet(sheet, bends)
    dead: set[frozenset[str]] = set()
    best: tuple[str, ...] = ()
    kept: tuple[Fouled, ...] = ()
    waiting: list[tuple[str, ...]] = [()]
    while waiting:
        made = waiting.pop()
        if len(made) == len(bends):
            return BendOrder(made)
        if frozenset(made) in dead:
            continue
        dead.add(frozenset(made))
        fouled, free = [], []
        for bend in first:
            if bend.id in made:
                continue
            by = parts.fouls(bend, frozenset((*made, bend.id)), share)
            if by is None:
                free.append((*made, bend.id))
            else:
                fouled.append(Fouled(bend.id, by))
        if len(made) >= len(best) and fouled and not free:
            best, kept = made, tuple(fouled)
        waiting += reversed(free)
    return BendOrder(best, kept)


def outermost_first(bends: tuple[BendLine, ...], base: Flat | None) -> list[BendLine]:
    """The folds in the order that keeps the larger part of the sheet outside the brake."""
    x, y = base or (0.0, 0.0)
    return sorted(bends, key=lambda b: -abs((b.a_mm[1] + b.b_mm[1]) / 2 - y) - abs((b.a_mm[0] + b.b_mm[0]) / 2 - x))


class _Sheet:
    """A sheet whose flanges are known, to be laid with only some of its bends made."""

    def __init__(self, sheet: FoldedSheet, bends: tuple[BendLine, ...]) -> None:
        self._thick = sheet.thickness_mm
        self._bends = {b.id: b for b in bends}
        self._flanges = sorted(sheet.flanges, key=lambda f: len(f.through))
        self._parents = [self._parent(f) for f in self._flanges]

    def _parent(self, flange: PlacedFlange) -> int:
        """The flange before one's last bend; for the base itself."""
        if not flange.through:
            return 0
        bend = self._bends[flange.through[-1]]
        middle = Dot((bend.a_mm[0] + bend.b_mm[0]) / 2, (bend.a_mm[1] + bend.b_mm[1]) / 2)
        before = [k for k, f in enumerate(self._flanges) if f.through == flange.through[:-1]]
        return min(before, key=lambda k: float(self._flanges[k].region.distance(middle)))

    def _laid(self, made: frozenset[str]) -> list[Frame]:
        """Where each flange lies with those bends made."""
        frames = [LYING]
        for flange, parent in zip(self._flanges[1:], self._parents[1:], strict=True):
            bend, here = self._bends[flange.through[-1]], frames[parent]
            across = _away(bend, flange.region)
            frames.append(frame_beyond(bend, across, here, self._thick) if bend.id in made else here)
        return frames

    def fouls(self, bend: BendLine, made: frozenset[str], share: float) -> str | None:
        """The bend whose flange meets the blade as one closes after the others made, None where none does."""
        frames = self._laid(made)
        far = next(k for k, f in enumerate(self._flanges) if f.through and f.through[-1] == bend.id)
        near = self._parents[far]
        wedges = [self._wedge(bend, self._flanges[k], frames[k]) for k in (near, far)]
        slope = share * math.tan(math.radians(180.0 - abs(bend.angle_deg)) / 2)
        for flange, frame in zip(self._flanges, frames, strict=True):
            beyond = bend.id in flange.through
            apex, out, inside = wedges[beyond]
            for p in self._corners(flange, frame):
                off = sub(p, apex)
                if dot(off, inside) > slope * max(dot(off, out), 0.0) + CLEAR_MM:
                    through = (*self._flanges[near].through, *(b for b in flange.through if b != bend.id))
                    return next((b for b in reversed(through) if b in made), bend.id)
        return None

    def _wedge(self, bend: BendLine, own: PlacedFlange, frame: Frame) -> tuple[Vec3, Vec3, Vec3]:
        """Of a side of a fold: where both inside faces meet, the way out along the side, and towards the inside of the fold."""
        across, arc = _away(bend, own.region), bend.arc_mm(self._thick)
        out = sub(frame.at(across), frame.origin)
        face = frame.at((bend.a_mm[0] + across[0] * arc / 2, bend.a_mm[1] + across[1] * arc / 2))
        if bend.angle_deg < 0:
            face = sub(face, scale(frame.up, self._thick))
        back = bend.radius_mm * math.tan(math.radians(abs(bend.angle_deg)) / 2)
        return add(face, scale(out, -back)), out, scale(frame.up, 1.0 if bend.angle_deg > 0 else -1.0)

    def _corners(self, flange: PlacedFlange, frame: Frame) -> Iterator[Vec3]:
        for x, y in flange.region.exterior.coords[:-1]:
            upper = frame.at((float(x), float(y)))
            yield upper
            yield sub(upper, scale(frame.up, self._thick))


def _unit(bend: BendLine) -> Flat:
    dx, dy = bend.b_mm[0] - bend.a_mm[0], bend.b_mm[1] - bend.a_mm[1]
    long = math.hypot(dx, dy)
    return (dx / long, dy / long)


def _away(bend: BendLine, region: Polygon) -> Flat:
    """Square to a bend's line, towards a flange beside it."""
    u = _unit(bend)
    w = (-u[1], u[0])
    at = region.representative_point()
    side = (at.x - bend.a_mm[0]) * w[0] + (at.y - bend.a_mm[1]) * w[1]
    return w if side > 0 else (-w[0], -w[1])


def _corners(flange: PlacedFlange, thickness_mm: float) -> Iterator[Vec3]:
    for x, y in flange.region.exterior.coords[:-1]:
        upper = flange.frame.at((float(x), float(y)))
        yield upper
        yield sub(upper, scale(flange.frame.up, thickness_mm))
