"""What holds the parts of Cairn 2: bolts, bushes, hangers, a boxed crossmember, plates, and what is wrong with some of them."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.pose import Pose
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.build.hardware import (
    Around,
    Boxed,
    Bush,
    CentreDistance,
    Chain,
    ChainLink,
    Fastener,
    Hanger,
    Layer,
    Match,
    Pattern,
    PatternHole,
)
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.pieces import Piece, PlateHole
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.methods.shapes.solids import Box, Cylinder
from elmpeg.core.stages.mount.patterns import from_distances

_UP: Vec3 = (0, 0, 1)
_DOWN: Vec3 = (0, 0, -1)


def with_hardware(build: Build) -> Build:
    """The build with all of this; the options' stacks are put in afterwards."""
    return replace(
        build,
        components=(*build.components, *_parts()),
        points=(*build.points, *_points(), *_free_holes()),
        mounts=(*(_told(m) for m in build.mounts), *_mounts()),
        patterns=_patterns(),
        matches=(
            Match("seat-plate", "Seat plate as marked out, over the runner studs", "seat-marked", "runner"),
            Match("alternator-bracket", "Alternator bracket as welded, over its block", "bracket-welded", "block"),
        ),
        pieces=(
            Piece(
                "seat-adapter",
                "Attendant seat adapter, left",
                10.0,
                "floor",
                "runner-new",
                shift_mm=(22.0, 14.0),
                margin_mm=18.0,
                holes=(
                    *(PlateHole("lower", h, "countersunk", "M10x1.5") for h in "abcd"),
                    *(PlateHole("upper", h, "tapped", "M8x1.25") for h in ("1", "2", "3", "4")),
                ),
                up="countersinks",
            ),
        ),
        chains=(
            Chain(
                "fan",
                "Fan tips to radiator core",
                (
                    ChainLink("l1", "radiator core to crank nose", 1, 2.0, 2.0, from_point="rad-core", to_point="crank-nose", axis="x"),
                    ChainLink("l2", "pulley and hub", -1, 0.5, 0.5, 42.0),
                    ChainLink("l3", "fan and its coupling", -1, 1.5, 1.5, 78.0),
                    ChainLink("l4", "engine rocks forward", -1, 8.0, 0.0, 6.0),
                ),
                38.0,
                None,
            ),
        ),
    )


def _told(mount: Mount) -> Mount:
    """What the first five mounts are made of."""
    m12 = Fastener("M12x1.75", head_washer_mm=2.5, nut_washer_mm=2.5, end="locking nut", grade="8.8", structural=True)
    foot, bracket = (
        Layer("foot", "cast foot", 14.0, "foot", "aluminium", 25.0),
        Layer("bracket", "engine bracket", 8.0, "seat", "steel", 28.0),
    )
    if mount.id == "LM":
        return replace(mount, layers=(foot, bracket), fastener=m12, around=Around(30.0, 20.0, 60.0, 45.0))
    if mount.id == "RM":
        return replace(mount, layers=(foot, bracket), fastener=replace(m12, grade=""), around=Around(30.0, 11.5, 60.0, 40.0))
    if mount.id == "GM":
        boxed = Boxed(60.0, 3.0, 54.0, 25.0)
        return replace(
            mount,
            hold="boxed",
            layers=(Layer("foot", "gearbox foot", 10.0, "foot", "steel", 19.0),),
            fastener=replace(m12, mock_up=True),
            boxed=boxed,
        )
    if mount.id == "C1":
        block = Fastener("M8x1.25", "socket", 55.0, 1.6, 0.0, "tapped", None, 20.0, "aluminium", True)
        return replace(mount, hold="tapped", layers=(Layer("foot", "compressor foot", 8.0, "foot", "aluminium", 16.5),), fastener=block)
    if mount.id == "C2":
        through = Fastener("M8x1.25", "hex", None, 1.6, 1.6, "nut", single_use=True)
        layers = (
            Layer("foot", "compressor foot", 8.0, "foot", "aluminium", 16.5),
            Layer("shelf", "shelf plate", 6.0, "seat", "steel", 25.0),
        )
        return replace(mount, layers=layers, fastener=through)
    return mount


def _parts() -> tuple[Component, ...]:
    return (
        Component("radiator", "Radiator", Pose(-110.0, 0.0, 880.0), (Box("core", "core", (0, 0, 0), (64, 560, 420)),)),
        Component(
            "alternator",
            "Second alternator",
            Pose(330.0, 330.0, 805.0),
            (Cylinder("body", "body", (-60, 0, 0), (80, 0, 0), 130), Box("ear", "ear", (0, 0, -70), (120, 20, 30))),
        ),
        Component("seat", "Attendant seat, left", Pose(2150.0, -420.0, 905.0), (Box("base", "base", (0, 0, 110), (420, 380, 220)),)),
    )


def _points() -> tuple[Point, ...]:
    def on(part: str, point_id: str, name: str, xyz: Vec3, axis: Vec3, hole: float | None = None) -> Point:
        return Point(point_id, name, part, "hole" if hole else "face", xyz, axis, hole, "measured", "caliper", 0.2)

    def seat(point_id: str, name: str, xyz: Vec3, axis: Vec3, hole: float) -> Point:
        return Point(point_id, name, VEHICLE, "hole", xyz, axis, hole, "measured", "tape", 0.25)

    return (
        on("radiator", "RL-lug", "radiator left lug", (0, -240, 215), _UP, 9),
        on("radiator", "RR-lug", "radiator right lug", (0, 240, 215), _UP, 9),
        on("radiator", "RB-peg", "radiator bottom peg", (0, 0, -215), _DOWN, 21),
        on("radiator", "rad-core", "radiator core, rear face", (32, 0, 0), (1, 0, 0)),
        seat("RL-seat", "slam panel, left", (-110.2, -240.3, 1100.1), _DOWN, 9),
        seat("RR-seat", "slam panel, right", (-109.7, 240.2, 1100.0), _DOWN, 9),
        seat("RB-seat", "radiator shelf", (-109.5, 0.4, 647.0), _UP, 21),
        on("alternator", "A1-ear", "alternator front ear", (-40, 0, -85), _UP, 10.5),
        on("alternator", "A2-ear", "alternator rear ear", (40, 0, -85), _UP, 10.5),
        seat("A1-seat", "alternator bar, front", (290.1, 330.2, 720.0), _UP, 11),
        seat("A2-seat", "alternator bar, rear", (370.2, 329.9, 720.1), _UP, 11),
        on("seat", "S1-foot", "seat runner, front", (0, 0, 0), _UP, 9),
        seat("S1-seat", "seat floor plate", (2150.0, -420.0, 894.9), _UP, 11),
        on("alternator", "A3-stay", "alternator stay ear", (0, 40, 60), _UP, 10.5),
    )


def _free_holes() -> tuple[Point, ...]:
    """Holes that the factory left in the right rail, measured in case they are of use."""
    places = (
        ("rail-a", "right rail, hole A", 210.0, 12.5),
        ("rail-b", "right rail, hole B", 300.0, 12.5),
        ("rail-c", "right rail, hole C", 455.0, 11.0),
    )
    return tuple(Point(i, name, VEHICLE, "hole", (x, 400.0, 680.0), _UP, hole, "measured", "caliper", 0.3) for i, name, x, hole in places)


def _mounts() -> tuple[Mount, ...]:
    m8 = Fastener("M8x1.25", head_washer_mm=1.6, nut_washer_mm=1.6, end="locking nut")
    m10 = Fastener("M10x1.5", head_washer_mm=2.0, grade="8.8")
    lug, panel = Layer("lug", "radiator lug", 4.0, "foot", "steel", 17.0), Layer("panel", "slam panel", 2.0, "seat", "steel", 18.0)
    ear = Layer("ear", "alternator ear", 20.0, "foot", "aluminium", 21.0)
    return (
        Mount("RL", "Radiator left hanger", "RL-lug", "RL-seat", 8, 1.0, "hanger", (lug, panel), m8, hanger=Hanger("studs")),
        Mount("RR", "Radiator right hanger", "RR-lug", "RR-seat", 8, 1.0, "hanger", (lug, panel), m8, hanger=Hanger("bolts")),
        Mount(
            "RB", "Radiator bottom peg", "RB-peg", "RB-seat", 20, 1.5, "bush", bush=Bush("rubber ring 24/18", 24.0, 18.0, 38.0, 6.5, 1.5)
        ),
        Mount("A1", "Alternator front", "A1-ear", "A1-seat", 10, 0.5, "tapped", (ear,), replace(m10, end="tapped", thread_depth_mm=16.0)),
        Mount(
            "A2",
            "Alternator rear",
            "A2-ear",
            "A2-seat",
            10,
            0.5,
            "weld_nut",
            (ear, Layer("bar", "alternator bar", 10.0, "seat", "steel", 25.0, 14.0)),
            replace(m10, end="weld nut"),
        ),
        Mount(
            "S1",
            "Attendant seat, front",
            "S1-foot",
            "S1-seat",
            8,
            1.0,
            "bracket",
            (Layer("runner", "seat runner", 5.0, "foot", "steel", 16.5), Layer("floor", "floor plate", 6.0, "seat", "steel", 30.0)),
            Fastener("M8x1.25", "countersunk", None, 0.0, 1.6, "locking nut", grade="10.9", structural=True),
            plate="seat-adapter",
        ),
    )  # fmt: skip


def _patterns() -> tuple[Pattern, ...]:
    def grid(pattern_id: str, name: str, holes: tuple[tuple[str, float, float, float], ...], bolt: float, note: str = "") -> Pattern:
        return Pattern(pattern_id, name, "coordinates", tuple(PatternHole(*h) for h in holes), bolt_mm=bolt, note=note)

    runner = (("a", 0.0, 0.0, 9.0), ("b", 286.0, 0.0, 9.0), ("c", 286.0, 262.0, 9.0), ("d", 0.0, 254.0, 9.0))
    marked = (("a", 0.2, 0.1, 9.0), ("b", 286.1, -0.2, 9.0), ("c", 283.4, 262.1, 9.0), ("d", -0.1, 253.9, 9.0))
    block = (("1", 0.0, 0.0, 11.0), ("2", 92.0, 0.0, 11.0), ("3", 104.0, 58.0, 11.0))
    welded = tuple((i, -x, y, d) for i, x, y, d in block)
    caliper = tuple(
        CentreDistance(a, b, text, float(text))
        for a, b, text in (
            ("a", "b", "330.0"),
            ("b", "c", "290.1"),
            ("c", "d", "329.8"),
            ("d", "a", "290.0"),
            ("a", "c", "439.3"),
            ("b", "d", "439.3"),
        )
    )
    floor = from_distances(("a", "b", "c", "d"), caliper, 11.0)
    return (
        grid("runner", "seat runner studs", runner, 8.0),
        grid("seat-marked", "seat plate as marked out", marked, 8.0, "Marked through a card on the bench."),
        Pattern("floor", "floor holes, left", "distances", floor.holes, caliper, bolt_mm=10.0),
        grid("runner-new", "runner holes for the plate", tuple((str(k), *h[1:]) for k, h in enumerate(runner, 1)), 8.0),
        grid("block", "alternator block", block, 10.0),
        grid("bracket-welded", "alternator bracket as welded", welded, 10.0),
        Pattern("rail-holes", "right rail, factory holes", "points", points=("rail-a", "rail-b", "rail-c"), bolt_mm=10.0),
    )
