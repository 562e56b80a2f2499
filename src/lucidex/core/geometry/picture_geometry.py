"""The one transform that the steps compose: from the upright original to the picture.

Content (a crop's centre, a focal point) is stored in fractions 0 to 1 of the **upright original** and
mapped through this transform, so that a turn or crop inserted earlier does not move it.
Lengths of content are fractions of the upright original's shorter side. `docs/coordinates.md` has examples.
"""

from dataclasses import dataclass, replace
from enum import StrEnum

from lucidex.core.geometry.sizes import Box, Point, Size, Window
from lucidex.core.geometry.transform import Transform, corners_of, shift

_INSIDE = 1e-6


class Remedy(StrEnum):
    """What can be done where a crop asks for more than there is."""

    LARGEST = "largest"
    ENLARGE = "enlarge"
    ROOM = "room"


@dataclass(frozen=True)
class Remark:
    """A sentence about numbers of a step that no longer fitted, and what can be done about it."""

    sentence: str
    step_id: str | None = None
    remedies: tuple[Remedy, ...] = ()
    wanted_size: Size | None = None


@dataclass(frozen=True)
class Region:
    """A rectangle of an earlier frame, seen from the picture: `back` leads from picture pixels to that frame."""

    window: Window
    back: Transform = Transform()


@dataclass(frozen=True)
class Layer:
    """Where a ground shows instead of the picture: inside a region (a covered strip) or outside of it (room)."""

    region: Region
    inside: bool
    ground: str


@dataclass(frozen=True)
class PictureGeometry:
    """What the steps have made of the picture's shape so far.

    `transform` leads from pixels of the upright original to pixels of the picture; `size` is the
    picture's size; `notes` say what no longer fitted and was adjusted; `layers` are the grounds ("#rrggbb" or
    "clear") that show in place of the original, in the order in which the steps brought them.
    """

    upright: Size
    size: Size
    transform: Transform = Transform()
    remarks: tuple[Remark, ...] = ()
    layers: tuple[Layer, ...] = ()

    @classmethod
    def of(cls, upright: Size) -> "PictureGeometry":
        """The frame before any step."""
        return cls(upright, upright)

    @property
    def window(self) -> Window:
        """The whole picture."""
        return Window(0.0, 0.0, float(self.size.width), float(self.size.height))

    def followed_by(self, transform: Transform, size: Size) -> "PictureGeometry":
        """The frame after one more transform that leads to `size`."""
        back = transform.inverse
        layers = tuple(
            replace(one, region=replace(one.region, back=back.then(one.region.back))) for one in self.layers
        )
        return replace(self, transform=self.transform.then(transform), size=size, layers=layers)

    def cut(self, box: Box) -> "PictureGeometry":
        """The frame after cropping to `box` (picture pixels)."""
        return self.followed_by(shift(-box.left, -box.top), box.size)

    def widened(self, transform: Transform, size: Size, ground: str) -> "PictureGeometry":
        """The frame after a transform to a `size` that reaches beyond it; a ground shows in the new room."""
        wider = self.followed_by(transform, size)
        return replace(wider, layers=(*wider.layers, Layer(Region(self.window, transform.inverse), False, ground)))

    def covered(self, window: Window, ground: str) -> "PictureGeometry":
        """The frame with a window (picture pixels) covered by a ground."""
        return replace(self, layers=(*self.layers, Layer(Region(window), True, ground)))

    def with_remark(self, remark: Remark) -> "PictureGeometry":
        """The same frame with one more note."""
        return replace(self, remarks=(*self.remarks, remark))

    @property
    def shows_clear(self) -> bool:
        """Whether a clear ground shows somewhere in the picture."""
        return any(layer.ground == "clear" and _shows(layer, self.window) for layer in self.layers)

    def to_picture(self, content: Point) -> Point:
        """Picture pixels of a content point (fractions of the upright original)."""
        return self.transform.map(self._upright_point(content))

    def to_content(self, picture_point: Point) -> Point:
        """The content point (fractions of the upright original) under a picture point (pixels)."""
        point = self.transform.inverse.map(picture_point)
        return Point(point.x / self.upright.width, point.y / self.upright.height)

    def held_content(self, picture_point: Point) -> Point:
        """The same, held inside 0 to 1."""
        point = self.to_content(picture_point)
        return Point(min(max(point.x, 0.0), 1.0), min(max(point.y, 0.0), 1.0))

    def content_unit(self, content: Point) -> float:
        """Picture pixels of one content length (the upright original's shorter side), near a content point."""
        return self.upright.shortest * self.transform.scale_at(self._upright_point(content))

    def _upright_point(self, content: Point) -> Point:
        return Point(content.x * self.upright.width, content.y * self.upright.height)


def _shows(layer: Layer, picture: Window) -> bool:
    """Whether a layer's ground lies within the picture; a region that only touches the edge does not."""
    seen = [layer.region.back.map(corner) for corner in corners_of(picture)]
    region = layer.region.window
    right, bottom = region.left + region.width, region.top + region.height
    if layer.inside:
        apart = (
            all(point.x <= region.left + _INSIDE for point in seen)
            or all(point.x >= right - _INSIDE for point in seen)
            or all(point.y <= region.top + _INSIDE for point in seen)
            or all(point.y >= bottom - _INSIDE for point in seen)
        )
        return not apart
    return not all(
        region.left - _INSIDE <= point.x <= right + _INSIDE and region.top - _INSIDE <= point.y <= bottom + _INSIDE
        for point in seen
    )
