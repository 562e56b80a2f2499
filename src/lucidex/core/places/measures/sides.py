"""One side; the other follows the picture."""

from typing import ClassVar, Literal

from lucidex.core.geometry.sizes import Size, proportional
from lucidex.core.places.measures.base import Edge, Measure, Number


class Width(Measure):
    """A width; the height follows the picture."""

    by: Literal["width"] = "width"
    width_px: Edge
    label: ClassVar[str] = "width, height follows"
    numbers: ClassVar[tuple[Number, ...]] = (Number("width_px"),)
    typed: ClassVar[tuple[str, ...]] = (
        r"(?:width )?{length} (?:wide|width|w|across)",
        r"(?:fit )?(?:to )?(?:width|w|wide)(?: of| to| is| should be| shall be| must be)? {length}",
        r"{length} x auto",
    )

    def size_for(self, picture: Size) -> Size:
        """The width with the proportional height."""
        return Size(self.width_px, proportional(self.width_px, of=picture.width, other=picture.height))

    def at_percent(self, percent: float) -> "Width":
        """So many per cent of it, along each side."""
        return Width(width_px=max(1, round(self.width_px * percent / 100)))

    def words(self) -> str:
        """For example 720 wide."""
        return f"{self.width_px} wide"


class Height(Measure):
    """A height; the width follows the picture."""

    by: Literal["height"] = "height"
    height_px: Edge
    label: ClassVar[str] = "height, width follows"
    numbers: ClassVar[tuple[Number, ...]] = (Number("height_px"),)
    typed: ClassVar[tuple[str, ...]] = (
        r"(?:height )?{length} (?:high|height|h|tall)",
        r"(?:fit )?(?:to )?(?:height|h|high|tall)(?: of| to| is| should be| shall be| must be)? {length}",
        r"auto x {length}",
    )

    typed_loosely: ClassVar[tuple[str, ...]] = (r"x {length}",)

    def size_for(self, picture: Size) -> Size:
        """The height with the proportional width."""
        return Size(proportional(self.height_px, of=picture.height, other=picture.width), self.height_px)

    def at_percent(self, percent: float) -> "Height":
        """So many per cent of it, along each side."""
        return Height(height_px=max(1, round(self.height_px * percent / 100)))

    def words(self) -> str:
        """For example 480 high."""
        return f"{self.height_px} high"


class LongestEdge(Measure):
    """The longer side; the other follows the picture."""

    by: Literal["longest"] = "longest"
    longest_px: Edge
    label: ClassVar[str] = "longest edge"
    numbers: ClassVar[tuple[Number, ...]] = (Number("longest_px"),)
    typed: ClassVar[tuple[str, ...]] = (
        r"(?:longest|long|larger|largest|bigger|biggest|max|maximum)(?: edge| side| dimension)"
        r"(?: of| to| is| at| should be| shall be| must be)? {length}",
        r"longest {length}",
        r"{length} (?:on |at )?(?:the )?(?:longest|long|larger|largest|biggest)(?: edge| side| dimension)?",
    )

    def size_for(self, picture: Size) -> Size:
        """The longest edge with the proportional other one."""
        if picture.width >= picture.height:
            return Width(width_px=self.longest_px).size_for(picture)
        return Height(height_px=self.longest_px).size_for(picture)

    def at_percent(self, percent: float) -> "LongestEdge":
        """So many per cent of it, along each side."""
        return LongestEdge(longest_px=max(1, round(self.longest_px * percent / 100)))

    def words(self) -> str:
        """For example longest edge 1600."""
        return f"longest edge {self.longest_px}"


class ShortestEdge(Measure):
    """The shorter side; the other follows the picture."""

    by: Literal["shortest"] = "shortest"
    shortest_px: Edge
    label: ClassVar[str] = "shortest edge"
    numbers: ClassVar[tuple[Number, ...]] = (Number("shortest_px"),)
    typed: ClassVar[tuple[str, ...]] = (
        r"(?:shortest|short|small|smaller|smallest|min|minimum)(?: edge| side| dimension)"
        r"(?: of| to| is| at| should be| shall be| must be)? {length}",
        r"shortest {length}",
        r"{length} (?:on |at )?(?:the )?(?:shortest|short|smaller|smallest)(?: edge| side| dimension)?",
    )

    def size_for(self, picture: Size) -> Size:
        """The shortest edge with the proportional other one."""
        if picture.width < picture.height:
            return Width(width_px=self.shortest_px).size_for(picture)
        return Height(height_px=self.shortest_px).size_for(picture)

    def at_percent(self, percent: float) -> "ShortestEdge":
        """So many per cent of it, along each side."""
        return ShortestEdge(shortest_px=max(1, round(self.shortest_px * percent / 100)))

    def words(self) -> str:
        """For example shortest edge 900."""
        return f"shortest edge {self.shortest_px}"
