"""Sources derived from an original: what steps have made of its own pixels, at full scale, before everything else.

A **restoration** is one change. One of all the picture gives all rows anew; a **local change** gives the pixels of a
box, and everything outside of that box is what it was. A chain of them is named link by link, so that one more costs
what its own box costs.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from dataclasses import Field, dataclass, replace
from typing import Any, ClassVar, Protocol

import numpy as np

from lucidex.core.areas.sight import Sight
from lucidex.core.cancellation import check_wanted
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.geometry.transform import Transform, upright_size, uprighting
from lucidex.core.source.pyramid import LADDER, AnyPixels

RESTORATION_REVISION = 5  # raised where the same numbers give other pixels
TILE_EDGE = 1_024


@dataclass(frozen=True, eq=False)
class StoredPixels:
    """An original's own pixels (height × width × bands of 8 or 16 bits, never written to) and what they are."""

    pixels: AnyPixels
    orientation: int = 1
    profile: bytes | None = None

    @property
    def size(self) -> Size:
        """Width and height, as they are stored."""
        return Size(self.pixels.shape[1], self.pixels.shape[0])

    @property
    def to_content(self) -> Transform:
        """From these pixels to fractions of the upright original, in which steps keep what belongs to content."""
        upright = upright_size(self.size, self.orientation)
        return uprighting(self.size, self.orientation).then(Transform(1 / upright.width, 0, 0, 1 / upright.height))

    @property
    def sight(self) -> Sight:
        """How these pixels see the upright original."""
        return Sight.of_stored(self.size, self.orientation)

    @property
    def colour_bands(self) -> int:
        """How many of the bands are colours: one or three; a further one is alpha."""
        return 3 if self.pixels.shape[2] >= 3 else 1

    @property
    def has_alpha(self) -> bool:
        """Whether the last band says how opaque a pixel is."""
        return bool(self.pixels.shape[2] > self.colour_bands)

    @property
    def colours(self) -> AnyPixels:
        """Height × width × 3, without alpha; one channel thrice where there is only one."""
        shape = self.pixels.shape
        return self.pixels[..., :3] if shape[2] >= 3 else np.broadcast_to(self.pixels[..., :1], (*shape[:2], 3))

    @property
    def opaque(self) -> int:
        """The highest value of a number: 255 or 65535."""
        return int(np.iinfo(self.pixels.dtype).max)

    def part(self, box: Box) -> AnyPixels:
        """The pixels of a box, not copied."""
        return self.pixels[box.top : box.top + box.size.height, box.left : box.left + box.size.width]


class Restoration(Protocol):
    """One change of the original's own pixels, a frozen dataclass: a local change, or one that gives all anew."""

    __dataclass_fields__: ClassVar[dict[str, Field[Any]]]
    adds_alpha: ClassVar[bool]  # whether its pixels have alpha, whatever they had before

    def strips(self, stored: StoredPixels) -> Iterator[AnyPixels]:
        """All stored pixels after it, rows from top to bottom, whole blocks of the coarsest level at a time."""


OfBox = Callable[[Box], AnyPixels]


@dataclass(frozen=True)
class LocalChange(ABC):
    """A change of a part of the picture.

    Where `is_tiled`, a large box may be worked on in tiles: what comes out of a pixel does not depend on the box that
    is asked for.
    """

    adds_alpha: ClassVar[bool] = False

    @property
    def is_tiled(self) -> bool:
        """Whether its pixels can be asked for tile by tile."""
        return True

    def knowing(self, others: Sequence["Restoration"]) -> "LocalChange":
        """The same, when all that is done to the picture is known: for what depends on the others."""
        return self

    @abstractmethod
    def box(self, stored: Size, orientation: int) -> Box | None:
        """The stored pixels that it may change; None where it changes none."""

    @abstractmethod
    def prepared(self, stored: StoredPixels) -> OfBox:
        """After a look at what it needs of the whole: what gives the changed pixels of its box, or of a part of that,
        as an array of their own, of the kind of the stored pixels."""

    def strips(self, stored: StoredPixels) -> Iterator[AnyPixels]:
        """All rows, those outside of its box as they were."""
        box = self.box(stored.size, stored.orientation)
        pixels_of = None if box is None else self._tiled(stored, box)
        for top in range(0, stored.size.height, TILE_EDGE):
            rows = stored.pixels[top : top + TILE_EDGE].copy()
            if box is not None and pixels_of is not None:
                start, end = max(top, box.top), min(top + len(rows), box.top + box.size.height)
                if start < end:
                    here = Box(box.left, start, Size(box.size.width, end - start))
                    laid_over(rows, Box(box.left, start - top, here.size), pixels_of(here))
            yield rows

    def pixels(self, stored: StoredPixels, box: Box) -> AnyPixels:
        """The changed pixels of its box. Raises NoLongerWantedError where nobody waits for it any more."""
        return self._tiled(stored, box)(box)

    def _tiled(self, stored: StoredPixels, box: Box) -> OfBox:
        """The changed pixels of parts of its box, tile by tile where that can be."""
        check_wanted()
        pixels_of = self.prepared(stored)
        if not self.is_tiled:
            whole = pixels_of(box)
            return lambda part: part_of(whole, box, part)

        def by_tiles(part: Box) -> AnyPixels:
            if part.size.pixels <= TILE_EDGE**2:
                return pixels_of(part)
            out = np.empty_like(stored.part(part))
            for tile in tiles_of(part):
                check_wanted()
                laid_over(out, Box(tile.left - part.left, tile.top - part.top, tile.size), pixels_of(tile))
            return out

        return by_tiles


def part_of(pixels: AnyPixels, box: Box, part: Box) -> AnyPixels:
    """The part of the pixels of a box."""
    top, left = part.top - box.top, part.left - box.left
    return pixels[top : top + part.size.height, left : left + part.size.width]


def tiles_of(box: Box, edge: int = TILE_EDGE) -> Iterator[Box]:
    """A box in tiles, row by row."""
    for top in range(0, box.size.height, edge):
        for left in range(0, box.size.width, edge):
            size = Size(min(edge, box.size.width - left), min(edge, box.size.height - top))
            yield Box(box.left + left, box.top + top, size)


def aligned(box: Box, bounds: Size) -> Box:
    """The box grown to whole blocks of the coarsest level, or to the picture's edge."""
    block = LADDER[-1]
    left, top = box.left // block * block, box.top // block * block
    right = min(bounds.width, -(-(box.left + box.size.width) // block) * block)
    bottom = min(bounds.height, -(-(box.top + box.size.height) // block) * block)
    return Box(left, top, Size(right - left, bottom - top))


def on_level(box: Box, level: int) -> Box:
    """An aligned box, in pixels of a level."""
    size = Size(-(-box.size.width // level), -(-box.size.height // level))
    return Box(box.left // level, box.top // level, size)


def laid_over(level: AnyPixels, box: Box, pixels: AnyPixels) -> None:
    """Put the pixels of a box into a level."""
    level[box.top : box.top + box.size.height, box.left : box.left + box.size.width] = pixels


def restored(stored: StoredPixels, restorations: tuple[Restoration, ...]) -> AnyPixels:
    """All stored pixels after a chain of restorations, as an array of its own."""
    pixels = stored.pixels.copy()
    for one in restorations:
        pixels = np.concatenate(list(one.strips(replace(stored, pixels=pixels))))
    return pixels
