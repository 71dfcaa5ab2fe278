"""A structure as it stands: its members in the vehicle, cut to each other; each member's piece follows it."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.vectors import Vec3, add
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.pieces import Piece, TubeBody
from elmpeg.core.build.structures import Structure
from elmpeg.core.methods.shapes.solids import Tube
from elmpeg.core.methods.tubes.frames import CutMember, FrameMember, cut_members
from elmpeg.core.scene.scene import Scene


def node_places(scene: Scene, structure: Structure) -> dict[str, Vec3]:
    """Where each node is in the vehicle, mm."""
    return {n.id: add(scene.xyz(n.point), n.xyz_mm) if n.point else n.xyz_mm for n in structure.nodes}


def frame_members(scene: Scene, structure: Structure) -> tuple[FrameMember, ...]:
    """The members between their nodes, where these are. Raises InputError for a member whose node is not there."""
    places = node_places(scene, structure)
    found = []
    for m in structure.members:
        missing = next((n for n in (m.start, m.end) if n not in places), None)
        if missing is not None:
            raise InputError("members", f"has {m.id} at “{missing}”, which is no node of {structure.name}")
        found.append(FrameMember(m.id, places[m.start], places[m.end], m.across_mm, m.section, m.runs))
    return tuple(found)


def cut_structure(scene: Scene, structure: Structure) -> tuple[tuple[FrameMember, CutMember], ...]:
    """Each member with its two cuts. Raises InputError as ``cut_members`` does."""
    members = frame_members(scene, structure)
    return tuple(zip(members, cut_members(members, structure.gap_mm), strict=True))


def body_of(scene: Scene, piece: Piece) -> TubeBody:
    """The body of a tube piece: its own, or that of the member of a structure that it is, as that stands.

    Raises MissingError for a member that is there no more.
    """
    body = piece.tube
    if body is None:
        raise InputError("tube", "is no tube")
    if not body.member:
        return body
    if body.member.startswith(OF_MOUNT):
        return sleeve_of(scene.build.mount(body.member.removeprefix(OF_MOUNT)), body)
    structure_id, _, member_id = body.member.partition("/")
    structure = scene.build.structure(structure_id)
    member = next((m for m in structure.members if m.id == member_id), None)
    if member is None:
        raise MissingError(f"{structure.name} has no member “{member_id}” any more")
    cut = next(c for f, c in cut_structure(scene, structure) if f.id == member_id)
    return replace(
        body, section=member.section, across_mm=member.across_mm, wall_mm=member.wall_mm, legs_mm=(cut.centres_mm,), bends=(),
        start=cut.start.cut, end=cut.end.cut,
    )  # fmt: skip


OF_MOUNT = "mount:"
"""What a sleeve's piece says of where it comes from, before the mount's id."""
SLEEVE_PLAY_MM = 0.5
USUAL_WALL_MM = 3.0


def is_sleeve(piece: Piece) -> bool:
    """Whether a piece is the sleeve of a mount."""
    return piece.tube is not None and piece.tube.member.startswith(OF_MOUNT)


def sleeve_of(mount: Mount, body: TubeBody) -> TubeBody:
    """The sleeve that keeps a boxed rail from being crushed: as long as the mount says, bored to go over its bolt.

    Raises MissingError for a mount that has none any more.
    """
    if mount.boxed is None or mount.boxed.sleeve_mm is None:
        raise MissingError(f"{mount.name} has no sleeve any more")
    bore = mount.bolt_mm + SLEEVE_PLAY_MM
    across = mount.boxed.sleeve_wide_mm or bore + 2 * USUAL_WALL_MM
    return replace(
        body, section="round", across_mm=across, wall_mm=max((across - bore) / 2, 0.0), legs_mm=(mount.boxed.sleeve_mm,), bends=()
    )


def sleeves_wanted(build: Build) -> tuple[Mount, ...]:
    """Mounts with a sleeve that is no piece yet."""
    known = {p.tube.member for p in build.pieces if p.tube is not None}
    return tuple(m for m in build.mounts if m.boxed is not None and m.boxed.sleeve_mm is not None and f"{OF_MOUNT}{m.id}" not in known)


def with_sleeves(build: Build) -> Build:
    """The build with a piece for the sleeve of every mount that has one."""
    pieces = list(build.pieces)
    for mount in sleeves_wanted(build):
        body = sleeve_of(mount, TubeBody(member=f"{OF_MOUNT}{mount.id}"))
        name = f"Sleeve of {mount.name}"[:80]
        pieces.append(
            Piece(new_id(name, (p.id for p in pieces)), name, body.wall_mm or body.across_mm, tube=body, used_at=mount.name[:120])
        )
    return replace(build, pieces=tuple(pieces))


def with_structure(build: Build, scene: Scene, structure: Structure) -> Build:
    """The build with a structure, a piece for each of its members, and the structure itself as a part that is drawn and checked
    for room. Raises InputError for members that cannot be cut to each other."""
    tidy = replace(structure, name=cleaned_name(structure.name))
    known = any(s.id == structure.id for s in build.structures)
    made = replace(build, structures=with_item(build.structures, tidy) if known else (*build.structures, tidy))
    here = Scene(made, made.option(scene.option.id))
    members = frame_members(here, tidy)
    cut_members(members, tidy.gap_mm)
    of = {f"{tidy.id}/{m.id}": m for m in tidy.members}
    pieces, there = [], set()
    for piece in made.pieces:
        member = piece.tube.member if piece.tube else ""
        if member.startswith(f"{tidy.id}/"):
            if member not in of:
                if piece.revisions or piece.sendings:
                    raise InputError("members", f"{piece.name} is made already; take that piece out first, or keep its member")
                continue
            there.add(member)
            m = of[member]
            piece = replace(piece, thick_mm=m.wall_mm or m.across_mm, material=tidy.material)
        pieces.append(piece)
    taken = {p.id for p in pieces}
    for key, m in of.items():
        if key not in there:
            own = new_id(f"{tidy.id}-{m.id}", taken)
            taken.add(own)
            body = TubeBody(m.section, m.across_mm, m.wall_mm, member=key)
            pieces.append(Piece(own, f"{tidy.name}, {m.id}"[:80], m.wall_mm or m.across_mm, material=tidy.material, tube=body))
    made = replace(made, pieces=tuple(pieces))
    solids = tuple(Tube(f.id, f.id, (f.start_mm, f.end_mm), f.across_mm, source="drawing") for f in members)
    part = Component(part_id(tidy), tidy.name, Pose(), solids=solids, movable=False, figures_from="its structure") if solids else None
    others = tuple(c for c in made.components if c.id != part_id(tidy))
    if part is None:
        return replace(made, components=others) if len(others) < len(made.components) else made
    old = next((c for c in made.components if c.id == part.id), None)
    changed = replace(old, name=part.name, solids=part.solids) if old else part
    return replace(
        made, components=tuple(changed if c.id == part.id else c for c in made.components) if old else (*made.components, changed)
    )


def part_id(structure: Structure) -> str:
    """The id of the part as which a structure is drawn."""
    return f"structure-{structure.id}"[:80]


def without_structure(build: Build, structure_id: str) -> Build:
    """The build without a structure, its part and the pieces of its members; refused where one of these is made already."""
    structure = build.structure(structure_id)
    own = [p for p in build.pieces if p.tube and p.tube.member.startswith(f"{structure_id}/")]
    made = next((p for p in own if p.revisions or p.sendings), None)
    if made is not None:
        raise InputError("structure", f"{made.name} is made already; take that piece out first")
    for piece in own:
        build = taken_out(build, "pieces", piece.id)
    left: Build = taken_out(build, "structures", structure_id)
    if any(c.id == part_id(structure) for c in left.components):
        left = taken_out(left, "components", part_id(structure))
    return left
