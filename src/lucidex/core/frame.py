"""The one transform that the steps compose: from the upright original to the picture.

Content (a crop's centre, a focal point) is stored in fractions 0 to 1 of the **upright original** and
mapped through this transform, so that a turn or crop inserted earlier does not move it.
Lengths of content are fractions of the upright original's shorter side.
"""

import math
from dataclasses import dataclass, replace

from lucidex.core.geometry import Box, Point, Size, Window


@dataclass(frozen=True)
class Affine:
    """x' = a·x + b·y + tx and y' = c·x + d·y + ty, in pixels."""

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    tx: float = 0.0
    ty: float = 0.0

    def then(self, after: "Affine") -> "Affine":
        """The transform that applies `self` first and `after` second."""
        start = after.map(Point(self.tx, self.ty))
        return Affine(
            after.a * self.a + after.b * self.c,
            after.a * self.b + after.b * self.d,
            after.c * self.a + after.d * self.c,
            after.c * self.b + after.d * self.d,
            start.x,
            start.y,
        )

    def map(self, point: Point) -> Point:
        """Where a point goes."""
        return Point(self.a * point.x + self.b * point.y + self.tx, self.c * point.x + self.d * point.y + self.ty)

    @property
    def inverse(self) -> "Affine":
        """The transform that takes every point back; the determinant must not be zero."""
        det = self.a * self.d - self.b * self.c
        a, b, c, d = self.d / det, -self.b / det, -self.c / det, self.a / det
        return Affine(a, b, c, d, -(a * self.tx + b * self.ty), -(c * self.tx + d * self.ty))

    @property
    def scale(self) -> float:
        """Length of a unit after the transform, as the square root of the determinant's size."""
        return math.sqrt(abs(self.a * self.d - self.b * self.c))

    @property
    def is_quarter_turn(self) -> bool:
        """Whether pixels only change places: turns by quarters and mirroring, with whole-pixel shifts."""
        return all(abs(abs(part) - round(abs(part))) < 1e-9 for part in (self.a, self.b, self.c, self.d))

    @property
    def swaps_axes(self) -> bool:
        """Whether what was wide is now nearer to upright."""
        return abs(self.b) > abs(self.a)

    def map_window(self, window: Window) -> Window:
        """The bounds of a window after the transform."""
        first = self.map(Point(window.left, window.top))
        second = self.map(Point(window.left + window.width, window.top + window.height))
        left, top = min(first.x, second.x), min(first.y, second.y)
        return Window(left, top, abs(second.x - first.x), abs(second.y - first.y))


def quarter_turn(size: Size, quarters: int) -> Affine:
    """Turn a frame of `size` by so many quarters clockwise."""
    turns = {
        0: Affine(),
        1: Affine(0, -1, 1, 0, size.height, 0),
        2: Affine(-1, 0, 0, -1, size.width, size.height),
        3: Affine(0, 1, -1, 0, 0, size.width),
    }
    return turns[quarters % 4]


def mirror_left_right(size: Size) -> Affine:
    """Mirror a frame of `size` so that left and right change places."""
    return Affine(a=-1, tx=size.width)


def mirror_top_bottom(size: Size) -> Affine:
    """Mirror a frame of `size` so that top and bottom change places."""
    return Affine(d=-1, ty=size.height)


def uprighting(stored: Size, orientation: int) -> Affine:
    """The transform from stored pixels to the upright original, for the Exif orientation 1 to 8.

    Source: CIPA DC-008 (Exif 2.32), tag 0x0112. Any other value counts as 1.
    """
    turned = {3: 2, 6: 1, 8: 3}.get(orientation)
    if turned is not None:
        return quarter_turn(stored, turned)
    flips = {
        2: mirror_left_right(stored),
        4: mirror_top_bottom(stored),
        5: Affine(0, 1, 1, 0),
        7: Affine(0, -1, -1, 0, stored.height, stored.width),
    }
    return flips.get(orientation, Affine())


def upright_size(stored: Size, orientation: int) -> Size:
    """The size of the upright original."""
    return stored.turned if orientation in {5, 6, 7, 8} else stored


@dataclass(frozen=True)
class Frame:
    """What the steps have made of the picture's shape so far.

    `transform` leads from pixels of the upright original to pixels of the picture; `size` is the
    picture's size; `notes` are sentences about numbers that no longer fitted and were adjusted; `ground` is
    what shows where the frame reaches beyond the original: a colour, "clear", or None where it does not.
    """

    upright: Size
    size: Size
    transform: Affine = Affine()
    notes: tuple[str, ...] = ()
    ground: str | None = None

    @classmethod
    def of(cls, upright: Size) -> "Frame":
        """The frame before any step."""
        return cls(upright, upright)

    def followed_by(self, transform: Affine, size: Size) -> "Frame":
        """The frame after one more transform that leads to `size`."""
        return replace(self, transform=self.transform.then(transform), size=size)

    def cut(self, box: Box) -> "Frame":
        """The frame after cropping to `box` (picture pixels)."""
        return self.followed_by(Affine(tx=-box.left, ty=-box.top), box.size)

    def with_note(self, sentence: str) -> "Frame":
        """The same frame with one more note."""
        return replace(self, notes=(*self.notes, sentence))

    def with_ground(self, ground: str) -> "Frame":
        """The same frame, showing a ground beyond the original."""
        return replace(self, ground=ground)

    def to_picture(self, content: Point) -> Point:
        """Picture pixels of a content point (fractions of the upright original)."""
        return self.transform.map(Point(content.x * self.upright.width, content.y * self.upright.height))

    def to_content(self, picture_point: Point) -> Point:
        """The content point (fractions of the upright original) under a picture point (pixels)."""
        point = self.transform.inverse.map(picture_point)
        return Point(point.x / self.upright.width, point.y / self.upright.height)

    @property
    def content_unit(self) -> float:
        """Picture pixels of one content length (the upright original's shorter side)."""
        return self.upright.shortest * self.transform.scale
