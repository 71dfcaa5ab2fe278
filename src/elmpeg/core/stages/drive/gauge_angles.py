"""What an angle gauge says of a line's joints, and whether that belongs to the position.

A gauge laid on a shaft, or on the face of a flange, reads how far its axis **leans**
from level, or from what the gauge was **zeroed** on. Only readings zeroed alike
belong together; the difference of two tells a joint's angle as seen from the side,
and a vehicle that stands out of level drops out of it. How a shaft runs sideways no
gauge sees: that comes from the position.
"""

from __future__ import annotations

import math
from typing import get_args

from elmpeg.core.base.days import day_said
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import angle_deg
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import DRIVE_END, Driveline, GaugeZero, Member, SlopeReading, members_of
from elmpeg.core.methods.driveline.line_motion import LaidLine, line_axes
from elmpeg.core.methods.measuring.repeats import APART_SD, Together, together
from elmpeg.core.scene.axis_from_gauge import lean_deg, leaning


@record
class GaugedJoint:
    """A joint's true angle with the gauge's part in it; None where readings do not give it. ``lacking``: what keeps it from being relied on."""

    angle_deg: float | None
    sd_deg: float
    basis: str
    lacking: tuple[str, ...]


@record
class _Lean:
    """The readings of one member that were zeroed alike; ``read`` is None for what the gauge was zeroed on, which needs none."""

    read: Together | None
    readings: tuple[SlopeReading, ...]

    @property
    def deg(self) -> float:
        return self.read.mean if self.read else 0.0

    @property
    def sd_deg(self) -> float:
        return self.read.sd if self.read else 0.0


def member_name(member: Member) -> str:
    """A member in words."""
    near, far = member
    return "drive end" if not near else "driven end" if not far else f"{near}-{far}"


def readings_of(build: Build, line: Driveline) -> tuple[SlopeReading, ...]:
    """Everything that was read on a line, set aside or not."""
    return tuple(r for r in build.slopes if r.line == line.id)


def gauged_joint(build: Build, line: Driveline, laid: LaidLine, index: int, position_sd_deg: float) -> GaugedJoint:
    """A joint's angle from the readings on its two sides, held against the position with its doubt.

    The arriving member leans as the position says and the leaving one by as much more
    or less as the gauge tells; both run sideways as the position says.
    """
    arriving, leaving = members_of(line)[index : index + 2]
    name = line.joints[index].id
    lacking = _stood_wrong(build, line, (arriving, leaving))
    pair = _zeroed_alike(build, line, arriving, leaving)
    if pair is None:
        sides = f"{member_name(arriving)} and {member_name(leaving)}"
        if all(any(_counted(build, line, side, zero) for zero in get_args(GaugeZero)) for side in (arriving, leaving)):
            lacking.append(f"angle of {name}: {sides} were not read from one zero; read one of them again")
        else:
            lacking.append(
                f"angle of {name}: nobody has read {sides} with a gauge from one zero; what stands here is what the position gives"
            )
        return GaugedJoint(None, 0.0, "", tuple(lacking))
    before, after = pair
    for side, lean in ((arriving, before), (leaving, after)):
        lacking += _unsure(side, lean)
    axes = line_axes(laid.input_axis, laid.output_axis, laid.joints)[index : index + 2]
    told, meant = after.deg - before.deg, lean_deg(axes[1]) - lean_deg(axes[0])
    sd = math.hypot(before.sd_deg, after.sd_deg)
    if abs(told - meant) > APART_SD * math.hypot(sd, position_sd_deg):
        lacking.append(
            f"angle of {name}: the gauge says {abs(told):.1f}° seen from the side, the position {abs(meant):.1f}°; they do not belong to one position"
        )
    angle = angle_deg(axes[0], leaning(axes[1], lean_deg(axes[0]) + told))
    # The more of the angle lies in the side view, the more of its doubt is the gauge's and the less the position's.
    share = min(1.0, abs(told) / angle) if angle > 0 else 1.0
    sd = math.hypot(share * sd, math.sqrt(1.0 - share * share) * position_sd_deg)
    return GaugedJoint(angle, sd, _basis((*before.readings, *after.readings)), tuple(lacking))


def _counted(build: Build, line: Driveline, member: Member, zero: GaugeZero) -> tuple[SlopeReading, ...]:
    return tuple(
        r for r in readings_of(build, line) if (r.near, r.far) == member and r.zero == zero and r.stance == "ride" and not r.dropped
    )


def _lean(build: Build, line: Driveline, member: Member, zero: GaugeZero) -> _Lean | None:
    if zero == DRIVE_END and not member[0]:
        return _Lean(None, ())
    counted = _counted(build, line, member, zero)
    if not counted:
        return None
    return _Lean(together([r.value_deg for r in counted], (build.tool_sd_deg(r.tool) for r in counted)), counted)


def _zeroed_alike(build: Build, line: Driveline, arriving: Member, leaving: Member) -> tuple[_Lean, _Lean] | None:
    """The readings of a joint's two sides from one zero; the surer where there are several."""
    found = []
    for zero in get_args(GaugeZero):
        before, after = _lean(build, line, arriving, zero), _lean(build, line, leaving, zero)
        if before is not None and after is not None:
            found.append((before, after))
    return min(found, key=lambda pair: _fewest(*pair), default=None)


def _fewest(before: _Lean, after: _Lean) -> tuple[int, float]:
    return (-min(len(lean.readings) for lean in (before, after) if lean.readings), math.hypot(before.sd_deg, after.sd_deg))


def _stood_wrong(build: Build, line: Driveline, members: tuple[Member, Member]) -> list[str]:
    found = []
    for reading in readings_of(build, line):
        if (reading.near, reading.far) in members and not reading.dropped and reading.stance != "ride":
            stood = "was read off ride height" if reading.stance else "does not say how the vehicle stood"
            found.append(f"slope of {member_name((reading.near, reading.far))}: “{reading.text}” by {reading.person} {stood}")
    return found


def _unsure(member: Member, lean: _Lean) -> list[str]:
    if lean.read is None:
        return []
    name, read = member_name(member), lean.read
    if not read.repeated:
        return [f"slope of {name}: read once; read it again without looking at the first"]
    if not read.agree:
        return [f"slope of {name}: the readings differ by {read.apart:.1f}°; read it again and set one aside"]
    return []


def _basis(readings: tuple[SlopeReading, ...]) -> str:
    people = ", ".join(dict.fromkeys(r.person for r in readings))
    return f"with an angle gauge at ride height by {people}, last {day_said(max(r.taken_at for r in readings))}; sideways as the position gives"
