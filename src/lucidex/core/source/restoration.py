"""What must see the true pixels of all of a picture, at full scale: how that goes, and detail brought back.

Detail brought back: Richardson–Lucy deconvolution of the luma (W. H. Richardson, 1972; L. B. Lucy, 1974) for a small
Gaussian blur, few rounds, so that what is brought back was there and noise is not blown up.
"""

from abc import ABC, abstractmethod
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.cancellation import check_wanted, present_event
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.derivation import StoredPixels
from lucidex.core.source.pyramid import LADDER, AnyPixels

STRIP_PIXELS = 1_000_000
THREADS = 2  # strips do not touch each other, and OpenCV lets go of the interpreter
ROUNDS = 8
TO_LUMA = np.array([[0.299, 0.587, 0.114]], np.float32)

Floats32 = npt.NDArray[Any]  # of 32 bits; OpenCV's types lose that


Change = Callable[[Floats32, Box], Floats32]


@dataclass(frozen=True)
class WholeRestoration(ABC):
    """One change of all of the original's own pixels."""

    adds_alpha: ClassVar[bool] = False

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
        reach = self.reach
        colours = min(3, bands if bands > 2 else 1)

        def changed_strip(top: int, rows: int) -> AnyPixels:
            start, end = max(0, top - reach), min(height, top + rows + reach)
            box = Box(0, start, Size(width, end - start))
            changed = change(stored.colours[start:end].astype(np.float32), box)
            out = stored.pixels[top : top + rows].copy()
            kept = np.rint(np.clip(changed[top - start : top - start + rows], 0, most)).astype(out.dtype)
            out[..., :colours] = kept[..., :colours]
            return out

        return side_by_side(stored.size, changed_strip)


def side_by_side(size: Size, strip_at: Callable[[int, int], AnyPixels]) -> Iterator[AnyPixels]:
    """The strips of a picture in their order, some at a time: `strip_at` is given the first row and how many.

    Raises NoLongerWantedError where nobody waits for it any more.
    """
    rows, gone = strip_rows(size.width), present_event()

    def wanted(top: int) -> AnyPixels:
        check_wanted(gone)
        return strip_at(top, rows)

    with ThreadPoolExecutor(THREADS) as threads:
        under_way: deque[Future[AnyPixels]] = deque()
        for top in range(0, size.height, rows):
            under_way.append(threads.submit(wanted, top))
            if len(under_way) > THREADS:
                yield under_way.popleft().result()
        while under_way:
            yield under_way.popleft().result()


def strip_rows(width: int) -> int:
    """How many rows of a picture are worked on at once: whole blocks of every level."""
    return max(64, STRIP_PIXELS // width // LADDER[-1] * LADDER[-1])


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
        luma = np.maximum(cv2.transform(values, TO_LUMA), 1.0)
        estimate = luma
        for _ in range(ROUNDS):
            ratio = luma / np.maximum(self._blurred(estimate), 1.0)
            estimate = estimate * self._blurred(ratio)
        moved: Floats32 = values + self.strength * (estimate - luma)[..., None]
        return moved

    def _blurred(self, plane: Floats32) -> Floats32:
        blurred: Floats32 = cv2.GaussianBlur(plane, (0, 0), self.radius_px, borderType=cv2.BORDER_REPLICATE)
        return blurred
