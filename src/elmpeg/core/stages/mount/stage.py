"""The checks of Mount: gaps and how they are filled, bolts and what they hold, patterns, plates and chains of dimensions."""

from __future__ import annotations

from elmpeg.core.build.document import Build
from elmpeg.core.build.hardware import Chain, Match
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import stack_of
from elmpeg.core.build.pieces import Piece
from elmpeg.core.judging.checks import Findings
from elmpeg.core.judging.kinds import DRAWN, CheckKind, Gravity, Opens, Runner, StageChecks, nowhere, roots_of
from elmpeg.core.scene.located_points import SURVEY_READS
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.fastener_bodies import fastener_bodies
from elmpeg.core.stages.mount.hardware_checks import bolt_checks, hardware_checks
from elmpeg.core.stages.mount.mount_checks import mount_checks
from elmpeg.core.stages.mount.plate_checks import chain_check, match_check, plate_checks


def _mount(scene: Scene, mount: Mount) -> Findings:
    found = mount_checks(scene, mount)
    return Findings((*found.checks, *bolt_checks(scene, mount, found.state, found.doubt)), found.state)


def _hardware(scene: Scene, mount: Mount) -> Findings:
    return Findings(hardware_checks(scene, mount))


def _mount_sits(scene: Scene, mount: Mount) -> tuple[object, ...]:
    return (*roots_of(scene, (mount.component_point, mount.seat_point)), stack_of(scene.option, mount.id))


def _match(scene: Scene, match: Match) -> Findings:
    return Findings((match_check(scene, match),))


def _plate(scene: Scene, plate: Piece) -> Findings:
    return Findings(plate_checks(scene, plate))


def _chain(scene: Scene, chain: Chain) -> Findings:
    return Findings((chain_check(scene, chain),))


def _chain_sits(scene: Scene, chain: Chain) -> tuple[object, ...]:
    return roots_of(scene, tuple(p for link in chain.links for p in (link.from_point, link.to_point) if p))


def _plate_of(_build: Build, mount: Mount) -> tuple[str, ...]:
    return (mount.plate,) if mount.plate else ()


MOUNTS = Runner(
    "mounts", lambda b: b.mounts, _mount, (*SURVEY_READS, "components", "limits"), _mount_sits, "mounts", only={"pieces": _plate_of}
)
# Apart from the rest: none of it hangs on where a part is.
HARDWARE = Runner(
    "mounts' hardware", lambda b: b.mounts, _hardware, ("points", "components", "mounts", "stage"), nowhere, only={"pieces": _plate_of}
)
MATCHES = Runner("matches", lambda b: b.matches, _match, (*SURVEY_READS, "patterns", "limits"), nowhere)
PLATES = Runner("plates", lambda b: tuple(p for p in b.pieces if p.lower), _plate, (*SURVEY_READS, "patterns"), nowhere)
CHAINS = Runner("chains", lambda b: b.chains, _chain, (*SURVEY_READS, "components", "mounts", "limits"), _chain_sits)

_MOUNT = Opens("mounts", "Mount", "mounts", "mount")
_SHELF = Opens("mounts", "Shelf", "mounts", "mount")
STAGE = StageChecks(
    "Mount",
    (
        CheckKind("gap", Gravity.MAKE, MOUNTS, _SHELF, predicted=True, settles=True),
        CheckKind("offset", Gravity.MOVE, MOUNTS, predicted=True),
        CheckKind("tilt", Gravity.MAKE, MOUNTS, predicted=True),
        CheckKind("bolt", Gravity.MAKE, MOUNTS, _MOUNT),
        CheckKind("hole", Gravity.MAKE, HARDWARE, _MOUNT),
        CheckKind("hold", Gravity.MAKE, MOUNTS, _MOUNT),
        CheckKind("pattern", Gravity.READ, MATCHES, Opens("patterns", "Open"), exact=DRAWN),
        CheckKind("plate", Gravity.READ, PLATES, Opens("plates", "Open"), exact=DRAWN),
        CheckKind("chain", Gravity.READ, CHAINS, Opens("chains", "Open")),
    ),
    (fastener_bodies,),
)
