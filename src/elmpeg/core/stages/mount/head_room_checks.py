"""Room for a bolt's head and nut, their washers and what turns them, and metal beside its hole."""

from __future__ import annotations

from elmpeg.core.base.quantities import capitalised, mm, words
from elmpeg.core.base.verdicts import AT_LIMIT, Verdict, verdict_within
from elmpeg.core.build.hardware import Fastener
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.pieces import Piece
from elmpeg.core.judging.checks import Change, Check, Remedy
from elmpeg.core.methods.fastening.fasteners import (
    EDGE_LEAST,
    EDGE_LIKED,
    SPANNER_DEEP_MM,
    Thread,
    ring_outside_mm,
    size_of,
    socket_outside_mm,
)
from elmpeg.core.stages.mount.hardware_check import hardware_check, sets


def head_checks(mount: Mount, fastener: Fastener, found_thread: Thread, plate: Piece | None) -> list[Check]:
    """Whether the head goes in where it is to, and whether head and nut, their washers and a spanner have the room they need."""
    found: list[Check] = []
    size = size_of(found_thread)
    head = size.head(fastener.head)
    if head is None:
        why = words(f"No standard has a {fastener.head} head for {found_thread.size}.")
        return [hardware_check(mount, "head", "bolt", "head", "unknown", why, remedy=words("Choose another head."))]
    first = _under_the_head(mount, plate)
    if head.kind == "countersunk" and first is not None:
        deep, (layer, thick) = head.height_mm, first
        enough = thick >= deep
        why = words(
            "The countersunk head is {0} deep and the plate {1}: "
            + ("it sits flush." if enough else "it stands proud, or its edge is sharp."),
            mm(deep),
            mm(thick),
        )
        told = words("Use plate of {0} or thicker.", mm(deep))
        adapter = Remedy(told, changes=(Change("pieces", layer, "thick_mm", deep),))
        thicker = adapter if plate is not None and layer == plate.id else sets(mount, told, {f"layers.{layer}.mm": deep})
        remedy = None if enough else thicker
        found.append(
            hardware_check(
                mount, "countersink", "hole", "countersink", verdict_within(thick, deep, None, 0.0), why, thick, deep, None, remedy
            )
        )
    around = mount.around
    if around is None:
        return found
    washer = size.washer.outside_mm / 2
    for end, wall, has_washer, across, flats in (
        ("head", around.head_wall_mm, fastener.head_washer_mm > 0, head.across_mm, head.flats_mm),
        ("nut", around.nut_wall_mm, fastener.nut_washer_mm > 0, size.nut.across_mm, size.nut.flats_mm),
    ):
        if wall is None or (end == "nut" and fastener.end == "tapped"):
            continue
        found.append(_beside(mount, end, wall, across / 2))
        if has_washer:
            found.append(_washer(mount, end, wall, washer, f"around.{end}_wall_mm"))
        if flats and not (end == "nut" and fastener.end == "weld nut"):
            found.append(_tool(mount, end, wall, flats, around.head_room_mm if end == "head" else around.nut_room_mm))
    return found


def _under_the_head(mount: Mount, plate: Piece | None) -> tuple[str, float] | None:
    """The first layer that the bolt goes through, by its id, and how thick it is."""
    ordered = sorted((x for x in mount.layers if x.mm > 0), key=lambda x: x.side != "foot")
    if plate is not None and (not ordered or ordered[0].side != "foot"):
        return plate.id, plate.thick_mm
    return (ordered[0].id, ordered[0].mm) if ordered else None


def _beside(mount: Mount, end: str, wall: float, needs: float) -> Check:
    fits = wall >= needs
    why = words(f"The {end} needs {{0}} beside the bolt's middle and has {{1}}.", mm(needs), mm(wall))
    told = words(f"Move the hole {{0}} away from what stands beside the {end}.", mm(needs - wall))
    remedy = None if fits else sets(mount, told, {f"around.{end}_wall_mm": needs})
    return hardware_check(
        mount,
        f"beside.{end}",
        "hole",
        f"{end} against its neighbour",
        verdict_within(wall, needs, None, 0.0),
        why,
        wall,
        needs,
        None,
        remedy,
    )


def _washer(mount: Mount, end: str, wall: float, needs: float, path: str) -> Check:
    why = words(f"The washer under the {end} reaches {{0}} and the wall or weld stands {{1}} away.", mm(needs), mm(wall))
    told = words("Grind a flat, take a smaller washer, or move the hole {0}.", mm(needs - wall))
    remedy = sets(mount, told, {path: needs}) if wall < needs else None
    return hardware_check(
        mount, f"washer.{end}", "hole", f"washer under the {end}", verdict_within(wall, needs, None, 0.0), why, wall, needs, None, remedy
    )


def _tool(mount: Mount, end: str, wall: float, flats: float, deep: float | None) -> Check:
    ring, socket = ring_outside_mm(flats) / 2, socket_outside_mm(flats) / 2
    needs = min(ring, socket)
    if deep is not None and deep < SPANNER_DEEP_MM:
        why = words(f"Only {{0}} lie free over the {end}; a ring spanner needs {{1}}.", mm(deep), mm(SPANNER_DEEP_MM))
        earlier = words("Fit it before what covers it goes in, or turn the bolt round.")
        return hardware_check(mount, f"tool.{end}", "hole", f"spanner on the {end}", "fails", why, deep, SPANNER_DEEP_MM, None, earlier)
    which = (
        "a socket goes on, a ring spanner does not"
        if socket <= wall < ring
        else "a socket and a ring spanner go on"
        if wall >= ring
        else "neither goes on"
    )
    why = words(
        f"{capitalised(which)}: {{0}} beside the bolt's middle, the socket reaches {{1}} and the ring {{2}}.",
        mm(wall),
        mm(socket),
        mm(ring),
    )
    verdict: Verdict = "holds" if wall >= ring else "near" if wall >= needs else "fails"
    remedy = words("Turn the bolt round, weld the nut on, or fit it before its neighbour.") if verdict == "fails" else None
    return hardware_check(mount, f"tool.{end}", "hole", f"spanner on the {end}", verdict, why, wall, needs, None, remedy)


def edge_checks(mount: Mount, found_thread: Thread) -> list[Check]:
    """Metal between the hole and the edges and walls of each layer that the bolt goes through."""
    found = []
    d = found_thread.d_mm
    for layer in mount.layers:
        if layer.edge_mm is not None:
            least, liked = EDGE_LEAST * d, EDGE_LIKED * d
            verdict: Verdict = "fails" if layer.edge_mm < least - AT_LIMIT else "near" if layer.edge_mm < liked - AT_LIMIT else "holds"
            why = words(
                f"The hole in {layer.name} is {{0}} from the edge; at least {{1}}, better {{2}}.", mm(layer.edge_mm), mm(least), mm(liked)
            )
            told = words("Leave {0} more plate beyond the hole.", mm(liked - layer.edge_mm))
            remedy = sets(mount, told, {f"layers.{layer.id}.edge_mm": liked}) if verdict == "fails" else None
            found.append(
                hardware_check(mount, f"edge.{layer.id}", "hole", f"edge of {layer.name}", verdict, why, layer.edge_mm, least, None, remedy)
            )
        if layer.wall_mm is not None:
            reach = size_of(found_thread).washer.outside_mm / 2
            found.append(_washer(mount, layer.name, layer.wall_mm, reach, f"layers.{layer.id}.wall_mm"))
    return found


# Care that is forgotten
