"""A reckoning that becomes a piece: a strip, a bracket, an outline, a coped tube, a slotted plate; or seams that are welded."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from shapely.geometry import box
from shapely.ops import unary_union

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.pieces import Cutout, OwnHole, Piece, TubeBody
from elmpeg.core.build.weldments import Seam, Weldment
from elmpeg.core.methods.fastening.fasteners import bolt_through_mm
from elmpeg.core.methods.measuring.gauge_directions import direction
from elmpeg.core.methods.shapes.outlines import polygon_of, straight
from elmpeg.core.methods.sheet_metal.bracket_forms import bracket
from elmpeg.core.methods.sheet_metal.bracket_profile import SheetRules, TouchedFace, TouchedHole
from elmpeg.core.methods.sheet_metal.folded_sheet import BendLine
from elmpeg.core.methods.tubes.tube_ends import TubeEnd

STRIP_WIDE_MM = 60.0
"""A reckoning of a flat length says nothing of a width; it is changed on the piece."""
PHOTO_THICK_MM = 3.0
TUBE_WALL_MM, TUBE_LONG_MM = 2.0, 300.0
"""A reckoning of a cope says neither wall nor length; both are changed on the piece."""
SLOT_MARGIN_MM = 15.0
FEWEST_CORNERS = 3
Answered = Mapping[str, Any]


def piece_from(calculator: str, request: Answered, result: Answered, piece_id: str, name: str) -> Piece:
    """The piece that a reckoning describes. Raises InputError for a calculation that describes none."""
    if calculator not in _MADE_OF:
        raise InputError("reckoning_name", f"“{calculator}” describes no piece; {', '.join(_MADE_OF)} do")
    return _MADE_OF[calculator](request, result, piece_id, name)


def _strip(request: Answered, result: Answered, piece_id: str, name: str) -> Piece:
    long = float(result["flat_mm"])
    k_of_strip = result.get("k_of_strip")
    bends = []
    for n, (at, bend) in enumerate(zip(result["lines_mm"], request["bends"], strict=True), 1):
        k = bend.get("k") if bend.get("k") is not None else k_of_strip
        bends.append(
            BendLine(f"B{n}", (float(at), 0.0), (float(at), STRIP_WIDE_MM), float(bend["angle_deg"]), float(bend["inside_radius_mm"]), k)
        )
    outline = straight(((0.0, 0.0), (long, 0.0), (long, STRIP_WIDE_MM), (0.0, STRIP_WIDE_MM)))
    return Piece(
        piece_id, name, float(request["thickness_mm"]), outline=outline, bends=tuple(bends), came_from="the reckoning of its flat length"
    )


def _bracket(request: Answered, result: Answered, piece_id: str, name: str) -> Piece:
    del result
    faces = []
    for side in ("a", "b"):
        holes = tuple(
            TouchedHole(str(h["id"]), tuple(float(v) for v in h["xyz_mm"]), float(h["hole_mm"]), bolt_through_mm(float(h["hole_mm"])))  # type: ignore[arg-type]
            for h in request[side]["holes"]
        )
        faces.append(TouchedFace(side, direction(request[side]["normal"]), holes))
    rules = SheetRules(float(request["thickness_mm"]), float(request["inside_radius_mm"]), request.get("k"))
    made = bracket("angle", faces[0], faces[1], rules)
    own = tuple(OwnHole(h.id, h.xy_mm[0], h.xy_mm[1], h.hole_mm, why=f"face {h.face}") for h in made.holes)
    return Piece(
        piece_id, name, rules.thickness_mm, outline=made.outline, own_holes=own, bends=made.bends, radius_mm=rules.radius_mm, k=rules.k,
        came_from="the reckoning of a bracket",
    )  # fmt: skip


def _outline(request: Answered, result: Answered, piece_id: str, name: str) -> Piece:
    del request
    places = [(float(p["xy_mm"][0]), float(p["xy_mm"][1])) for p in result["points"]]
    if len(places) < FEWEST_CORNERS:
        raise InputError("points", f"are {len(places)}; an outline needs {FEWEST_CORNERS} corners or more, in their order round it")
    outline = straight(places)
    polygon_of(outline)
    return Piece(piece_id, name, PHOTO_THICK_MM, outline=outline, came_from="places in a photograph")


def _coped(request: Answered, result: Answered, piece_id: str, name: str) -> Piece:
    del result
    end = TubeEnd("cope", float(request["angle_deg"]), float(request["header_od_mm"]), float(request.get("offset_mm") or 0.0))
    body = TubeBody("round", float(request["branch_od_mm"]), TUBE_WALL_MM, legs_mm=(TUBE_LONG_MM,), start=end)
    return Piece(piece_id, name, TUBE_WALL_MM, tube=body, came_from="the reckoning of a cope")


def _slotted(request: Answered, result: Answered, piece_id: str, name: str) -> Piece:
    """The plate with the slots; the one with the tabs is drawn when both stand in a stand."""
    del result
    boxes = []
    for slot in request["slots"]:
        x, y, wide, tall = (float(slot[k]) for k in ("x_mm", "y_mm", "wide_mm", "tall_mm"))
        boxes.append((str(slot["id"]), box(x - wide / 2, y - tall / 2, x + wide / 2, y + tall / 2)))
    cutouts = tuple(Cutout(name_of, straight(list(b.exterior.coords)[:-1]), "a slot") for name_of, b in boxes)
    around = box(*unary_union([b for _, b in boxes]).bounds).buffer(SLOT_MARGIN_MM, join_style="mitre")
    outline = straight(list(around.exterior.coords)[:-1])
    return Piece(piece_id, name, PHOTO_THICK_MM, outline=outline, cutouts=cutouts, came_from="the reckoning of tabs and slots")


def weldment_from(request: Answered, weldment_id: str, name: str) -> Weldment:
    """The weldment that a reckoning of an order describes; a seam is laid along x, since a reckoning says only its middle."""
    seams = []
    for s in request["seams"]:
        x, y, z = (float(v) for v in s["at_mm"])
        half = float(s["length_mm"]) / 2
        seams.append(Seam(str(s["id"]), str(s["id"]), (x - half, y, z), (x + half, y, z)))
    return Weldment(weldment_id, name, tuple(seams))


WELDED = "weld_order"
"""The calculation whose reckoning becomes a weldment."""
_MADE_OF: dict[str, Callable[[Answered, Answered, str, str], Piece]] = {
    "flat": _strip,
    "bracket": _bracket,
    "rectify": _outline,
    "cope": _coped,
    "one_way": _slotted,
}
PIECES_FROM = (*_MADE_OF, WELDED)
