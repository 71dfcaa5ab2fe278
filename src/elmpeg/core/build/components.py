"""Parts that are placed, and wheels."""

from __future__ import annotations

from typing import Annotated

from elmpeg.core.base.declared import POSITIVE, Called, Within
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.methods.shapes.solids import Solid

HEAVIEST_KG = 100_000.0
WEIGHT = Within(0.0, HEAVIEST_KG)


@record
class Component:
    """A part that is placed. A child is bolted to its parent and ``pose`` is then where it sits on that.

    For the rest ``pose`` is where it sits in the vehicle unless an option says otherwise.
    ``mass_kg`` has its centre at ``centre_of_mass_mm``, in the part's own frame; None where
    nobody knows. ``figures_from`` says in words where the part's figures come from, and
    ``origin`` which version of which part of the shop's book it was copied from.
    """

    id: str
    name: str
    pose: Pose
    solids: tuple[Solid, ...] = ()
    parent: str | None = None
    movable: bool = True
    note: str = ""
    mass_kg: Annotated[float | None, WEIGHT] = None
    centre_of_mass_mm: Vec3 | None = None
    figures_from: Annotated[str, Called("figures from")] = ""
    origin: str = ""


@record
class Wheel:
    """A wheel, for the drawing and for standing the vehicle on; ``on`` is the axle that carries it, where it is said, and
    ``kg`` what it weighs on its scale."""

    id: str
    centre_mm: Vec3
    diameter_mm: Annotated[float, POSITIVE]
    width_mm: Annotated[float, POSITIVE]
    on: str = ""
    kg: Annotated[float | None, WEIGHT, Called("mass")] = None
