"""Everything in a scene that has a shape and a place, collected: what the build says of itself, and what each stage adds."""

from __future__ import annotations

from elmpeg.core.evaluation.catalogue import STAGES
from elmpeg.core.scene.bodies import Bodies, vehicle_bodies
from elmpeg.core.scene.scene import Scene


def all_bodies(scene: Scene) -> Bodies:
    """The list that every look at shapes goes through, where the scene's state has each."""
    return Bodies((*vehicle_bodies(scene), *(body for stage in STAGES for bodies in stage.bodies for body in bodies(scene))))
