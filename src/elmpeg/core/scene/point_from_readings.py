"""How one point's coordinates are got from its readings, in each of the ways people measure.

Every way gives a ``Fix``: the place, the independent parts of its doubt, how it
follows the points it was measured from, and what is wrong with the readings.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Rotation, rotate
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, norm, scale, sub
from elmpeg.core.build.survey import NOT_MEASURED, Axis3, Levelling, Point, Reading, Tool
from elmpeg.core.methods.measuring.repeats import APART_SD
from elmpeg.core.methods.measuring.tape_distances import FEWEST_READINGS, Known, Status, Tape, TapedPoint, taped_point
from elmpeg.core.scene.axis_from_gauge import direction_sd_deg
from elmpeg.core.scene.gravity import LEVEL, tilt_slopes, turn_of

Matrix = NDArray[np.float64]

UNMEASURED_SD_MM = 10.0
UNMEASURED_SD_DEG = 1.0
"""Doubt of borrowed and assumed figures until they are measured (the shop's convention)."""
DRAWING_SD_MM = 0.5
"""A drawn figure is as good as the casting or fabrication it describes, not as the pen."""
AXIS_SD_DEG = 0.1
"""A direction is taken with an angle gauge."""
PLANE_SD_MM = 0.2
"""How flat the face is that centre distances are taken on."""
TILT_PASSES = 3
"""A known height on a tilted vehicle depends on where the point is; each pass leaves a hundredth of the error."""
IDENTITY: tuple[Vec3, Vec3, Vec3] = LEVEL
AXES: tuple[Axis3, ...] = ("x", "y", "z")
Places = dict[str, tuple[Vec3, float]]
"""By point measured from: where it is, and the largest standard deviation of its coordinates."""
_taped = lru_cache(maxsize=4096)(taped_point)
"""The fit takes milliseconds, and most points stay as they are from one change to the next."""


@record
class Part:
    """One independent doubt: the shift of one standard deviation that a reading may bring; no reading for entered figures."""

    shift_mm: Vec3
    readings: tuple[str, ...] = ()


@record
class Follow:
    """How a point shifts when one it was measured from does: rows of a 3 x 3 matrix."""

    point: str
    rows: tuple[Vec3, Vec3, Vec3]


@record
class Disagreement:
    """Two readings of one figure further apart than their doubt explains. ``kept`` where a person decided to keep both."""

    first: Reading
    second: Reading
    apart_mm: float
    allowed_mm: float
    kept: str = ""


@record
class Fix:
    """A point's place and all that is to be said of it.

    ``tilts`` holds, by levelling, how the place shifts by a degree of pitch and of
    roll. ``left_mm`` is what each tape leaves over, by reading; ``suspect`` the one
    that is probably wrong; ``other_mm`` the second place that fits as well;
    ``trouble`` why the readings fix no place.
    """

    xyz_mm: Vec3
    parts: tuple[Part, ...]
    axis_sd_deg: float
    follows: tuple[Follow, ...] = ()
    tilts: tuple[tuple[str, tuple[Vec3, Vec3]], ...] = ()
    disagreements: tuple[Disagreement, ...] = ()
    left_mm: tuple[tuple[str, float], ...] = ()
    status: Status = "fixed"
    suspect: str | None = None
    other_mm: Vec3 | None = None
    hole_mm: float | None = None
    trouble: str = ""


@record
class _Read:
    """Readings of one coordinate put together: along ``row`` of the vehicle's turn, from where the offsets start."""

    axis: int
    row: Vec3
    value_mm: float
    parts: tuple[tuple[float, tuple[str, ...]], ...]

    @property
    def sd_mm(self) -> float:
        return max(math.sqrt(sum(p**2 for p, _ in self.parts)), 1e-6)


def fixed(point: Point, tools: dict[str, Tool], levellings: dict[str, Levelling], places: Places) -> Fix:
    """A point's place from its readings; ``places`` has the points that it is measured from."""
    maker = _Maker(point, tools, levellings, places)
    if point.got == "middle":
        return maker.middle()
    if point.got in ("tapes", "centres"):
        return maker.taped()
    return maker.offsets()


class _Maker:
    """One point with what is needed to place it."""

    def __init__(self, point: Point, tools: dict[str, Tool], levellings: dict[str, Levelling], places: Places) -> None:
        self.point, self.tools, self.levellings, self.places = point, tools, levellings, places
        self.readings = [r for r in point.readings if not r.dropped]
        unmeasured = point.source in NOT_MEASURED
        entered = point.axis_sd_deg if point.axis_sd_deg is not None else UNMEASURED_SD_DEG if unmeasured else AXIS_SD_DEG
        self.axis_sd = direction_sd_deg(point, tools, entered)
        self.disagreements: list[Disagreement] = []
        self.diameters: list[float] = []
        self.lacking: list[str] = []
        self.start: Vec3 = places[point.start][0] if point.start in places else (0.0, 0.0, 0.0)
        self.follows = (Follow(point.start, IDENTITY),) if point.start in places else ()

    def sd(self, reading: Reading) -> float:
        tool = self.tools.get(reading.tool)
        return max(tool.sd_mm if tool and tool.sd_mm > 0 else UNMEASURED_SD_MM, 1e-6)

    def base_sd(self) -> float:
        """Doubt of coordinates that were entered without a reading."""
        point, tool = self.point, self.tools.get(self.point.tool)
        if point.source in NOT_MEASURED:
            return UNMEASURED_SD_MM
        if point.sd_mm is not None:
            return point.sd_mm
        if point.source == "drawing":
            return DRAWING_SD_MM
        return tool.sd_mm if tool and tool.sd_mm > 0 else UNMEASURED_SD_MM

    def entered(self) -> Fix:
        """The figures as entered, with the doubt of their source."""
        sd = self.base_sd()
        return Fix(self.point.xyz_mm, tuple(Part(_along(i, sd)) for i in range(3)), self.axis_sd)

    # Offsets along the axes, edges of holes among them

    def offsets(self) -> Fix:
        if not self.readings:
            return self.entered()
        reads, turned = self._reads()
        shifts: list[Part] = []
        if not turned:
            xyz = list(self.point.xyz_mm)
            for read in reads:
                xyz[read.axis] = read.value_mm + self.start[read.axis]
                shifts += [Part(_along(read.axis, sd), ids) for sd, ids in read.parts]
            place: Vec3 = (xyz[0], xyz[1], xyz[2])
            sd = self.base_sd()
            shifts += [Part(_along(i, sd)) for i in range(3) if all(r.axis != i for r in reads)]
        else:
            place, shifts = self._solved(reads)
        return Fix(
            xyz_mm=place,
            parts=self._widened(shifts),
            axis_sd_deg=self.axis_sd,
            follows=self.follows,
            tilts=self._tilts(place),
            disagreements=tuple(self.disagreements),
            hole_mm=sum(self.diameters) / len(self.diameters) if self.diameters else None,
            trouble="; ".join(self.lacking),
        )

    def _reads(self) -> tuple[list[_Read], bool]:
        """Each coordinate's readings put together, and whether any follows gravity on a tilted vehicle."""
        found, turned = [], False
        for i, axis in enumerate(AXES):
            groups: dict[Rotation, list[Reading]] = {}
            for r in self.readings:
                if r.axis == axis:
                    groups.setdefault(turn_of(r, self.levellings), []).append(r)
            # Repeats under different levellings are brought together by the solution; nearly always there is one group.
            for turn, readings in groups.items():
                read = self._edged(i, turn, readings) if any(r.edge for r in readings) else self._together(i, turn, readings)
                if read is not None:
                    found.append(read)
                    turned = turned or turn != LEVEL or len(groups) > 1
        return found, turned

    def _together(self, i: int, turn: Rotation, readings: list[Reading]) -> _Read:
        """The mean weighted by the tools' doubt; readings that disagree stand side by side, half their spread as the doubt."""
        apart = self._disagreeing(readings)
        if apart:
            values = [r.value_mm for r in readings]
            half = (max(values) - min(values)) / 2
            return _Read(i, turn[i], sum(values) / len(values), ((half, tuple(r.id for r in readings)),))
        weights = [1 / self.sd(r) ** 2 for r in readings]
        whole = sum(weights)
        value = sum(w * r.value_mm for w, r in zip(weights, readings, strict=True)) / whole
        return _Read(i, turn[i], value, tuple((w / whole * self.sd(r), (r.id,)) for w, r in zip(weights, readings, strict=True)))

    def _edged(self, i: int, turn: Rotation, readings: list[Reading]) -> _Read | None:
        """A hole's centre from its two edges; from one edge where the diameter is known."""
        near, far = ([r for r in readings if r.edge == e] for e in ("near", "far"))
        sides = [self._together(i, turn, side) if side else None for side in (near, far)]
        first, last = sides
        if first is not None and last is not None:
            across = last.value_mm - first.value_mm
            if across <= 0:
                self.lacking.append(f"the far edge along {AXES[i].upper()} reads less than the near one; the readings are swapped")
            self.diameters.append(abs(across))
            parts = tuple((sd / 2, ids) for sd, ids in (*first.parts, *last.parts))
            return _Read(i, turn[i], (first.value_mm + last.value_mm) / 2, parts)
        one = first or last
        if one is None or self.point.hole_mm is None:
            which = "far" if first is not None else "near"
            self.lacking.append(f"only one edge of the hole is read along {AXES[i].upper()}; read the {which} edge too")
            return None
        half = self.point.hole_mm / 2 * (1 if first is not None else -1)
        return _Read(i, turn[i], one.value_mm + half, one.parts)

    def _disagreeing(self, readings: list[Reading]) -> bool:
        found = False
        for k, first in enumerate(readings):
            for second in readings[k + 1 :]:
                apart = abs(first.value_mm - second.value_mm)
                allowed = APART_SD * math.hypot(self.sd(first), self.sd(second))
                if apart > allowed:
                    found = True
                    kept = second.kept if first.kept and second.kept else ""
                    self.disagreements.append(Disagreement(first, second, apart, allowed, kept))
        return found

    def _solved(self, reads: list[_Read]) -> tuple[Vec3, list[Part]]:
        """Weighted least squares of readings along turned rows; coordinates without a reading stay as entered."""
        rows, values, sds, parts = [], [], [], []
        for read in reads:
            rows.append(read.row)
            values.append(read.value_mm + sum(a * b for a, b in zip(read.row, self.start, strict=True)))
            sds.append(read.sd_mm)
            parts.append(read.parts)
        sd = self.base_sd()
        for i in range(3):
            if all(r.axis != i for r in reads):
                rows.append(IDENTITY[i])
                values.append(self.point.xyz_mm[i])
                sds.append(sd)
                parts.append(((sd, ()),))
        a, w = np.array(rows), 1 / np.array(sds) ** 2
        gain = np.linalg.inv(a.T @ (a * w[:, None])) @ (a.T * w)
        place = gain @ np.array(values)
        self._across_levellings(sub(_vec3(place), self.start))
        shifts = [Part(_vec3(gain[:, k] * sd), ids) for k, some in enumerate(parts) for sd, ids in some]
        return _vec3(place), shifts

    def _across_levellings(self, lever: Vec3) -> None:
        """Repeats taken under different levellings are compared as they stand in the vehicle."""
        for i, axis in enumerate(AXES):
            turns = [(r, turn_of(r, self.levellings)) for r in self.readings if r.axis == axis and not r.edge]
            upright = [(r, turn, r.value_mm - rotate(turn, lever)[i] + lever[i]) for r, turn in turns]
            for k, (first, turn, value) in enumerate(upright):
                for second, other, again in upright[k + 1 :]:
                    allowed = APART_SD * math.hypot(self.sd(first), self.sd(second))
                    if turn != other and abs(value - again) > allowed:
                        kept = second.kept if first.kept and second.kept else ""
                        self.disagreements.append(Disagreement(first, second, abs(value - again), allowed, kept))

    def _widened(self, parts: list[Part]) -> tuple[Part, ...]:
        """The parts, made up to the doubt that a person gave the point where theirs is smaller."""
        least = self.point.sd_mm
        if least is None:
            return tuple(parts)
        more = []
        for i in range(3):
            square = sum(p.shift_mm[i] ** 2 for p in parts)
            if square < least**2:
                more.append(Part(_along(i, math.sqrt(least**2 - square))))
        return (*parts, *more)

    def _tilts(self, place: Vec3) -> tuple[tuple[str, tuple[Vec3, Vec3]], ...]:
        """How the place hangs on each levelling that its readings were taken under."""
        by_level: dict[str, set[str]] = {}
        for r in self.readings:
            if r.level is not None and r.axis != "tape":
                by_level.setdefault(r.level, set()).add(r.axis)
        lever = sub(place, self.start)
        return tuple((level, tilt_slopes(lever, ("x" in axes, "y" in axes, "z" in axes))) for level, axes in by_level.items())

    # Tapes and centre distances

    def taped(self) -> Fix:
        tapes = self._tapes()
        coordinates = [r for r in self.readings if r.axis != "tape"]
        near = self.point.near_mm
        try:
            found = self._with_known(tapes, coordinates, near)
        except InputError as short:
            plain = self.entered()
            wide = tuple(Part(_along(i, max(UNMEASURED_SD_MM, norm(p.shift_mm)))) for i, p in enumerate(plain.parts))
            return Fix(
                plain.xyz_mm,
                wide,
                self.axis_sd,
                trouble="; ".join(self.lacking) or f"It is not fixed: {short.message}",
                disagreements=tuple(self.disagreements),
            )
        parts, follows = self._slopes(found, tapes, coordinates)
        return Fix(
            xyz_mm=found.xyz_mm,
            parts=self._widened(parts),
            axis_sd_deg=self.axis_sd,
            follows=follows,
            tilts=self._tilts(found.xyz_mm),
            disagreements=tuple(self.disagreements),
            left_mm=found.residuals_mm,
            status=found.status,
            suspect=found.suspect,
            other_mm=found.other_xyz_mm,
            trouble="; ".join(self.lacking),
        )

    def _tapes(self) -> tuple[Tape, ...]:
        """The tapes, each with the doubt of its tool and of the point it was held at; impossible pairs are named."""
        tapes = []
        for r in self.readings:
            if r.axis == "tape" and r.held_at in self.places:
                place, sd = self.places[r.held_at]
                tapes.append(Tape(r.id, place, r.value_mm, math.hypot(self.sd(r), sd)))
        texts = {r.id: f"“{r.text}” from {r.held_at}" for r in self.readings}
        for k, one in enumerate(tapes):
            for other in tapes[k + 1 :]:
                between, slack = math.dist(one.from_mm, other.from_mm), APART_SD * math.hypot(one.sd_mm, other.sd_mm)
                pair = f"{texts[one.from_id]} and {texts[other.from_id]}"
                if one.mm + other.mm < between - slack:
                    self.lacking.append(f"{pair} cannot both be right: together they are shorter than the way between the two points")
                elif abs(one.mm - other.mm) > between + slack:
                    self.lacking.append(f"{pair} cannot both be right: they differ by more than the way between the two points")
        return tuple(tapes)

    def _with_known(self, tapes: tuple[Tape, ...], coordinates: list[Reading], near: Vec3 | None) -> TapedPoint:
        found: TapedPoint | None = None
        passes = TILT_PASSES if any(turn_of(r, self.levellings) != LEVEL for r in coordinates) else 1
        for _ in range(passes):
            known = self._known(tapes, coordinates, found.xyz_mm if found else near or self.point.xyz_mm)
            if self.point.got == "centres" and len(tapes) + len(known) < FEWEST_READINGS:
                raise InputError("distances", "centre distances in a plane need at least two points to measure from; add one")
            found = _taped(tapes, known, near)
        assert found is not None
        return found

    def _known(self, tapes: tuple[Tape, ...], coordinates: list[Reading], about: Vec3) -> tuple[Known, ...]:
        known = []
        for i, axis in enumerate(AXES):
            readings = [r for r in coordinates if r.axis == axis]
            if readings:
                self.disagreements = [d for d in self.disagreements if d.first.axis != axis]
                read = self._together(i, LEVEL, readings)
                turn = turn_of(readings[0], self.levellings)
                tilted = rotate(turn, sub(about, self.start))[i] - sub(about, self.start)[i]
                known.append(Known(axis, read.value_mm + self.start[i] - tilted, read.sd_mm))
            elif self.point.got == "centres" and axis == self.point.plane and tapes:
                heights = [t.from_mm[i] for t in tapes]
                known.append(Known(axis, sum(heights) / len(heights), PLANE_SD_MM))
        return tuple(known)

    def _slopes(self, found: TapedPoint, tapes: tuple[Tape, ...], coordinates: list[Reading]) -> tuple[list[Part], tuple[Follow, ...]]:
        """Doubt by reading, and how the place follows the points the tapes were held at.

        Shifting a held point along its tape does what a change of that tape's length does.
        """
        place = np.array(found.xyz_mm)
        ways: list[Matrix] = []
        sds: list[float] = []
        own: list[float] = []
        ids: list[tuple[str, ...]] = []
        held: list[str] = []
        by_id = {r.id: r for r in self.readings}
        for t in tapes:
            away = place - np.array(t.from_mm)
            ways.append(away / max(float(np.linalg.norm(away)), 1e-6))
            sds.append(t.sd_mm)
            own.append(self.sd(by_id[t.from_id]))
            ids.append((t.from_id,))
            held.append(by_id[t.from_id].held_at)
        for known in self._known(tapes, coordinates, found.xyz_mm):
            ways.append(np.eye(3)["xyz".index(known.axis)])
            sds.append(known.sd_mm)
            own.append(known.sd_mm)
            ids.append(tuple(r.id for r in coordinates if r.axis == known.axis))
            held.append("")
        a, w = np.array(ways), 1 / np.array(sds) ** 2
        gain = np.linalg.inv(a.T @ (a * w[:, None])) @ (a.T * w)
        left = dict(found.residuals_mm)
        grown = 1.0
        if found.status == "contradictory":
            over = sum((v / s) ** 2 for v, s in zip(left.values(), sds, strict=True)) / max(len(sds) - 3, 1)
            grown = math.sqrt(max(over, 1.0))
        parts = [Part(_vec3(gain[:, k] * own[k] * grown), ids[k]) for k in range(len(sds))]
        follows: dict[str, Matrix] = {}
        for k, at in enumerate(held):
            if at:
                follows[at] = follows.get(at, np.zeros((3, 3))) + np.outer(gain[:, k], ways[k])
        return parts, tuple(Follow(at, (_vec3(m[0]), _vec3(m[1]), _vec3(m[2]))) for at, m in follows.items())

    # Middle of two

    def middle(self) -> Fix:
        ends = [p for p in self.point.between if p in self.places]
        if len(ends) != 2:
            return Fix(self.point.xyz_mm, self.entered().parts, self.axis_sd, trouble="It needs two points to lie between")
        place = scale(add(self.places[ends[0]][0], self.places[ends[1]][0]), 0.5)
        half: tuple[Vec3, Vec3, Vec3] = ((0.5, 0.0, 0.0), (0.0, 0.5, 0.0), (0.0, 0.0, 0.5))
        return Fix(place, self._widened([]), self.axis_sd, follows=tuple(Follow(e, half) for e in ends))


def _along(i: int, sd: float) -> Vec3:
    return (sd if i == 0 else 0.0, sd if i == 1 else 0.0, sd if i == 2 else 0.0)


def _vec3(row: Matrix) -> Vec3:
    return (float(row[0]), float(row[1]), float(row[2]))
