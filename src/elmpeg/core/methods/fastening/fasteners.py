"""Threads, and the holes, washers, nuts and heads that go with them: M4 to M20 and #10 to 3/4 in.

Lengths in the tables are in the unit the standard gives them in (mm, or inches for
the inch series) and turned into mm once, here. The room that tools need is a shop
allowance, not a standard.
"""

from __future__ import annotations

import re
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH

INCH = float(MM_PER_INCH)
Series = Literal["metric", "inch"]
HeadKind = Literal["hex", "socket", "countersunk"]
Fit = Literal["close", "normal", "loose"]

SOCKET_SHARE, SOCKET_MORE_MM = 1.38, 1.5
RING_SHARE, RING_MORE_MM = 1.5, 2.0
"""Outside of a socket and of a ring spanner over the width across flats: a shop allowance taken from common tools."""
SPANNER_DEEP_MM = 25.0
SOCKET_DEEP_MM = 60.0
"""What a ring spanner, and a socket with the head of its ratchet, need in line with the bolt."""

STANDARDS: dict[str, dict[Series, str]] = {
    "threads": {"metric": "ISO 261 and ISO 262", "inch": "ASME B1.1"},
    "clearance holes": {"metric": "ISO 273", "inch": "ASME B18.2.8 (9/16 by its steps for 5/8)"},
    "tap drills": {"metric": "ISO 2306", "inch": "customary drills for about 75 % of thread"},
    "washers": {"metric": "ISO 7089", "inch": "ASME B18.21.1, plain type A, narrow"},
    "nuts": {"metric": "ISO 4032", "inch": "ASME B18.2.2 (#10: ASME B18.6.3)"},
    "locking nuts": {
        "metric": "ISO 7040 (fine threads: ISO 10512); M18, which it has not, as M20",
        "inch": "ASME B18.16.6, type NE (#10: type NM)",
    },
    "hex heads": {"metric": "ISO 4014 and ISO 4017", "inch": "ASME B18.2.1 (#10: ASME B18.6.3)"},
    "socket heads": {"metric": "ISO 4762", "inch": "ASME B18.3"},
    "countersunk heads": {"metric": "ISO 10642, 90°", "inch": "ASME B18.3, 82°"},
    "room for tools": {"metric": "shop allowance, no standard", "inch": "shop allowance, no standard"},
}


@record
class Thread:
    """One thread: nominal diameter and pitch."""

    name: str
    series: Series
    d_mm: float
    pitch_mm: float
    tap_drill_mm: float
    size: str


@record
class Head:
    """A bolt's head: how wide across its corners or rim, how wide across flats for a spanner (0 for a key), and how high."""

    kind: HeadKind
    across_mm: float
    flats_mm: float
    height_mm: float


@record
class Washer:
    """A plain washer."""

    inside_mm: float
    outside_mm: float
    thick_mm: float


@record
class Nut:
    """A plain hexagon nut."""

    height_mm: float
    flats_mm: float

    @property
    def across_mm(self) -> float:
        """Across its corners."""
        return self.flats_mm * CORNERS


CORNERS = 2 / 3**0.5
"""Across corners over across flats of a hexagon."""


@record
class Size:
    """All that goes with one nominal size; None where the standard has none."""

    close_mm: float
    normal_mm: float
    loose_mm: float
    washer: Washer
    nut: Nut
    hex: Head
    socket: Head
    countersunk: Head | None

    def clearance_mm(self, fit: Fit = "normal") -> float:
        """Diameter of a clearance hole."""
        return {"close": self.close_mm, "normal": self.normal_mm, "loose": self.loose_mm}[fit]

    def head(self, kind: HeadKind) -> Head | None:
        """The head of a kind."""
        return {"hex": self.hex, "socket": self.socket, "countersunk": self.countersunk}[kind]


# size: pitches coarse first with their tap drills; clearance close, normal, loose; washer in, out, thick; nut height, flats;
# hex head height, flats; socket head width; countersunk head width, height.
_METRIC: dict[int, tuple[tuple[tuple[float, float], ...], tuple[float, ...], tuple[float, ...], tuple[float, ...], tuple[float, ...], float, tuple[float, float] | None]] = {
    4: (((0.7, 3.3), (0.5, 3.5)), (4.3, 4.5, 4.8), (4.3, 9, 0.8), (3.2, 7), (2.8, 7), 7, (8.96, 2.48)),
    5: (((0.8, 4.2), (0.5, 4.5)), (5.3, 5.5, 5.8), (5.3, 10, 1.0), (4.7, 8), (3.5, 8), 8.5, (11.2, 3.1)),
    6: (((1.0, 5.0), (0.75, 5.2)), (6.4, 6.6, 7.0), (6.4, 12, 1.6), (5.2, 10), (4.0, 10), 10, (13.44, 3.72)),
    8: (((1.25, 6.8), (1.0, 7.0), (0.75, 7.2)), (8.4, 9.0, 10.0), (8.4, 16, 1.6), (6.8, 13), (5.3, 13), 13, (17.92, 4.96)),
    10: (((1.5, 8.5), (1.25, 8.8), (1.0, 9.0), (0.75, 9.2)), (10.5, 11.0, 12.0), (10.5, 20, 2.0), (8.4, 16), (6.4, 16), 16, (22.4, 6.2)),
    12: (((1.75, 10.2), (1.5, 10.5), (1.25, 10.8), (1.0, 11.0)), (13.0, 13.5, 14.5), (13, 24, 2.5), (10.8, 18), (7.5, 18), 18, (26.88, 7.44)),
    14: (((2.0, 12.0), (1.5, 12.5), (1.25, 12.8)), (15.0, 15.5, 16.5), (15, 28, 2.5), (12.8, 21), (8.8, 21), 21, (30.8, 8.4)),
    16: (((2.0, 14.0), (1.5, 14.5), (1.0, 15.0)), (17.0, 17.5, 18.5), (17, 30, 3.0), (14.8, 24), (10.0, 24), 24, (33.6, 8.8)),
    18: (((2.5, 15.5), (2.0, 16.0), (1.5, 16.5)), (19.0, 20.0, 21.0), (19, 34, 3.0), (15.8, 27), (11.5, 27), 27, None),
    20: (((2.5, 17.5), (2.0, 18.0), (1.5, 18.5), (1.0, 19.0)), (21.0, 22.0, 24.0), (21, 37, 3.0), (18.0, 30), (12.5, 30), 30, (40.32, 10.16)),
}  # fmt: skip
# size in: diameter; coarse and fine threads an inch with tap drills; then as above, in inches.
_INCH: dict[str, tuple[float, tuple[tuple[int, float], ...], tuple[float, ...], tuple[float, ...], tuple[float, ...], tuple[float, ...], float, tuple[float, float] | None]] = {
    "#10": (0.190, ((24, 0.1495), (32, 0.159)), (0.206, 0.221, 0.238), (0.219, 0.500, 0.049), (0.130, 0.375), (0.120, 0.3125), 0.312, (0.411, 0.127)),
    "1/4": (0.250, ((20, 0.201), (28, 0.213)), (0.266, 0.281, 0.297), (0.281, 0.625, 0.065), (0.226, 0.4375), (0.163, 0.4375), 0.375, (0.531, 0.161)),
    "5/16": (0.3125, ((18, 0.257), (24, 0.272)), (0.328, 0.344, 0.359), (0.344, 0.688, 0.065), (0.273, 0.5), (0.211, 0.5), 0.469, (0.656, 0.198)),
    "3/8": (0.375, ((16, 0.3125), (24, 0.332)), (0.391, 0.406, 0.422), (0.406, 0.812, 0.065), (0.337, 0.5625), (0.243, 0.5625), 0.562, (0.781, 0.234)),
    "7/16": (0.4375, ((14, 0.368), (20, 0.3906)), (0.453, 0.469, 0.484), (0.469, 0.922, 0.065), (0.385, 0.6875), (0.291, 0.625), 0.656, (0.844, 0.234)),
    "1/2": (0.5, ((13, 0.4219), (20, 0.4531)), (0.531, 0.562, 0.609), (0.531, 1.062, 0.095), (0.448, 0.75), (0.323, 0.75), 0.750, (0.938, 0.251)),
    "9/16": (0.5625, ((12, 0.4844), (18, 0.5156)), (0.594, 0.625, 0.672), (0.594, 1.156, 0.095), (0.496, 0.875), (0.371, 0.8125), 0.844, None),
    "5/8": (0.625, ((11, 0.5312), (18, 0.5781)), (0.656, 0.688, 0.734), (0.656, 1.312, 0.095), (0.559, 0.9375), (0.403, 0.9375), 0.938, (1.188, 0.324)),
    "3/4": (0.75, ((10, 0.6562), (16, 0.6875)), (0.781, 0.812, 0.906), (0.812, 1.469, 0.134), (0.665, 1.125), (0.483, 1.125), 1.125, (1.438, 0.396)),
}  # fmt: skip

LOCKING_NUT_MM: dict[str, float] = {
    "M4": 6.0, "M5": 6.8, "M6": 8.0, "M8": 9.5, "M10": 11.9, "M12": 14.9, "M14": 17.0, "M16": 19.1, "M20": 22.8,
    "#10": 0.249 * INCH, "1/4": 0.328 * INCH, "5/16": 0.359 * INCH, "3/8": 0.468 * INCH, "7/16": 0.468 * INCH,
    "1/2": 0.609 * INCH, "9/16": 0.656 * INCH, "5/8": 0.765 * INCH, "3/4": 0.890 * INCH,
}  # fmt: skip
"""Greatest height of a nut with a locking ring of plastic, by size."""


def _sizes() -> dict[str, Size]:
    found = {}
    for d, (_, holes, washer, nut, hex_, socket, sunk) in _METRIC.items():
        found[f"M{d}"] = _size(1.0, float(d), holes, washer, nut, hex_, socket, sunk)
    for name, (d_in, _, holes, washer, nut, hex_, socket, sunk) in _INCH.items():
        found[name] = _size(INCH, d_in, holes, washer, nut, hex_, socket, sunk)
    return found


def _size(
    unit: float,
    d: float,
    holes: tuple[float, ...],
    washer: tuple[float, ...],
    nut: tuple[float, ...],
    hex_: tuple[float, ...],
    socket: float,
    sunk: tuple[float, float] | None,
) -> Size:
    close, normal, loose = (h * unit for h in holes)
    inside, outside, thick = (w * unit for w in washer)
    return Size(
        close,
        normal,
        loose,
        Washer(inside, outside, thick),
        Nut(nut[0] * unit, nut[1] * unit),
        Head("hex", hex_[1] * unit * CORNERS, hex_[1] * unit, hex_[0] * unit),
        Head("socket", socket * unit, 0.0, d * unit),
        None if sunk is None else Head("countersunk", sunk[0] * unit, 0.0, sunk[1] * unit),
    )


def _threads() -> dict[str, Thread]:
    found = {}
    for d, (pitches, *_) in _METRIC.items():
        for pitch, drill in pitches:
            thread = Thread(f"M{d}x{pitch:g}", "metric", float(d), pitch, drill, f"M{d}")
            found[thread.name.lower()] = thread
    for size, (d_in, counts, *_) in _INCH.items():
        for (count, drill), kind in zip(counts, ("UNC", "UNF"), strict=True):
            thread = Thread(f"{size}-{count} {kind}", "inch", d_in * INCH, INCH / count, drill * INCH, size)
            found[thread.name.lower()] = thread
    return found


SIZES = _sizes()
THREADS = _threads()
"""By name in small letters."""
NAMES = tuple(t.name for t in THREADS.values())
LONGEST_NAME = 60


def thread(text: str, field: str = "thread") -> Thread:
    """A thread as people write it: “M12x1.75”, “M12” (coarse), “1/2-13 UNC”, “1/2-13”, “#10-32”, “10-32 UNF”.

    Raises InputError naming what is known for that size, or the sizes there are.
    """
    if len(text) > LONGEST_NAME:
        raise InputError(field, f"is no thread; write one in at most {LONGEST_NAME} characters, such as M12x1.75")
    tidy = re.sub(r"\s*([x×*\-–])\s*", lambda m: "x" if m[1] in "x×*" else "-", text.strip().lower().replace(",", ".").replace('"', ""))
    tidy = re.sub(r"\bin\b", "", tidy)
    tidy = " ".join(tidy.replace("no.", "#").split())
    metric = re.fullmatch(r"m(\d+(?:\.\d+)?)(?:x(\d+(?:\.\d+)?))?", tidy)
    if metric:
        named = [t for t in THREADS.values() if t.series == "metric" and t.d_mm == float(metric[1])]
        found = [t for t in named if metric[2] is None or t.pitch_mm == float(metric[2])]
        if found:
            return found[0]
        if named:
            raise InputError(field, f"“{text}” is no standard thread; M{metric[1]} has {', '.join(t.name for t in named)}")
    tidy = re.sub(r"^(\d+)(?=-\d+(?: ?un[cf])?$)", r"#\1", tidy)
    inch = re.fullmatch(r"(#\d+|\d+/\d+)(?:-(\d+))?(?: ?(unc|unf))?", tidy)
    if inch:
        named = [t for t in THREADS.values() if t.size == inch[1]]
        wanted = [
            t for t in named if (inch[2] is None or t.name.split("-")[1].split()[0] == inch[2]) and t.name.lower().endswith(inch[3] or "")
        ]
        if wanted and (inch[2] or inch[3]):
            return wanted[0]
        if named:
            raise InputError(field, f"“{text}” is no standard thread; {inch[1]} has {', '.join(t.name for t in named)}")
    raise InputError(field, f"“{text}” is not a known thread; write for example M12x1.75 or 1/2-13 UNC (M4 to M20, #10 to 3/4)")


def size_of(found: Thread) -> Size:
    """Holes, washer, nut and heads of a thread's size."""
    return SIZES[found.size]


def largest_through(hole_mm: float) -> tuple[str, ...]:
    """The sizes whose bolt goes through a hole with a close fit at least, largest first."""
    fitting = [name for name, size in SIZES.items() if size.close_mm <= hole_mm + 1e-9]
    return tuple(sorted(fitting, key=lambda n: -SIZES[n].close_mm))


EDGE_LEAST, EDGE_LIKED = 1.5, 2.0
"""From a hole's centre to the edge, in bolt diameters: common sheet-metal and plate practice."""
LOOSEST_SHARE = 1.25
"""Of the bolt, the largest hole that is taken to be for it; a larger one is an opening."""


def bolt_through_mm(hole_mm: float) -> float:
    """The diameter of the largest bolt that goes through a hole with a close fit at least; 0 for a hole that is for no bolt."""
    fitting = [t.d_mm for t in THREADS.values() if size_of(t).close_mm <= hole_mm + 1e-9]
    largest = max(fitting, default=0.0)
    return largest if largest and hole_mm <= LOOSEST_SHARE * largest + 1.0 else 0.0


def socket_outside_mm(flats_mm: float) -> float:
    """Outside diameter of a socket for a width across flats; a shop allowance."""
    return SOCKET_SHARE * flats_mm + SOCKET_MORE_MM


def ring_outside_mm(flats_mm: float) -> float:
    """Outside diameter of a ring spanner's ring; a shop allowance."""
    return RING_SHARE * flats_mm + RING_MORE_MM
