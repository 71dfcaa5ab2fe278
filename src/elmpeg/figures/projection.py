"""One true view of the vehicle on a sheet of so many pixels."""

from __future__ import annotations

from dataclasses import dataclass

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, View

Pixel = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Window:
    """What part of a view is shown, mm in (screen right, screen up)."""

    left_mm: float
    bottom_mm: float
    right_mm: float
    top_mm: float

    def grown(self, share: float) -> Window:
        """A window larger by a share of its size on every side."""
        dx, dy = (self.right_mm - self.left_mm) * share, (self.top_mm - self.bottom_mm) * share
        return Window(self.left_mm - dx, self.bottom_mm - dy, self.right_mm + dx, self.top_mm + dy)


@dataclass(frozen=True, slots=True)
class Projection:
    """A view at one scale in both directions, its window centred on the sheet."""

    view: View
    width_px: float
    height_px: float
    px_per_mm: float
    centre_mm: Pixel

    def of(self, point_mm: Vec3) -> Pixel:
        """A point of the vehicle on the sheet."""
        i, j = AXES_OF_VIEW[self.view]
        return self.flat((point_mm[i], point_mm[j]))

    def flat(self, uv_mm: Pixel) -> Pixel:
        """A point of the view, mm right and up, on the sheet."""
        return (
            self.width_px / 2 + (uv_mm[0] - self.centre_mm[0]) * self.px_per_mm,
            self.height_px / 2 - (uv_mm[1] - self.centre_mm[1]) * self.px_per_mm,
        )

    @property
    def window(self) -> Window:
        """What the whole sheet shows."""
        half_w, half_h = self.width_px / self.px_per_mm / 2, self.height_px / self.px_per_mm / 2
        return Window(self.centre_mm[0] - half_w, self.centre_mm[1] - half_h, self.centre_mm[0] + half_w, self.centre_mm[1] + half_h)


def fitted(view: View, width_px: float, height_px: float, window: Window) -> Projection:
    """The largest true-scale projection that shows all of a window."""
    wide, high = max(window.right_mm - window.left_mm, 1.0), max(window.top_mm - window.bottom_mm, 1.0)
    scale = min(width_px / wide, height_px / high)
    return Projection(view, width_px, height_px, scale, ((window.left_mm + window.right_mm) / 2, (window.bottom_mm + window.top_mm) / 2))


def round_length(most_mm: float) -> float:
    """The largest of 1, 2 or 5 times a power of ten that is not above a length; for scale bars and grids."""
    power = 1.0
    while power * 10 <= most_mm:
        power *= 10
    while power > most_mm:
        power /= 10
    return next(k * power for k in (5, 2, 1) if k * power <= most_mm)
