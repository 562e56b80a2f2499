"""Hiding: what an area shows is destroyed.

From `NOTHING_KEPT_FROM` on nothing of it is kept: what is shown instead is made of the visible pixels around all that
is hidden on the picture, of noise that is the same whatever lies below, or is one plain colour. So several areas, a
letter or a word each, tell no more than one does: trying out what could be below brings about the very same pixels,
whatever is tried. What is clear becomes opaque: letters would show in it.

Below that, and of a face that was found, the area is averaged into few blocks, of which the colour of the whole and
how much lighter or darker a block is are kept, both rounded. From those, words can be tried out, which is said
wherever somebody looks (`tests/core/local/test_hiding.py` tries both); a face they show nobody.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.areas.area import Area
from lucidex.core.areas.bridges import bridges
from lucidex.core.areas.shapes import Masks
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.picture.grounds import colour_of
from lucidex.core.source.derivation import LocalChange, OfBox, Restoration, StoredPixels, tiles_of
from lucidex.core.source.local.blending import Floats32, in_stored_colours, mixed_in, opaque_floats
from lucidex.core.source.pyramid import AnyPixels

MOST_BLOCKS, FEWEST_BLOCKS = 26, 2  # along the longer side, at strength 0 and 1
FINEST_ROUNDING, COARSEST_ROUNDING = 4.0, 64.0  # code values of 8 bits, of a block's lightness
COLOUR_ROUNDING = 12.0  # of the colour of the whole
NOTHING_KEPT_FROM = 0.8  # strength
AROUND, LEAST_AROUND, MOST_AROUND, FURTHER = 0.5, 12, 600, 4  # how far around is looked: of the shorter side, pixels
CELLS = 40  # along the longer side, into which the surroundings are averaged
MOTTLED = 9.0  # code values of 8 bits by which softened blocks differ, whatever they hide
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
    """`strength` above 0 to 1; `colour` (#rrggbb) is for covering.

    Of what `is_face`, found by itself, a few coarse numbers are kept, so that it looks like one.

    `beside` is all that other changes hide on the same picture: nothing of it is looked at.
    """

    area: Area
    way: Hidden
    strength: float
    colour: str
    is_face: bool = False
    beside: tuple[Area, ...] = ()

    def knowing(self, others: Sequence[Restoration]) -> "Hiding":
        """The same, when all others of the picture are known."""
        beside = tuple(one.area for one in others if isinstance(one, Hiding) and one is not self)
        return replace(self, beside=beside)

    def box(self, stored: Size, orientation: int) -> Box | None:
        """Around the area and its soft edge."""
        return self.area.box(Sight.of_stored(stored, orientation), stored)

    def prepared(self, stored: StoredPixels) -> OfBox:
        """Averages the blocks, of each part that stands alone its own."""
        if self.way is Hidden.COVERED:
            plain = in_stored_colours(stored, colour_of(self.colour) or (0, 0, 0))
            return lambda part: _opaquely(stored, part, _flat(plain, part), hidden_of(self.area, stored.sight, part))
        parts = [self]
        if not bridges(self.area, stored.sight):
            parts = [replace(self, area=area) for area in self.area.components_in(stored.sight)]
        drawn = [
            (one, box, one._drawn(stored, box)) for one in parts if (box := one.box(stored.size, stored.orientation))
        ]

        def hidden(part: Box) -> AnyPixels:
            colours, cover = _flat(np.zeros(stored.colour_bands, np.float32), part).copy(), None
            for one, box, picture in drawn:
                mask = hidden_of(one.area, stored.sight, part)
                if mask.any():
                    colours[mask > 0] = _enlarged(picture, box, part, self.way)[mask > 0]
                    cover = mask if cover is None else np.maximum(cover, mask)
            return stored.part(part).copy() if cover is None else _opaquely(stored, part, colours, cover)

        return hidden

    def _drawn(self, stored: StoredPixels, box: Box) -> Floats32:
        """What is shown of the blocks."""
        blocks = self.blocks(stored, box)
        return _softened(blocks) if self.way is Hidden.SOFTENED else _squares(blocks, stored.opaque / 255)

    def blocks(self, stored: StoredPixels, box: Box) -> Floats32:
        """What is shown instead: rows × columns × colour bands of code values."""
        if self.strength < NOTHING_KEPT_FROM or self.is_face:
            return self.block_averages(stored, box)
        down, across = blocks_of(box.size, NOTHING_KEPT_FROM)
        colours = self._from_around(stored, box, down, across)
        noise = np.random.default_rng(2).uniform(-MOTTLED, MOTTLED, (down, across, 1)) * stored.opaque / 255
        return np.clip(colours + noise, 0, stored.opaque).astype(np.float32)

    def _from_around(self, stored: StoredPixels, box: Box, down: int, across: int) -> Floats32:
        """Colours that go on from the visible pixels around a box, at the middles of its blocks; grey where nothing
        is visible."""
        reach = min(MOST_AROUND, max(LEAST_AROUND, round(box.size.shortest * AROUND)))
        while True:
            left, top = max(0, box.left - reach), max(0, box.top - reach)
            right = min(stored.size.width, box.left + box.size.width + reach)
            bottom = min(stored.size.height, box.top + box.size.height + reach)
            wider = Box(left, top, Size(right - left, bottom - top))
            sums, weights = self._visible(stored, wider)
            if weights.any():
                break
            if wider.size == stored.size:
                return np.full((down, across, stored.colour_bands), stored.opaque / 2, np.float32)
            reach *= FURTHER
        cells = _gone_on(sums, weights)
        rows, columns = cells.shape[:2]
        y = ((np.arange(down) + 0.5) * box.size.height / down + box.top - top) * rows / wider.size.height - 0.5
        x = ((np.arange(across) + 0.5) * box.size.width / across + box.left - left) * columns / wider.size.width - 0.5
        at_x, at_y = np.meshgrid(x.astype(np.float32), y.astype(np.float32))
        there = cv2.remap(cells, at_x, at_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return there.reshape(down, across, stored.colour_bands).astype(np.float32)

    def _visible(self, stored: StoredPixels, wider: Box) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
        """Sums and weights of all visible pixels of a box, in cells."""
        along = CELLS / wider.size.longest
        rows, columns = (max(1, min(side, round(side * along))) for side in (wider.size.height, wider.size.width))
        sums, weights = np.zeros((rows, columns, stored.colour_bands)), np.zeros((rows, columns))
        boxes = [(area, area.box(stored.sight, stored.size)) for area in (self.area, *self.beside)]
        for tile in tiles_of(wider):
            values = opaque_floats(stored, stored.part(tile))
            visible = np.ones(values.shape[:2])
            for area, box in boxes:
                here = None if box is None else _shared(box, tile)
                if here is not None:  # elsewhere nothing of it is looked at, which would take long
                    rows_here = slice(here.top - tile.top, here.top - tile.top + here.size.height)
                    columns_here = slice(here.left - tile.left, here.left - tile.left + here.size.width)
                    visible[rows_here, columns_here] *= hidden_of(area, stored.sight, here) == 0
            shown = values[..., : stored.colour_bands] * visible[..., None]
            visible *= values[..., -1] if stored.has_alpha else 1
            at_rows = _seats(tile.top - wider.top, tile.size.height, rows, wider.size.height)
            at_columns = _seats(tile.left - wider.left, tile.size.width, columns, wider.size.width)
            seats = (at_rows[:, None] * columns + at_columns[None, :]).ravel()
            weights += np.bincount(seats, visible.ravel(), rows * columns).reshape(rows, columns)
            for band in range(stored.colour_bands):
                counted = np.bincount(seats, shown[..., band].ravel(), rows * columns)
                sums[..., band] += counted.reshape(rows, columns)
        return sums, weights

    def block_averages(self, stored: StoredPixels, box: Box) -> Floats32:
        """What is kept of what is hidden weakly: rows × columns × colour bands of rounded code values."""
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


def hidden_of(area: Area, sight: Sight, box: Box) -> Masks:
    """How much of each pixel of a box is hidden, 0 to 1: all of what is drawn over in any part, or lies between
    shapes that nearly touch; beyond that it fades as the area does."""
    mask = area.mask(sight, box)
    drawn = mask if area.edge == 0 else area.model_copy(update={"edge": 0.0}).mask(sight, box)
    mask = np.where(drawn > 0, np.float32(1), mask)
    for one in bridges(area, sight):
        if (here := _shared(one, box)) is not None:
            left, top = here.left - box.left, here.top - box.top
            mask[top : top + here.size.height, left : left + here.size.width] = 1
    return mask


def _shared(a: Box, b: Box) -> Box | None:
    """What two boxes share; None where that is nothing."""
    left, top = max(a.left, b.left), max(a.top, b.top)
    right = min(a.left + a.size.width, b.left + b.size.width)
    bottom = min(a.top + a.size.height, b.top + b.size.height)
    return Box(left, top, Size(right - left, bottom - top)) if right > left and bottom > top else None


def _gone_on(sums: npt.NDArray[np.float64], weights: npt.NDArray[np.float64]) -> Floats32:
    """Averages of cells; those without anything in them go on smoothly from their neighbours, near ones first."""
    filled = np.divide(sums, weights[..., None], out=np.zeros_like(sums), where=weights[..., None] > 0)
    known = (weights > 0).astype(np.float64)
    wide = 1.0
    while (known < 1).any() and wide < max(known.shape):
        spread = cv2.GaussianBlur(filled * known[..., None], (0, 0), wide, borderType=cv2.BORDER_REFLECT)
        share = cv2.GaussianBlur(known, (0, 0), wide, borderType=cv2.BORDER_REFLECT).reshape(known.shape)
        reached = (known < 1) & (share > 1e-3)
        filled[reached] = spread.reshape(sums.shape)[reached] / share[reached][:, None]
        known[reached] = 1
        wide *= 1.5
    filled[known < 1] = sums.sum(axis=(0, 1)) / weights.sum()
    return filled.astype(np.float32)


def _opaquely(stored: StoredPixels, part: Box, colours: Floats32, mask: Masks) -> AnyPixels:
    """The pixels of a part under other colours; alpha too, as letters on a clear ground are drawn in it."""
    after = mixed_in(stored, part, colours, mask)
    if stored.has_alpha:
        alpha = after[..., -1].astype(np.float32)
        covered = np.rint(alpha + (stored.opaque - alpha) * mask).astype(after.dtype)
        after[..., -1] = np.where(mask > 0, covered, after[..., -1])
    return after


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
