"""The shape of a piece as the build stands: its outline, every hole with its reason, its bends, what it weighs.

Whatever a piece joins decides its holes, so that moving a part moves them; an outline
of its own stays where it was drawn.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache
from itertools import combinations

from shapely.affinity import rotate
from shapely.geometry import LineString, Polygon
from shapely.geometry import Point as Dot
from shapely.ops import unary_union

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.hardware import DENSITY_KG_M3
from elmpeg.core.build.pieces import Cutout, DrawnHole, HoleKind, OwnHole, Piece, PieceDrawing, PlateHole
from elmpeg.core.methods.fastening.fasteners import bolt_through_mm
from elmpeg.core.methods.shapes.hole_letters import in_rows, letters
from elmpeg.core.methods.shapes.outlines import Outline, area_mm2, length_mm, polygon_of, with_arcs
from elmpeg.core.methods.sheet_metal.bends import Strip, k_of_strip
from elmpeg.core.methods.sheet_metal.bracket_forms import PLATES, bracket, plate_over
from elmpeg.core.methods.sheet_metal.bracket_profile import BracketFlat, SheetRules, TouchedFace
from elmpeg.core.methods.sheet_metal.bracket_tree import bracket_tree
from elmpeg.core.methods.sheet_metal.cutting_limits import smallest_opening_mm
from elmpeg.core.methods.sheet_metal.folded_sheet import LYING, BendLine, FoldedSheet, Frame, folded
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.touched_faces import FaceFromPoints, faces_of
from elmpeg.core.stages.mount.plates import drilled, plate_geometry

ROUND_STEPS = 16
SLOT_STEPS = 16
SAME_RADIUS_MM = 0.05
SAME_THICK_MM = 0.05


@lru_cache(maxsize=4096)
def _opening(xy_mm: tuple[float, float], drill_mm: float, slot_mm: float, turn_deg: float) -> Polygon:
    # A piece's checks ask for the same openings again and again.
    if not slot_mm:
        return Dot(xy_mm).buffer(drill_mm / 2, quad_segs=SLOT_STEPS)
    x, y = xy_mm
    line = rotate(LineString([(x - slot_mm / 2, y), (x + slot_mm / 2, y)]), turn_deg, origin=(x, y))
    return line.buffer(drill_mm / 2, quad_segs=SLOT_STEPS)


@record
class PieceHole:
    """One hole as it is made: where in the flat, its size, for which bolt or thread, why it is there, and what is left around it."""

    id: str
    called: str
    xy_mm: tuple[float, float]
    drill_mm: float
    kind: HoleKind
    thread: str
    bolt_mm: float
    why: str
    face: str = ""
    sunk_mm: float = 0.0
    slot_mm: float = 0.0
    turn_deg: float = 0.0
    edge_mm: float = 0.0
    to_bend_mm: float = math.inf
    bend_least_mm: float = 0.0
    spacer_mm: float = 0.0
    letter: str = ""
    """How it is called in drawings and on paper, from the lower left on."""

    @property
    def named(self) -> str:
        """Its letter, and its own name where that says more."""
        return f"{self.letter}, {self.called}" if self.called != self.id or self.face not in ("own", "") else self.letter

    @property
    def opening(self) -> Polygon:
        """What is taken out of the flat."""
        return _opening(self.xy_mm, self.drill_mm, self.slot_mm, self.turn_deg)


@record
class PieceShape:
    """A piece worked out. ``lying`` is where its base flange is in the vehicle, None for what hangs on no point."""

    outline: Outline
    holes: tuple[PieceHole, ...]
    cutouts: tuple[Outline, ...]
    bends: tuple[BendLine, ...]
    thick_mm: float
    area_mm2: float
    mass_kg: float
    cut_mm: float
    narrowest_mm: float
    narrowest: tuple[str, str]
    box_mm: tuple[float, float, float, float]
    """Left, low, right and high of the flat."""
    lying: Frame | None = None
    base_mm: tuple[float, float] | None = None
    faces: tuple[FaceFromPoints, ...] = ()

    @property
    def size_mm(self) -> tuple[float, float]:
        """Width and height of the flat."""
        left, low, right, high = self.box_mm
        return (right - left, high - low)

    @property
    def drawing(self) -> PieceDrawing:
        """What is kept when something is made after it."""
        holes = tuple(DrawnHole(h.id, h.xy_mm, h.drill_mm) for h in self.holes)
        return PieceDrawing(self.outline, holes, self.bends, self.cutouts, self.thick_mm)

    @property
    def metal(self) -> Polygon:
        """The flat less its openings, which may run into each other and over its edge; of one that they part, the largest piece."""
        openings = unary_union([*(h.opening for h in self.holes), *(polygon_of(c) for c in self.cutouts)])
        left = polygon_of(self.outline).difference(openings)
        return max((p for p in getattr(left, "geoms", [left]) if isinstance(p, Polygon)), key=lambda p: p.area, default=Polygon())

    def folded(self) -> FoldedSheet:
        """The piece with its bends made, where it lies. Raises InputError where it cannot be folded."""
        return _folded(self.outline, self.bends, self.thick_mm, self.base_mm, self.lying or LYING)


@lru_cache(maxsize=512)
def _folded(
    outline: Outline, bends: tuple[BendLine, ...], thick_mm: float, base_mm: tuple[float, float] | None, lying: Frame
) -> FoldedSheet:
    # Checks, drawings and what is near a piece each ask for the same piece folded.
    return folded(polygon_of(outline), bends, thick_mm, base_mm, lying)


def too_small(piece: Piece, hole: PieceHole) -> bool:
    """Whether a hole or a slot is smaller than what cuts the piece makes cleanly: then it is only marked, and drilled."""
    return hole.drill_mm < smallest_opening_mm(piece.cut_by, piece.thick_mm, hole.kind == "tapped") - 1e-9


def k_for(build: Build, piece: Piece) -> float | None:
    """Where the neutral line lies: as the piece says, else from the shop's strip of that material, thickness and radius; None
    for the rule's."""
    if piece.k is not None:
        return piece.k
    for strip in build.strips:
        alike = abs(strip.thick_mm - piece.thick_mm) <= SAME_THICK_MM and abs(strip.inside_radius_mm - piece.radius_mm) <= SAME_RADIUS_MM
        if alike and strip.material == piece.material:
            return k_of_strip(Strip(strip.flat_mm, strip.flanges_mm, strip.angle_deg, strip.inside_radius_mm), strip.thick_mm)
    return None


def rules_of(build: Build, piece: Piece) -> SheetRules:
    """What the piece's sheet and the shop's brake allow."""
    brake = build.brake
    return SheetRules(
        piece.thick_mm,
        piece.radius_mm,
        k_for(build, piece),
        least_flange_mm=brake.least_flange_mm,
        widest_mm=brake.widest_mm,
        channel_share=brake.channel_share,
    )


def piece_shape(scene: Scene, piece: Piece) -> PieceShape:
    """The shape of a piece of plate. Raises InputError or MissingError, in words, where it has none yet."""
    if piece.tube is not None or piece.turned is not None:
        raise InputError("shape", f"{piece.name} is not made of plate")
    if piece.lower:
        return _finished(scene.build, piece, _of_patterns(scene.build, piece))
    if piece.faces:
        return _finished(scene.build, piece, *_of_faces(scene, piece))
    if not piece.outline and not piece.own_holes:
        raise InputError("outline", "has no shape yet: choose faces that it joins, draw its outline, read a drawing or trace a photograph")
    return _finished(scene.build, piece, [])


def other_hand_of(piece: Piece) -> Piece:
    """A piece with what its other hand has, still seen as drawn: whoever makes it mirrors it."""
    turned = {"as drawn": "other hand", "other hand": "as drawn"}
    return replace(piece, cutouts=tuple(replace(c, only=turned.get(c.only, "")) for c in piece.cutouts))  # type: ignore[arg-type]


def _of_patterns(build: Build, piece: Piece) -> list[PieceHole]:
    names = {"lower": build.pattern(piece.lower).name, "upper": build.pattern(piece.upper).name}
    return [
        PieceHole(h.id, h.id, h.xy_mm, h.drill_mm, h.kind, h.thread, h.bolt_mm, f"{names[h.pattern]}, {h.hole}", h.pattern, h.sunk_mm)
        for h in plate_geometry(build, replace(piece, outline=())).holes
    ]


def _of_faces(scene: Scene, piece: Piece) -> tuple[list[PieceHole], BracketFlat, tuple[FaceFromPoints, ...]]:
    faces = faces_of(scene, piece)
    flat = bracket_of(scene.build, piece, tuple(f.face for f in faces))
    made = {(h.pattern, h.hole): h for h in piece.holes}
    spacers = dict(flat.spacers_mm)
    names = {f.id: f.name for f in piece.faces}
    found = []
    for hole in flat.holes:
        said = made.get((hole.face, hole.id), PlateHole(hole.face, hole.id, "through"))
        drill, sunk, bolt = _drilled(said, hole.hole_mm, hole.bolt_mm)
        point = scene.declared(hole.id)
        found.append(
            PieceHole(
                hole.id, point.name, hole.xy_mm, drill, said.kind, said.thread, bolt, f"{point.name} on {names[hole.face]}", hole.face,
                sunk, to_bend_mm=hole.room_mm, bend_least_mm=hole.least_mm, spacer_mm=spacers.get(hole.id, 0.0),
            )
        )  # fmt: skip
    return found, flat, faces


def holes_of(scene: Scene, piece: Piece) -> dict[str, tuple[tuple[float, float], float]]:
    """By hole of a piece's faces, its place in the flat and its distance to the nearest fold; without the outline, which takes long."""
    faces = tuple(f.face for f in faces_of(scene, piece))
    flat = bracket_of(scene.build, piece, faces, bare=True)
    return {h.id: (h.xy_mm, h.room_mm) for h in flat.holes}


def bracket_of(build: Build, piece: Piece, faces: tuple[TouchedFace, ...], bare: bool = False) -> BracketFlat:
    """The flat that joins the faces of a piece in its form; of one face alone it is a plate on it."""
    rules = replace(rules_of(build, piece), bare=bare)
    if len(faces) == 1:
        return bracket("flat", faces[0], faces[0], rules) if not piece.form else _alone(piece, faces[0], rules)
    if not piece.form:
        raise InputError("form", "choose how it joins its faces")
    if len(faces) > 2:
        return plate_over(piece.form, faces, rules) if piece.form in PLATES else bracket_tree(faces, piece.joins, rules)
    return bracket(piece.form, faces[0], faces[1], rules, piece.way)


def _alone(piece: Piece, face: TouchedFace, rules: SheetRules) -> BracketFlat:
    if piece.form != "flat":
        raise InputError("form", f"joins two faces; {piece.name} has one, which makes a flat plate")
    return bracket("flat", face, face, rules)


def _drilled(said: PlateHole, hole_mm: float, bolt_mm: float) -> tuple[float, float, float]:
    """Drill, width of the countersink, and bolt of a hole; one with a thread has its size from that, whatever its mate's is."""
    return drilled(said, 0.0 if said.thread else hole_mm, bolt_mm)


def _own(piece: Piece, hole: OwnHole) -> PieceHole:
    said = next((h for h in piece.holes if h.pattern == "own" and h.hole == hole.id), PlateHole("own", hole.id, "through"))
    drill, sunk, bolt = _drilled(said, hole.hole_mm, bolt_through_mm(hole.hole_mm))
    return PieceHole(
        hole.id, hole.id, (hole.x_mm, hole.y_mm), drill, said.kind, said.thread, bolt, hole.why, "own", sunk, hole.slot_mm, hole.turn_deg
    )


def _finished(
    build: Build, piece: Piece, joined: list[PieceHole], flat: BracketFlat | None = None, faces: tuple[FaceFromPoints, ...] = ()
) -> PieceShape:
    once = list({h.id: h for h in joined}.values())
    holes = [*once, *(_own(piece, h) for h in piece.own_holes)]
    piece = replace(piece, cutouts=tuple(c for c in piece.cutouts if c.only != "other hand"))
    outline = piece.outline or (flat.outline if flat and not piece.own_holes else _around(piece, holes, flat))
    shape = polygon_of(outline)
    for cutout in piece.cutouts:
        polygon_of(cutout.corners)
    edged = _lettered([replace(h, edge_mm=min(edges_mm(h, shape, piece.cutouts).values())) for h in holes])
    bends = (*(flat.bends if flat else ()), *piece.bends)
    cut_away = sum(h.opening.area for h in holes) + sum(area_mm2(c.corners) for c in piece.cutouts)
    area = area_mm2(outline) - cut_away
    if area <= 0 and shape.difference(unary_union([*(h.opening for h in holes), *(polygon_of(c.corners) for c in piece.cutouts)])).is_empty:
        raise InputError("cutouts", "leave nothing of the piece")
    gap, between = math.inf, ("", "")
    for a, b in combinations(edged, 2):
        metal = a.opening.distance(b.opening)
        if metal < gap:
            gap, between = metal, (a.id, b.id)
    cut = length_mm(outline) + sum(h.opening.exterior.length for h in holes) + sum(length_mm(c.corners) for c in piece.cutouts)
    return PieceShape(
        outline, edged, tuple(c.corners for c in piece.cutouts), bends, piece.thick_mm, max(area, 0.0),
        max(area, 0.0) * piece.thick_mm * 1e-9 * DENSITY_KG_M3[piece.material], cut, gap, between, _box_of(shape),
        flat.lying if flat else None, flat.base_mm if flat else None, faces,
    )  # fmt: skip


def _box_of(shape: Polygon) -> tuple[float, float, float, float]:
    left, low, right, high = shape.bounds
    return (float(left), float(low), float(right), float(high))


def _lettered(holes: list[PieceHole]) -> tuple[PieceHole, ...]:
    """The holes row by row from the lower left on, each with its letter."""
    places = [h.xy_mm for h in holes]
    named = letters(places)
    return tuple(replace(holes[k], letter=named[k]) for k in in_rows(places))


def _around(piece: Piece, holes: list[PieceHole], flat: BracketFlat | None) -> Outline:
    """The outline around all holes by the margin, and around what the form already makes."""
    grown = [Dot(h.xy_mm).buffer(h.drill_mm / 2 + piece.margin_mm, quad_segs=ROUND_STEPS) for h in holes]
    grown += [h.opening.buffer(piece.margin_mm, quad_segs=ROUND_STEPS) for h in holes if h.slot_mm]
    if flat is not None and flat.bends:
        # Whatever is added to a folded piece by hand lies on the sheet that it has; it does not grow across the folds.
        return flat.outline
    hull = Polygon()
    for one in grown:
        hull = hull.union(one)
    hull = hull.convex_hull
    if not isinstance(hull, Polygon) or hull.is_empty:
        raise InputError("margin", "leaves no plate; make it larger")
    return with_arcs([(float(x), float(y)) for x, y in hull.exterior.coords])


def edges_mm(hole: PieceHole, outline: Polygon, cutouts: tuple[Cutout, ...]) -> dict[str, float]:
    """From a hole's centre, or a slot's nearer end, to the outline (“”) and to every opening by its id; below 0 where it lies outside
    the piece or within the opening."""
    dot = Dot(hole.xy_mm)
    middle = hole.opening.buffer(-hole.drill_mm / 2 * 0.999) if hole.slot_mm else dot
    found = {"": float(outline.exterior.distance(middle)) * (1 if outline.contains(dot) else -1)}
    for cutout in cutouts:
        shape = polygon_of(cutout.corners)
        found[cutout.id] = float(shape.exterior.distance(middle)) * (-1 if shape.contains(dot) else 1)
    return found
