"""What can be measured on finished pixels about how they look: how much is in them, and how fine it is."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import cv2
import numpy as np
from pydantic import JsonValue

from lucidex.core.finish.findings import Finding
from lucidex.core.proof.looks import Look
from lucidex.core.source.pyramid import AnyPixels

BLOCK = 16
BUSY_FROM = 3.0  # code values of standard deviation inside a block
APART_FROM = 24.0  # code values from the middle one of all blocks
EMPTY_BELOW = 0.01  # of the blocks
SOFT_BELOW = 0.62  # of the usual fineness among neighbours
NEIGHBOURS_NEEDED = 4
_SMALLEST = 4 * BLOCK
_LARGEST = 512  # of the middle, whose fineness stands for the whole
_EVERY = 3  # pixels: so many of a block tell enough
_QUIET = 0.3  # code values: below it there is no detail whose fineness could be told


@dataclass(frozen=True)
class PixelStatistics:
    """Measured on finished pixels.

    `looks` is what warnings measured, by the names of their looks (`core.proof.looks`). `likeness` to the pixels
    before they were encoded, 0 to 100 (`encode.likeness`), and the `quality`, 1 to 100, are known where it was
    searched for a ceiling. `findings` is what was found while things were drawn onto them.
    """

    looks: Mapping[str, JsonValue] = field(default_factory=dict)
    likeness: float | None = None
    quality: int | None = None
    findings: tuple[Finding, ...] = ()

    def saw(self, look: Look) -> JsonValue:
        """What was measured by a look; None where it has not looked."""
        return self.looks.get(look.name)


def _grey(pixels: AnyPixels) -> AnyPixels:
    grey: AnyPixels = cv2.cvtColor(np.ascontiguousarray(pixels[..., :3]), cv2.COLOR_RGB2GRAY)
    if pixels.shape[2] == 4:
        alpha = pixels[..., 3].astype(np.uint16)
        grey = ((grey * alpha + 128 * (255 - alpha)) // 255).astype(np.uint8)
    return grey


def busy_share(pixels: AnyPixels) -> float:
    """The share of blocks of 16 × 16 pixels with something in them, or apart from the rest, 0 to 1.

    Clear areas count as an even ground.
    """
    grey = _grey(pixels)
    across, down = max(1, grey.shape[1] // BLOCK), max(1, grey.shape[0] // BLOCK)
    every = _EVERY if min(across, down) > 1 else 1
    values = grey[::every, ::every].astype(np.float32)
    mean = cv2.resize(values, (across, down), interpolation=cv2.INTER_AREA)
    square = cv2.resize(values * values, (across, down), interpolation=cv2.INTER_AREA)
    differs = np.abs(mean - np.median(mean)) > APART_FROM
    return float(np.mean((square - mean * mean > BUSY_FROM**2) | differs))


def fineness(pixels: AnyPixels) -> float | None:
    """How strong the finest detail is beside the detail of twice its size; a soft picture has little of the finest.

    None where there is too little detail to tell. It is the ratio of mean absolute Laplacians at full and at half
    size: a plain relative of the measures of focus by energy of the second derivative (Subbarao and Choi 1992, energy
    of Laplacian).
    """
    grey = _grey(pixels)
    if min(grey.shape) < _SMALLEST:
        return None
    top, left = (max(0, (side - _LARGEST) // 2) for side in grey.shape)
    grey = grey[top : top + _LARGEST, left : left + _LARGEST]
    half = cv2.resize(grey, (grey.shape[1] // 2, grey.shape[0] // 2), interpolation=cv2.INTER_AREA)
    fine, coarse = (float(np.mean(np.abs(cv2.Laplacian(one, cv2.CV_16S)))) for one in (grey, half))
    return fine / coarse if coarse > _QUIET else None


def is_soft(fine: JsonValue, neighbours: list[float]) -> bool:
    """Whether a picture has much less of the finest detail than what is usual among its neighbours."""
    if not isinstance(fine, float) or len(neighbours) < NEIGHBOURS_NEEDED:
        return False
    return fine < SOFT_BELOW * float(np.median(neighbours))
