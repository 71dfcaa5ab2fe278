"""What is made for Cairn 2: a folded seat bracket, a lamp plate for both sides, a relay plate, a plate out of date."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import Brake, Cutout, OwnHole, Piece, PieceFace, PieceRevision, PlateHole, PrintedSquare, Sending, TestStrip
from elmpeg.core.build.survey import VEHICLE, Photo, Point
from elmpeg.core.methods.shapes.outlines import Corner, with_arcs
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_edits import from_contours
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.demo.photographed import Bench, photograph
from elmpeg.formats.photographs import cleaned
from elmpeg.formats.traced import traced
from elmpeg.store.photos import Photos

_UP: Vec3 = (0, 0, 1)
_SIDE: Vec3 = (0, -1, 0)
RELAY_OUTLINE = ((20.0, 15.0), (178.0, 15.0), (178.0, 92.0), (150.0, 118.0), (48.0, 118.0), (20.0, 92.0))
RELAY_HOLES = ((34.0, 28.0, 6.5), (164.0, 28.0, 6.5), (60.0, 104.0, 6.5), (138.0, 104.0, 6.5), (99.0, 58.0, 32.0))
RELAY_FRAME = ((0.0, 0.0), (200.0, 0.0), (200.0, 140.0), (0.0, 140.0))
RELAY_SEEN = ((115.0, 590.0), (815.0, 610.0), (740.0, 130.0), (185.0, 105.0))
RELAY_PX = (900, 675)
RELAY_THICK_MM = 2.0


def with_pieces(build: Build) -> Build:
    """The build with its pieces; of the seat adapter, what it is made of already stands."""
    build = replace(
        build,
        points=(*build.points, *_points()),
        strips=(TestStrip("strip-3", "steel 3 mm, our V16", "steel", 3.0, 100.0, (52.3, 53.1), 90.0, 3.0),),
        brake=Brake(8.0, 1250.0, 1.0, 5.0),
    )
    pieces = (*build.pieces, _seat_bracket(), _lamp_plate(build), _alternator_stay(build))
    return replace(build, pieces=pieces)


def _points() -> tuple[Point, ...]:
    def hole(point_id: str, name: str, on: str, xyz: Vec3, axis: Vec3, size: float) -> Point:
        return Point(point_id, name, on, "hole", xyz, axis, size, "measured", "caliper", 0.2)

    return (
        hole("SF-1", "seat bracket, floor front", VEHICLE, (2172.0, -691.0, 880.0), _UP, 9),
        hole("SF-2", "seat bracket, floor rear", VEHICLE, (2247.0, -691.5, 880.0), _UP, 9),
        hole("A4-arm", "alternator arm, outer hole", "alternator", (0.0, 150.0, 20.0), _UP, 10.5),
        hole("SB-1", "seat side, front", "seat", (28.0, -190.0, 52.0), _SIDE, 9),
        hole("SB-2", "seat side, rear", "seat", (93.0, -190.0, 52.0), _SIDE, 9),
    )


def _seat_bracket() -> Piece:
    return Piece(
        "seat-bracket",
        "Attendant seat bracket",
        3.0,
        faces=(PieceFace("floor", "floor", ("SF-1", "SF-2"), "along"), PieceFace("side", "side of the seat", ("SB-1", "SB-2"), "along")),
        form="angle",
        chosen_because="one fold, no spacer to lose, and the brake takes it",
        hand="left",
        used_at="left attendant seat, outer side",
        up="the seat's name",
    )


def _lamp_plate(build: Build) -> Piece:
    outline = tuple(Corner(x, y) for x, y in ((-70.0, -45.0), (70.0, -45.0), (70.0, 45.0), (-70.0, 45.0)))
    piece = Piece(
        "lamp-plate",
        "Work lamp plate",
        3.0,
        material="aluminium",
        outline=outline,
        own_holes=tuple(
            OwnHole(f"L{n}", x, y, 8.5, why="lamp bar, both sides")
            for n, (x, y) in enumerate(((-55, -30), (55, -30), (55, 30), (-55, 30)), 1)
        ),
        cutouts=(
            Cutout(
                "cable",
                tuple(Corner(x, y) for x, y in ((20.0, -24.0), (44.0, -24.0), (44.0, 4.0), (20.0, 4.0))),
                "cable of the left lamp",
                only="as drawn",
            ),
        ),
        count=2,
        hand="pair",
        used_at="lamp bar, left and right",
        conducts=True,
        squares=(PrintedSquare("q1", "office printer, A4", 150.0, 145.5, 150.0, 145.4, "Pip Okafor", "2026-11-19T09:40:00"),),
    )
    shape = piece_shape(Scene(build, build.options[0]), piece)
    made = PieceRevision(
        "r1", 1, "print", "printed and glued to card", "Pip Okafor", "2026-11-19T09:30:00", shape.drawing, "to see whether the cable comes through",
        result="change", learnt="too small all over: the printer fitted it to the page",
    )  # fmt: skip
    return replace(piece, revisions=(made,))


def _alternator_stay(build: Build) -> Piece:
    """A stay that was cut when the alternator still sat 4 mm further out."""
    piece = Piece(
        "alternator-stay",
        "Alternator stay",
        4.0,
        faces=(PieceFace("rail", "right rail", ("rail-a", "rail-b"), "along"), PieceFace("arm", "alternator arm", ("A4-arm",), "along")),
        form="stepped",
        way=5,
        chosen_because="the arm stands above the rail and outside it",
        radius_mm=4.0,
        holes=(PlateHole("arm", "A4-arm", "through", "M10x1.5"),),
        up="date stamp",
        forward="cut corner",
        used_at="right rail, beside the engine",
        conducts=True,
    )
    before = replace(
        build,
        components=tuple(replace(c, pose=replace(c.pose, y_mm=c.pose.y_mm + 4.0)) if c.id == "alternator" else c for c in build.components),
        options=tuple(replace(o, positions=tuple(p for p in o.positions if p.component != "alternator")) for o in build.options),
    )
    then = piece_shape(Scene(before, before.options[0]), piece).drawing
    made = PieceRevision(
        "r1", 1, "card", "card, traced round both ears", "Wil Adeyemi", "2026-11-10T14:20:00", then, result="good", learnt="fits"
    )
    sent = Sending(
        "s1", "Quayside Cutting", "laser", "sent", "Wil Adeyemi", "2026-11-12T08:15:00", 1, "EUR 34", 6, "Orla Fennick", "", then
    )
    return replace(piece, revisions=(made,), sendings=(sent,))


def with_traced(build: Build, photos: Photos) -> Build:
    """The build with a relay plate traced from a photograph of its template, which is drawn here and kept among the photographs."""
    data, marks = photograph(RELAY_OUTLINE, RELAY_HOLES, RELAY_FRAME, RELAY_SEEN, RELAY_PX, Bench(84.0, 178.0, 0.4, 4.0, dots=True, fine=2))
    picture = cleaned(data)
    photos.keep(picture)
    found = traced(data, marks)
    piece = Piece(
        "relay-plate",
        "Relay plate",
        RELAY_THICK_MM,
        material="aluminium",
        photo=picture.id,
        marks=marks,
        used_at="bulkhead, left of the heater",
    )
    holes = tuple((round(h.xy_mm[0], 2), round(h.xy_mm[1], 2), round(h.d_mm, 1)) for h in found.holes)
    made = from_contours(piece, with_arcs(found.outline_mm, 0.3), (), holes, f"photograph, edges known to {found.sd_mm:.2f} mm")
    photo = Photo(
        picture.id, "relay-template.jpg", "relay plate, template on the bench", picture.width_px, picture.height_px, len(picture.data), "Sunniva Brekke",
        "2026-11-20T16:05:00",
    )  # fmt: skip
    return replace(build, photos=(*build.photos, photo), pieces=(*build.pieces, made))
