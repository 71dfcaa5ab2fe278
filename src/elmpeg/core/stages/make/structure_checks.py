"""What is wrong with a structure of tube: members that cannot be cut to each other, what they run into, a part that lags behind."""

from __future__ import annotations

from functools import lru_cache

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.pose import Placed
from elmpeg.core.base.quantities import Unit, Words, capitalised, mm, named, plain, words
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, norm, scale, sub
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.structures import Structure
from elmpeg.core.judging.checks import Change, Check, Findings, Remedy, about
from elmpeg.core.methods.shapes.clearance import Body, room_between
from elmpeg.core.methods.shapes.room import Nearest
from elmpeg.core.methods.shapes.solids import FIXED, Cylinder, Solid, Tube
from elmpeg.core.methods.tubes.frames import CutMember, FrameMember
from elmpeg.core.scene.bodies import Bodies, box_of, shapes
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.structure_members import cut_structure, part_id
from elmpeg.core.stages.place.shift_remedy import ways_said

WELDED_MM = 3.0
"""What a member may lie into a shape at its ends, where it is welded to it; shapes are blocked in."""
LAGS_MM = 0.1


@record
class StructureFoul:
    """A shape that a member runs into, and by how much."""

    member: str
    name: str
    mm: float
    on: str
    solid: str
    away_mm: Vec3
    """The least shift of the member that takes it out."""


@record
class StructureState:
    """A structure worked out: each member with its cuts, and what they run into; empty, with why, where it cannot be."""

    structure: str
    members: tuple[tuple[FrameMember, CutMember], ...] = ()
    fouls: tuple[StructureFoul, ...] = ()
    lags_mm: float = 0.0
    trouble: str = ""


def _check(structure: Structure, what: str, called: str, verdict: Verdict, why: Words, unit: Unit = "mm", **more: object) -> Check:
    code = f"structure.{structure.id}.{what}"
    return Check(code, "structure", f"{structure.name}: {called}", unit, verdict, why, about=about(structures=structure.id), **more)  # type: ignore[arg-type]


def structure_findings(scene: Scene, structure: Structure) -> Findings:
    """Every check of a structure."""
    if not structure.members:
        why = words("It has no members yet.")
        return Findings(
            (_check(structure, "cuts", "cuts", "unknown", why),), StructureState(structure.id, trouble="It has no members yet.")
        )
    try:
        members = cut_structure(scene, structure)
    except (InputError, MissingError) as refused:
        said = capitalised(f"{refused.message if isinstance(refused, InputError) else refused}.")
        return Findings((_check(structure, "cuts", "cuts", "fails", words(plain(said))),), StructureState(structure.id, trouble=said))
    found, lags = fouls_of(scene, structure, members), _lags_mm(scene, structure, members)
    joints = sum(1 for _, c in members for e in (c.start, c.end) if e.onto)
    by_hand = sorted({f.id for f, c in members for e in (c.start, c.end) if e.also and e.onto})
    more = f" {plain(', '.join(by_hand))} meet more at an end than they can be cut to; the rest is fitted by hand." if by_hand else ""
    why = words(f"{len(members)} members, {joints} ends cut to another.{more}")
    checks = [_check(structure, "cuts", "cuts", "near" if by_hand else "holds", why)]
    for foul in found:
        why = words(f"{plain(foul.member)} runs into {named(foul.name)} by {{0}}.", mm(foul.mm))
        way, figures = ways_said(foul.away_mm)
        ends = next((m.start, m.end) for m in structure.members if m.id == foul.member)
        moved = tuple(
            Change("structures", structure.id, f"nodes.{n.id}.xyz_mm.{k}", n.xyz_mm[k] + foul.away_mm[k])
            for n in structure.nodes
            if n.id in ends
            for k in range(3)
        )
        mend = (Remedy(words(f"Move both its nodes {way}, or bend it round.", *figures), changes=moved),)
        code, called = f"room.{foul.member}.{foul.on}.{foul.solid}", f"{foul.member} and {foul.name}"
        checks.append(
            _check(structure, code, called, "fails", why, value=foul.mm, high=WELDED_MM, remedies=mend, exact="shapes are blocked in")
        )
    if lags > LAGS_MM:
        why = words("The part that is drawn in the bay lies {0} from where its nodes are now.", mm(lags))
        checks.append(
            _check(structure, "part", "part", "near", why, remedies=(Remedy(words("Keep the structure again: then its part follows.")),))
        )
    return Findings(tuple(checks), StructureState(structure.id, members, found, lags))


def fouls_of(scene: Scene, structure: Structure, members: tuple[tuple[FrameMember, CutMember], ...]) -> tuple[StructureFoul, ...]:
    """What the members run into where everything stands in the option, the worst first; not where they are welded on."""
    own = part_id(structure)
    standing = Bodies(b for b in shapes(scene.build, scene.placement) if b.on != own)
    found = []
    for member, _ in members:
        short = min(member.across_mm / 2 + WELDED_MM, 0.4 * member.long_mm)
        a, b = add(member.start_mm, scale(member.along, short)), sub(member.end_mm, scale(member.along, short))
        tube = Cylinder(member.id, member.id, a, b, member.across_mm)
        for body in standing.near(box_of(tube, FIXED)):
            room = _room(tube, body.solid, body.where)
            if room.distance_mm < -WELDED_MM:
                away = sub(room.on_b_mm, room.on_a_mm)
                found.append(StructureFoul(member.id, body.called, -room.distance_mm, body.on, body.solid.id, away))
    return tuple(sorted(found, key=lambda f: -f.mm))


@lru_cache(maxsize=8192)
def _room(tube: Cylinder, solid: Solid, where: Placed) -> Nearest:
    """Kept, since a move changes the place of one part and leaves the others where they were."""
    return room_between(Body((tube,), FIXED), Body((solid,), where))


def _lags_mm(scene: Scene, structure: Structure, members: tuple[tuple[FrameMember, CutMember], ...]) -> float:
    part = next((c for c in scene.build.components if c.id == part_id(structure)), None)
    drawn = {s.id: s for s in part.solids if isinstance(s, Tube)} if part else {}
    off = [0.0]
    for member, _ in members:
        solid = drawn.get(member.id)
        if solid is not None:
            where = scene.placement(part_id(structure))
            off += [norm(sub(where.point(p), end)) for p, end in ((solid.path_mm[0], member.start_mm), (solid.path_mm[-1], member.end_mm))]
    return max(off)


def node_points(structure: Structure) -> tuple[str, ...]:
    """The points that a structure hangs on."""
    return tuple(dict.fromkeys(n.point for n in structure.nodes if n.point))
