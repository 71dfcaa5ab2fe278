"""One sheet over three faces or more: brackets between two faces each, grown together as a tree on their common flanges.

The first face's flange lies still. Each further face hangs by folds on the flange of a
face that is joined already. A ring is never closed by folding. A bracket that grows on
a flange is worked out between the two faces alone, laid on that flange, and the flange
is cut back to where the new fold begins.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import Annotated

from shapely.affinity import affine_transform
from shapely.geometry import Point as Dot
from shapely.geometry import Polygon

from elmpeg.core.base.declared import Called
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, dot, scale, sub
from elmpeg.core.methods.shapes.outlines import chords, with_arcs
from elmpeg.core.methods.sheet_metal.bracket_forms import MOST_WAYS, PARALLEL_DEG, TWO_FOLDS, between_deg, bracket
from elmpeg.core.methods.sheet_metal.bracket_profile import BracketFlat, BracketHole, Form, SheetRules, TouchedFace
from elmpeg.core.methods.sheet_metal.folded_sheet import BendLine, Flat, Frame, folded, frame_beyond

NO_AREA_MM2 = 0.05
HALF_PLANE_MM = 1e5
BACK_MM = 0.01
"""How near to its point each hole must come back when the flat is folded."""
TRIED = 16
"""How many ways to hang a face on, of the fewest folds and the least sheet, are worked out whole."""
GROWN_MM = 1e-7
SMOOTHED_MM = 0.01
JOINS_FOLDED: tuple[Form, ...] = ("flat", "angle", *TWO_FOLDS)


@record
class FaceJoin:
    """How a face hangs on one that is joined already: by a form, its folds running one of their ways."""

    face: str
    onto: str
    form: Form
    way: Annotated[int, Called("which way")] = 0


@record
class _Turned:
    """A rigid move within the plane: (a, b, c, d) times a place, then a shift; ``flips`` where it turns the sheet over."""

    rows: tuple[float, float, float, float]
    shift: Flat

    @property
    def flips(self) -> bool:
        return self.rows[0] * self.rows[3] - self.rows[1] * self.rows[2] < 0

    def of(self, p: Flat) -> Flat:
        a, b, c, d = self.rows
        return (a * p[0] + b * p[1] + self.shift[0], c * p[0] + d * p[1] + self.shift[1])

    def back(self, p: Flat) -> Flat:
        a, b, c, d = self.rows
        x, y = p[0] - self.shift[0], p[1] - self.shift[1]
        return (a * x + c * y, b * x + d * y)


@record
class _Tree:
    """What is joined so far: the flat, and each face's flange as a frame that takes the flat to where the flange lies."""

    flat: BracketFlat
    frames: tuple[tuple[str, Frame], ...]


def bracket_tree(faces: tuple[TouchedFace, ...], joins: tuple[FaceJoin, ...], rules: SheetRules) -> BracketFlat:
    """The sheet over all faces, each joined as said, the first face's flange lying still.

    Raises InputError with the reason where a join does not do: a face joined twice or not at all, or a part of the
    sheet that would lie in two places.
    """
    named = {f.name: f for f in faces}
    if sorted(j.face for j in joins) != sorted(f.name for f in faces[1:]):
        raise InputError("form", "does not say how each of its faces is joined; choose again among the ways to join them")
    tree: _Tree | None = None
    for join in joins:
        tree = _grown(tree, named, join, rules)
    assert tree is not None
    if not rules.bare:
        _require_true(tree.flat, faces)
    return tree.flat


def ways_to_join(faces: tuple[TouchedFace, ...], first: Form, rules: SheetRules) -> tuple[FaceJoin, ...]:
    """A tree over all faces that begins with a form, each next face hung on where the least sheet reaches it.

    Raises InputError with the last reason where no face can be hung on so.
    """
    named = {f.name: f for f in faces}
    joined, left = [faces[0].name], [f.name for f in faces[1:]]
    tree: _Tree | None = None
    joins: list[FaceJoin] = []
    why = InputError("form", "no two of its faces can be joined so")
    while left:
        forms = (first,) if tree is None else JOINS_FOLDED
        ranked: list[tuple[int, float, FaceJoin]] = []
        for join in _possible(left, joined, named, forms):
            try:
                bare = _grown(tree, named, join, replace(rules, bare=True))
            except InputError as refused:
                why = refused
                continue
            ranked.append((len(bare.flat.bends), _spread(bare.flat), join))
        for _, _, join in sorted(ranked, key=lambda r: r[:2])[:TRIED]:
            try:
                grown = _grown(tree, named, join, rules)
                _require_true(grown.flat, tuple(named[n] for n in (*joined, join.face)))
            except InputError as refused:
                why = refused
                continue
            tree, joins = grown, [*joins, join]
            joined.append(join.face)
            left.remove(join.face)
            break
        else:
            raise why
    return tuple(joins)


def _possible(left: list[str], joined: list[str], named: dict[str, TouchedFace], forms: tuple[Form, ...]) -> Iterator[FaceJoin]:
    for face in left:
        for onto in joined:
            parallel = between_deg(named[face], named[onto]) < PARALLEL_DEG
            for form in forms:
                if parallel == (form in ("angle", "three")):
                    continue
                for way in range(1, MOST_WAYS + 1) if form in TWO_FOLDS else (0,):
                    yield FaceJoin(face, onto, form, way)


def _spread(flat: BracketFlat) -> float:
    """How far the holes of a flat lie from their middle, in all: what grows with the sheet that is between them."""
    n = len(flat.holes)
    cx, cy = sum(h.xy_mm[0] for h in flat.holes) / n, sum(h.xy_mm[1] for h in flat.holes) / n
    return sum(math.hypot(h.xy_mm[0] - cx, h.xy_mm[1] - cy) for h in flat.holes)


def _grown(tree: _Tree | None, named: dict[str, TouchedFace], join: FaceJoin, rules: SheetRules) -> _Tree:
    onto, face = named[join.onto], named[join.face]
    branch = bracket(join.form, onto, face, rules, join.way)
    beyond = branch.lying
    for bend in branch.bends:
        beyond = frame_beyond(bend, (0.0, 1.0), beyond, rules.thickness_mm)
    if tree is None:
        return _Tree(branch, ((join.onto, branch.lying), (join.face, beyond)))
    here = dict(tree.frames)[join.onto]
    turned = _laid_on(branch.lying, here)
    bends = tuple(_moved(b, turned, f"{join.face} {k}") for k, b in enumerate(branch.bends, 1))
    holes = _holes(tree.flat, branch, join, turned)
    outline = tree.flat.outline
    if not rules.bare:
        outline = with_arcs(_merged(tree.flat, branch, join, turned, onto, face))
    flat = replace(tree.flat, outline=outline, holes=holes, bends=(*tree.flat.bends, *bends))
    return _Tree(flat, (*tree.frames, (join.face, _seen_from(beyond, turned, rules.thickness_mm))))


def _laid_on(branch: Frame, here: Frame) -> _Turned:
    """What takes the branch's flat to the main one, both being the same flange in space."""

    def across(v: Vec3) -> Flat:
        return (dot(v, here.x), dot(v, here.y))

    x, y, shift = across(branch.x), across(branch.y), across(sub(branch.origin, here.origin))
    return _Turned((x[0], y[0], x[1], y[1]), shift)


def _seen_from(frame: Frame, turned: _Turned, thickness_mm: float) -> Frame:
    """The frame of a branch's flange for places of the main flat; turned over, its other face is the upper one."""
    zero, x, y = turned.back((0.0, 0.0)), turned.back((1.0, 0.0)), turned.back((0.0, 1.0))
    at = frame.at(zero)
    along, up = sub(frame.at(x), at), sub(frame.at(y), at)
    if turned.flips:
        at = sub(at, scale(frame.up, thickness_mm))
    return Frame(at, along, up)


def _moved(bend: BendLine, turned: _Turned, name: str) -> BendLine:
    angle = -bend.angle_deg if turned.flips else bend.angle_deg
    return replace(bend, id=name, a_mm=turned.of(bend.a_mm), b_mm=turned.of(bend.b_mm), angle_deg=angle)


def _holes(main: BracketFlat, branch: BracketFlat, join: FaceJoin, turned: _Turned) -> tuple[BracketHole, ...]:
    """The main flat's holes, those of the common flange with the nearer of their bends, and the new face's."""
    rooms = {h.id: (h.room_mm, h.least_mm) for h in branch.holes if h.face == join.onto}
    kept = []
    for h in main.holes:
        room, least = rooms.get(h.id, (h.room_mm, h.least_mm)) if h.face == join.onto else (h.room_mm, h.least_mm)
        kept.append(replace(h, room_mm=min(h.room_mm, room), least_mm=max(h.least_mm, least)))
    new = [replace(h, xy_mm=turned.of(h.xy_mm)) for h in branch.holes if h.face == join.face]
    return (*kept, *new)


def _polygon(flat: BracketFlat) -> Polygon:
    return Polygon(chords(flat.outline))


def _merged(main: BracketFlat, branch: BracketFlat, join: FaceJoin, turned: _Turned, onto: TouchedFace, face: TouchedFace) -> list[Flat]:
    """The two sheets as one: the common flange of both, cut back to the new fold, and what hangs on it."""
    a, b, c, d = turned.rows
    sheet = affine_transform(_polygon(branch), [a, b, c, d, *turned.shift])
    whole = _polygon(main)
    regions = [f.region for f in folded(whole, main.bends, main.thickness_mm, main.base_mm, main.lying).flanges] if main.bends else [whole]
    held = next(h for h in main.holes if h.face == join.onto)
    flange = min(regions, key=lambda r: r.distance(Dot(held.xy_mm)))
    others = whole.difference(flange.buffer(GROWN_MM))
    if branch.bends:
        y = min(bend.a_mm[1] - bend.arc_mm(branch.thickness_mm) / 2 for bend in branch.bends)
        far = Polygon(
            [
                turned.of(p)
                for p in ((-HALF_PLANE_MM, y), (HALF_PLANE_MM, y), (HALF_PLANE_MM, HALF_PLANE_MM), (-HALF_PLANE_MM, HALF_PLANE_MM))
            ]
        )
        beyond, common = sheet.intersection(far), sheet.difference(far)
        flange_kept = flange.difference(far)
        lost = [h.id for h in main.holes if h.face == join.onto and far.contains(Dot(h.xy_mm))]
        if lost:
            raise InputError("form", f"the fold towards {face.name} would cut off hole {lost[0]} of {onto.name}")
    else:
        beyond, common, flange_kept = Polygon(), sheet, flange
    if beyond.intersection(others).area > NO_AREA_MM2 or common.intersection(others).area > NO_AREA_MM2:
        raise InputError("form", f"the part that reaches {face.name} would lie on another part of the same sheet")
    joined = flange_kept.union(common).buffer(GROWN_MM, join_style="mitre").union(others.buffer(2 * GROWN_MM, join_style="mitre"))
    joined = joined.union(beyond.buffer(GROWN_MM, join_style="mitre")) if not beyond.is_empty else joined
    if not isinstance(joined, Polygon):
        raise InputError("form", f"cut back for the fold towards {face.name}, the sheet falls apart")
    # Arcs that two brackets share were cut into chords at different places; what is left between these is no shape of anybody's.
    return [(float(x), float(y)) for x, y in joined.simplify(SMOOTHED_MM).exterior.coords]


def _require_true(flat: BracketFlat, faces: tuple[TouchedFace, ...]) -> None:
    """Folded, each hole comes back to its point; a sheet whose folds meet or tear is refused by that."""
    sheet = folded(_polygon(flat), flat.bends, flat.thickness_mm, flat.base_mm, flat.lying)
    points = {h.id: h.xyz_mm for f in faces for h in f.holes}
    for hole in flat.holes:
        at, up = sheet.place(hole.xy_mm)
        low = sub(at, scale(up, flat.thickness_mm))
        if min(_apart(at, points[hole.id], up), _apart(low, points[hole.id], up)) > BACK_MM:
            raise InputError("form", f"hole {hole.id} does not come to lie on its point when the sheet is folded")


def _apart(at: Vec3, point: Vec3, up: Vec3) -> float:
    """Within the flange: what is off along its hole is the flatness of the face's own points."""
    off = sub(at, point)
    flat = sub(off, scale(up, dot(off, up)))
    return math.sqrt(dot(flat, flat))
