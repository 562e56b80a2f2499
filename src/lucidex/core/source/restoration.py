"""What must see the true pixels of all of a picture: less noise, and detail brought back; always at full scale.

Less noise: an undecimated wavelet transform with the cubic B-spline (J.-L. Starck, F. Murtagh, A. Bijaoui, Image
Processing and Data Analysis, 1998), in luma and two differences of colour; what lies below a multiple of the noise
goes, what lies above twice of that stays (firm shrinkage: H.-Y. Gao and A. Bruce, 1997). The noise is measured on the
picture itself, by the median of the finest detail (Donoho and Johnstone, 1994).

Detail brought back: Richardson–Lucy deconvolution of the luma (W. H. Richardson, 1972; L. B. Lucy, 1974) for a small
Gaussian blur, few rounds, so that what is brought back was there and noise is not blown up.
"""

from abc import ABC, abstractmethod
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.cancellation import check_wanted, present_event
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.derivation import StoredPixels
from lucidex.core.source.pyramid import LADDER, AnyPixels

STRIP_PIXELS = 1_000_000
THREADS = 2  # strips do not touch each other, and OpenCV lets go of the interpreter
SPLINE = np.array([1, 4, 6, 4, 1], np.float32) / 16
SCALES = 4
FINEST_OF_WHITE_NOISE = np.array([0.800, 0.273, 0.120, 0.059])  # per scale: what unit noise leaves there
COLOUR_TIMES = 2.0  # noise of colour disturbs more, and colour has less detail to lose
MAX_TIMES = 2.5  # the noise, at full strength
ROUNDS = 8
SAMPLED_ROWS = 256
TO_OPPONENT = np.array([[0.299, 0.587, 0.114], [-0.169, -0.331, 0.5], [0.5, -0.419, -0.081]], np.float32)
FROM_OPPONENT = np.linalg.inv(TO_OPPONENT.astype(np.float64)).astype(np.float32)

Floats32 = npt.NDArray[Any]  # of 32 bits; OpenCV's types lose that


Change = Callable[[Floats32, Box], Floats32]


@dataclass(frozen=True)
class WholeRestoration(ABC):
    """One change of all of the original's own pixels."""

    @property
    @abstractmethod
    def reach(self) -> int:
        """How many pixels away something can still change a pixel."""

    @abstractmethod
    def prepared(self, stored: StoredPixels) -> Change:
        """What changes height × width × 3 floats of a box of the stored pixels, after a look at all of them."""

    def strips(self, stored: StoredPixels) -> Iterator[AnyPixels]:
        """All of the stored pixels, changed: rows from top to bottom, some at a time, each part an array of its own.

        No more than some strips of about a megapixel stand in memory as floats. Alpha stays. Pictures of one or two
        bands are changed as far as one channel goes. Raises NoLongerWantedError where nobody waits for it any more.
        """
        height, width, bands = stored.pixels.shape
        change, most = self.prepared(stored), np.iinfo(stored.pixels.dtype).max
        rows, reach = strip_rows(width), self.reach
        colours = min(3, bands if bands > 2 else 1)
        gone = present_event()

        def changed_strip(top: int) -> AnyPixels:
            check_wanted(gone)
            start, end = max(0, top - reach), min(height, top + rows + reach)
            box = Box(0, start, Size(width, end - start))
            changed = change(stored.colours[start:end].astype(np.float32), box)
            out = stored.pixels[top : top + rows].copy()
            kept = np.rint(np.clip(changed[top - start : top - start + rows], 0, most)).astype(out.dtype)
            out[..., :colours] = kept[..., :colours]
            return out

        with ThreadPoolExecutor(THREADS) as threads:
            under_way: deque[Future[AnyPixels]] = deque()
            for top in range(0, height, rows):
                under_way.append(threads.submit(changed_strip, top))
                if len(under_way) > THREADS:
                    yield under_way.popleft().result()
            while under_way:
                yield under_way.popleft().result()


def strip_rows(width: int) -> int:
    """How many rows of a picture are worked on at once: whole blocks of every level."""
    return max(64, STRIP_PIXELS // width // LADDER[-1] * LADDER[-1])


@dataclass(frozen=True)
class WaveletDenoising(WholeRestoration):
    """`strength` 0 to 1: up to two and a half times the measured noise is taken away."""

    strength: float

    @property
    def reach(self) -> int:
        """Two taps on either side, at each scale."""
        return int(sum(2 * 2**scale for scale in range(SCALES)))

    def prepared(self, stored: StoredPixels) -> Change:
        """Measures the noise."""
        noise = measured_noise(stored.colours)

        def calm(values: Floats32, box: Box) -> Floats32:
            planes = cv2.split(cv2.transform(values, TO_OPPONENT))
            calmer = [
                _shrunk(plane, MAX_TIMES * self.strength * level * (1.0 if index == 0 else COLOUR_TIMES))
                for index, (plane, level) in enumerate(zip(planes, noise, strict=True))
            ]
            return cv2.transform(cv2.merge(calmer), FROM_OPPONENT)

        return calm


def measured_noise(pixels: AnyPixels) -> tuple[float, float, float]:
    """The standard deviation of the noise in luma and both differences of colour, in code values."""
    middle = max(0, pixels.shape[0] // 2 - SAMPLED_ROWS // 2)
    rows = [0, middle // 2, middle, middle + middle // 2]
    parts = [cv2.transform(pixels[top : top + SAMPLED_ROWS, :, :3].astype(np.float32), TO_OPPONENT) for top in rows]
    levels = []
    for channel in range(3):
        finest = np.concatenate(
            [np.abs(part[..., channel] - _smoothed(part[..., channel], 0)).ravel() for part in parts]
        )
        levels.append(float(np.median(finest)) / 0.6745 / float(FINEST_OF_WHITE_NOISE[0]))
    return levels[0], levels[1], levels[2]


def _smoothed(plane: Floats32, scale: int) -> Floats32:
    """The B-spline with holes of 2^scale between its taps."""
    kernel = np.zeros(4 * 2**scale + 1, np.float32)
    kernel[:: 2**scale] = SPLINE
    smoothed: Floats32 = cv2.sepFilter2D(plane, cv2.CV_32F, kernel, kernel, borderType=cv2.BORDER_REFLECT)
    return smoothed


def _shrunk(plane: Floats32, level: float) -> Floats32:
    kept, coarse = np.zeros_like(plane), plane
    for scale in range(SCALES):
        smoother = _smoothed(coarse, scale)
        detail, least = coarse - smoother, np.float32(level * FINEST_OF_WHITE_NOISE[scale])
        beyond = detail - np.clip(detail, -least, least)
        kept += np.clip(2 * beyond, -np.abs(detail), np.abs(detail))
        coarse = smoother
    shrunk: Floats32 = kept + coarse
    return shrunk


@dataclass(frozen=True)
class Deconvolution(WholeRestoration):
    """`radius_px`: the blur's standard deviation in the original's pixels; `strength` 0 to 1."""

    radius_px: float
    strength: float

    @property
    def reach(self) -> int:
        """Each round looks there and back, but little of it arrives."""
        return int(np.ceil(6 * self.radius_px)) + ROUNDS

    def prepared(self, stored: StoredPixels) -> Change:
        """Needs no look at the whole."""
        return self._sharpened

    def _sharpened(self, values: Floats32, box: Box) -> Floats32:
        luma = np.maximum(cv2.transform(values, TO_OPPONENT[:1]), 1.0)
        estimate = luma
        for _ in range(ROUNDS):
            ratio = luma / np.maximum(self._blurred(estimate), 1.0)
            estimate = estimate * self._blurred(ratio)
        moved: Floats32 = values + self.strength * (estimate - luma)[..., None]
        return moved

    def _blurred(self, plane: Floats32) -> Floats32:
        blurred: Floats32 = cv2.GaussianBlur(plane, (0, 0), self.radius_px, borderType=cv2.BORDER_REPLICATE)
        return blurred
