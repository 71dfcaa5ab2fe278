"""Photographs laid under a view, so that what is seen in them can be traced."""

from __future__ import annotations

from elmpeg.core.base.record import record
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.measuring.plane_projection import Mark
from elmpeg.core.methods.shapes.solids import View


@record
class Underlay:
    """A photograph laid under a view of the vehicle or of a part, by marks whose places are known.

    Two marks scale and turn a picture that was taken square on, four or more one that
    was taken askew. It is true in one plane only: what stands nearer to the camera looks larger.
    """

    id: str
    name: str
    photo: str
    view: View
    marks: tuple[Mark, ...]
    on: str = VEHICLE
    note: str = ""
