"""Starter forms of what drives: engines, motors, gearboxes, transfer cases, axles and final drives.

An engine's or motor's origin is on its shaft at the face that the gearbox bolts to, a
gearbox's or transfer case's on its shaft at the face it bolts on with, an axle's in its middle.
"""

from __future__ import annotations

import math

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.starters.given import Figure, Given, Laid, Pick, Shaping, StarterForm

UP: Vec3 = (0.0, 0.0, 1.0)
BACK: Vec3 = (1.0, 0.0, 0.0)
AHEAD: Vec3 = (-1.0, 0.0, 0.0)
LEFT: Vec3 = (0.0, -1.0, 0.0)
RIGHT: Vec3 = (0.0, 1.0, 0.0)
HOLE = Figure("hole_mm", "mounting holes, diameter", 13.0, 4.0, 60.0)
MASS = Figure("mass_kg", "mass", 0.0, 0.0, 5000.0, "leave empty where nobody weighed it")

HEAD_SHARE = 0.45
"""Of a V engine's half width, how wide one of its heads is."""
_FEET = (
    Figure("feet_ahead_mm", "feet, ahead of the rear face", 300.0, 0.0, 2000.0, "to the middle of the mounting holes"),
    Figure("feet_apart_mm", "feet, hole to hole across", 430.0, 50.0, 1500.0),
    Figure("feet_below_mm", "feet, below the crank's middle", 30.0, -400.0, 600.0, "above it: with a minus"),
    HOLE,
)
_BLOCK = (
    Figure("length_mm", "length, rear face to the pulley", 620.0, 150.0, 2500.0, "where the gearbox bolts on to the front of the pulley"),
    Figure("width_mm", "width of the block", 300.0, 100.0, 1500.0),
    Figure("top_mm", "crank's middle to the top", 420.0, 80.0, 1500.0),
    Figure("sump_mm", "crank's middle to the sump's bottom", 220.0, 40.0, 900.0),
    Figure("pulley_mm", "crank pulley, diameter", 170.0, 40.0, 600.0),
)


def _engine_points(s: Shaping) -> None:
    g = s.given
    x, z, half = -g["feet_ahead_mm"], -g["feet_below_mm"], g["feet_apart_mm"] / 2
    rests = ("feet_ahead_mm", "feet_apart_mm", "feet_below_mm")
    s.point("left foot", "hole", (x, -half, z), *rests, axis=UP, hole="hole_mm")
    s.point("right foot", "hole", (x, half, z), *rests, axis=UP, hole="hole_mm")
    s.point("crank nose", "face", (-g["length_mm"], 0.0, 0.0), "length_mm", axis=AHEAD)
    s.point("rear face", "face", (0.0, 0.0, 0.0), axis=BACK)


def _lower_end(s: Shaping) -> None:
    """Sump and pulley, alike for every engine."""
    g = s.given
    length, pulley = g["length_mm"], 0.06 * g["length_mm"]
    s.box(
        "sump",
        (-length + pulley, -g["width_mm"] * 0.4, -g["sump_mm"]),
        (-0.03 * length, g["width_mm"] * 0.4, -min(g["width_mm"] * 0.25, g["sump_mm"] * 0.5)),
        {"sump_mm": 1.0},
        {"width_mm": 0.4},
        {"length_mm": 0.94},
    )
    s.cylinder(
        "crank pulley",
        (-length, 0.0, 0.0),
        (-length + pulley, 0.0, 0.0),
        g["pulley_mm"],
        {"length_mm": 1.0},
        {"pulley_mm": 0.5},
        role="rotating",
    )


def _inline(given: Given) -> Laid:
    s = Shaping(given)
    length, half, top = given["length_mm"], given["width_mm"] / 2, given["top_mm"]
    front = -length * 0.94
    s.box("block", (front, -half, -given["width_mm"] * 0.25), (0.0, half, top * 0.62), {"width_mm": 0.5}, {"length_mm": 0.94})
    s.box(
        "head",
        (front * 0.97, -half * 0.75, top * 0.62),
        (-0.02 * length, half * 0.75, top),
        {"top_mm": 1.0},
        {"width_mm": 0.375},
        {"length_mm": 0.91},
    )
    _lower_end(s)
    _engine_points(s)
    return s.laid()


def _vee(given: Given) -> Laid:
    s = Shaping(given)
    length, top, wide, low = given["length_mm"], given["top_mm"], given["across_top_mm"] / 2, given["width_mm"] / 2
    lean = math.radians(given["bank_deg"] / 2)
    foot, head = min(low, wide), HEAD_SHARE * wide
    # Seen from behind: up the outside of one bank, across its head square to the bank, and down into the valley.
    outer, inner = (wide, max(0.15 * top, top - head * math.sin(lean))), (wide - head * math.cos(lean), top)
    right = ((foot, -given["width_mm"] * 0.25), (foot, top * 0.1), outer, inner)
    outline = (*right, (0.0, top * 0.45), *((-y, z) for y, z in reversed(right)))
    s.pulled("block and heads", "rear", outline, (-length * 0.94, 0.0), {"across_top_mm": 0.5}, {"top_mm": 1.0}, {"length_mm": 0.94})
    _lower_end(s)
    _engine_points(s)
    return s.laid()


def _motor(given: Given) -> Laid:
    s = Shaping(given)
    length, diameter, shaft = given["length_mm"], given["diameter_mm"], given["shaft_mm"]
    s.cylinder("can", (-length, 0.0, 0.0), (0.0, 0.0, 0.0), diameter, {"diameter_mm": 0.5}, {"length_mm": 1.0})
    s.cylinder("shaft end", (0.0, 0.0, 0.0), (shaft, 0.0, 0.0), given["shaft_diameter_mm"], {"shaft_mm": 1.0}, role="rotating")
    s.box(
        "terminals",
        (-length * 0.75, -diameter * 0.3, diameter * 0.4),
        (-length * 0.35, diameter * 0.3, diameter * 0.5 + given["terminals_mm"]),
        {"diameter_mm": 0.5, "terminals_mm": 1.0},
        role="wiring",
    )
    rests = ("feet_ahead_mm", "feet_apart_mm", "feet_below_mm")
    for side, y in (("left", -0.5), ("right", 0.5)):
        place: Vec3 = (-given["feet_ahead_mm"], y * given["feet_apart_mm"], -given["feet_below_mm"])
        s.point(f"{side} foot", "hole", place, *rests, axis=UP, hole="hole_mm")
    s.point("output", "joint", (shaft, 0.0, 0.0), "shaft_mm", axis=BACK)
    s.point("rear face", "face", (0.0, 0.0, 0.0), axis=BACK)
    return s.laid()


def _gearbox(given: Given) -> Laid:
    s = Shaping(given)
    length, bell = given["length_mm"], given["bell_mm"] / 2
    deep = min(given["bell_long_mm"], 0.6 * length)
    half, high = given["width_mm"] / 2, given["height_mm"] / 2
    small = max(half, high) / bell if bell else 1.0
    taper = (
        (0.0, -bell),
        (0.0, bell),
        (deep * 0.3, bell),
        (deep, bell * min(1.0, small)),
        (deep, -bell * min(1.0, small)),
        (deep * 0.3, -bell),
    )
    s.pulled("bell housing", "side", taper, (-bell, bell), {"bell_mm": 0.5}, {"bell_long_mm": 1.0})
    s.box(
        "gear case",
        (deep, -half, -high),
        (length * 0.95, half, high),
        {"width_mm": 0.5},
        {"height_mm": 0.5},
        {"length_mm": 0.95},
        {"bell_long_mm": 1.0},
    )
    out = given["output_up_mm"]
    s.cylinder(
        "output flange",
        (length * 0.95, 0.0, out),
        (length, 0.0, out),
        given["flange_mm"],
        {"length_mm": 1.0},
        {"output_up_mm": 1.0, "flange_mm": 0.5},
        role="rotating",
    )
    s.point("output", "joint", (length, 0.0, out), "length_mm", "output_up_mm", axis=BACK)
    s.point("rear face", "face", (length, 0.0, 0.0), "length_mm", axis=BACK)
    s.point(
        "mounting foot",
        "hole",
        (given["foot_back_mm"], 0.0, -given["foot_below_mm"]),
        "foot_back_mm",
        "foot_below_mm",
        axis=UP,
        hole="hole_mm",
    )
    return s.laid()


def _transfer(given: Given) -> Laid:
    s = Shaping(given)
    length, half = given["length_mm"], given["width_mm"] / 2
    side = -1.0 if given.chosen("front_side") == "left" else 1.0
    across, drop = side * given["front_across_mm"], given["front_drop_mm"]
    rear, front = given["rear_back_mm"], given["front_ahead_mm"]
    s.box(
        "case",
        (0.0, min(-half, across - half / 2), min(-half * 0.6, -drop - half * 0.6)),
        (length, max(half, across + half / 2), max(half, -drop + half * 0.6)),
        {"width_mm": 0.5},
        {"length_mm": 1.0},
        {"front_across_mm": 1.0, "width_mm": 0.25},
        {"front_drop_mm": 1.0, "width_mm": 0.3},
    )
    s.cylinder("rear flange", (length * 0.95, 0.0, 0.0), (rear, 0.0, 0.0), given["flange_mm"], {"rear_back_mm": 1.0}, role="rotating")
    s.cylinder(
        "front flange",
        (-front, across, -drop),
        (0.05 * length, across, -drop),
        given["flange_mm"],
        {"front_ahead_mm": 1.0},
        role="rotating",
    )
    s.point("rear output", "joint", (rear, 0.0, 0.0), "rear_back_mm", axis=BACK)
    s.point("front output", "joint", (-front, across, -drop), "front_ahead_mm", "front_across_mm", "front_drop_mm", axis=AHEAD)
    return s.laid()


def _axle(given: Given) -> Laid:
    s = Shaping(given)
    half, tube, diff = given["flanges_mm"] / 2, given["tube_mm"], given["diff_mm"]
    way = -1.0 if given.chosen("nose") == "ahead" else 1.0
    side, up, nose = given["pinion_right_mm"], given["pinion_up_mm"], given["pinion_out_mm"]
    s.cylinder("tube", (0.0, -half, 0.0), (0.0, half, 0.0), tube, {"tube_mm": 0.5})
    wide = diff * 0.38
    s.cylinder("differential", (0.0, side - wide, 0.0), (0.0, side + wide, 0.0), diff, {"diff_mm": 0.5}, {"pinion_right_mm": 1.0})
    s.cylinder(
        "pinion nose", (way * diff * 0.3, side, up), (way * nose, side, up), given["nose_mm"], {"pinion_out_mm": 1.0}, {"nose_mm": 0.5}
    )
    s.point("pinion", "joint", (way * nose, side, up), "pinion_out_mm", "pinion_right_mm", "pinion_up_mm", axis=(-way, 0.0, 0.0))
    s.point("left flange", "wheel", (0.0, -half, 0.0), "flanges_mm", axis=LEFT, share=0.5)
    s.point("right flange", "wheel", (0.0, half, 0.0), "flanges_mm", axis=RIGHT, share=0.5)
    pad, apart = tube / 2, given["pads_mm"] / 2
    s.point("left spring seat", "face", (0.0, -apart, pad), "pads_mm", "tube_mm", axis=UP, share=0.5)
    s.point("right spring seat", "face", (0.0, apart, pad), "pads_mm", "tube_mm", axis=UP, share=0.5)
    return s.laid()


def _final_drive(given: Given) -> Laid:
    s = Shaping(given)
    long, half, high = given["length_mm"], given["width_mm"] / 2, given["height_mm"] / 2
    way = -1.0 if given.chosen("nose") == "ahead" else 1.0
    nose, flange = given["pinion_out_mm"], given["outputs_mm"] / 2
    s.box("case", (-long / 2, -half, -high), (long / 2, half, high), {"length_mm": 0.5}, {"width_mm": 0.5}, {"height_mm": 0.5})
    s.cylinder("pinion nose", (way * long * 0.4, 0.0, 0.0), (way * nose, 0.0, 0.0), given["nose_mm"], {"pinion_out_mm": 1.0})
    s.cylinder("output flanges", (0.0, -flange, 0.0), (0.0, flange, 0.0), given["flange_mm"], {"outputs_mm": 0.5}, role="rotating")
    s.point("pinion", "joint", (way * nose, 0.0, 0.0), "pinion_out_mm", axis=(-way, 0.0, 0.0))
    s.point("left output", "joint", (0.0, -flange, 0.0), "outputs_mm", axis=LEFT, share=0.5)
    s.point("right output", "joint", (0.0, flange, 0.0), "outputs_mm", axis=RIGHT, share=0.5)
    for side, y in (("left", -0.5), ("right", 0.5)):
        place: Vec3 = (0.0, y * given["holes_apart_mm"], given["holes_up_mm"])
        s.point(f"{side} mounting hole", "hole", place, "holes_apart_mm", "holes_up_mm", axis=UP, hole="hole_mm")
    return s.laid()


_NOSE = Pick("nose", "its pinion looks", (("ahead", "forward, as a rear axle's does"), ("back", "rearward, as a front axle's does")))
_NOSE_FIGURES = (
    Figure("pinion_out_mm", "axle's middle to the pinion flange", 330.0, 60.0, 1200.0, "along the pinion"),
    Figure("nose_mm", "pinion nose, diameter", 110.0, 30.0, 400.0),
)

ENGINE_INLINE = StarterForm(
    "engine_inline", "In-line engine", "motor straight three four five six cylinder diesel petrol", "cylinders in one row",
    (*_BLOCK, *_FEET, MASS), _inline,
)  # fmt: skip
ENGINE_VEE = StarterForm(
    "engine_vee", "V engine", "motor vee six eight ten twelve cylinder", "cylinders in two banks",
    (*_BLOCK, Figure("across_top_mm", "width over the heads", 620.0, 200.0, 1800.0), Figure("bank_deg", "angle between the banks", 90.0, 10.0, 180.0),
     *_FEET, MASS), _vee,
)  # fmt: skip
MOTOR = StarterForm(
    "motor", "Electric motor", "traction drive machine electric", "a round can with its shaft",
    (
        Figure("length_mm", "length of the can", 380.0, 60.0, 1500.0), Figure("diameter_mm", "diameter of the can", 300.0, 50.0, 1000.0),
        Figure("shaft_mm", "face to the output's joint", 60.0, 0.0, 500.0), Figure("shaft_diameter_mm", "output flange, diameter", 110.0, 10.0, 400.0),
        Figure("terminals_mm", "terminals, above the can", 60.0, 1.0, 400.0),
        Figure("feet_ahead_mm", "feet, ahead of the face", 120.0, 0.0, 1500.0, "to the middle of the mounting holes"),
        Figure("feet_apart_mm", "feet, hole to hole across", 260.0, 20.0, 1200.0), Figure("feet_below_mm", "feet, below the shaft", 160.0, -400.0, 600.0),
        HOLE, MASS,
    ), _motor,
)  # fmt: skip
GEARBOX = StarterForm(
    "gearbox", "Gearbox", "transmission manual automatic box", "from the engine's rear face to its output flange",
    (
        Figure("length_mm", "length, engine face to output flange", 650.0, 150.0, 2000.0),
        Figure("bell_mm", "bell housing, diameter", 380.0, 120.0, 900.0), Figure("bell_long_mm", "bell housing, length", 180.0, 20.0, 600.0),
        Figure("width_mm", "case, width", 240.0, 60.0, 900.0), Figure("height_mm", "case, height", 260.0, 60.0, 900.0),
        Figure("output_up_mm", "output above the engine's line", 0.0, -400.0, 400.0, "below it: with a minus"),
        Figure("flange_mm", "output flange, diameter", 100.0, 20.0, 300.0),
        Figure("foot_back_mm", "mounting foot, behind the engine face", 480.0, 0.0, 2000.0), Figure("foot_below_mm", "mounting foot, below the engine's line", 130.0, -300.0, 600.0),
        HOLE, MASS,
    ), _gearbox,
)  # fmt: skip
TRANSFER = StarterForm(
    "transfer", "Transfer case", "transfer box four-wheel drive drop box", "from the gearbox's face to both outputs",
    (
        Figure("length_mm", "length of the case", 240.0, 60.0, 900.0), Figure("width_mm", "width of the case", 280.0, 60.0, 900.0),
        Figure("rear_back_mm", "rear output, behind the gearbox face", 300.0, 20.0, 1200.0),
        Figure("front_ahead_mm", "front output, ahead of the gearbox face", 60.0, -600.0, 800.0, "behind it: with a minus"),
        Figure("front_across_mm", "front output, out from the middle", 190.0, 0.0, 700.0), Figure("front_drop_mm", "front output, below the middle", 150.0, -300.0, 600.0),
        Figure("flange_mm", "flanges, diameter", 96.0, 20.0, 300.0), MASS,
    ), _transfer, (Pick("front_side", "its front output is on the", (("left", "left"), ("right", "right"))),),
)  # fmt: skip
AXLE = StarterForm(
    "axle", "Live axle", "beam solid rear front axle differential", "a beam with its differential in it",
    (
        Figure("flanges_mm", "hub flange to hub flange", 1500.0, 500.0, 3200.0), Figure("tube_mm", "tube, diameter", 90.0, 30.0, 300.0),
        Figure("diff_mm", "differential, diameter", 270.0, 100.0, 700.0), *_NOSE_FIGURES,
        Figure("pinion_right_mm", "pinion, right of the middle", 0.0, -900.0, 900.0, "left of it: with a minus"),
        Figure("pinion_up_mm", "pinion, above the axle's middle", 0.0, -300.0, 300.0), Figure("pads_mm", "spring seats, middle to middle", 1050.0, 200.0, 2500.0), MASS,
    ), _axle, (_NOSE,),
)  # fmt: skip
FINAL_DRIVE = StarterForm(
    "final_drive", "Independent final drive", "differential diff carrier independent suspension", "a case held to the frame, half shafts at its sides",
    (
        Figure("length_mm", "case, length", 320.0, 80.0, 900.0), Figure("width_mm", "case, width", 260.0, 80.0, 900.0), Figure("height_mm", "case, height", 260.0, 80.0, 700.0),
        *_NOSE_FIGURES, Figure("outputs_mm", "output flange to output flange", 320.0, 80.0, 1200.0), Figure("flange_mm", "output flanges, diameter", 100.0, 30.0, 300.0),
        Figure("holes_apart_mm", "mounting holes, across", 300.0, 40.0, 1200.0), Figure("holes_up_mm", "mounting holes, above the middle", 140.0, -400.0, 500.0), HOLE, MASS,
    ), _final_drive, (_NOSE,),
)  # fmt: skip
