"""All starter forms, in the order that people look for them."""

from __future__ import annotations

from elmpeg.core.starters import drivetrain, other_parts
from elmpeg.core.starters.given import StarterForm

FORMS: dict[str, StarterForm] = {
    form.id: form
    for form in (
        drivetrain.ENGINE_INLINE,
        drivetrain.ENGINE_VEE,
        drivetrain.MOTOR,
        drivetrain.GEARBOX,
        drivetrain.TRANSFER,
        drivetrain.AXLE,
        drivetrain.FINAL_DRIVE,
        other_parts.PACK,
        other_parts.RADIATOR,
        other_parts.ACCESSORY,
        other_parts.SEAT,
        other_parts.TANK,
        other_parts.EXHAUST,
        other_parts.BLOCK,
    )
}
