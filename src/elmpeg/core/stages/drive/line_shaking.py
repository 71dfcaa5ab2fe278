"""Lines shaken as a whole by all of their doubt, for figures whose slope does not tell how they scatter."""

from __future__ import annotations

import math
from functools import cached_property
from typing import Any

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.verdicts import margin_within
from elmpeg.core.judging.doubt import Nudged
from elmpeg.core.judging.drafts import Array, Draft
from elmpeg.core.judging.scatter import Scatter, Twins, normal_spreads
from elmpeg.core.scene.in_state import load_turns_deg
from elmpeg.core.scene.line_in_scene import Lines, LinesAt

NEAR_NOTHING_SPREADS, NEAR_LIMIT_SPREADS = 3.0, 4.0
"""Where a figure that bends lies so near to nothing, or to its limit, its slope does not tell how it scatters."""


class Shaking:
    """A line shaken as a whole by all of its doubt, for figures that their slope does not tell enough of."""

    def __init__(
        self, nudged: Nudged, there: Lines, many: LinesAt, drafts: tuple[Draft[Any, Any], ...], straight: tuple[Scatter, ...]
    ) -> None:
        self._nudged, self._there, self._bends_deg = nudged, there, many.rest.bends_deg
        most2 = _most_bent_rad2(there, straight)
        self._bending = {d.code for d, s in zip(drafts, straight, strict=True) if d.shaken is not None and _bends(d, s, most2)}
        self._loaded = any(d.loaded for d in drafts if d.code in self._bending)

    def scatter(self, draft: Draft[Any, Any], straight: Scatter) -> Scatter:
        """How a draft's figure scatters: by its slope where that tells, else by the line's shaken twins."""
        if draft.shaken is None or draft.code not in self._bending:
            return straight
        try:
            return Twins(straight.value, draft.shaken(self.twins))
        except InputError:
            # Shaken so far that it no longer runs: its slope is all that can be told.
            return straight

    @cached_property
    def twins(self) -> LinesAt:
        """The line's figures at all its shaken twins.

        They hang on how each joint is bent and no more, so all that may be doubtful is told by a few directions: those in
        which the bends scatter, the widest first, each taken the way that it bends the line more.
        """
        geometry = self._there.geometry()
        bends = self._bends_deg.reshape(len(geometry), -1)
        scattered = self._nudged.rows(bends[0], bends[1:])
        ways, sizes, _ = np.linalg.svd(scattered, full_matrices=False)
        ways = ways[:, sizes > 1e-9 * max(float(sizes.max(initial=0.0)), 1e-30)]
        ways = ways * np.where(ways.T @ scattered @ bends[0] >= 0, 1.0, -1.0)
        rows = ways.T @ self._nudged.rows(geometry[0], geometry[1:])
        return self._there.shaken(geometry[:1] + normal_spreads(len(rows)) @ rows, self._loaded)


def _bends(draft: Draft[Any, Any], straight: Scatter, most2: float) -> bool:
    """Whether a figure is so near its limit that its bend decides; or so near to nothing that it has no slope, though the
    joints may be bent enough for it to come near its limit."""
    room = margin_within(straight.value, draft.low, draft.high)
    if abs(room) <= NEAR_LIMIT_SPREADS * straight.sd or draft.kink <= NEAR_NOTHING_SPREADS * straight.sd:
        return True
    nothing = straight.value <= NEAR_NOTHING_SPREADS * straight.sd
    return nothing and draft.per_rad2 > 0 and draft.high is not None and draft.per_rad2 * most2 > draft.high


def _most_bent_rad2(there: Lines, straight: tuple[Scatter, ...]) -> float:
    """The squares of all crosses' angles together, each as far bent as its doubt and the wind-up may bring it: what a line's
    unevenness grows with."""
    turn = max((abs(t) for t in load_turns_deg(there.build, there.axle)), default=0.0) if there.axle else 0.0
    crosses = (s for j, s in zip(there.line.joints, straight, strict=False) if j.kind == "cardan")
    return sum(math.radians(s.value + NEAR_NOTHING_SPREADS * s.sd + turn) ** 2 for s in crosses)


def columns(answers: list[Array]) -> Array:
    """Figures' answers side by side: scenes x numbers."""
    return np.concatenate([a if a.ndim > 1 else a[:, None] for a in answers], axis=1)
