"""The shafts of a build's lines as bodies: from joint to joint, as thick as their tubes."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise

from elmpeg.core.base.naming import of_whole
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.shapes.solids import FIXED, Cylinder
from elmpeg.core.scene.bodies import SceneBody
from elmpeg.core.scene.scene import Scene

SHORTEST_MM = 1.0


def shaft_bodies(scene: Scene) -> Iterator[SceneBody]:
    """A shaft goes with no one part: it runs from wherever one end is to wherever the other is. One whose tube nobody said has none."""
    for line in scene.build.drivelines:
        for k, (near, far) in enumerate(pairwise(line.joints)):
            shaft = line.shaft(k)
            a, b = scene.xyz(near.point), scene.xyz(far.point)
            if shaft is None or shaft.od_mm <= 0 or math.dist(a, b) < SHORTEST_MM:
                continue
            member = f"{near.id}-{far.id}"
            name = of_whole(line.name, f"shaft {member}")
            tube = Cylinder(f"{line.id}.{member}", name, a, b, shaft.od_mm, role="rotating")
            yield SceneBody("shaft", "drivelines", line.id, VEHICLE, name, tube, FIXED)
