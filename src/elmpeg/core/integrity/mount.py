"""What must be true of mounts, patterns, plates and chains: figures that a bench can make."""

from __future__ import annotations

from collections.abc import Iterator

from elmpeg.core.build.document import Build
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM

MOST_LAYERS, MOST_HOLES, MOST_LINKS = 40, 200, 100
"""What one mount, one pattern and one chain keep at most."""


def mount_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Mounts whose figures no bench can make."""
    for i, mount in enumerate(build.mounts):
        for field in ("bolt_mm", "tolerance_mm"):
            if getattr(mount, field) > LONGEST_MM:
                yield f"mounts.{i}.{field}", "is more than 100 m; check the unit"
        if len(mount.layers) > MOST_LAYERS:
            yield f"mounts.{i}.layers", f"are {len(mount.layers)}; at most {MOST_LAYERS} are kept"
        if any(x.mm > LONGEST_MM for x in mount.layers):
            yield f"mounts.{i}.layers", "has one of more than 100 m; check the unit"
        if mount.boxed is not None and not 0 < 2 * mount.boxed.wall_mm < mount.boxed.depth_mm:
            yield f"mounts.{i}.boxed", "needs walls thinner than half its depth"
        if mount.bush is not None and mount.bush.loaded_mm > mount.bush.free_mm:
            yield f"mounts.{i}.bush.loaded_mm", "is no higher than the bush is free"


def pattern_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Patterns, plates and chains that cannot be laid out."""
    layers = {(m.id, x.id) for m in build.mounts for x in m.layers}
    for i, pattern in enumerate(build.patterns):
        if pattern.got == "points" and len(pattern.points) < 2:
            yield f"patterns.{i}.points", "needs at least two points"
        if max(len(pattern.holes), len(pattern.points)) > MOST_HOLES:
            yield f"patterns.{i}", f"has more than {MOST_HOLES} holes"
        if any(h.hole_mm > LONGEST_MM or max(abs(h.x_mm), abs(h.y_mm)) > LONGEST_MM for h in pattern.holes):
            yield f"patterns.{i}.holes", "has a hole larger or further than 100 m"
    for i, chain in enumerate(build.chains):
        if len(chain.links) > MOST_LINKS:
            yield f"chains.{i}.links", f"are {len(chain.links)}; at most {MOST_LINKS} are kept"
        for k, link in enumerate(chain.links):
            if link.mount and (link.mount, link.layer) not in layers:
                yield f"chains.{i}.links.{k}", "counts a layer that is not there"
