"""What becomes of the corners that turning or pulling leaves empty; shared by the steps that leave some."""

import math
from enum import StrEnum

from lucidex.core.geometry.inscribed import largest_free, largest_of_shape, whole_inside
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size, Window
from lucidex.core.geometry.transform import Transform, corners_of, shift
from lucidex.core.picture.grounds import CLEAR


class Corners(StrEnum):
    """What becomes of empty corners."""

    CUT = "cut away"
    CUT_FREE = "cut to any shape"
    COLOURED = "coloured"
    CLEAR = "left clear"

    @property
    def are_cut(self) -> bool:
        """Whether nothing empty is left."""
        return self in {Corners.CUT, Corners.CUT_FREE}


def normalised(geometry: PictureGeometry, transform: Transform, corners: Corners, ground: str) -> PictureGeometry:
    """The frame after a transform of any kind, with its empty corners cut away or filled.

    `transform` leads from the frame's pixels to any coordinates; the new frame's origin is chosen here.
    """
    moved = tuple(transform.map(corner) for corner in corners_of(geometry.window))
    if corners.are_cut:
        window = largest_free(moved) if corners is Corners.CUT_FREE else largest_of_shape(moved, geometry.size)
        window = whole_inside(window)
    else:
        window = _whole_around(moved)
    size = Size(int(window.width), int(window.height))
    placed = transform.then(shift(-window.left, -window.top))
    if corners.are_cut:
        return geometry.followed_by(placed, size)
    return geometry.widened(placed, size, CLEAR if corners is Corners.CLEAR else ground)


def _whole_around(points: tuple[Point, ...]) -> Window:
    """The smallest window of whole width and height that holds all points, about their common middle."""
    left, right = min(p.x for p in points), max(p.x for p in points)
    top, bottom = min(p.y for p in points), max(p.y for p in points)
    width, height = max(1, math.ceil(right - left - 1e-9)), max(1, math.ceil(bottom - top - 1e-9))
    return Window((left + right - width) / 2, (top + bottom - height) / 2, width, height)
