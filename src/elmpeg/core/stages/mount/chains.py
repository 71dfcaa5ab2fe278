"""Chains of dimensions: how far the end can be off, and which link to hold tighter."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.hardware import Chain, ChainLink
from elmpeg.core.methods.fastening.tolerance_stack import ChainBand, ChainPart, chain_band
from elmpeg.core.scene.scene import Scene


@record
class LinkSize:
    """One link with its size as the build has it, and its share of the likely spread (0 to 1)."""

    link: ChainLink
    mm: float
    share: float


@record
class ChainResult:
    """A chain worked out. ``tighter`` is the link that brings most of the spread."""

    links: tuple[LinkSize, ...]
    band: ChainBand
    tighter: str


def chain_result(scene: Scene, chain: Chain) -> ChainResult:
    """A chain in a scene. Raises InputError where a link leads nowhere."""
    if not chain.links:
        raise InputError("links", "has no links; add the dimensions in order from one end")
    sizes = [link_mm(scene, link) for link in chain.links]
    parts = tuple(ChainPart(v, k.plus_mm, k.minus_mm, k.direction) for k, v in zip(chain.links, sizes, strict=True))
    band = chain_band(parts)
    squares = [((k.plus_mm + k.minus_mm) / 2) ** 2 for k in chain.links]
    whole = sum(squares)
    links = tuple(LinkSize(k, v, s / whole if whole else 0.0) for k, v, s in zip(chain.links, sizes, squares, strict=True))
    widest = max(links, key=lambda one: one.share)
    return ChainResult(links, band, widest.link.id if whole else "")


def link_mm(scene: Scene, link: ChainLink) -> float:
    """A link's size: between two points along an axis of the vehicle, of a mount's layer, or as given."""
    if link.from_point and link.to_point:
        i = "xyz".index(link.axis)
        return abs(scene.xyz(link.to_point)[i] - scene.xyz(link.from_point)[i])
    if link.mount:
        mount = scene.build.mount(link.mount)
        layer = next((x for x in mount.layers if x.id == link.layer), None)
        if layer is None:
            raise InputError("links", f"{link.name}: that layer is not in {mount.name} any more")
        return layer.mm
    return link.mm


def with_chain(build: Build, chain: Chain) -> Build:
    """The build with a chain added or changed."""
    for link in chain.links:
        if link.plus_mm < 0 or link.minus_mm < 0:
            raise InputError("links", f"{link.name}: a tolerance is 0 or more")
        if bool(link.from_point) != bool(link.to_point) or (link.from_point and link.from_point == link.to_point):
            raise InputError("links", f"{link.name}: choose two different points")
    if chain.links:
        chain_result(Scene(build, build.options[0]), chain)
    if any(c.id == chain.id for c in build.chains):
        return replace(build, chains=tuple(chain if c.id == chain.id else c for c in build.chains))
    return replace(build, chains=(*build.chains, chain))


def without_chain(build: Build, chain_id: str) -> Build:
    """The build without a chain."""
    made: Build = taken_out(build, "chains", chain_id)
    return made
