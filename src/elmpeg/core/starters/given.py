"""The figures of a starter form: what was typed, and what is assumed where nothing was.

A typed figure is as sure as the tape that gave it; an assumed one carries the doubt of
assumed figures until somebody measures it, and so does every shape and point made with it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Literal

from elmpeg.core.base.naming import new_id
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.survey import Point, PointKind
from elmpeg.core.methods.shapes.solids import Box, Cylinder, Extrusion, Outline, Role, ShapeSource, Solid, Tube, View
from elmpeg.core.scene.point_from_readings import UNMEASURED_SD_MM

MM_PER_INCH = 25.4
TAPE_SD_MM = 1.0
"""Doubt of a typed figure where nobody says what it was read with."""
Part = Literal["part"]
PATH = "path_mm"
"""The corners of what runs along a path, as a figure that others rest on."""
PART: Part = "part"
"""What the points of a part stand on before it is put into a build."""


@record
class Figure:
    """One figure that a starter form asks for. Its name carries its unit.

    ``usual`` is taken where nothing is typed: a value, or the name of another figure of
    the form. Outside ``low`` to ``high`` it is asked about before it is taken.
    """

    name: str
    label: str
    usual: float | str
    low: float
    high: float
    hint: str = ""

    @property
    def unit(self) -> Literal["mm", "deg", "kg", "count"]:
        """The unit that its name carries."""
        ends: tuple[Literal["mm", "deg", "kg"], ...] = ("mm", "deg", "kg")
        return next((u for u in ends if self.name.endswith(f"_{u}")), "count")


@record
class Pick:
    """One choice that a starter form asks for; the first is taken where nothing is chosen."""

    name: str
    label: str
    choices: tuple[tuple[str, str], ...]


@record
class Question:
    """A typed figure that makes no sense: outside what such a thing has, and what it would be in the other unit if that fits."""

    figure: Figure
    value: float
    meant: Literal["", "in", "mm"] = ""


def questions(figures: tuple[Figure, ...], typed: Mapping[str, float]) -> tuple[Question, ...]:
    """The typed figures that have to be asked about, in the form's order."""
    found = []
    for figure in figures:
        value = typed.get(figure.name)
        if value is None or figure.low <= value <= figure.high:
            continue
        meant: Literal["", "in", "mm"] = ""
        if figure.unit == "mm":
            fits = [(value * MM_PER_INCH, "in"), (value / MM_PER_INCH, "mm")]
            meant = next((u for v, u in fits if figure.low <= v <= figure.high), "")  # type: ignore[misc]
        found.append(Question(figure, value, meant))
    return tuple(found)


class Given:
    """The figures of one form as they hold: typed where they are, else usual."""

    def __init__(
        self,
        figures: tuple[Figure, ...],
        typed: Mapping[str, float],
        chosen: Mapping[str, str] | None = None,
        path_mm: tuple[Vec3, ...] = (),
        typed_sd_mm: float = TAPE_SD_MM,
    ) -> None:
        self._figures = {f.name: f for f in figures}
        self.path_mm = path_mm
        self._typed, self._typed_sd = dict(typed), typed_sd_mm
        self._chosen = dict(chosen or {})

    def __getitem__(self, name: str) -> float:
        if name in self._typed:
            return self._typed[name]
        usual = self._figures[name].usual
        return self[usual] if isinstance(usual, str) else usual

    def chosen(self, name: str) -> str:
        """What was chosen."""
        return self._chosen[name]

    def is_typed(self, name: str) -> bool:
        """Whether somebody typed it, or that which it follows."""
        if name == PATH:
            return bool(self.path_mm)
        usual = self._figures[name].usual
        return name in self._typed or (isinstance(usual, str) and self.is_typed(usual))

    def assumed(self, *names: str) -> tuple[str, ...]:
        """The labels of those among some figures that nobody typed."""
        return tuple("its corners" if n == PATH else self._figures[n].label for n in names if not self.is_typed(n))

    def source(self, *names: str) -> Literal["measured", "assumed"]:
        """Where something that rests on these figures comes from."""
        return "assumed" if self.assumed(*names) else "measured"

    def sd_mm(self, **shares: float) -> float:
        """The doubt of a sum of figures, each taken so many times; independent, so their squares add.

        A figure that nobody typed has the doubt of an assumed one.
        """
        return math.sqrt(sum((k * self.one_sd_mm(name)) ** 2 for name, k in shares.items()))

    def one_sd_mm(self, name: str) -> float:
        """The doubt of one figure. One that follows another that was typed is a guess all the same."""
        return self._typed_sd if name in self._typed or (name == PATH and self.path_mm) else UNMEASURED_SD_MM


class Shaping:
    """Makes a form's shapes and points, each with the source and doubt of the figures that it rests on.

    ``faces`` and ``on`` give by figure how many times it goes into where a face or the
    point lies; a shape's doubt is that of its least sure face.
    """

    def __init__(self, given: Given) -> None:
        self.given = given
        self.solids: list[Solid] = []
        self.points: list[Point] = []

    def laid(self) -> Laid:
        """The part as it stands now, with its mass where somebody typed one."""
        mass = self.given["mass_kg"] if self.given.is_typed("mass_kg") else None
        return Laid(tuple(self.solids), tuple(self.points), mass)

    def _known(self, faces: tuple[Mapping[str, float], ...]) -> tuple[ShapeSource, float]:
        names = tuple(dict.fromkeys(n for face in faces for n in face))
        return self.given.source(*names), max((self.given.sd_mm(**face) for face in faces), default=0.0)

    def box(self, name: str, low: Vec3, high: Vec3, *faces: Mapping[str, float], role: Role = "") -> None:
        """A box between two corners."""
        source, sd = self._known(faces)
        centre: Vec3 = ((low[0] + high[0]) / 2, (low[1] + high[1]) / 2, (low[2] + high[2]) / 2)
        size: Vec3 = (high[0] - low[0], high[1] - low[1], high[2] - low[2])
        self.solids.append(Box(_id(name), name, centre, size, role=role, source=source, sd_mm=sd))

    def cylinder(self, name: str, start: Vec3, end: Vec3, diameter_mm: float, *faces: Mapping[str, float], role: Role = "") -> None:
        """A cylinder between two centres."""
        source, sd = self._known(faces)
        self.solids.append(Cylinder(_id(name), name, start, end, diameter_mm, role=role, source=source, sd_mm=sd))

    def pulled(
        self, name: str, view: View, outline: Outline, depth: tuple[float, float], *faces: Mapping[str, float], role: Role = ""
    ) -> None:
        """An outline in a view, pulled from one depth to another."""
        source, sd = self._known(faces)
        self.solids.append(Extrusion(_id(name), name, view, outline, *depth, role=role, source=source, sd_mm=sd))

    def tube(self, name: str, path: tuple[Vec3, ...], diameter_mm: float, *faces: Mapping[str, float], role: Role = "") -> None:
        """A tube along a path."""
        source, sd = self._known(faces)
        self.solids.append(Tube(_id(name), name, path, diameter_mm, role=role, source=source, sd_mm=sd))

    def point(self, name: str, kind: PointKind, xyz: Vec3, *on: str, axis: Vec3 | None = None, hole: str = "", share: float = 1.0) -> None:
        """A point of the part that rests on some figures. A hole's diameter may be one of them."""
        source = self.given.source(*on)
        sd = self.given.sd_mm(**dict.fromkeys(on, share)) if source == "measured" else None
        soft = self.given.assumed(*on)
        note = f"Assumed: {'; '.join(soft)}." if soft else ""
        hole_mm = self.given[hole] if hole else None
        self.points.append(Point(_id(name), name, PART, kind, xyz, axis, hole_mm, source, "tape", sd, note=note))


def _id(name: str) -> str:
    return new_id(name, ())


@record
class Laid:
    """A part as a form lays it out, in its own frame. Where its mass has its centre no tape tells."""

    solids: tuple[Solid, ...]
    points: tuple[Point, ...]
    mass_kg: float | None = None


@record
class StarterForm:
    """A kind of part that can be begun from a few figures.

    ``words`` are other words people use for it. ``make`` lays it out.
    """

    id: str
    name: str
    words: str
    says: str
    figures: tuple[Figure, ...]
    make: Callable[[Given], Laid]
    picks: tuple[Pick, ...] = ()
    path: str = ""
    """The label of the corners that it asks for, where it runs along a path."""
