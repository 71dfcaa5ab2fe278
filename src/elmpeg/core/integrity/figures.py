"""Figures that no workshop has, and places too far away to be meant."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import fields, is_dataclass

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM

LARGEST_FIGURE = 1e6
"""Above every length in mm, angle, speed and acceleration that a build can hold."""
COUNTED = frozenset(("size_bytes", "triangles_in_file"))
"""Not measured in a workshop: how long a file is, and how finely a scan is made. A telephone's picture has several million bytes."""


def all_sane(value: object) -> bool:
    """Whether no figure is larger than any workshop has; quick, since every save asks."""
    if isinstance(value, float | int):
        return -LARGEST_FIGURE <= value <= LARGEST_FIGURE
    if isinstance(value, tuple):
        return all(map(all_sane, value))
    names = getattr(value, "__slots__", None)
    return names is None or all(all_sane(getattr(value, name)) for name in names if name not in COUNTED)


def insane(path: str, value: object) -> Iterator[tuple[str, str]]:
    """Each figure no workshop has, and where it stands in the document."""
    if isinstance(value, int | float) and not isinstance(value, bool):
        if abs(value) > LARGEST_FIGURE:
            yield path, f"is {value:g}, larger than anything in a workshop; check the figure"
    elif isinstance(value, tuple):
        for i, item in enumerate(value):
            yield from insane(f"{path}.{i}", item)
    elif is_dataclass(value):
        for f in fields(value):
            if f.name not in COUNTED:
                yield from insane(f"{path}.{f.name}".lstrip("."), getattr(value, f.name))


def far(field: str, xyz_mm: Vec3) -> Iterator[tuple[str, str]]:
    if any(abs(v) > LONGEST_MM for v in xyz_mm):
        yield field, "is more than 100 m away; check the unit"
