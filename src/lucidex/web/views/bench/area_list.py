"""Areas as the stage draws them and the ledger lists them: in pixels of the prepared picture."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from lucidex.core.areas.placing import placed
from lucidex.core.areas.shapes import Brushed, Ellipse, Outline, Rectangle, Shape
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point
from lucidex.core.steps.mend_spots import MendedSpot

LISTED = 12
NAMES = {  # as the ledger and the stage call them
    "ellipse": "oval",
    "rectangle": "box",
    "outline": "outline",
    "stroke": "brush stroke",
    "spot": "spot",
    "shift": "stroke",
    "clone": "copied spot",
}


@dataclass(frozen=True)
class ListedShape:
    """An area as the ledger lists it, on the prepared picture."""

    number: int
    words: str
    facts: dict[str, Any]


def shape_values(shapes: Sequence[Shape], geometry: PictureGeometry) -> list[dict[str, Any]]:
    """Areas as the stage draws them: in pixels of the prepared picture."""
    sight = Sight.of_picture(geometry)
    return [_shape_values(shape, geometry, sight) for shape in shapes]


def _shape_values(shape: Shape, geometry: PictureGeometry, sight: Sight) -> dict[str, Any]:
    values: dict[str, Any] = {"kind": shape.kind, "away": shape.takes_away, "found": shape.found}
    values["name"] = NAMES.get(shape.kind, "area")
    if isinstance(shape, MendedSpot):
        values["proposed"] = shape.proposed
    if isinstance(shape, Ellipse | Rectangle):
        where = placed(shape, geometry)
        sides = {"width": round(where.width, 2), "height": round(where.height, 2)}
        return values | spot_values(where.middle) | sides | {"angle": round(where.angle_degrees, 2)}
    if isinstance(shape, Outline):
        corners = [_pair(sight.pixel(Point(x, y))) for x, y in shape.points]
        edge = [_pair(point) for point in shape.outline(sight)] if shape.smooth else corners
        return values | {"points": corners, "edge": edge, "sharp": list(shape.sharp)}
    if isinstance(shape, Brushed):
        path = [_pair(point) for point in shape.outline(sight)]
        return values | {"points": path, "radius": round(shape.radius_px(sight), 2)}
    return values


def spot_values(point: Point) -> dict[str, float]:
    return {"x": round(point.x, 2), "y": round(point.y, 2)}


def _pair(point: Point) -> list[float]:
    return [round(point.x, 1), round(point.y, 1)]


def listed(stage: Mapping[str, object]) -> list[ListedShape]:
    """The newest areas of a stage, the newest first."""
    shapes: Any = stage.get("shapes", [])
    return [
        ListedShape(number, shapes[number]["name"], shapes[number])
        for number in reversed(range(max(0, len(shapes) - LISTED), len(shapes)))
    ]
