"""One check of a mount's hardware, and the remedy that sets figures of a mount."""

from __future__ import annotations

from elmpeg.core.base.quantities import Unit, Words
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.mounts import Mount
from elmpeg.core.judging.checks import Change, Check, Input, Remedy, about


def hardware_check(
    mount: Mount,
    code: str,
    family: str,
    title: str,
    verdict: Verdict,
    why: Words,
    value: float | None = None,
    low: float | None = None,
    high: float | None = None,
    remedy: Words | Remedy | None = None,
    inputs: tuple[Input, ...] = (),
    formula: str = "",
    unit: Unit = "mm",
) -> Check:
    """A check of a mount by its own code and title, about the mount and its two points."""
    return Check(
        code=f"mount.{mount.id}.{code}",
        family=family,
        name=f"{mount.name}: {title}",
        unit=unit,
        verdict=verdict,
        why=why,
        value=value,
        low=low,
        high=high,
        remedies=() if remedy is None else (remedy if isinstance(remedy, Remedy) else Remedy(remedy),),
        inputs=inputs,
        formula=formula,
        about=about(points=(mount.component_point, mount.seat_point), mounts=mount.id),
    )


def sets(mount: Mount, told: Words, figures: dict[str, float]) -> Remedy:
    """A remedy that sets figures of a mount's, by their paths within it."""
    return Remedy(told, changes=tuple(Change("mounts", mount.id, path, to) for path, to in figures.items()))


# The bolt and its thread
