"""How a place says its size. Whoever adds a measure writes a file here and names its class once, in `ALL_MEASURES`.

The line, the form of a place, the schema of the API and the tests over all measures follow from that.
"""

from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from lucidex.core.places.measures.base import Edge, Kind, Measure, Number
from lucidex.core.places.measures.exact import ExactSize
from lucidex.core.places.measures.multiple import MAX_TIMES, Multiple, Rung, ladder
from lucidex.core.places.measures.shape import Shape
from lucidex.core.places.measures.shares import Area, Percent
from lucidex.core.places.measures.sides import Height, LongestEdge, ShortestEdge, Width

# in the order of lists; the first whose words are met is meant
ALL_MEASURES: tuple[type[Measure], ...] = (
    ExactSize,
    Width,
    Height,
    LongestEdge,
    ShortestEdge,
    Percent,
    Area,
    Shape,
    Multiple,
)
MEASURES_BY_NAME = {str(one.model_fields["by"].default): one for one in ALL_MEASURES}

if TYPE_CHECKING:
    AnyMeasure = Measure
else:
    AnyMeasure = Annotated[Union[ALL_MEASURES], Field(discriminator="by")]  # noqa: UP007 - made of a tuple

__all__ = [
    "ALL_MEASURES",
    "MAX_TIMES",
    "MEASURES_BY_NAME",
    "AnyMeasure",
    "Area",
    "Edge",
    "ExactSize",
    "Height",
    "Kind",
    "LongestEdge",
    "Measure",
    "Multiple",
    "Number",
    "Percent",
    "Rung",
    "Shape",
    "ShortestEdge",
    "Width",
    "ladder",
]
