"""The catalogue of checks: one entry a kind, and what runs it.

An entry says at which stage a kind is put right and on which page, how hard it is
to mend, and which runner makes it. A runner says what it is run for, which fields
of the build its answer rests on and, of an option, whose places; where these are
what they were, its answer is not worked out again.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import IntEnum
from typing import Any

from elmpeg.core.base.memo import Memo
from elmpeg.core.build.document import Build, Stage
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.build.hardware import Chain, Match
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import stack_of
from elmpeg.core.build.pieces import Piece
from elmpeg.core.build.rooms import Room
from elmpeg.core.build.stands import Stand
from elmpeg.core.build.structures import Structure
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.build.weldments import Weldment
from elmpeg.core.judging.checks import Check, Findings
from elmpeg.core.scene.carried_axle import carried_at
from elmpeg.core.scene.line_in_scene import axle_of
from elmpeg.core.scene.located_points import SURVEY_READS
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.joint_remedies import with_remedies
from elmpeg.core.stages.drive.line_checks import line_checks
from elmpeg.core.stages.make.piece_checks import piece_findings
from elmpeg.core.stages.make.spacer_checks import chain_points
from elmpeg.core.stages.make.stand_checks import stand_findings
from elmpeg.core.stages.make.structure_checks import structure_findings
from elmpeg.core.stages.make.structure_members import is_sleeve
from elmpeg.core.stages.make.tube_checks import tube_points
from elmpeg.core.stages.make.weld_checks import weld_findings
from elmpeg.core.stages.measure.cross_checks import measured_checks, outside_checks
from elmpeg.core.stages.measure.reading_checks import reading_checks
from elmpeg.core.stages.mount.hardware_checks import GIVEN, bolt_checks, hardware_checks
from elmpeg.core.stages.mount.mount_checks import mount_checks
from elmpeg.core.stages.mount.plate_checks import chain_check, match_check, plate_checks
from elmpeg.core.stages.place.room_checks import room_check

KEPT_DOCUMENTS = 48
"""Documents whose answers are kept: those that a shop's people look at within a while."""


class Gravity(IntEnum):
    """What it takes to mend a kind of check; what only a move mends comes first."""

    MOVE = 0
    MAKE = 1
    READ = 2


class Runner:
    """What makes the checks of some kinds.

    ``each`` gives what it is run for in a build, one at a time (the build itself for what
    is looked at as a whole); ``run`` the findings for one; ``reads`` names the fields of
    the build that these rest on, besides the thing itself; ``sits`` what of the option
    they rest on: where parts are, and stacks.
    """

    def __init__(
        self,
        name: str,
        each: Callable[[Build], tuple[Any, ...]],
        run: Callable[[Scene, Any], Findings],
        reads: tuple[str, ...],
        sits: Callable[[Scene, Any], tuple[object, ...]],
    ) -> None:
        self.name, self.each, self.run, self.sits = name, each, run, sits
        self.kept: Memo[dict[object, Any]] = Memo(f"checks of {name}", reads, KEPT_DOCUMENTS)


@dataclass(frozen=True, slots=True)
class Opens:
    """Where a check is put right: the route of a page, the word on the button, and what of the check that page is opened at."""

    route: str
    word: str
    of: str = ""
    field: str = ""

    def query(self, check: Check, option_id: str) -> dict[str, str]:
        """The address's fields that open the page at what a check is about."""
        first = next(iter(check.ids(self.of)), "")
        return {"option": option_id, **({self.field: first} if self.field and first else {})}


@dataclass(frozen=True, slots=True)
class CheckKind:
    """One kind of check.

    ``predicted`` ones are frozen when a test fit starts; ``settles`` ones are told when a stack is tried;
    ``compared`` ones hold what was measured against itself. ``exact`` says why figures of the kind that state no doubt have
    none.
    """

    family: str
    stage: Stage
    gravity: Gravity
    runner: Runner
    opens: Opens | None = None
    predicted: bool = False
    settles: bool = False
    compared: bool = False
    exact: str = GIVEN


AGAINST_ITSELF = "it holds readings against each other; how they scatter is in its limit"
DRAWN = "it is worked out from what was drawn or typed, not from readings"


def _roots(scene: Scene, points: tuple[str, ...]) -> tuple[object, ...]:
    return tuple(scene.placement(scene.root(scene.declared(p).on)) for p in points)


def _whole(build: Build) -> tuple[Build, ...]:
    return (build,)


def _nowhere(_scene: Scene, _thing: object) -> tuple[object, ...]:
    return ()


def _mount(scene: Scene, mount: Mount) -> Findings:
    found = mount_checks(scene, mount)
    return Findings((*found.checks, *bolt_checks(scene, mount, found.state, found.doubt)), found.state)


def _hardware(scene: Scene, mount: Mount) -> Findings:
    return Findings(hardware_checks(scene, mount))


def _mount_sits(scene: Scene, mount: Mount) -> tuple[object, ...]:
    return (*_roots(scene, (mount.component_point, mount.seat_point)), stack_of(scene.option, mount.id))


def _line(scene: Scene, line: Driveline) -> Findings:
    found = with_remedies(scene, line_checks(scene, line))
    return Findings(found.checks, found.state)


def _line_sits(scene: Scene, line: Driveline) -> tuple[object, ...]:
    axle = axle_of(scene.build, line)
    points = (*(j.point for j in line.joints), *(p for p in (carried_at(axle) if axle else ()) if p))
    return (*_roots(scene, points), scene.placement(axle.component) if axle else None)


def _room(scene: Scene, room: Room) -> Findings:
    found = room_check(scene, room)
    return Findings((found.check,), found.state)


def _room_sits(scene: Scene, room: Room) -> tuple[object, ...]:
    return (scene.placement(room.a.on), scene.placement(room.b.on))


def _chain_sits(scene: Scene, chain: Chain) -> tuple[object, ...]:
    return _roots(scene, tuple(p for link in chain.links for p in (link.from_point, link.to_point) if p))


def _readings(scene: Scene, build: Build) -> Findings:
    return Findings(tuple(c for p in build.points for c in reading_checks(scene, p)))


def _assemblies(build: Build) -> tuple[str, ...]:
    return (VEHICLE, *(c.id for c in build.components if c.parent is None))


MOUNTS = Runner("mounts", lambda b: b.mounts, _mount, (*SURVEY_READS, "components", "limits", "pieces"), _mount_sits)
# Apart from the rest: none of it hangs on where a part is.
HARDWARE = Runner("mounts' hardware", lambda b: b.mounts, _hardware, ("points", "components", "mounts", "pieces", "stage"), _nowhere)
LINES = Runner(
    "lines",
    lambda b: b.drivelines,
    _line,
    (*SURVEY_READS, "components", "limits", "mounts", "axles", "series", "datum"),
    _line_sits,
)
ROOMS = Runner("rooms", lambda b: b.rooms, _room, ("components", "solids", "limits"), _room_sits)
READINGS = Runner("readings", _whole, _readings, SURVEY_READS, _nowhere)
MEASURED = Runner(
    "what was measured",
    _whole,
    lambda scene, _: Findings(measured_checks(scene)),
    (*SURVEY_READS, "components", "spans", "pairs", "bays", "limits"),
    _nowhere,
)
OUTSIDE = Runner(
    "points outside",
    _assemblies,
    lambda scene, root: Findings(outside_checks(scene, root)),
    (*SURVEY_READS, "components", "solids", "wheels", "datum"),
    lambda scene, root: (scene.placement(root),),
)


def _match(scene: Scene, match: Match) -> Findings:
    return Findings((match_check(scene, match),))


def _plate(scene: Scene, plate: Piece) -> Findings:
    return Findings(plate_checks(scene, plate))


def _piece(scene: Scene, piece: Piece) -> Findings:
    return piece_findings(scene, piece)


def _piece_sits(scene: Scene, piece: Piece) -> tuple[object, ...]:
    return _roots(scene, (*(p for f in piece.faces for p in f.points), *tube_points(scene, piece), *chain_points(scene, piece)))


def _structure(scene: Scene, structure: Structure) -> Findings:
    return structure_findings(scene, structure)


def _structure_sits(scene: Scene, structure: Structure) -> tuple[object, ...]:
    return tuple(scene.placement(c.id) for c in scene.build.components)


def _stand(scene: Scene, stand: Stand) -> Findings:
    return stand_findings(scene, stand)


def _weldment(scene: Scene, weldment: Weldment) -> Findings:
    return weld_findings(scene, weldment)


def _chain(scene: Scene, chain: Chain) -> Findings:
    return Findings((chain_check(scene, chain),))


MATCHES = Runner("matches", lambda b: b.matches, _match, (*SURVEY_READS, "patterns", "limits"), _nowhere)
PLATES = Runner("plates", lambda b: tuple(p for p in b.pieces if p.lower), _plate, (*SURVEY_READS, "patterns"), _nowhere)
PIECES = Runner(
    "pieces",
    lambda b: tuple(p for p in b.pieces if not is_sleeve(p)),
    _piece,
    (*SURVEY_READS, "components", "patterns", "limits", "strips", "brake", "structures", "chains"),
    _piece_sits,
)
# Apart from the rest: what a stack would do is tried on many mounts, and only sleeves follow these.
SLEEVES = Runner("sleeves", lambda b: tuple(p for p in b.pieces if is_sleeve(p)), _piece, ("mounts",), _nowhere)
STRUCTURES = Runner("structures", lambda b: b.structures, _structure, (*SURVEY_READS, "components", "solids"), _structure_sits)
STANDS = Runner("stands", lambda b: b.stands, _stand, ("pieces",), _nowhere)
WELDMENTS = Runner("weldments", lambda b: b.weldments, _weldment, ("pieces",), _nowhere)
CHAINS = Runner("chains", lambda b: b.chains, _chain, (*SURVEY_READS, "components", "mounts", "limits"), _chain_sits)

_POINT = Opens("measure", "Measure", "points", "point")
_MOUNT = Opens("mounts", "Mount", "mounts", "mount")
_SHELF = Opens("mounts", "Shelf", "mounts", "mount")
CATALOGUE: tuple[CheckKind, ...] = (
    CheckKind("gap", "Mount", Gravity.MAKE, MOUNTS, _SHELF, predicted=True, settles=True),
    CheckKind("offset", "Mount", Gravity.MOVE, MOUNTS, predicted=True),
    CheckKind("tilt", "Mount", Gravity.MAKE, MOUNTS, predicted=True),
    CheckKind("bolt", "Mount", Gravity.MAKE, MOUNTS, _MOUNT),
    CheckKind("hole", "Mount", Gravity.MAKE, HARDWARE, _MOUNT),
    CheckKind("hold", "Mount", Gravity.MAKE, MOUNTS, _MOUNT),
    CheckKind("joint", "Drive", Gravity.MOVE, LINES, predicted=True, settles=True),
    CheckKind("shaft", "Drive", Gravity.MOVE, LINES),
    CheckKind("load", "Drive", Gravity.MOVE, LINES),
    CheckKind("layout", "Drive", Gravity.MOVE, LINES),
    CheckKind("travel", "Drive", Gravity.MOVE, LINES),
    CheckKind("slip", "Drive", Gravity.MAKE, LINES),
    CheckKind("speed", "Drive", Gravity.MAKE, LINES),
    CheckKind("ground", "Drive", Gravity.MAKE, LINES),
    CheckKind("room", "Place", Gravity.MOVE, ROOMS, predicted=True, settles=True),
    CheckKind("reading", "Measure", Gravity.READ, READINGS, _POINT, exact=AGAINST_ITSELF),
    CheckKind("source", "Measure", Gravity.READ, READINGS, _POINT),
    CheckKind("place", "Measure", Gravity.MAKE, READINGS, _POINT, compared=True),
    CheckKind("square", "Measure", Gravity.READ, MEASURED, _POINT, compared=True),
    CheckKind("mirror", "Measure", Gravity.READ, MEASURED, _POINT, compared=True),
    CheckKind("span", "Measure", Gravity.READ, MEASURED, _POINT, compared=True),
    CheckKind("bench", "Measure", Gravity.READ, MEASURED, _POINT, compared=True),
    CheckKind("sense", "Measure", Gravity.READ, OUTSIDE, _POINT, compared=True),
    CheckKind("pattern", "Mount", Gravity.READ, MATCHES, Opens("patterns", "Open"), exact=DRAWN),
    CheckKind("plate", "Mount", Gravity.READ, PLATES, Opens("plates", "Open"), exact=DRAWN),
    CheckKind("piece", "Make", Gravity.MAKE, PIECES, Opens("piece", "Open", "pieces", "piece"), exact=DRAWN),
    CheckKind("sleeve", "Make", Gravity.MAKE, SLEEVES, Opens("piece", "Open", "pieces", "piece"), exact=DRAWN),
    CheckKind("structure", "Make", Gravity.MAKE, STRUCTURES, Opens("structures", "Open", "structures", "structure"), exact=DRAWN),
    CheckKind("stand", "Make", Gravity.MAKE, STANDS, Opens("stands", "Open", "stands", "stand"), exact=DRAWN),
    CheckKind("weld", "Make", Gravity.MAKE, WELDMENTS, Opens("welding", "Open", "weldments", "weldment"), exact=DRAWN),
    CheckKind("chain", "Mount", Gravity.READ, CHAINS, Opens("chains", "Open")),
)
KINDS: dict[str, CheckKind] = {kind.family: kind for kind in CATALOGUE}
RUNNERS: tuple[Runner, ...] = tuple(dict.fromkeys(kind.runner for kind in CATALOGUE))
