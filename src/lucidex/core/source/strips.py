"""An image's rows from the top, a strip at a time, in one pass over whatever it comes from.

Asking for one part of an image after the other begins a pass each time: a decoder that reads more rows at once than
a part holds is then asked for rows that it has given already.
"""

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.source.pyramid import AnyPixels

_NUMBERS = {"uchar": np.uint8, "ushort": np.uint16}


def in_strips(image: pyvips.Image, rows: int, take: Callable[[AnyPixels], None]) -> None:
    """Hand all rows of an image to `take`, so many at a time: height × width × bands of 8 or 16 bits.

    The next ones are decoded meanwhile. Raises pyvips.Error where decoding fails, and whatever `take` raises.
    """
    strip = _Strip(image, rows, take)
    target = pyvips.TargetCustom()
    target.on_write(strip.write)
    try:
        pyvips.Operation.call("rawsave_target", image, target)
    except pyvips.Error:
        if strip.trouble is not None:
            raise strip.trouble from None
        raise


class _Strip:
    """Gathers the bytes that libvips writes into strips of whole rows."""

    def __init__(self, image: pyvips.Image, rows: int, take: Callable[[AnyPixels], None]) -> None:
        self._row = (image.width, image.bands)
        self._number = _NUMBERS[image.format]
        self._left, self._rows, self._take = image.height, rows, take
        self.trouble: Exception | None = None
        self._begin()

    def _begin(self) -> None:
        self._pixels = np.empty((min(self._rows, self._left), *self._row), self._number)
        self._held, self._filled = self._pixels.reshape(-1).view(np.uint8), 0

    def write(self, written: bytes) -> int:
        """Take some bytes; how many, or -1 where whoever gets the strips has failed."""
        try:
            self._put(np.frombuffer(written, np.uint8))
        except Exception as error:  # noqa: BLE001 - it is raised again by whoever asked for the strips
            self.trouble = error
            return -1
        return len(written)

    def _put(self, piece: npt.NDArray[np.uint8]) -> None:
        while piece.size:
            now = piece[: self._held.size - self._filled]
            self._held[self._filled : self._filled + now.size] = now
            self._filled += now.size
            piece = piece[now.size :]
            if self._filled == self._held.size:
                self._left -= self._pixels.shape[0]
                self._take(self._pixels)
                self._begin()
