"""How a raster sees the upright original, in whose fractions areas are kept."""

from dataclasses import dataclass

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.geometry.transform import Transform, upright_size, uprighting


@dataclass(frozen=True)
class Sight:
    """`from_upright` leads from pixels of the upright original, which is `upright` large, to pixels of the raster."""

    upright: Size
    from_upright: Transform = Transform()

    @classmethod
    def of_stored(cls, stored: Size, orientation: int, level: int = 1) -> "Sight":
        """How a level of an original's stored pixels sees it."""
        back = uprighting(stored, orientation).inverse
        return cls(upright_size(stored, orientation), back.then(Transform(1 / level, 0, 0, 1 / level)))

    @classmethod
    def of_picture(cls, geometry: PictureGeometry) -> "Sight":
        """How the prepared picture sees it."""
        return cls(geometry.upright, geometry.transform)

    def reduced(self, factor: float) -> "Sight":
        """The same raster, so many times smaller."""
        return Sight(self.upright, self.from_upright.then(Transform(1 / factor, 0, 0, 1 / factor)))

    def pixel(self, content: Point) -> Point:
        """Where a point, in fractions of the upright original, lies in the raster."""
        return self.from_upright.map(Point(content.x * self.upright.width, content.y * self.upright.height))

    def content(self, pixel: Point) -> Point:
        """The point of the upright original, in fractions, that lies at a pixel's place."""
        point = self.from_upright.inverse.map(pixel)
        return Point(point.x / self.upright.width, point.y / self.upright.height)

    def unit_at(self, content: Point) -> float:
        """Pixels of the raster for the upright original's shorter side, near a point."""
        upright = Point(content.x * self.upright.width, content.y * self.upright.height)
        return self.upright.shortest * self.from_upright.scale_at(upright)
