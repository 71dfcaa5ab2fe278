"""What else is made for Cairn 2: a crossmember of tube, a compressor stand of tab and slot, a turned spacer, a spacer plate, seams."""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.build.document import Build
from elmpeg.core.build.hardware import Chain, ChainLink
from elmpeg.core.build.pieces import Between, CrossHole, Cutout, OwnHole, Piece, TubeBody, TurnedBody, TurnedBore, TurnedStep
from elmpeg.core.build.stands import Stand, StandBolt, StandPart
from elmpeg.core.build.structures import Member, Node, Structure
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.build.weldments import HeatedThing, Seam, WeldDone, WeldGate, Weldment
from elmpeg.core.methods.shapes.outlines import straight
from elmpeg.core.methods.stands.tab_joints import Tab
from elmpeg.core.methods.tubes.tube_bends import TubeBend
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.stand_edits import with_joints, with_stand
from elmpeg.core.stages.make.structure_members import with_sleeves, with_structure

STAND_MM = 4.0


def with_made(build: Build) -> Build:
    """The build with what is made of tube, bar and plates that go into each other, and how it is welded."""
    hole = Point(
        "HC-L",
        "left rail, hole for the hoist",
        VEHICLE,
        "hole",
        (2860.0, -365.0, 590.0),
        (0.0, 1.0, 0.0),
        13.0,
        "measured",
        "tape",
        note="blind from below",
    )
    reach = Chain(
        "input-reach",
        "Input shaft into its bearing",
        (
            ChainLink("l1", "shaft's end beyond the gearbox face", 1, 0.5, 0.5, 172.0),
            ChainLink("l2", "bell housing, face to face", -1, 0.4, 0.4, 140.5),
        ),
        20.0,
    )
    build = replace(
        build,
        chains=(*build.chains, reach),
        points=(*build.points, hole),
        pieces=(*build.pieces, *_tubes(), *_stand_plates()),
        weldments=(_weldment(),),
    )
    build = with_structure(build, Scene(build, build.options[0]), _crossmember())
    return with_sleeves(_with_stand(build))


def _tubes() -> tuple[Piece, ...]:
    stay = TubeBody(
        "round", 25.0, 2.0, legs_mm=(260.0, 340.0, 180.0), bends=(TubeBend(60.0, 75.0), TubeBend(45.0, 75.0, 180.0)),
        holes=(CrossHole("stay", 150.0, 90.0, 8.5, why="clip of the brake line"),),
    )  # fmt: skip
    spacer = TurnedBody(
        (TurnedStep(6.0, 38.0, chamfer_mm=1.0), TurnedStep(24.0, 25.0, "h6", chamfer_mm=0.5)), (TurnedBore("left", 12.0, 0.0, "H8"),),
        "bore of the compressor's foot, 25.02 mm, inside caliper, three times",
    )  # fmt: skip
    return (
        _spacer_plate(),
        Piece("hose-stay", "Hose stay, bent", 2.0, tube=stay, used_at="right rail, along the brake line"),
        Piece("compressor-bush", "Compressor bush", 38.0, turned=spacer, count=4, used_at="compressor feet"),
    )


def _spacer_plate() -> Piece:
    """Between bell housing and gearbox; it was drawn before anybody thought of the dowels."""
    spots = ((-150.0, 40.0), (-90.0, 140.0), (90.0, 140.0), (150.0, 40.0), (120.0, -110.0), (-120.0, -110.0))
    outline = straight(((-185.0, -140.0), (185.0, -140.0), (185.0, 60.0), (120.0, 175.0), (-120.0, 175.0), (-185.0, 60.0)))
    return Piece(
        "bell-spacer", "Bell housing spacer", 12.0, material="aluminium", outline=outline,
        own_holes=(
            *(OwnHole(f"m{n}", x, y, 11.0, why="bell housing bolt") for n, (x, y) in enumerate(spots, 1)),
            OwnHole("d1", -160.0, -20.0, 12.0, why="dowel"), OwnHole("d2", 155.0, -45.0, 12.0, why="dowel"),
        ),
        cutouts=(Cutout("bore", straight([(95.0 * math.cos(k * math.pi / 24), 95.0 * math.sin(k * math.pi / 24)) for k in range(48)]), "input shaft and clutch"),),
        cut_by="water jet", used_at="between bell housing and gearbox", up="stamped G", forward="bell housing side",
        between=Between(0.0, 0.0, 18.0, "input-reach", 12.0, 24.0, 9.0, 8.0, "M10", 35.0, 22.0),
    )  # fmt: skip


def _crossmember() -> Structure:
    """Two rails of tube within the frame's and a cross tube coped to both."""
    return Structure(
        "hoist-crossmember",
        "Stretcher hoist crossmember",
        (
            Node("LF", (2700.0, -330.0, 590.0)),
            Node("LR", (3050.0, -330.0, 590.0)),
            Node("RF", (2700.0, 330.0, 590.0)),
            Node("RR", (3050.0, 330.0, 590.0)),
            Node("L", (0.0, 35.0, 0.0), "HC-L"),
            Node("R", (2900.0, 330.0, 590.0)),
        ),
        (
            Member("left", "LF", "LR", 48.0, 3.0, runs=True),
            Member("right", "RF", "RR", 48.0, 3.0, runs=True),
            Member("cross", "L", "R", 42.0, 2.5),
        ),
        1.0,
    )


def _stand_plates() -> tuple[Piece, ...]:
    def plate(piece_id: str, name: str, wide: float, high: float, *holes: OwnHole) -> Piece:
        outline = straight(((0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high)))
        return Piece(piece_id, name, STAND_MM, outline=outline, own_holes=holes, used_at="compressor stand")

    return (
        plate("stand-base", "Stand base", 260.0, 180.0, *(OwnHole(f"b{n}", x, y, 9.0, why="right rail") for n, (x, y) in enumerate(((15, 15), (245, 15), (245, 165), (15, 165)), 1))),
        plate("stand-left", "Stand side, left", 120.0, 150.0, OwnHole("pipe", 28.0, 75.0, 14.0, why="air pipe, at the front only")),
        plate("stand-right", "Stand side, right", 120.0, 150.0),
        plate("stand-brace", "Stand brace", 92.0, 90.0),
        plate("stand-shelf", "Stand shelf", 160.0, 140.0, OwnHole("s1", 80.0, 70.0, 9.0, why="compressor foot")),
    )  # fmt: skip


def _with_stand(build: Build) -> Build:
    """Drawn with like tabs on the left side's foot, so that it goes in turned, its pipe hole at the rear: it was seen on the bench."""
    stand = Stand(
        "compressor-stand",
        "Compressor stand",
        (
            StandPart("base", "stand-base", (0.0, 0.0, 0.0), "up"),
            StandPart("left", "stand-left", (70.0, 40.0, 0.0), "left"),
            StandPart("right", "stand-right", (70.0, 136.0, 0.0), "left"),
            StandPart("brace", "stand-brace", (130.0, 44.0, 0.0), "rearward"),
            StandPart("shelf", "stand-shelf", (50.0, 20.0, 154.0), "up"),
        ),
        (StandBolt("foot", "M8 at the compressor's foot", "bolt", (130.0, 90.0, 154.0), "up", 8.0, 20.0, 13.0, 20.0, 80.0),),
    )
    build = with_stand(build, stand)
    build = with_joints(build, Scene(build, build.options[0]), stand.id)
    like = (Tab("t1", 26.0, 22.0), Tab("t2", 94.0, 22.0))
    return with_joints(build, Scene(build, build.options[0]), stand.id, {("left", "base"): like, ("left", "shelf"): like})


def _weldment() -> Weldment:
    """The crossmember between the rails: seams on both sides, front and rear, welded across from each other."""
    seams = []
    for side, y in (("left", -365.0), ("right", 365.0)):
        for end, x in (("front", 2700.0), ("rear", 3050.0)):
            for level, z in (("above", 614.0), ("below", 566.0)):
                seams.append(
                    Seam(f"{side}-{end}-{level}", f"{side} {end}, {level}", (x - 20.0, y, z), (x + 20.0, y, z), 4.0, 1, thick_mm=3.0)
                )
    cross = [
        Seam(
            f"cross-{s}",
            f"cross tube, {s}",
            (x - 21.0, y, 590.0),
            (x + 21.0, y, 590.0),
            3.5,
            2,
            joins=("hoist-crossmember-cross", f"hoist-crossmember-{s}"),
            thick_mm=2.5,
        )
        for s, x, y in (("left", 2860.0, -306.0), ("right", 2900.0, 306.0))
    ]
    return Weldment(
        "crossmember-in",
        "Crossmember into its frame",
        (*seams, *cross),
        (
            HeatedThing("line", "brake line on the right rail", "hose", (2950.0, 372.0, 640.0)),
            HeatedThing("loom", "loom to the tail lamps", "wire", (2800.0, -370.0, 660.0), out=True),
        ),
        (
            WeldGate("brace", "braced", "brace across the rails behind the cut", "Teo Marsh", "Orla Fennick", "2026-11-18T09:10:00"),
            WeldGate("lines", "witness lines", "witness lines on both rails and on the cross tube", "Teo Marsh", "", "2026-11-18T09:40:00"),
        ),
        (WeldDone("tack left-front-above.1", "Teo Marsh", "2026-11-18T10:05:00"),),
        True,
        "Wil Adeyemi",
    )
