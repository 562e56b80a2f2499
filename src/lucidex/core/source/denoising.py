"""Less noise: sliding transforms of small blocks, in which a picture gathers in few numbers and noise in all of them.

The method is G. Yu and G. Sapiro, DCT image denoising: a simple and effective image denoising algorithm (Image
Processing On Line, 2011): discrete cosine transforms of 8 × 8 pixels in three orthogonal colours, of which what is
below a multiple of the noise goes, and a second pass after Wiener that the first one guides. Blocks begin at every
fourth pixel; a block counts the more, the fewer numbers it needs.

The noise is found on the picture itself, for each of some levels of light and each colour, from the high frequencies
of those blocks whose low ones have the least (after N. Ponomarenko and others, An automatic approach to lossy
compression of AVIRIS images, 2007): texture is not taken for noise where anything flat is there.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.sizes import Box
from lucidex.core.source.denoising_kernel import EDGE, denoise
from lucidex.core.source.derivation import StoredPixels
from lucidex.core.source.pyramid import AnyPixels
from lucidex.core.source.restoration import Change, Floats32, WholeRestoration

STRIDE = 4
THRESHOLD = 2.7  # times the noise
USUAL = 0.4  # the strength at which what was measured goes, no less and no more
MORE_AT_MOST = 1.5  # times the noise, at full strength
LEVELS = 8  # of light, from black to white
SAMPLED_ROWS, SAMPLES = 256, 4
SAMPLED_PIXELS = 2_000_000  # at most, however wide a picture is
FLATTEST = 0.08  # of the blocks of a level: those in whose high frequencies is nothing but noise
LEAST_BLOCKS, ENOUGH = 60, 0.05  # and of all of them
AT_ENDS = (0.0, 0.1, 0.4, 0.99)  # of a block's pixels: what is at its end hides its noise, but may be all there is
MEDIAN_OF_NOISE = 0.6745
MOST_APART = 1.8  # of a level beside the calmest half: what is more is texture
TO_ORTHOGONAL = np.array(
    [[1 / 3**0.5] * 3, [1 / 2**0.5, 0, -1 / 2**0.5], [1 / 6**0.5, -2 / 6**0.5, 1 / 6**0.5]], np.float32
)
FROM_ORTHOGONAL = np.ascontiguousarray(TO_ORTHOGONAL.T)
_SUMS = np.add.outer(np.arange(EDGE), np.arange(EDGE))
_COSINES = cv2.dct(np.eye(EDGE, dtype=np.float32), flags=cv2.DCT_ROWS).T
_LOW = (_SUMS >= 1) & (_SUMS <= 3)
_HIGH = [
    (_SUMS >= 7) & (_SUMS <= 8),
    (_SUMS >= 9) & (_SUMS <= 10),
    _SUMS >= 11,
]  # where noise is as strong as anywhere

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class CosineDenoising(WholeRestoration):
    """`strength` 0 to 1: at 0.4 the noise that was measured goes; below that a part of it, above it more."""

    strength: float

    @property
    def reach(self) -> int:
        """Two blocks, one pass after the other."""
        return 2 * EDGE

    def prepared(self, stored: StoredPixels) -> Change:
        """Measures the noise."""
        height, width = stored.pixels.shape[:2]
        more = 1 + (MORE_AT_MOST - 1) * max(0.0, self.strength - USUAL) / (1 - USUAL)
        noise = (measured_noise(stored.colours) * more).astype(np.float32)
        share, scale = min(self.strength / USUAL, 1.0), _scale(stored.opaque)
        bands = 3 if stored.colour_bands > 1 else 1
        columns = _starts(0, width, width)

        def calm(values: Floats32, box: Box) -> Floats32:
            if min(height, width) < EDGE or not noise.any():
                return values
            planes = _planes(values, bands)
            rows = _starts(box.top, box.size.height, height)
            guide, calmed = np.zeros_like(planes), np.zeros_like(planes)
            denoise(planes, planes, rows, columns, noise, scale, np.float32(THRESHOLD), guide)
            denoise(planes, guide, rows, columns, noise, scale, np.float32(0), calmed)
            calmed = planes + np.float32(share) * (calmed - planes)
            if bands == 1:
                return np.repeat(calmed[0][..., None] / np.float32(3**0.5), 3, axis=2)
            back: Floats32 = cv2.transform(np.ascontiguousarray(calmed.transpose(1, 2, 0)), FROM_ORTHOGONAL)
            return back

        return calm


def _planes(values: Floats32, bands: int) -> Floats32:
    planes = cv2.transform(np.ascontiguousarray(values), TO_ORTHOGONAL[:bands]).reshape(*values.shape[:2], bands)
    return np.ascontiguousarray(planes.transpose(2, 0, 1))


def _scale(opaque: int) -> np.float32:
    """From the mean of the first colour to a level."""
    return np.float32(LEVELS / (3**0.5 * (opaque + 1)))


def _starts(begin: int, count: int, whole: int) -> npt.NDArray[np.uint64]:
    """Where blocks begin in a stretch of a side that is `whole` long: the same wherever the stretch begins."""
    first = -begin % STRIDE
    starts = np.arange(first, count - EDGE + 1, STRIDE)
    at_end = begin + count == whole and (starts.size == 0 or starts[-1] != count - EDGE)
    return (np.append(starts, count - EDGE) if at_end else starts).astype(np.uint64)


def measured_noise(pixels: AnyPixels) -> Floats:
    """The standard deviation of the noise in three orthogonal colours, at `LEVELS` levels of light: 3 × levels.

    `pixels`: height × width × 3 of 8 or 16 bits; in code values. Zero where the picture is too small to say.
    """
    coefficients, grey = _blocks(pixels)
    noise = np.zeros((3, LEVELS))
    if len(grey) < LEAST_BLOCKS:
        return noise
    at = np.clip((grey * LEVELS / (int(np.iinfo(pixels.dtype).max) + 1)).astype(int), 0, LEVELS - 1)
    for colour in range(3):
        low = (coefficients[:, colour][:, _LOW] ** 2).sum(axis=1)
        high = [np.abs(coefficients[:, colour][:, some]) for some in _HIGH]
        found = np.full(LEVELS, np.nan)
        for level in range(LEVELS):
            there = np.flatnonzero(at == level)
            if len(there) >= LEAST_BLOCKS:
                flat = there[np.argsort(low[there])[: max(int(FLATTEST * len(there)), LEAST_BLOCKS // 3)]]
                found[level] = _deviation(high, flat)
        if np.isnan(found).all():
            flat = np.argsort(low)[: max(int(FLATTEST * len(grey)), LEAST_BLOCKS // 3)]
            found[:] = _deviation(high, flat)
        known = np.flatnonzero(~np.isnan(found))
        calm = float(np.quantile(found[known], 0.5))
        noise[colour] = np.interp(np.arange(LEVELS), known, np.minimum(found[known], MOST_APART * calm))
    return noise


def _deviation(high: list[Floats32], flat: npt.NDArray[np.int64]) -> float:
    """Of the noise in some blocks: the least that one part of the frequencies says; texture is not alike in all."""
    return min(float(np.median(some[flat])) for some in high) / MEDIAN_OF_NOISE


def _blocks(pixels: AnyPixels) -> tuple[Floats32, Floats32]:
    """Transformed blocks of some rows, count × 3 × 8 × 8, and their mean greys: those with few values at an end."""
    height, width = pixels.shape[:2]
    rows = min(SAMPLED_ROWS, height, max(EDGE, SAMPLED_PIXELS // (SAMPLES * width))) // EDGE * EDGE
    tops = sorted({round(share * (height - rows)) for share in np.linspace(0, 1, SAMPLES)})
    columns = width // EDGE * EDGE
    parts = np.concatenate([pixels[top : top + rows, :columns, :3] for top in tops])
    if parts.size == 0:
        return np.zeros((0, 3, EDGE, EDGE), np.float32), np.zeros(0, np.float32)
    most = int(np.iinfo(pixels.dtype).max)
    colours = cv2.transform(parts.astype(np.float32), TO_ORTHOGONAL)
    blocks = _cut(colours)
    ends = _cut(((parts == 0) | (parts == most)).any(axis=2, keepdims=True))
    share = ends.mean(axis=(1, 2, 3))
    enough = max(LEAST_BLOCKS, int(ENOUGH * len(share)))
    most_at_ends = next((least for least in AT_ENDS if np.count_nonzero(share <= least) >= enough), AT_ENDS[-1])
    blocks = blocks[share <= most_at_ends]
    coefficients: Any = _COSINES @ blocks @ _COSINES.T
    return coefficients, coefficients[:, 0, 0, 0] / EDGE / np.float32(3**0.5)


def _cut(values: Floats32) -> Floats32:
    """Height × width × bands as blocks: count × bands × 8 × 8."""
    height, width, bands = values.shape
    apart = values.reshape(height // EDGE, EDGE, width // EDGE, EDGE, bands)
    return np.ascontiguousarray(apart.transpose(0, 2, 4, 1, 3)).reshape(-1, bands, EDGE, EDGE)
