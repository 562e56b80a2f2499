"""Trim to content: keep what lies on a plain or clear ground, with a margin of one's choice."""

import math
import re
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Box, Point, Size
from lucidex.core.geometry.transform import corners_of, shift
from lucidex.core.picture.content import find_content
from lucidex.core.picture.grounds import Ground
from lucidex.core.picture.raster import Raster
from lucidex.core.steps.bands import FindingStep, GeometryStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.steps.perspective import Spot
from lucidex.core.units import format_number

MAX_MARGIN = 200.0
_TYPED = re.compile(r"trim(?:\s+to\s+content)?(?:,?\s+(?:margin\s+)?(\d{1,3}(?:[.,]\d{1,2})?)\s*%?(?:\s+margin)?)?")


class Trim(GeometryStep, FindingStep):
    """Cut to what was found, plus a margin in percent of its longer side.

    `found` are the corners of the content's bounds (content coordinates); `ground` the colour that goes on where
    the margin reaches beyond the picture, None where the ground is too uneven for that.
    """

    kind: Literal["trim"] = "trim"
    tolerance_percent: Annotated[float, Field(ge=1, le=90, allow_inf_nan=False)] = 12.0
    margin_percent: Annotated[float, Field(ge=0, le=MAX_MARGIN, allow_inf_nan=False)] = 4.0
    found: tuple[Spot, Spot, Spot, Spot] | None = None
    ground: Ground | None = None
    varied_field: ClassVar[str | None] = "margin_percent"
    variants: ClassVar[str] = "0; 5; 10"
    found_by: ClassVar[frozenset[str]] = frozenset({"tolerance_percent"})
    found_fields: ClassVar[frozenset[str]] = frozenset({"found", "ground"})

    def found_on(self, raster: Raster) -> Self:
        """The step with the bounds that it finds on a picture."""
        content = find_content(raster, self.tolerance_percent)
        if content is None:
            return self.model_copy(update={"found": None, "ground": None})
        spots = tuple(raster.to_content.map(corner) for corner in corners_of(content.window))
        return self.model_copy(update={"found": tuple(Spot(x=p.x, y=p.y) for p in spots), "ground": content.ground})

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The trimmed frame; the margin goes on beyond the picture where the ground is even."""
        if self.found is None:
            return geometry.with_remark(
                Remark("Nothing was found on a plain ground, so nothing was trimmed. Change the tolerance, or crop.")
            )
        box = self._box(geometry)
        inside = _held(box, geometry.size)
        if inside == box:
            return geometry.cut(box)
        if self.ground is not None:
            return geometry.widened(shift(-box.left, -box.top), box.size, self.ground)
        return geometry.cut(inside).with_remark(
            Remark(
                "The margin would reach beyond the picture, whose ground is too uneven to go on; it ends at the edge."
            )
        )

    def _box(self, geometry: PictureGeometry) -> Box:
        points = [geometry.to_picture(Point(spot.x, spot.y)) for spot in self.found or ()]
        left, right = min(p.x for p in points), max(p.x for p in points)
        top, bottom = min(p.y for p in points), max(p.y for p in points)
        margin = max(right - left, bottom - top) * self.margin_percent / 100
        x, y = math.floor(left - margin + 1e-6), math.floor(top - margin + 1e-6)
        return Box(
            x, y, Size(max(1, math.ceil(right + margin - 1e-6) - x), max(1, math.ceil(bottom + margin - 1e-6) - y))
        )

    def sentence(self) -> Sentence:
        """For example: Trimmed to its content, tolerance 12 %, margin 4 %."""
        return (
            Words("Trimmed to its content, tolerance "),
            Value("tolerance_percent", f"{format_number(self.tolerance_percent)} %"),
            Words(", margin "),
            Value("margin_percent", f"{format_number(self.margin_percent)} %"),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Trim by itself."""
        message = "Finds the ink of a signature or the edge of a drawing on an empty ground, and leaves a margin."
        return (
            Offer(
                ("trim to content", "trim"),
                message,
                cls(),
                also="auto crop, autocrop, trim edges, crop to content, remove margins, cut margins, trim "
                "white, trim whitespace, trim white space, remove white space, remove white border, "
                "cut white edges, crop white space, remove borders",
            ),
        )

    @classmethod
    def read(cls, text: str) -> "Trim | None":
        """Understands `trim` and `trim margin 10 %`."""
        match = _TYPED.fullmatch(text)
        if match is None:
            return None
        return cls(margin_percent=float(match[1].replace(",", "."))) if match[1] else cls()


def _held(box: Box, bounds: Size) -> Box:
    left, top = min(max(box.left, 0), bounds.width - 1), min(max(box.top, 0), bounds.height - 1)
    right = min(max(box.left + box.size.width, left + 1), bounds.width)
    bottom = min(max(box.top + box.size.height, top + 1), bounds.height)
    return Box(left, top, Size(right - left, bottom - top))
