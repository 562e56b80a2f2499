"""A shape, at whatever size the picture yields."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from lucidex.core.geometry.sizes import Size, largest_within
from lucidex.core.places.measures.base import Kind, Measure, Number

ShapeSide = Annotated[int, Field(ge=1, le=10_000)]


class Shape(Measure):
    """A shape at whatever size the picture yields."""

    by: Literal["shape"] = "shape"
    across: ShapeSide
    down: ShapeSide
    label: ClassVar[str] = "shape only"
    numbers: ClassVar[tuple[Number, ...]] = (
        Number("across", Kind.COUNT),
        Number("down", Kind.COUNT),
    )
    typed: ClassVar[tuple[str, ...]] = (r"(?:place|shape) {count} [:/] {count}",)
    has_own_shape: ClassVar[bool] = True

    def size_for(self, picture: Size) -> Size:
        """The largest size of the shape within the picture."""
        return largest_within(Size(self.across, self.down), picture)

    def words(self) -> str:
        """For example shape 16 : 9."""
        return f"shape {self.across} : {self.down}"
