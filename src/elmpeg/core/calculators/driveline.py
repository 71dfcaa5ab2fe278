"""Calculator ``driveline``: angles, motion and verdicts of a line of joints and shafts."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import words
from elmpeg.core.base.verdicts import worst
from elmpeg.core.calculators.directions import AxisToRear
from elmpeg.core.calculators.fields import Deg, Finite, Name, PointMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.driveline import line_motion as line
from elmpeg.core.methods.driveline.joint_limits import JointBand, JointLimits, School, joint_bands, line_verdicts
from elmpeg.core.methods.driveline.joint_motion import JointKind


class JointFields(Request):
    """One joint in order from the drive end."""

    id: Name
    xyz_mm: PointMm
    kind: JointKind
    max_angle_deg: Annotated[float, Field(gt=0, le=90, allow_inf_nan=False)] | None = None


class Driveline(Request):
    """A line at a speed. Axes run from the drive end to the driven end; one phase a shaft."""

    rpm: Annotated[Finite, Field(gt=0, le=100_000)]
    input_axis: AxisToRear
    output_axis: AxisToRear
    joints: Annotated[list[JointFields], Field(min_length=1, max_length=20)]
    phases_deg: list[Deg]
    school: School


def line_joints(request: Driveline) -> tuple[line.Joint, ...]:
    """The request's joints; raises InputError where two have one id."""
    joints = tuple(line.Joint(j.id, j.xyz_mm, j.kind, j.max_angle_deg) for j in request.joints)
    if len({j.id for j in joints}) < len(joints):
        raise InputError("joints", f"has two joints of one id among {', '.join(j.id for j in joints)}; give each its own")
    return joints


def compute(request: Driveline) -> dict[str, Any]:
    """Joint angles with limits and verdicts, each member's ripple and acceleration, and the equivalent angle."""
    joints = line_joints(request)
    limits = JointLimits()
    motion = line.driveline_motion(request.rpm, request.input_axis, request.output_axis, joints, tuple(request.phases_deg))
    bands = joint_bands(joints, request.rpm, request.school, limits)
    verdicts = line_verdicts(motion, bands, limits)
    return {
        "joints": [
            {
                **asdict(bent),
                "least_deg": band.low_deg,
                "limit_deg": band.high_deg,
                "verdict": verdict,
                "why": why(bent.angle_deg, band),
            }
            for bent, band, verdict in zip(motion.joints, bands, verdicts, strict=False)
        ],
        "members": [
            {**asdict(member), "verdict": verdict} for member, verdict in zip(motion.members, verdicts[len(motion.joints) :], strict=True)
        ],
        "equivalent_angle_deg": motion.equivalent_angle_deg,
        "verdict": worst(verdicts),
    }


def why(angle_deg: float, band: JointBand) -> str:
    """One plain sentence on a joint's angle against its band."""
    if angle_deg > band.high_deg:
        return f"{angle_deg:.2f}° is {angle_deg - band.high_deg:.2f}° over {band.high_deg:.2f}°: {band.reason}."
    if band.low_deg is not None and angle_deg < band.low_deg:
        return f"{angle_deg:.2f}° is under {band.low_deg:.2f}°: {band.reason}."
    return f"{angle_deg:.2f}° is within {band.low_deg or 0:.2f}° to {band.high_deg:.2f}°: {band.reason}."


def limits(_request: Driveline, result: Result) -> tuple[Limit, ...]:
    """Each joint's angle and each member's motion against the usual limits."""
    usual = JointLimits()
    found = []
    for j in result["joints"]:
        turn = words(f"{j['why'].replace('{', '(').replace('}', ')')} Turn what it joins, or move it.")
        found.append(Limit(f"joint {j['id']}", f"{j['id']} bends", j["angle_deg"], "deg", j["least_deg"], j["limit_deg"], turn))
    for k, m in enumerate(result["members"]):
        driven = k == len(result["members"]) - 1
        high = usual.driven_accel_rad_s2 if driven else usual.shaft_accel_rad_s2
        name = "Driven end" if driven else f"Shaft {k + 1}"
        even = words("make the angles of the two joints equal, and the forks in line")
        found.append(Limit(f"member {k}", f"{name} speeds up and slows, peak", m["accel_peak_rad_s2"], "rad_s2", high=high, mend=even))
    return tuple(found)


CALCULATOR = Calculator(
    name="driveline",
    purpose="Joint angles, speed ripple and verdicts of a driveline",
    request=Driveline,
    compute=compute,
    stage="Drive",
    title="Joints of a driveline",
    words=("driveline", "u-joint", "universal joint", "joint angle", "prop shaft", "propshaft", "vibration", "phasing", "pinion angle",
           "cardan", "double cardan", "transfer case", "transfer box"),
    answers=(
        Answer("joints.0.angle_deg", "The first joint bends"),
        Answer("equivalent_angle_deg", "Together they are as uneven as one joint at"),
        Answer("verdict", "The line"),
    ),
    tables=(
        Table("joints", "Joints", (Answer("id", "Joint"), Answer("angle_deg", "True angle"), Answer("side_deg", "In the side view"),
              Answer("plan_deg", "In plan"), Answer("limit_deg", "At most"), Answer("verdict", "Verdict"))),
        Table("members", "Shafts, last the driven end", (Answer("length_mm", "Length", none="driven end"), Answer("slope_deg", "Slope"),
              Answer("speed_ripple_pct", "Uneven by"), Answer("accel_peak_rad_s2", "Peak"))),
    ),
    formula="A joint's angle is the true one between the axes on either side. The cross keeps the ears square to each other, from which speed "
    "and acceleration follow exactly; equal angles with forks in line cancel.",
    source="Kinematics of the cross; 3° or √(1000 rad/s²) / ω as the cap.",
    not_told="Torque, bearing life and balance.",
    example={
        "rpm": 3000, "input_axis": {"kind": "to_the_rear", "down_deg": 3}, "output_axis": {"kind": "to_the_rear", "down_deg": 3}, "phases_deg": [0], "school": "three_degree",
        "joints": [{"id": "front", "xyz_mm": [0, 0, 0], "kind": "cardan"}, {"id": "rear", "xyz_mm": [1300, 0, -110], "kind": "cardan"}],
    },
    limits=limits,
    exact=('phases_deg', 'joints.max_angle_deg'),
    labels={
        "rpm": "Shaft speed", "input_axis": "Drive end: its axis runs", "output_axis": "Driven end: its axis runs", "joints": "Joints, from the drive end",
        "joints.id": "Joint", "joints.xyz_mm": "Centre", "joints.kind": "Kind", "joints.max_angle_deg": "Maker's limit",
        "phases_deg": "Forks out of line, each shaft", "school": "Cap",
    },
    hints={"input_axis": "as the gauge on its flange or yoke reads; − where it slopes up", "phases_deg": "0 for each shaft, with semicolons"},
    caution="A shaft that lets go kills: guard it, and have it balanced.",
)  # fmt: skip
