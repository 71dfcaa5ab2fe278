"""The checks of Make: pieces, structures of tube, stands and welding."""

from __future__ import annotations

from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import Piece
from elmpeg.core.build.stands import Stand
from elmpeg.core.build.structures import Structure
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.build.weldments import Weldment
from elmpeg.core.judging.kinds import DRAWN, CheckKind, Gravity, Opens, Runner, StageChecks, nowhere, roots_of
from elmpeg.core.scene.located_points import SURVEY_READS
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import State
from elmpeg.core.stages.make.neighbours import ends_of_travel
from elmpeg.core.stages.make.piece_bodies import piece_bodies
from elmpeg.core.stages.make.piece_checks import piece_findings
from elmpeg.core.stages.make.spacer_checks import chain_points
from elmpeg.core.stages.make.stand_checks import stand_findings
from elmpeg.core.stages.make.structure_checks import structure_findings
from elmpeg.core.stages.make.structure_members import is_sleeve
from elmpeg.core.stages.make.tube_checks import tube_points
from elmpeg.core.stages.make.weld_checks import weld_findings


def _piece_points(build: Build, piece: Piece) -> tuple[str, ...]:
    """The points that a piece's shape hangs on: those of its faces, patterns, ends and chain, and all of a part that a face lies on:
    they say on which side its metal is."""
    holes = (p for pattern in build.patterns if pattern.id in (piece.lower, piece.upper) for p in pattern.points)
    faces = (p for f in piece.faces for p in f.points)
    own = dict.fromkeys((*faces, *holes, *tube_points(build, piece), *chain_points(build, piece)))
    if not piece.faces:
        return tuple(own)
    met = {p for f in piece.faces for p in f.points}
    parts = {p.on for p in build.points if p.id in met} - {VEHICLE}
    return tuple({**own, **dict.fromkeys(p.id for p in build.points if p.on in parts)})


def _piece_sits(scene: Scene, piece: Piece) -> tuple[object, ...]:
    points = [p for p in _piece_points(scene.build, piece) if p in scene.survey.points]
    # Where a point lies may follow from readings of others.
    return (*roots_of(scene, tuple(points)), *(scene.located(p) for p in points))


def _structure_sits(scene: Scene, structure: Structure) -> tuple[object, ...]:
    return tuple(scene.placement(c.id) for c in scene.build.components)


def _piece_ranges(scene: Scene, _piece: Piece) -> tuple[State, ...]:
    return tuple(s for _, ends in ends_of_travel(scene.build) for s in ends)


def _pieces_of_stand(_build: Build, stand: Stand) -> tuple[str, ...]:
    return tuple(part.piece for part in stand.parts)


def _pieces_welded(_build: Build, weldment: Weldment) -> tuple[str, ...]:
    return tuple(j for seam in weldment.seams for j in seam.joins)


PIECES = Runner(
    "pieces",
    lambda b: tuple(p for p in b.pieces if not is_sleeve(p)),
    piece_findings,
    (*(r for r in SURVEY_READS if r != "points"), "components", "patterns", "limits", "strips", "brake", "structures", "chains"),
    _piece_sits,
    "pieces",
    _piece_ranges,
    {"points": _piece_points},
)
# Apart from the rest: what a stack would do is tried on many mounts, and only sleeves follow these.
SLEEVES = Runner("sleeves", lambda b: tuple(p for p in b.pieces if is_sleeve(p)), piece_findings, ("mounts",), nowhere, "pieces")
STRUCTURES = Runner(
    "structures", lambda b: b.structures, structure_findings, (*SURVEY_READS, "components", "solids"), _structure_sits, "structures"
)
STANDS = Runner("stands", lambda b: b.stands, stand_findings, (), nowhere, "stands", only={"pieces": _pieces_of_stand})
WELDMENTS = Runner("weldments", lambda b: b.weldments, weld_findings, (), nowhere, "weldments", only={"pieces": _pieces_welded})
STAGE = StageChecks(
    "Make",
    (
        CheckKind("piece", Gravity.MAKE, PIECES, Opens("piece", "Open", "pieces", "piece"), exact=DRAWN),
        CheckKind("sleeve", Gravity.MAKE, SLEEVES, Opens("piece", "Open", "pieces", "piece"), exact=DRAWN),
        CheckKind("structure", Gravity.MAKE, STRUCTURES, Opens("structures", "Open", "structures", "structure"), exact=DRAWN),
        CheckKind("stand", Gravity.MAKE, STANDS, Opens("stands", "Open", "stands", "stand"), exact=DRAWN),
        CheckKind("weld", Gravity.MAKE, WELDMENTS, Opens("welding", "Open", "weldments", "weldment"), exact=DRAWN),
    ),
    (piece_bodies,),
)
