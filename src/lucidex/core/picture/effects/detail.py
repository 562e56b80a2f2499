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
GRAIN_SHARE = 0.08  # of the radius: what is finer is no edge
ROUNDS, REACHED = 3, 2.7  # passes along rows and columns, and how many radii they see
MAX_LOCAL = 1.2  # of the detail, at full local contrast
HALO_LIMIT = 10.0  # code values beyond the darkest and lightest neighbour, at most, when sharpening


@dataclass(frozen=True)
class LocalContrast(Effect):
    """Detail against its surroundings, made stronger or weaker without halos at edges.

    The surroundings are the luma smoothed by a domain transform, over `radius` of the unit (E. Gastal, M. Oliveira,
    2011: distances count the difference of tone, so that nothing is averaged across an edge); detail is what differs
    from them: y + amount · (y − surroundings).
    """

    amount: float  # −1 to 1
    radius: float  # share of the unit
    seat: ClassVar[int] = 1

    def reach(self, unit: float) -> int:
        """All passes of the transform, and the grain that its edges are found without."""
        radius = self.radius * unit
        return int(np.ceil(REACHED * max(1.0, radius))) + reach_of(GRAIN_SHARE * radius) + 2

    def on(self, pixels: Bytes, view: View) -> Bytes:
        """Only the luma changes."""
        radius = max(1.0, self.radius * view.unit)
        return by_strips(pixels, self.reach(view.unit), lambda strip: self._on_strip(strip, radius))

    def _on_strip(self, pixels: Bytes, radius: float) -> Bytes:
        luma = luma_of(pixels)
        detail = luma - surroundings(luma, radius, EDGE_CONTRAST)
        # towards black and white there is less room, so the change fades out there
        room = np.minimum(1, np.minimum(luma, 255 - luma) / 40) if self.amount > 0 else np.float32(1)
        by = self.amount * (MAX_LOCAL if self.amount > 0 else 1.0)
        return with_luma(pixels, luma, luma + by * room * detail)


def surroundings(luma: Floats32, radius: float, edge: float) -> Floats32:
    """A plane averaged over `radius` pixels, but never across edges of more than `edge`."""
    edges = soft(luma, GRAIN_SHARE * radius)
    smooth: Floats32 = cv2.ximgproc.dtFilter(
        edges, luma, radius, edge, mode=cv2.ximgproc.DTF_NC, numIters=ROUNDS
    ).astype(np.float32)
    return smooth


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
