"""A line's tubes: the speed they stand, and how high above the ground they run."""

from __future__ import annotations

import numpy as np

from elmpeg.core.base.quantities import Quantity, bought_mm, mm, words
from elmpeg.core.base.verdicts import verdict_within
from elmpeg.core.build.drivelines import Driveline, Shaft
from elmpeg.core.judging.checks import Check, Input, Remedy, about
from elmpeg.core.judging.drafts import Array, Draft, LineDraft
from elmpeg.core.judging.scatter import Least
from elmpeg.core.methods.driveline.shaft_tubes import Road, Tube, critical_rpm
from elmpeg.core.scene.line_in_scene import LineAt, LinesAt, lengths_between, lengths_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.ground_clearance import clearances, lowest, undersides


def shaft_rpm(line: Driveline) -> float:
    """The fastest a line's shafts turn: what it is judged at, or what top speed on the road asks, whichever is more."""
    road = line.road
    asked = Road(road.top_speed_kmh, road.tyre_mm, road.axle_ratio).rpm_per_kmh * road.top_speed_kmh if road else 0.0
    return max(line.rpm, asked)


def safe_rpm(length_mm: float, shaft: Shaft, share: float) -> float:
    """The speed a shaft may turn: a share of its first bending speed."""
    return critical_rpm(Tube(length_mm, shaft.od_mm, shaft.wall_mm, shaft.material)) * share


def speed_drafts(scene: Scene, line: Driveline, at: LineAt) -> list[LineDraft]:
    """Whether each tube stands the speed it turns at."""
    if line.use == "steering":
        return []
    share, rpm = scene.build.limits.joints.speed_share, shaft_rpm(line)
    drafts: list[LineDraft] = []
    for k, shaft in enumerate(line.shafts):
        code = f"line.{line.id}.tube.{line.joints[k].id}-{line.joints[k + 1].id}"

        def figure(one: LineAt, k: int = k, shaft: Shaft = shaft) -> float:
            return safe_rpm(lengths_of(one.laid)[k], shaft, share)

        def many(of: LinesAt, k: int = k, shaft: Shaft = shaft) -> Array:
            return np.array([safe_rpm(long, shaft, share) for long in lengths_between(of.places)[:, k].tolist()])

        def tell(k: int = k, shaft: Shaft = shaft, code: str = code) -> Check:
            length = lengths_of(at.laid)[k]
            safe = safe_rpm(length, shaft, share)
            bad = rpm > safe
            member = f"{line.joints[k].id}-{line.joints[k + 1].id}"
            return Check(
                code=code,
                family="speed",
                name=f"{line.name}, shaft {member}: safe speed",
                unit="rpm",
                verdict=verdict_within(safe, rpm, None),
                why=words(
                    f"It stands {{0}}, {share * 100:.0f} % of its first bending speed, and turns up to {{1}}{', too fast' if bad else ''}.",
                    Quantity(safe, "rpm"),
                    Quantity(rpm, "rpm"),
                ),
                value=safe,
                low=rpm,
                remedies=(Remedy(words("Take a tube of larger diameter, or two shafts with a carrier.")),) if bad else (),
                inputs=(Input("length", mm(length)), Input("outside", bought_mm(shaft.od_mm)), Input("wall", bought_mm(shaft.wall_mm))),
                formula="first bending speed of a plain tube held at its ends, times the share that is used",
                about=about(points=(line.joints[k].point, line.joints[k + 1].point), drivelines=line.id),
            )

        drafts.append(Draft(code, "rpm", figure, many, rpm, None, tell))
    return drafts


def ground_drafts(scene: Scene, line: Driveline, at: LineAt) -> list[LineDraft]:
    """Whether the line runs high enough above the ground."""
    found = lowest(scene.build, line, at.laid)
    if found is None or line.use != "propeller":
        return []
    code, least = f"line.{line.id}.ground.low", scene.build.limits.joints.ground_mm

    def figure(one: LineAt) -> float:
        now = lowest(scene.build, line, one.laid)
        return now.clearance_mm if now else 0.0

    def tell() -> Check:
        low = found.clearance_mm < least
        return Check(
            code=code,
            family="ground",
            name=f"{line.name}: ground clearance",
            unit="mm",
            verdict=verdict_within(found.clearance_mm, least, None),
            why=words(
                f"Its lowest point runs {{0}} above the ground, {'less' if low else 'more'} than {{1}}.", mm(found.clearance_mm), mm(least)
            ),
            value=found.clearance_mm,
            low=least,
            inputs=(Input("lowest at X", mm(found.x_mm)),),
            formula="underside of tubes and joints' sweep above the ground line at ride height",
            about=about(points=tuple(j.point for j in line.joints), drivelines=line.id),
        )

    def candidates(one: LineAt) -> Least:
        return Least(u.clearance_mm for u in undersides(scene.build, line, one.laid))

    return [Draft(code, "mm", figure, lambda many: clearances(scene.build, line, many.places)[0], least, None, tell, parts=candidates)]
