"""Hiding: what an area shows is destroyed. It is averaged into few blocks; of these only the colour of the whole and
how much lighter or darker a block is, both rounded coarsely, are kept, and softened or drawn as squares. A plain
colour over it keeps nothing at all.

From so little nothing can be worked back. Undoing a blur fails because the blocks are what is left; trying out words
fails because the few, coarse numbers of very many words are alike (`tests/core/test_hiding.py` tries both).
"""

from dataclasses import dataclass, replace
from enum import StrEnum

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.areas.area import Area
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.picture.grounds import colour_of
from lucidex.core.source.derivation import LocalChange, OfBox, StoredPixels, tiles_of
from lucidex.core.source.local.blending import Floats32, in_stored_colours, mixed_in, opaque_floats
from lucidex.core.source.pyramid import AnyPixels

MOST_BLOCKS, FEWEST_BLOCKS = 26, 2  # along the longer side, at strength 0 and 1
FINEST_ROUNDING, COARSEST_ROUNDING = 4.0, 64.0  # code values of 8 bits, of a block's lightness
COLOUR_ROUNDING = 12.0  # of the colour of the whole
FINER = 16  # samples of a block, where blocks are softened
SQUARES = 3  # of a block along its side, where it is drawn as squares
JITTER = 5.0  # code values of 8 bits by which squares differ, whatever they hide


class Hidden(StrEnum):
    """How an area is made unreadable."""

    SOFTENED = "softened"
    COARSENED = "coarsened"
    COVERED = "covered"


@dataclass(frozen=True)
class Hiding(LocalChange):
    """`strength` above 0 to 1; `colour` (#rrggbb) is for covering."""

    area: Area
    way: Hidden
    strength: float
    colour: str

    def box(self, stored: Size, orientation: int) -> Box | None:
        """Around the area and its soft edge."""
        return self.area.box(Sight.of_stored(stored, orientation), stored)

    def prepared(self, stored: StoredPixels) -> OfBox:
        """Averages the blocks, of each part that stands alone its own."""
        if self.way is Hidden.COVERED:
            plain = in_stored_colours(stored, colour_of(self.colour) or (0, 0, 0))
            return lambda part: mixed_in(stored, part, _flat(plain, part), self.area.mask(stored.sight, part))
        parts = [replace(self, area=area) for area in self.area.components_in(stored.sight)]
        drawn = [
            (one, box, one._drawn(stored, box)) for one in parts if (box := one.box(stored.size, stored.orientation))
        ]

        def hidden(part: Box) -> AnyPixels:
            colours, cover = _flat(np.zeros(stored.colour_bands, np.float32), part).copy(), None
            for one, box, picture in drawn:
                mask = one.area.mask(stored.sight, part)
                if mask.any():
                    colours[mask > 0] = _enlarged(picture, box, part, self.way)[mask > 0]
                    cover = mask if cover is None else np.maximum(cover, mask)
            return stored.part(part).copy() if cover is None else mixed_in(stored, part, colours, cover)

        return hidden

    def _drawn(self, stored: StoredPixels, box: Box) -> Floats32:
        """What is shown of the blocks."""
        blocks = self.block_averages(stored, box)
        return _softened(blocks) if self.way is Hidden.SOFTENED else _squares(blocks, stored.opaque / 255)

    def block_averages(self, stored: StoredPixels, box: Box) -> Floats32:
        """All that is kept of what is hidden: rows × columns × colour bands of rounded code values."""
        down, across = blocks_of(box.size, self.strength)
        bands = stored.colour_bands
        sums, weights = np.zeros((down, across, bands)), np.zeros((down, across))
        for tile in tiles_of(box):
            values = opaque_floats(stored, stored.part(tile))
            inside = (self.area.mask(stored.sight, tile) >= 0.5).astype(np.float64)
            inside *= values[..., -1] if stored.has_alpha else 1
            rows = _seats(tile.top - box.top, tile.size.height, down, box.size.height)
            columns = _seats(tile.left - box.left, tile.size.width, across, box.size.width)
            seats = (rows[:, None] * across + columns[None, :]).ravel()
            weights += np.bincount(seats, inside.ravel(), down * across).reshape(down, across)
            for band in range(bands):
                shown = values[..., band] * (inside > 0)
                sums[..., band] += np.bincount(seats, shown.ravel(), down * across).reshape(down, across)
        scale = stored.opaque / 255
        mean = sums.sum(axis=(0, 1)) / max(weights.sum(), 1e-6)
        averages = np.where(weights[..., None] > 1, sums / np.maximum(weights, 1e-6)[..., None], mean)
        lighter = (averages - mean).mean(axis=2, keepdims=True)
        step = (FINEST_ROUNDING + (COARSEST_ROUNDING - FINEST_ROUNDING) * self.strength) * scale
        kept = _rounded(mean, COLOUR_ROUNDING * scale) + _rounded(lighter, step)
        return np.clip(kept, 0, stored.opaque).astype(np.float32)


def _rounded(values: npt.NDArray[np.float64], step: float) -> npt.NDArray[np.float64]:
    rounded: npt.NDArray[np.float64] = np.rint(values / step) * step
    return rounded


def _seats(first: int, count: int, blocks: int, length: int) -> npt.NDArray[np.int64]:
    """In which block each of some rows or columns lies."""
    return ((np.arange(first, first + count) + 0.5) * blocks / length).astype(np.int64)


def blocks_of(size: Size, strength: float) -> tuple[int, int]:
    """Into how many blocks an area of so many pixels is averaged, down and across."""
    along = FEWEST_BLOCKS + round((MOST_BLOCKS - FEWEST_BLOCKS) * (1 - strength) ** 2)
    beside = max(1, round(along * size.shortest / size.longest))
    return (
        (min(beside, size.height), min(along, size.width))
        if size.width >= size.height
        else (
            min(along, size.height),
            min(beside, size.width),
        )
    )


def _softened(blocks: Floats32) -> Floats32:
    finer = np.repeat(np.repeat(blocks, FINER, axis=0), FINER, axis=1)
    soft = cv2.GaussianBlur(finer, (0, 0), FINER / 2, borderType=cv2.BORDER_REPLICATE)
    return soft.reshape(finer.shape).astype(np.float32)


def _squares(blocks: Floats32, scale: float) -> Floats32:
    """Squares in the blocks' colours, of unlike lightness, which depends on nothing that they hide."""
    finer = np.repeat(np.repeat(blocks, SQUARES, axis=0), SQUARES, axis=1)
    noise = np.random.default_rng(1).uniform(-JITTER, JITTER, (*finer.shape[:2], 1)) * scale
    return (finer + noise).astype(np.float32)


def _flat(colour: Floats32, part: Box) -> Floats32:
    return np.broadcast_to(colour, (part.size.height, part.size.width, colour.size))


def _enlarged(drawn: Floats32, box: Box, part: Box, way: Hidden) -> Floats32:
    """What is drawn of the blocks, at the pixels of a part; beyond their box they go on."""
    rows, columns = drawn.shape[:2]
    x = (np.arange(part.size.width, dtype=np.float32) + part.left - box.left + 0.5) * columns / box.size.width
    y = (np.arange(part.size.height, dtype=np.float32) + part.top - box.top + 0.5) * rows / box.size.height
    if way is Hidden.COARSENED:
        squares: Floats32 = drawn[np.clip(y, 0, rows - 1).astype(int)][:, np.clip(x, 0, columns - 1).astype(int)]
        return squares
    at_x, at_y = np.meshgrid(x - 0.5, y - 0.5)
    enlarged = cv2.remap(drawn, at_x, at_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return enlarged.reshape(*at_x.shape, drawn.shape[2]).astype(np.float32)
