"""Local contrast, softening and sharpening."""

from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np

from lucidex.core.picture.effects.base import (
    Bytes,
    Effect,
    Floats32,
    View,
    back_from_blur,
    by_strips,
    luma_of,
    opaque_for_blur,
    reach_of,
    soft,
    with_added,
    with_luma,
)
from lucidex.core.picture.effects.kernel import sharpening

EDGE_CONTRAST = 36.0  # code values: what counts as an edge, which local contrast leaves without a halo
MAX_LOCAL = 1.2  # of the detail, at full local contrast
HALO_LIMIT = 10.0  # code values beyond the darkest and lightest neighbour, at most, when sharpening


@dataclass(frozen=True)
class LocalContrast(Effect):
    """Detail against its surroundings, made stronger or weaker without halos at edges.

    The surroundings are a guided filter of the luma with itself (K. He, J. Sun, X. Tang, Guided Image Filtering,
    2013), over `radius` of the unit; detail is what differs from them: y + amount · (y − surroundings).
    """

    amount: float  # −1 to 1
    radius: float  # share of the unit
    seat: ClassVar[int] = 1

    def reach(self, unit: float) -> int:
        """Two boxes, one after the other."""
        return 2 * self._box(unit) + 2

    def on(self, pixels: Bytes, view: View) -> Bytes:
        """Only the luma changes."""
        return by_strips(pixels, self.reach(view.unit), lambda strip: self._on_strip(strip, self._box(view.unit)))

    def _box(self, unit: float) -> int:
        return max(1, round(self.radius * unit))

    def _on_strip(self, pixels: Bytes, box: int) -> Bytes:
        luma = luma_of(pixels)
        detail = luma - guided(luma, box, EDGE_CONTRAST)
        # towards black and white there is less room, so the change fades out there
        room = np.minimum(1, np.minimum(luma, 255 - luma) / 40) if self.amount > 0 else np.float32(1)
        by = self.amount * (MAX_LOCAL if self.amount > 0 else 1.0)
        return with_luma(pixels, luma, luma + by * room * detail)


def guided(luma: Floats32, box: int, edge: float) -> Floats32:
    """The guided filter of a plane with itself: flat parts are averaged, edges of more than `edge` stay."""
    size = (2 * box + 1, 2 * box + 1)

    def mean(plane: Floats32) -> Floats32:
        return cv2.blur(plane, size, borderType=cv2.BORDER_REFLECT)

    average = mean(luma)
    variance = np.maximum(mean(luma * luma) - average * average, 0)
    slope = variance / (variance + np.float32(edge * edge))
    filtered: Floats32 = mean(slope) * luma + mean(average - slope * average)
    return filtered


@dataclass(frozen=True)
class Softening(Effect):
    """A Gaussian of `radius` (its standard deviation, a share of the unit)."""

    radius: float
    seat: ClassVar[int] = 4

    def reach(self, unit: float) -> int:
        """Four standard deviations."""
        return reach_of(self.radius * unit)

    def on(self, pixels: Bytes, view: View) -> Bytes:
        """All channels, alpha too; clear pixels do not bleed."""
        sigma = self.radius * view.unit

        def on_strip(strip: Bytes) -> Bytes:
            return back_from_blur(soft(opaque_for_blur(strip), sigma))

        return by_strips(pixels, self.reach(view.unit), on_strip)


@dataclass(frozen=True)
class Sharpening(Effect):
    """An unsharp mask of the luma at the finished pixels, held near what its neighbours show.

    y + amount · d, d = y − Gaussian(y), d less the grain that is to stay: sign(d) · max(|d| − grain, 0). The result
    goes at most ten code values beyond the darkest and lightest of the 3 × 3 neighbours, so that edges get no rims.
    """

    amount: float  # 0 to 3
    radius_px: float  # standard deviation, finished pixels
    grain: float  # code values
    seat: ClassVar[int] = 5

    def reach(self, unit: float) -> int:
        """Four standard deviations, whatever the unit."""
        return reach_of(self.radius_px)

    def on(self, pixels: Bytes, view: View) -> Bytes:
        """Only the luma changes."""
        return by_strips(pixels, self.reach(view.unit), self._on_strip)

    def _on_strip(self, pixels: Bytes) -> Bytes:
        luma = luma_of(pixels)
        softened, added = soft(luma, self.radius_px), np.empty_like(luma)
        sharpening(luma, softened, np.float32(self.amount), np.float32(self.grain), np.float32(HALO_LIMIT), added)
        return with_added(pixels, added)
