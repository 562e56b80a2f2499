"""What steps on an area have in common: shapes that are drawn, changed one by one, and dropped again."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, ClassVar, Self

from pydantic import FailFast, Field, ValidationError

from lucidex.core.areas.area import MAX_SHAPES
from lucidex.core.areas.placing import Placed, kept, kept_outline, kept_path
from lucidex.core.areas.shapes import AnyShape, Ellipse, Rectangle, Shape, Stroke
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point
from lucidex.core.picture.raster import Raster
from lucidex.core.steps.bands import RestorationStep
from lucidex.core.steps.base import Carried

EdgePercent = Annotated[float, Field(ge=0, le=30, allow_inf_nan=False)]


class Tool(StrEnum):
    """What an area is drawn with."""

    OVAL = "oval"
    BOX = "box"
    OUTLINE = "outline"
    BRUSH = "brush"
    POINT = "point"  # a click


@dataclass(frozen=True)
class Gesture:
    """What was drawn on the prepared picture, in its pixels: of an oval and a box two corners, else the way gone.

    `way` is the choice among those that a step offers (`AreaStep.ways`), where it does.
    """

    tool: Tool
    points: tuple[Point, ...]
    radius_px: float = 1.0
    takes_away: bool = False
    way: str = ""


class AreaStep(RestorationStep):
    """A step on an area. Subclasses say what its shapes are, and with which tools they are drawn."""

    carried: ClassVar[Carried] = Carried.NEVER
    lies_where_drawn: ClassVar[bool] = True
    tools: ClassVar[tuple[Tool, ...]] = (Tool.OVAL, Tool.BOX, Tool.OUTLINE, Tool.BRUSH)
    ways: ClassVar[tuple[str, ...]] = ()  # what a stroke can do, where strokes do different things
    takes_away: ClassVar[bool] = True  # whether shapes can take from others
    looks_first: ClassVar[bool] = False  # whether what is below a stroke decides what it becomes (`seen_on`)
    looked_at_edge: ClassVar[int] = 1_024  # the longer side of the raster on which it looks, in pixels
    takes_source: ClassVar[bool] = False  # whether a place can be marked from which is taken
    brush_words: ClassVar[str] = "brush"  # what the brush is called on the stage
    brush_radius: ClassVar[float] = 0.04  # to begin with, of the picture's shorter side
    shapes: tuple[Shape, ...] = ()

    @property
    def first_way(self) -> str:
        """The one of its `ways` that a stroke has until another one is chosen."""
        return ""

    @property
    def marked(self) -> tuple[float, float] | None:
        """The content point from which is taken, where one was marked."""
        return None

    def with_shapes(self, shapes: Sequence[Shape]) -> Self:
        """The step with other shapes. OutOfRangeError where they are too many."""
        if len(shapes) > MAX_SHAPES:
            raise OutOfRangeError(f"A step holds at most {MAX_SHAPES} areas. Add the step once more for others.")
        try:
            return type(self).model_validate({**self.model_dump(), "shapes": [one.model_dump() for one in shapes]})
        except ValidationError as error:
            raise OutOfRangeError("This shape is not possible here.") from error

    def drawn(self, gesture: Gesture, geometry: PictureGeometry) -> Self:
        """The step with what was drawn on the picture. OutOfRangeError in words where that is no area."""
        if gesture.tool not in self.tools:
            raise OutOfRangeError("This step is not drawn like that.")
        return self.with_shapes((*self.shapes, *self.shapes_of(gesture, geometry)))

    def seen_on(self, gesture: Gesture, raster: Raster) -> Gesture:
        """What a gesture becomes by what is below it, on the picture as it stands before the step.

        OutOfRangeError in words where nothing there is of any use.
        """
        return gesture

    def shapes_of(self, gesture: Gesture, geometry: PictureGeometry) -> list[Shape]:
        """What a gesture adds."""
        return area_shapes(gesture, geometry)


def area_shapes(gesture: Gesture, geometry: PictureGeometry) -> list[Shape]:
    """The parts of an area that a gesture draws."""
    if gesture.tool is Tool.OUTLINE:
        return [kept_outline(gesture.points, geometry, smooth=True, takes_away=gesture.takes_away)]
    if gesture.tool in {Tool.BRUSH, Tool.POINT}:
        paths, radius = kept_path(gesture.points, gesture.radius_px, geometry)
        return [Stroke(path=path, radius=radius, takes_away=gesture.takes_away) for path in paths]
    first, last = gesture.points[0], gesture.points[-1]
    middle = Point((first.x + last.x) / 2, (first.y + last.y) / 2)
    where = Placed(middle, abs(last.x - first.x), abs(last.y - first.y))
    if gesture.tool is Tool.OVAL:
        return [kept(Ellipse, where, geometry, gesture.takes_away)]
    return [kept(Rectangle, where, geometry, gesture.takes_away)]


class OverArea(AreaStep):
    """A step that does one thing over an area."""

    shapes: Annotated[tuple[AnyShape, ...], Field(max_length=MAX_SHAPES), FailFast()] = ()
