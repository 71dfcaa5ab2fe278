"""Starter forms of what does not drive: packs, radiators, accessories, seats, tanks, exhausts and plain blocks.

Their origin is in the middle of what they stand on; a radiator's in the middle of its lower
edge, an accessory's on its shaft at the pulley, an exhaust's where its first corner is measured from.
"""

from __future__ import annotations

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.starters.drivetrain import AHEAD, BACK, HOLE, MASS, UP
from elmpeg.core.starters.given import PATH, Figure, Given, Laid, Pick, Shaping, StarterForm


def _body(s: Shaping, name: str, **role: str) -> tuple[float, float, float]:
    """A box standing on the origin's plane; its half length, half width and height."""
    g = s.given
    long, wide, high = g["length_mm"] / 2, g["width_mm"] / 2, g["height_mm"]
    s.box(name, (-long, -wide, 0.0), (long, wide, high), {"length_mm": 0.5}, {"width_mm": 0.5}, {"height_mm": 1.0}, **role)  # type: ignore[arg-type]
    return long, wide, high


def _four(s: Shaping, what: str, z: float, *rests: str) -> None:
    """Four holes at the corners of a rectangle about the middle."""
    g = s.given
    for end, x in (("front", -0.5), ("rear", 0.5)):
        for side, y in (("left", -0.5), ("right", 0.5)):
            place: Vec3 = (x * g["holes_along_mm"], y * g["holes_across_mm"], z)
            s.point(f"{end} {side} {what}", "hole", place, "holes_along_mm", "holes_across_mm", *rests, axis=UP, hole="hole_mm", share=0.5)


def _pack(given: Given) -> Laid:
    s = Shaping(given)
    _body(s, "case", role="wiring")
    _four(s, "lug", given["lugs_up_mm"], "lugs_up_mm")
    return s.laid()


def _radiator(given: Given) -> Laid:
    s = Shaping(given)
    thick, wide, high = given["thick_mm"], given["width_mm"] / 2, given["height_mm"]
    s.box(
        "core and tanks",
        (-thick / 2, -wide, 0.0),
        (thick / 2, wide, high),
        {"width_mm": 0.5},
        {"height_mm": 1.0},
        {"thick_mm": 0.5},
        role="hot",
    )
    behind = 1.0 if given.chosen("fans") == "behind" else -1.0
    near, far = behind * thick / 2, behind * (thick / 2 + given["fan_thick_mm"])
    count = max(1, min(4, round(given["fan_count"])))
    for k in range(count):
        y = (2 * k + 1 - count) * given["width_mm"] / (2 * count)
        name = "fan" if count == 1 else f"fan {k + 1}"
        s.cylinder(name, (near, y, high / 2), (far, y, high / 2), given["fan_mm"], {"thick_mm": 0.5, "fan_thick_mm": 1.0}, role="rotating")
    for side, y in (("left", -0.5), ("right", 0.5)):
        s.point(f"lower pin, {side}", "hole", (0.0, y * given["pins_mm"], 0.0), "pins_mm", axis=UP, hole="hole_mm", share=0.5)
    return s.laid()


def _accessory(given: Given) -> Laid:
    s = Shaping(given)
    long, body, pulley = given["length_mm"], given["diameter_mm"], given["pulley_wide_mm"]
    s.cylinder(
        "pulley", (0.0, 0.0, 0.0), (pulley, 0.0, 0.0), given["pulley_mm"], {"pulley_mm": 0.5}, {"pulley_wide_mm": 1.0}, role="rotating"
    )
    s.cylinder("body", (pulley, 0.0, 0.0), (pulley + long, 0.0, 0.0), body, {"diameter_mm": 0.5}, {"length_mm": 1.0, "pulley_wide_mm": 1.0})
    back = pulley + given["ear_back_mm"]
    s.point("pulley's middle", "face", (pulley / 2, 0.0, 0.0), "pulley_wide_mm", axis=AHEAD, share=0.5)
    s.point("pivot ear", "hole", (back, 0.0, -given["pivot_below_mm"]), "pivot_below_mm", "ear_back_mm", axis=BACK, hole="hole_mm")
    s.point("adjuster ear", "hole", (back, 0.0, given["adjuster_above_mm"]), "adjuster_above_mm", "ear_back_mm", axis=BACK, hole="hole_mm")
    return s.laid()


def _seat(given: Given) -> Laid:
    s = Shaping(given)
    long, wide, cushion, high = given["length_mm"] / 2, given["width_mm"] / 2, given["cushion_mm"], given["height_mm"]
    s.box("cushion", (-long, -wide, 0.0), (long, wide, cushion), {"length_mm": 0.5}, {"width_mm": 0.5}, {"cushion_mm": 1.0})
    thick, lean = given["back_thick_mm"], 0.2 * high
    outline = ((long - thick, cushion * 0.6), (long, cushion * 0.6), (long + lean, high), (long + lean - thick * 0.7, high))
    s.pulled("back", "side", outline, (-wide, wide), {"height_mm": 1.0}, {"width_mm": 0.5}, {"back_thick_mm": 1.0})
    _four(s, "foot", 0.0)
    return s.laid()


def _tank(given: Given) -> Laid:
    s = Shaping(given)
    long, wide, high = _body(s, "tank", role="fuel_or_brake_line")
    sender: Vec3 = (0.0, 0.0, high)
    s.point("sender", "face", sender, "height_mm", axis=UP)
    s.point("filler neck", "face", (long * 0.5, wide * 0.8, high), "length_mm", "width_mm", "height_mm", axis=UP)
    _four(s, "strap", high, "height_mm")
    return s.laid()


def _block(given: Given) -> Laid:
    s = Shaping(given)
    _body(s, "block")
    _four(s, "hole", 0.0)
    return s.laid()


def _size(length: float, width: float, height: float) -> tuple[Figure, Figure, Figure]:
    return (
        Figure("length_mm", "length, front to rear", length, 20.0, 6000.0),
        Figure("width_mm", "width", width, 20.0, 3000.0),
        Figure("height_mm", "height", height, 10.0, 3000.0),
    )


USUAL_RUN: tuple[Vec3, ...] = ((0.0, 0.0, 0.0), (400.0, 0.0, -150.0), (1800.0, 0.0, -150.0))
_HOLES = (
    Figure("holes_along_mm", "holes, front to rear", 400.0, 0.0, 6000.0),
    Figure("holes_across_mm", "holes, across", 400.0, 0.0, 3000.0),
    HOLE,
)

PACK = StarterForm(
    "pack", "Battery pack", "traction battery cells box high voltage", "a box hung or stood on four lugs",
    (*_size(900.0, 700.0, 250.0), Figure("lugs_up_mm", "lugs, above its underside", 200.0, 0.0, 3000.0), *_HOLES, MASS), _pack,
)  # fmt: skip
RADIATOR = StarterForm(
    "radiator", "Radiator with fans", "cooler cooling core fan condenser", "stands across the vehicle",
    (
        Figure("width_mm", "width with its tanks", 620.0, 100.0, 2000.0), Figure("height_mm", "height", 420.0, 100.0, 1500.0),
        Figure("thick_mm", "thickness", 60.0, 10.0, 300.0), Figure("fan_count", "fans", 2.0, 1.0, 4.0), Figure("fan_mm", "fan, diameter", 300.0, 60.0, 900.0),
        Figure("fan_thick_mm", "fan, thickness", 80.0, 10.0, 300.0), Figure("pins_mm", "lower pins, across", 400.0, 20.0, 2000.0), HOLE, MASS,
    ), _radiator, (Pick("fans", "its fans are", (("behind", "behind it"), ("ahead", "ahead of it"))),),
)  # fmt: skip
ACCESSORY = StarterForm(
    "accessory", "Belt-driven accessory", "alternator compressor pump power steering pulley belt", "a body behind its pulley",
    (
        Figure("length_mm", "body, length behind the pulley", 160.0, 30.0, 800.0), Figure("diameter_mm", "body, diameter", 140.0, 30.0, 500.0),
        Figure("pulley_mm", "pulley, diameter", 60.0, 20.0, 400.0), Figure("pulley_wide_mm", "pulley, width", 30.0, 5.0, 150.0),
        Figure("ear_back_mm", "ears, behind the pulley", 40.0, -100.0, 800.0), Figure("pivot_below_mm", "pivot ear, below the shaft", 80.0, -300.0, 400.0),
        Figure("adjuster_above_mm", "adjuster ear, above the shaft", 75.0, -300.0, 400.0), HOLE, MASS,
    ), _accessory,
)  # fmt: skip
SEAT = StarterForm(
    "seat", "Seat", "chair bench attendant driver folding", "cushion, back and four feet",
    (
        Figure("length_mm", "cushion, front to rear", 480.0, 150.0, 1200.0), Figure("width_mm", "width", 480.0, 150.0, 2500.0),
        Figure("cushion_mm", "feet to the top of the cushion", 380.0, 40.0, 900.0), Figure("height_mm", "feet to the top of the back", 980.0, 100.0, 1800.0),
        Figure("back_thick_mm", "back, thickness", 140.0, 20.0, 500.0), *_HOLES, MASS,
    ), _seat,
)  # fmt: skip
TANK = StarterForm(
    "tank", "Fuel tank", "diesel petrol tank fuel", "a box held by straps", (*_size(800.0, 450.0, 300.0), *_HOLES, MASS), _tank,
)  # fmt: skip
BLOCK = StarterForm(
    "block",
    "Plain block",
    "box anything card timber mock-up",
    "a box with four holes",
    (*_size(300.0, 200.0, 150.0), *_HOLES, MASS),
    _block,
)


def _exhaust(given: Given) -> Laid:
    s = Shaping(given)
    path = given.path_mm or USUAL_RUN
    s.tube("pipe", path, given["diameter_mm"], {"diameter_mm": 0.5, PATH: 1.0}, role="hot")
    for name, end, axis in (("flange", path[0], AHEAD), ("outlet", path[-1], BACK)):
        s.point(name, "face", end, PATH, axis=axis)
    return s.laid()


EXHAUST = StarterForm(
    "exhaust", "Exhaust run", "pipe downpipe silencer muffler", "a pipe along the corners that you tape",
    (Figure("diameter_mm", "pipe, outside diameter", 60.0, 15.0, 300.0), MASS), _exhaust, path="Corners of the run, from the flange back",
)  # fmt: skip
