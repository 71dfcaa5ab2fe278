"""Six calculations in the shop's notebook, as somebody typed them, and one in a build that is filled from it."""

from __future__ import annotations

from elmpeg.core.build.document import Build
from elmpeg.core.build.reckonings import ReckoningVersion, SetAside, TypedFigure
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.reckoning.from_build import FromBuild
from elmpeg.core.reckoning.keeping import kept_in
from elmpeg.store.notebook import Notebook

_PEDAL = {
    "drive.pivot_mm.0": "0", "drive.pivot_mm.1": "0", "drive.pivot_mm.2": "0",
    "drive.axis.0": "0", "drive.axis.1": "1", "drive.axis.2": "0",
    "drive.end_mm.0": "4", "drive.end_mm.1": "0", "drive.end_mm.2": "92", "drive.from_deg": "-14", "drive.to_deg": "16",
    "driven.pivot_mm.0": "352", "driven.pivot_mm.1": "18 ± 2", "driven.pivot_mm.2": "64",
    "driven.axis.0": "0", "driven.axis.1": "1", "driven.axis.2": "0",
    "driven.end_mm.0": "350", "driven.end_mm.1": "18 ± 2", "driven.end_mm.2": "116", "driven.from_deg": "-35", "driven.to_deg": "35",
    "match.drive_deg": "0", "match.driven_deg": "0", "steps": "21",
}  # fmt: skip
_ROD = {
    "centre_mm": "349", "locknut_mm": "5", "ends.0.body_mm": "21.5 ± 0.1", "ends.0.thread_mm": "18", "ends.0.min_engage_mm": "9",
    "ends.1.body_mm": "21.5 ± 0.1", "ends.1.thread_mm": "18", "ends.1.min_engage_mm": "9",
}  # fmt: skip
_BELT = {
    "pulleys.0.id": "crank", "pulleys.0.x_mm": "0", "pulleys.0.y_mm": "0", "pulleys.0.d_mm": "158",
    "pulleys.1.id": "idler", "pulleys.1.x_mm": "160", "pulleys.1.y_mm": "55", "pulleys.1.d_mm": "72", "pulleys.1.back": "1",
    "pulleys.2.id": "second alternator", "pulleys.2.x_mm": "295", "pulleys.2.y_mm": "190", "pulleys.2.d_mm": "58",
    "pulleys.3.id": "water pump", "pulleys.3.x_mm": "-8", "pulleys.3.y_mm": "292", "pulleys.3.d_mm": "132",
    "rpm": "2200", "slot.id": "second alternator", "slot.direction.0": "1", "slot.direction.1": "0.4", "slot.from_mm": "-15",
    "slot.to_mm": "30", "stock_mm": "1300; 1325; 1350; 1375; 1400",
}  # fmt: skip
_SPRING = {
    "wheels.0.id": "FL", "wheels.0.x_mm": "0", "wheels.0.y_mm": "-880", "wheels.0.kg": "1120 ± 5",
    "wheels.1.id": "FR", "wheels.1.x_mm": "0", "wheels.1.y_mm": "880", "wheels.1.kg": "1095 ± 5",
    "wheels.2.id": "RL", "wheels.2.x_mm": "4360", "wheels.2.y_mm": "-890", "wheels.2.kg": "1310 ± 5",
    "wheels.3.id": "RR", "wheels.3.x_mm": "4360", "wheels.3.y_mm": "890", "wheels.3.kg": "1340 ± 5",
    "changes.0.id": "tanks out", "changes.0.kg": "-186", "changes.0.xyz_mm.0": "2900", "changes.0.xyz_mm.1": "0", "changes.0.xyz_mm.2": "520",
    "changes.1.id": "pack in", "changes.1.kg": "640 ± 10", "changes.1.xyz_mm.0": "3050", "changes.1.xyz_mm.1": "0", "changes.1.xyz_mm.2": "560",
    "front_x_mm": "0", "rear_x_mm": "4360", "springs.front_n_mm": "92", "springs.rear_n_mm": "118",
}  # fmt: skip
_UBOLT = {
    "tube_mm": "3 1/2", "pad_mm": "5/16", "blocks_mm": "2", "spring_mm": "1 3/4 ± 1/16", "plate_mm": "3/8", "washer_mm": "1/8", "nut_mm": "9/16",
    "pitch_mm": "1.5 mm", "stock_mm": "8; 8 1/2; 9; 9 1/2; 10",
}  # fmt: skip
_COPE = {"branch_od_mm": "42.4", "header_od_mm": "48.3", "angle_deg": "55° 30'", "offset_mm": "0"}
_HEAVIER = {**_SPRING, "changes.1.kg": "720 ± 10"}


def _figures(typed: dict[str, str]) -> tuple[TypedFigure, ...]:
    return tuple(TypedFigure(name, text) for name, text in typed.items())


def _version(typed: dict[str, str], by: str, at: str, tool: str = "tape", note: str = "", unit: str = "mm") -> ReckoningVersion:
    return ReckoningVersion(1, _figures(typed), "in" if unit == "in" else "mm", by, at, tool, "gauge", (), note)


PAGES: tuple[tuple[str, str, ReckoningVersion], ...] = (
    ("Throttle rod, Cairn", "linkage", _version(_PEDAL, "Teo Marsh", "2026-03-11T10:20:00", "tape", "pedal box mocked in card")),
    ("Throttle rod, cut length", "rod", _version(_ROD, "Teo Marsh", "2026-03-11T10:41:00", "tape")),
    ("Belt for the second alternator", "belt", _version(_BELT, "Sunniva Brekke", "2026-03-13T15:05:00", "tape", "compressor still to come")),
    (
        "Rear springs for the pack", "weight",
        ReckoningVersion(1, _figures(_SPRING), "mm", "Sunniva Brekke", "2026-03-16T09:12:00", "tape", "gauge",
                         (SetAside("larger pack", _figures(_HEAVIER)),), "on the coal merchant's scales"),
    ),
    ("U-bolts with the two inch blocks", "ubolt", _version(_UBOLT, "Wil Adeyemi", "2026-02-24T16:30:00", "tape", "", "in")),
    ("Cope for the rack's stay", "cope", _version(_COPE, "Wil Adeyemi", "2026-03-17T11:48:00", "caliper")),
)  # fmt: skip


def keep_all(notebook: Notebook) -> None:
    """Put the six into an empty notebook."""
    for name, calculator, version in PAGES:
        notebook.keep(name, calculator, version)


LINE_ENDS = (("points_mm.0", "arm-lower-frame"), ("points_mm.3", "rear-spring-eye"))
_LINE = {
    "points_mm.1.0": "1050", "points_mm.1.1": "-410", "points_mm.1.2": "470", "points_mm.2.0": "2350", "points_mm.2.1": "-410",
    "points_mm.2.2": "500", "bend_radius_mm": "40",
}  # fmt: skip


def with_brake_line(build: Build) -> Build:
    """The ambulance with the length of a line between two of its points, filled in from where they are."""
    place = FromBuild(build, evaluate(build, build.options[0].id))
    figures = list(_figures(_LINE))
    for field, point in LINE_ENDS:
        for k, axis in enumerate("xyz"):
            taken = place.now(f"point:{point}:{axis}")
            if taken is not None:
                text = f"{taken.value:.2f} ± {taken.sd:.2f}"
                figures.append(TypedFigure(f"{field}.{k}", text, f"point:{point}:{axis}", text))
    version = ReckoningVersion(1, tuple(figures), "mm", "Wil Adeyemi", "2026-03-18T14:02:00", "tape", "gauge", (), "along the left rail")
    return kept_in(build, "Brake line along the left rail", "route", version)
