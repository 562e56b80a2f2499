"""Enlarging without a network: cubic interpolation, then corrected until its reduction is the picture again.

Source: Irani and Peleg, Improving Resolution by Image Registration (1991), for the back-projection; the result is
held near the range of its neighbours, so that edges do not ring. Measured in `bench/methods.py` against a plain
bilinear baseline on the demo pictures; more than two rounds gain nothing there.
"""

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry import Size

ROUNDS = 2
RINGING = 8 / 255  # of the range: how far beyond its neighbours a value may go
CORRECTED_UP_TO_PIXELS = 40_000_000  # above it the floats would cost too much memory; cubic alone then

Pixels = npt.NDArray[Any]


def enlarged(pixels: Pixels, size: Size, full: float, is_premultiplied: bool = False) -> Pixels:
    """Height × width × bands of any number type, enlarged to `size`; `full` is the value of white.

    Clear areas must be premultiplied; then nothing rings, as colours must not exceed their alpha.
    """
    slack = 0.0 if is_premultiplied else RINGING * full
    bands = [_one_band(np.ascontiguousarray(pixels[..., i]), size, full, slack) for i in range(pixels.shape[2])]
    return np.stack(bands, axis=-1)


def _one_band(band: Pixels, size: Size, full: float, slack: float) -> Pixels:
    to, back = (size.width, size.height), (band.shape[1], band.shape[0])
    known = band.astype(np.float32)
    large: Pixels = cv2.resize(known, to, interpolation=cv2.INTER_CUBIC)
    if size.pixels <= CORRECTED_UP_TO_PIXELS:
        for _ in range(ROUNDS):
            missing = known - cv2.resize(large, back, interpolation=cv2.INTER_AREA)
            large = large + cv2.resize(missing, to, interpolation=cv2.INTER_CUBIC)
        around = np.ones((3, 3), np.uint8)
        low = cv2.resize(cv2.erode(known, around), to, interpolation=cv2.INTER_NEAREST)
        high = cv2.resize(cv2.dilate(known, around), to, interpolation=cv2.INTER_NEAREST)
        large = np.clip(large, low - slack, high + slack)
    held = np.clip(large, 0, full)
    return held if np.issubdtype(band.dtype, np.floating) else np.rint(held).astype(band.dtype)
