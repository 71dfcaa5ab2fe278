"""Calculator ``bracket``: one fold between two faces."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.directions import AxisUp
from elmpeg.core.calculators.fields import Finite, Name, NotNegativeMm, PointMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.sheet_metal.folded_bracket import FLAT_WITHIN_MM, Face, FaceHole, FoldedBracket, folded_bracket


class HoleFields(Request):
    """A hole where the sheet touches its face."""

    id: Name
    xyz_mm: PointMm
    hole_mm: PositiveMm


class FaceFields(Request):
    """A face by its normal, from the surface into the sheet, and its holes."""

    normal: AxisUp
    holes: Annotated[list[HoleFields], Field(min_length=1, max_length=60)]


class Bracket(Request):
    """Two faces, the sheet, and the distances wanted in the flat."""

    thickness_mm: PositiveMm
    inside_radius_mm: NotNegativeMm
    k: Annotated[Finite, Field(ge=0, le=1)] | None = None
    a: FaceFields
    b: FaceFields
    measure: Annotated[list[tuple[Name, Name]], Field(max_length=200)] | None = None


def bracket_of(request: Bracket) -> FoldedBracket:
    """The bracket with its flanges in space."""
    names: set[str] = set()
    faces = []
    for side, face in (("a", request.a), ("b", request.b)):
        for k, h in enumerate(face.holes):
            if h.id in names:
                raise InputError(f"{side}.holes.{k}.id", f"“{h.id}” is there twice; give each hole its own name")
            names.add(h.id)
        faces.append(Face(face.normal, tuple(FaceHole(h.id, h.xyz_mm, h.hole_mm) for h in face.holes)))
    return folded_bracket(request.thickness_mm, request.inside_radius_mm, faces[0], faces[1], request.k)


def compute(request: Bracket) -> dict[str, Any]:
    """The fold, each hole to the bend, the flat, distances in it, and whether each hole stands clear of the bend."""
    made = bracket_of(request)
    return {
        "bend_deg": made.bend_deg,
        "k": made.k,
        "arc_mm": made.arc_mm,
        "setback_mm": made.setback_mm,
        "hole_to_bend_mm": dict(made.hole_to_bend_mm),
        "flat": [{"id": h.id, "x_mm": h.x_mm, "y_mm": h.y_mm} for h in made.flat],
        "distances_mm": [made.distance_mm(one, other) for one, other in request.measure or ()],
        "measured": [{"from": a, "to": b, "mm": made.distance_mm(a, b)} for a, b in request.measure or ()],
        "checks": [
            {"id": f"hole to bend {r.id}", "value_mm": r.value_mm, "limit_mm": r.least_mm, "verdict": "holds" if r.holds else "fails"}
            for r in made.room
        ],
        "off_plane_mm": [f.off_plane_mm for f in made.flanges],
    }


def limits(request: Bracket, result: Result) -> tuple[Limit, ...]:
    """Every hole far enough from the bend, and the holes of a face in one plane."""
    found = []
    for c in result["checks"]:
        move = words("move the fold or the hole {0} apart, or take thinner sheet", mm(max(0.0, c["limit_mm"] - c["value_mm"])))
        name = c["id"].removeprefix("hole to bend ")
        found.append(Limit(c["id"], f"{name} to the bend", c["value_mm"], "mm", low=c["limit_mm"], mend=move))
    for side, off in zip("ab", result["off_plane_mm"], strict=True):
        if len(getattr(request, side).holes) > 1:
            again = words("measure its holes again, or give the way that the face lies")
            label = f"Holes of face {side.upper()} off one plane"
            found.append(Limit(f"plane {side}", label, off, "mm", high=FLAT_WITHIN_MM, mend=again))
    return tuple(found)


CALCULATOR = Calculator(
    name="bracket",
    purpose="A bracket with one fold between two faces: bend, flat, holes to the bend line",
    request=Bracket,
    compute=compute,
    stage="Make",
    title="Folded bracket between two faces",
    words=("bracket", "fold", "angle bracket", "hole to bend", "bend", "tab", "mount bracket", "two faces", "hole table"),
    answers=(
        Answer("bend_deg", "Fold it from flat by"),
        Answer("arc_mm", "The arc takes, along the flat"),
        Answer("setback_mm", "Arc begins before the sharp corner by"),
        Answer("k", "K factor", "ratio"),
    ),
    tables=(
        Table("flat", "Holes in the flat, from the bend line, seen from outside", (
            Answer("id", "Hole"), Answer("x_mm", "Along the fold"), Answer("y_mm", "Across it"))),
        Table("checks", "Holes to the bend", (
            Answer("id", "Hole"), Answer("value_mm", "To where the arc begins"), Answer("limit_mm", "At least"))),
        Table("measured", "Distances in the flat", (Answer("from", "From"), Answer("to", "To"), Answer("mm", "Distance"))),
    ),
    formula="Each flange lies on its face, from there to its thickness. The outer faces meet in a sharp line; a hole's distance to the bend is "
    "its distance from that line less (r + t) · tan(bend / 2). In the flat the arc is bend · (r + k · t) long.",
    source="Planes in space; k as in flat length (DIN 6935 where none is given).",
    not_told="Whether the bracket is stiff or strong enough, and whether your brake can reach the fold.",
    example={
        "thickness_mm": 5, "inside_radius_mm": 5,
        "a": {"normal": {"kind": "up"}, "holes": [{"id": "A1", "xyz_mm": [30, 0, 0], "hole_mm": 11}, {"id": "A2", "xyz_mm": [90, 0, 0], "hole_mm": 11}]},
        "b": {"normal": {"kind": "to_the_left"}, "holes": [{"id": "B1", "xyz_mm": [45, 70, 55], "hole_mm": 11}, {"id": "B2", "xyz_mm": [80, 70, 55], "hole_mm": 11}]},
        "measure": [["A1", "B1"], ["A2", "B2"]],
    },
    limits=limits,
    exact=('k',),
    labels={
        "thickness_mm": "Thickness", "inside_radius_mm": "Inside radius", "k": "K factor, if known", "a": "Face A", "b": "Face B",
        "a.normal": "From the face into the sheet", "b.normal": "From the face into the sheet", "a.holes": "Holes of A", "b.holes": "Holes of B",
        "a.holes.id": "Hole", "b.holes.id": "Hole", "a.holes.xyz_mm": "Centre", "b.holes.xyz_mm": "Centre",
        "a.holes.hole_mm": "Diameter", "b.holes.hole_mm": "Diameter", "measure": "Distances wanted in the flat",
    },
    hints={"measure": "pairs of holes: A1-B1; A2-B2", "a.normal": "up: the sheet lies on top of it"},
    caution="Mounts that hold engines, seats, belts or packs: let a qualified person judge the strength.",
)  # fmt: skip
