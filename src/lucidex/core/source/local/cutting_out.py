"""Cutting out: all but the subject becomes clear, and at its edge the old ground is taken out of the colours."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any, ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.areas.shapes import Spot
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Point, Size
from lucidex.core.geometry.transform import Transform
from lucidex.core.matting.edge import carried, foreground, separated, solved_alpha
from lucidex.core.matting.rings import filled
from lucidex.core.source.derivation import StoredPixels, laid_over, tiles_of
from lucidex.core.source.pyramid import AnyPixels
from lucidex.core.source.restoration import side_by_side

RASTER_EDGE = 800  # pixels along the longer side of what is looked at for the edge
LEAST_BAND = 2  # pixels of that, on both sides of the line
MIDST = 0.7  # of the depth nearby: what lies so deep in a thin part is surely in
LEAST_DEPTH = 1.5  # pixels
PIECE = 256  # pixels: pieces without an edge cost next to nothing

Floats = npt.NDArray[Any]
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class CuttingOut:
    """The subject is what an odd number of `rings` surrounds (`core.matting.rings`), nearly.

    Its true edge lies within `reach` of them, a share of the subject's longer side. It is moved outwards by
    `outwards` and made softer by `soft`, shares of the same.
    """

    rings: tuple[tuple[Spot, ...], ...]
    reach: float
    outwards: float = 0.0
    soft: float = 0.0
    adds_alpha: ClassVar[bool] = True

    def strips(self, stored: StoredPixels) -> Iterator[AnyPixels]:
        """All rows with alpha; what is clear has no colour."""
        return side_by_side(stored.size, partial(_strip, stored, self._found(stored)))

    def _found(self, stored: StoredPixels) -> "_Edge | None":
        box = self._box(stored)
        if box is None:
            return None
        scale = min(1.0, RASTER_EDGE / box.size.longest)
        size = Size(max(1, round(box.size.width * scale)), max(1, round(box.size.height * scale)))
        reduced = cv2.resize(stored.part(box), (size.width, size.height), interpolation=cv2.INTER_AREA)
        reduced = reduced.reshape(size.height, size.width, -1)  # OpenCV leaves a single band out
        colours = StoredPixels(reduced).colours.astype(np.float64) / stored.opaque
        to_raster = Transform(size.width / box.size.width, 0, 0, size.height / box.size.height)
        there = stored.sight.from_upright.then(Transform(1, 0, 0, 1, -box.left, -box.top)).then(to_raster)
        mask = filled(self.rings, Sight(stored.sight.upright, there), Box(0, 0, size))
        alpha = self._alpha(colours, mask, size)
        slope, added = carried(colours, alpha) if not self._is_moved else (np.zeros_like(colours), alpha)
        sides = separated(colours.astype(np.float32), alpha.astype(np.float32))
        planes = [slope, added, *sides, *_around(alpha)]
        return _Edge(box, size, alpha, np.dstack(planes).astype(np.float32))

    @property
    def _is_moved(self) -> bool:
        return bool(self.outwards or self.soft)

    def _box(self, stored: StoredPixels) -> Box | None:
        """The stored pixels that may be the subject, and what is around it."""
        points = [stored.sight.pixel(Point(*spot)) for ring in self.rings for spot in ring]
        if not points:
            return None
        left, right = min(point.x for point in points), max(point.x for point in points)
        top, bottom = min(point.y for point in points), max(point.y for point in points)
        more = (2 * self.reach + max(self.outwards, 0) + 2 * self.soft) * max(right - left, bottom - top) + 4
        left, top = max(0, math.floor(left - more)), max(0, math.floor(top - more))
        right = min(stored.size.width, math.ceil(right + more))
        bottom = min(stored.size.height, math.ceil(bottom + more))
        return Box(left, top, Size(right - left, bottom - top)) if right > left and bottom > top else None

    def _alpha(self, colours: Floats, mask: Mask, size: Size) -> Floats:
        unit = _longest(mask)
        band = max(float(LEAST_BAND), self.reach * unit)
        within, without = _depth(mask), _depth(~mask)
        side = 2 * math.ceil(band) + 1
        deepest = cv2.dilate(within, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
        midst = (within >= MIDST * deepest) & (within > LEAST_DEPTH)
        alpha = solved_alpha(colours, (within > band) | midst, without > band)
        radius = abs(self.outwards) * unit
        if radius >= 0.5:
            kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * round(radius) + 1,) * 2)
            alpha = cv2.dilate(alpha, kernel) if self.outwards > 0 else cv2.erode(alpha, kernel)
        if self.soft:
            alpha = cv2.GaussianBlur(alpha, (0, 0), max(0.3, self.soft * unit), borderType=cv2.BORDER_REPLICATE)
        return alpha


def _depth(mask: Mask) -> Floats:
    """How far each pixel is from where the mask is not; the picture's own edge is none."""
    return cv2.distanceTransform(mask.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)


def _longest(mask: Mask) -> int:
    """The longer side of what surrounds a mask."""
    rows, columns = np.nonzero(mask)
    return int(max(np.ptp(rows), np.ptp(columns))) + 1 if rows.size else 1


@dataclass(frozen=True, eq=False)
class _Edge:
    """What was found on a raster of `size` over a box of stored pixels.

    `known` is of each pixel by what alpha grows with the three colours, what is added, both sides' colours, and the
    least and most that alpha is nearby: height × width × 12.
    """

    box: Box
    size: Size
    alpha: Floats
    known: Floats

    def on(self, stored: StoredPixels, piece: Box) -> tuple[Floats, Floats]:
        """Alpha, and the subject's colours (height × width × 3), 0 to 1, of a piece of the stored pixels."""
        across, down = self.size.width / self.box.size.width, self.size.height / self.box.size.height
        x = (np.arange(piece.size.width) + piece.left - self.box.left + 0.5) * across - 0.5
        y = (np.arange(piece.size.height) + piece.top - self.box.top + 0.5) * down - 0.5
        part, left, top = self._near(x, y)
        colours = StoredPixels(stored.part(piece)).colours.astype(np.float32) / np.float32(stored.opaque)
        near = self.alpha[part]
        if near.min() == near.max() and near.min() in {0.0, 1.0}:
            return np.full(colours.shape[:2], np.float32(near.min())), colours
        at_x, at_y = np.meshgrid((x - left).astype(np.float32), (y - top).astype(np.float32))
        known = self.known[part]
        planes = [
            cv2.remap(
                np.ascontiguousarray(known[..., k : k + 4]),
                at_x,
                at_y,
                cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_REPLICATE,
            )
            for k in (0, 4, 8)
        ]
        found = np.concatenate(planes, axis=-1)
        alpha = np.einsum("ijk,ijk->ij", found[..., :3], colours) + found[..., 3]
        alpha = np.clip(alpha, found[..., 10], found[..., 11])
        return alpha, foreground(colours, alpha, found[..., 4:7], found[..., 7:10])

    def _near(self, x: Floats, y: Floats) -> tuple[tuple[slice, slice], int, int]:
        """The part of the raster from which places of it are read."""
        left, top = max(0, math.floor(x[0])), max(0, math.floor(y[0]))
        right, bottom = math.floor(x[-1]) + 2, math.floor(y[-1]) + 2
        return (slice(top, max(bottom, top + 1)), slice(left, max(right, left + 1))), left, top


def _around(alpha: Floats) -> tuple[Floats, Floats]:
    """The least and the most around each pixel: no colour leads further."""
    square = np.ones((3, 3), np.uint8)
    return cv2.erode(alpha, square), cv2.dilate(alpha, square)


def _strip(stored: StoredPixels, edge: _Edge | None, top: int, rows: int) -> AnyPixels:
    """Some rows, cut out."""
    rows = min(rows, stored.size.height - top)
    out = np.zeros((rows, stored.size.width, stored.colour_bands + 1), stored.pixels.dtype)
    if edge is None:
        return out
    first, last = max(top, edge.box.top), min(top + rows, edge.box.top + edge.box.size.height)
    if first >= last:
        return out
    for piece in tiles_of(Box(edge.box.left, first, Size(edge.box.size.width, last - first)), PIECE):
        alpha, colours = edge.on(stored, piece)
        if not alpha.any():
            continue
        before, kept = stored.part(piece), np.rint(alpha * stored.opaque).astype(out.dtype)
        drawn = np.rint(colours[..., : stored.colour_bands] * stored.opaque).astype(out.dtype)
        drawn = np.where((kept == stored.opaque)[..., None], before[..., : stored.colour_bands], drawn)
        if stored.has_alpha:
            kept = np.rint(alpha * before[..., -1]).astype(out.dtype)
        drawn[kept == 0] = 0
        here = Box(piece.left, piece.top - top, piece.size)
        laid_over(out, here, np.dstack([drawn, kept]))
    return out
