"""How close one picture looks to another of the same size: 0 (poor) to 100 (the same).

Structural similarity (Wang, Bovik, Sheikh and Simoncelli, Image Quality Assessment: From Error Visibility to
Structural Similarity, 2004) in luminance at five scales and in both colour differences from half the size on (Wang,
Simoncelli and Bovik, Multi-scale Structural Similarity, 2003); beside it, how much detail is new and how much is
gone. Of each, the mean and the fourth norm count, so that a few bad spots are not averaged away; and all of them
once more under an exponent below 1, as the first loss is seen more than the next. How much each of these numbers
weighs was fitted, without negative weights, to a published metric that costs twenty times as much (J. Sneyers,
SSIMULACRA 2, 2022): `bench/likeness.py`.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.encode.likeness_kernel import channel_differences
from lucidex.core.encode.likeness_weights import WEIGHTS

SCALES = 5
MIN_EDGE = 16
WINDOW, WINDOW_SIGMA = 9, 1.5
FIRST_LOSS = 0.7  # exponent
PATCH, PATCHES_A_SIDE = 384, 4  # pixels; and how many patches stand for a picture that is larger than all of them
# the anchors that the published metric gives: from 80 on it is hard to tell apart side by side, 70 is high and 50
# middling, 30 low quality
WORDS = ((80.0, "looks the same"), (60.0, "slight difference"), (30.0, "visible difference"), (0.0, "poor"))
LOOKS_THE_SAME, POOR_BELOW = WORDS[0][0], WORDS[1][0]

Bytes = npt.NDArray[np.uint8]
Floats = npt.NDArray[Any]


@dataclass(frozen=True)
class _Channel:
    values: Floats
    mean: Floats
    square: Floats


class Reference:
    """A picture that others are compared with; what is measured on it alone is measured once.

    `pixels` are height × width × 3 bytes of sRGB. Of a picture with more than 16 patches of 384 × 384 pixels, only
    so many are compared, spread over it: large files take the time of small ones.
    """

    def __init__(self, pixels: Bytes) -> None:
        self._shape = pixels.shape
        self._compared = _mosaic(pixels)

    @cached_property
    def _measured(self) -> list[list[_Channel]]:
        return [[_measured(channel) for channel in scale] for scale in _scales(self._compared)]

    def likeness(self, other: Bytes) -> float:
        """The likeness of another picture of the same shape, 0 to 100. Raises ValueError where the shapes differ."""
        numbers = self.differences(other)
        return 100.0 - min(100.0, sum(weight * float(numbers[at]) for at, weight in WEIGHTS.items()))

    def differences(self, other: Bytes) -> npt.NDArray[np.float64]:
        """The numbers that likeness is made of: six (`channel_differences`) for luminance at the first scale, for all
        three channels at each of four more; then all of them to the power of `FIRST_LOSS`.
        """
        if other.shape != self._shape:
            raise ValueError(f"pictures of {self._shape} and {other.shape} cannot be compared")
        found = [
            np.concatenate([_difference(one, channel) for one, channel in zip(before, after, strict=True)])
            for before, after in zip(self._measured, _scales(_mosaic(other)), strict=True)
        ]
        if len(found) == 1:
            found.append(np.concatenate([found[0]] * 3))
        plain = np.concatenate(found + found[-1:] * (SCALES - len(found)))
        return np.concatenate([plain, plain**FIRST_LOSS])


def likeness(reference: Bytes, other: Bytes) -> float:
    """The likeness of two height × width × 3 arrays of sRGB bytes, 0 to 100.

    Raises ValueError where their shapes differ.
    """
    return Reference(reference).likeness(other)


def likeness_words(value: float) -> str:
    """A likeness in words.

    >>> likeness_words(91), likeness_words(42)
    ('looks the same', 'visible difference')
    """
    return next((words for least, words in WORDS if value >= least), WORDS[-1][1])


def _mosaic(pixels: Bytes) -> Bytes:
    """The picture, or side by side the patches that stand for it."""
    height, width = pixels.shape[:2]
    if height * width <= (PATCH * PATCHES_A_SIDE) ** 2:
        return pixels
    rows = [pixels[top : top + PATCH] for top in _starts(height)]
    return np.vstack([np.hstack([row[:, left : left + PATCH] for left in _starts(width)]) for row in rows])


def _starts(side: int) -> list[int]:
    """Where patches begin along a side: spread evenly from edge to edge, as many as there is room for."""
    count = min(PATCHES_A_SIDE, max(1, side // PATCH))
    return [0] if count == 1 else [round(i * (side - PATCH) / (count - 1)) for i in range(count)]


def _scales(pixels: Bytes) -> list[list[Floats]]:
    """Luminance at full size, then luminance and colour differences at half, quarter … of it."""
    picture = cv2.cvtColor(np.ascontiguousarray(pixels), cv2.COLOR_RGB2YCrCb).astype(np.float32)
    scales = [[np.ascontiguousarray(picture[..., 0])]]
    while len(scales) < SCALES and min(picture.shape[:2]) >= 2 * MIN_EDGE:
        size = picture.shape[1] // 2, picture.shape[0] // 2
        picture = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))
        scales.append([np.ascontiguousarray(picture[..., channel]) for channel in range(3)])
    return scales


def _soft(values: Floats) -> Floats:
    return np.asarray(cv2.GaussianBlur(values, (WINDOW, WINDOW), WINDOW_SIGMA))


def _measured(values: Floats) -> _Channel:
    return _Channel(values, _soft(values), _soft(values * values))


def _difference(one: _Channel, other: Floats) -> npt.NDArray[np.float64]:
    softened = _soft(other), _soft(other * other), _soft(one.values * other)
    found: npt.NDArray[np.float64] = channel_differences(one.values, one.mean, one.square, other, *softened)
    return found
