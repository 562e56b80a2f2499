"""Crop: by a free window, to a shape, or to exact pixels.

The centre belongs to the content (fractions of the upright original), so that a turn inserted before the
crop keeps the same part of the picture. The size is fixed first, then a whole-pixel origin is chosen.
"""

import math
import re
from fractions import Fraction
from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from lucidex.core.errors import NotUnderstoodError
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark, Remedy
from lucidex.core.geometry.sizes import Box, Point, Size, largest_within, round_half_up
from lucidex.core.steps.bands import GeometryStep
from lucidex.core.steps.base import Asked, Carried, Offer, Sentence, Value, Words
from lucidex.core.typed_text import in_one_form
from lucidex.core.units import format_number, parse_decimal

MAX_CROP_PX = 32_000
MAX_SHAPE = 10_000
FREE_SHARE = 0.8  # of each side, where a free window begins
_CROP = r"(?:crop|cut|trim)(?: it)?(?: to)?"
_NUMBER = r"(\d{1,5}(?:[.,]\d{1,3})?)"
_SHAPE = re.compile(
    rf"(?:{_CROP} |in |to )?(?:(?:the )?(?:aspect ratio|ratio|format|aspect) )?{_NUMBER} ?[:/] ?{_NUMBER}"
    r"(?: (?:crop|ratio|shape|aspect ratio|format))?"
)
_SHAPE_IN_WORDS = re.compile(
    rf"(?:{_CROP} )?(?:aspect ratio|ratio|shape|aspect)(?: of)? {_NUMBER} (?:to|x|by) {_NUMBER}"
    rf"|(?:{_CROP} )?{_NUMBER} (?:to|x|by) {_NUMBER} (?:ratio|shape|aspect ratio|aspect)"
)
_PIXELS = re.compile(rf"(?:{_CROP}|crop window(?: of)?) (\d{{1,5}})(?: px)? (?:x|by) (\d{{1,5}})(?: px)?")
SIDES = ("left", "top", "right", "bottom")
_SIDE = r"(left|top|right|bottom)(?: (?:side|edge|hand side))?"
_ALL_SIDES = r"(?:each|every|all) (?:side|sides|edge|edges)|all around|all round|around|everywhere"
_OFF = r"(?:(?:off|from|at|on|of|to)(?: the)? )?"
_TAKEN_OFF = r"(?:(?:crop|cut|take|remove|delete|trim|cut off|crop off|take off)(?: away)? )"
_SIDES = re.compile(
    rf"(?:{_TAKEN_OFF}(\d{{1,5}})(?: px)? {_OFF}|(\d{{1,5}})(?: px)? off(?: from)?(?: the)? )(?:{_SIDE}|{_ALL_SIDES})"
    rf"|{_TAKEN_OFF}{_OFF}(?:{_SIDE}|{_ALL_SIDES})(?: side)?(?: by)? (\d{{1,5}})(?: px)?"
)

_SHARES = re.compile(
    rf"(?:{_TAKEN_OFF}{_NUMBER} % {_OFF}|{_NUMBER} % off(?: from)?(?: the)? )(?:{_SIDE}|{_ALL_SIDES})"
    rf"|{_TAKEN_OFF}{_OFF}(?:{_SIDE}|{_ALL_SIDES})(?: side)?(?: by)? {_NUMBER} %"
)
_AMOUNT_ALONE = re.compile(rf"{_TAKEN_OFF}(?:by |to )?{_NUMBER} (px|%)")

SidePixels = Annotated[int, Field(ge=0, le=MAX_CROP_PX)]
SidePercent = Annotated[float, Field(ge=0, le=99, allow_inf_nan=False)]
Fraction01 = Annotated[float, Field(ge=0, le=1)]


class _Area(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    centre_x: Fraction01 = 0.5
    centre_y: Fraction01 = 0.5

    @property
    def kept_shape(self) -> tuple[int, int] | None:
        """The shape that the window keeps while it is pulled, where it keeps one."""
        return None

    @property
    def centre(self) -> Point:
        """The middle of the crop, in fractions of the upright original."""
        return Point(self.centre_x, self.centre_y)

    def wanted(self, geometry: PictureGeometry) -> Size:
        """Size in picture pixels before it is held inside the picture."""
        raise NotImplementedError

    def box(self, geometry: PictureGeometry) -> Box:
        """The whole-pixel box that is kept, held inside the picture."""
        return crop_box(geometry, self.centre, self.wanted(geometry))


class FreeArea(_Area):
    """A window of any shape; sides along the original's axes, in fractions of its shorter side."""

    by: Literal["window"] = "window"
    width: Annotated[float, Field(gt=0, le=50_000)]
    height: Annotated[float, Field(gt=0, le=50_000)]

    def wanted(self, geometry: PictureGeometry) -> Size:
        """Size in picture pixels before it is held inside the picture."""
        across, down = (self.height, self.width) if geometry.transform.swaps_axes else (self.width, self.height)
        unit = geometry.content_unit(self.centre)
        return Size(_pixels(across * unit), _pixels(down * unit))

    def words(self) -> Sentence:
        """A window has no number of its own to name."""
        return Words("Cropped to a "), Value("area", "window"), Words(".")


class ShapeArea(_Area):
    """The largest window of a shape, or a smaller one by `zoom`."""

    by: Literal["shape"] = "shape"
    across: Annotated[int, Field(ge=1, le=MAX_SHAPE)]
    down: Annotated[int, Field(ge=1, le=MAX_SHAPE)]
    zoom: Annotated[float, Field(ge=1, le=10_000)] = 1.0

    @property
    def kept_shape(self) -> tuple[int, int] | None:
        """Its own."""
        return self.across, self.down

    def wanted(self, geometry: PictureGeometry) -> Size:
        """Size in picture pixels."""
        largest = largest_within(Size(self.across, self.down), geometry.size)
        zoom = Fraction(self.zoom)
        return Size(max(1, round_half_up(largest.width / zoom)), max(1, round_half_up(largest.height / zoom)))

    def words(self) -> Sentence:
        """For example: Cropped to the shape 16 : 10."""
        return Words("Cropped to the shape "), Value("area", f"{self.across} : {self.down}"), Words(".")


class PixelArea(_Area):
    """Exactly so many pixels of the picture."""

    by: Literal["pixels"] = "pixels"
    width_px: Annotated[int, Field(ge=1, le=MAX_CROP_PX)]
    height_px: Annotated[int, Field(ge=1, le=MAX_CROP_PX)]

    def wanted(self, geometry: PictureGeometry) -> Size:
        """The size asked for."""
        return Size(self.width_px, self.height_px)

    def words(self) -> Sentence:
        """For example: Cropped to 1600 × 900 pixels."""
        return Words("Cropped to "), Value("area", f"{self.width_px} × {self.height_px}"), Words(" pixels.")


class SidesArea(_Area):
    """So many pixels off each side: to lose a damaged edge."""

    by: Literal["sides"] = "sides"
    left_px: SidePixels = 0
    top_px: SidePixels = 0
    right_px: SidePixels = 0
    bottom_px: SidePixels = 0

    def wanted(self, geometry: PictureGeometry) -> Size:
        """What is left; at least 1 × 1."""
        width = geometry.size.width - self.left_px - self.right_px
        return Size(max(1, width), max(1, geometry.size.height - self.top_px - self.bottom_px))

    def box(self, geometry: PictureGeometry) -> Box:
        """What is left, beginning after the left and the upper strip."""
        size = self.wanted(geometry)
        left = min(self.left_px, geometry.size.width - size.width)
        return Box(left, min(self.top_px, geometry.size.height - size.height), size)

    def words(self) -> Sentence:
        """For example: Cropped by 10 px left, 20 px right; or by 10 px on each side."""
        if self.left_px == self.top_px == self.right_px == self.bottom_px:
            return Words("Cropped by "), Value("area", f"{self.left_px} px"), Words(" on each side.")
        sides = (("left", self.left_px), ("top", self.top_px), ("right", self.right_px), ("bottom", self.bottom_px))
        off = ", ".join(f"{pixels} px {side}" for side, pixels in sides if pixels) or "0 px"
        return Words("Cropped by "), Value("area", off), Words(".")


class SharesArea(_Area):
    """So many per cent off each side: of the width at the left and the right, of the height above and below."""

    by: Literal["shares"] = "shares"
    left_percent: SidePercent = 0.0
    top_percent: SidePercent = 0.0
    right_percent: SidePercent = 0.0
    bottom_percent: SidePercent = 0.0

    def _sides(self, size: Size) -> SidesArea:
        def off(percent: float, side: int) -> int:
            return round_half_up(Fraction(str(percent)) * side / 100)

        return SidesArea(
            left_px=off(self.left_percent, size.width),
            top_px=off(self.top_percent, size.height),
            right_px=off(self.right_percent, size.width),
            bottom_px=off(self.bottom_percent, size.height),
        )

    def wanted(self, geometry: PictureGeometry) -> Size:
        """What is left; at least 1 × 1."""
        return self._sides(geometry.size).wanted(geometry)

    def box(self, geometry: PictureGeometry) -> Box:
        """What is left, beginning after the left and the upper strip."""
        return self._sides(geometry.size).box(geometry)

    def words(self) -> Sentence:
        """For example: Cropped by 10 % top; or by 5 % on each side."""
        sides = tuple((side, format_number(getattr(self, f"{side}_percent"), 2)) for side in SIDES)
        if len({percent for _, percent in sides}) == 1:
            return Words("Cropped by "), Value("area", f"{sides[0][1]} %"), Words(" on each side.")
        off = ", ".join(f"{percent} % {side}" for side, percent in sides if percent != "0")
        return Words("Cropped by "), Value("area", off), Words(".")


Area = Annotated[FreeArea | ShapeArea | PixelArea | SidesArea | SharesArea, Field(discriminator="by")]


class Crop(GeometryStep):
    """Keep a rectangle of the picture and take the rest away."""

    kind: Literal["crop"] = "crop"
    area: Area
    carried: ClassVar[Carried] = Carried.ASK
    varied_field: ClassVar[str | None] = "area"
    variants: ClassVar[str] = "1:1; 4:5; 3:2; 16:9"

    def begun(self, geometry: PictureGeometry) -> "Crop":
        """A free window begins with the picture's own shape."""
        if not isinstance(self.area, FreeArea) or self.area != FreeArea(width=FREE_SHARE, height=FREE_SHARE):
            return self
        size = geometry.size.turned if geometry.transform.swaps_axes else geometry.size
        across, down = (FREE_SHARE * side / size.shortest for side in (size.width, size.height))
        return Crop(area=FreeArea(width=across, height=down))

    def varied(self, value: str) -> "Crop":
        """The crop with another shape or size about the same middle, as typed: 4:5 or 1600x900."""
        return self.shaped(value)

    def shaped(self, text: str) -> "Crop":
        """The crop with a shape such as 16:9 or pixels such as 1600x900, about the same middle."""
        typed = in_one_form(text)
        read = Crop.read(typed if ":" in typed else f"crop {typed}")
        if read is None:
            raise NotUnderstoodError("Write a shape such as 16:9, or pixels such as 1600x900.")
        centre = {"centre_x": self.area.centre_x, "centre_y": self.area.centre_y}
        return Crop(area=read.area.model_copy(update=centre))

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The cropped frame, with a note where the crop was larger than the picture."""
        wanted, box = self.area.wanted(geometry), self.area.box(geometry)
        cut = geometry.cut(box)
        if box.size == wanted or not isinstance(self.area, PixelArea):
            return cut
        sentence = (
            f"The crop asks for {wanted}, but the picture is only {geometry.size} here. It was cropped to {box.size}."
        )
        return cut.with_remark(Remark(sentence, remedies=tuple(Remedy), wanted_size=wanted))

    def sentence(self) -> Sentence:
        """For example: Cropped to the shape 16 : 10."""
        return self.area.words()

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """A free window and the usual shapes."""
        window = cls(area=FreeArea(width=FREE_SHARE, height=FREE_SHARE))
        shapes = (
            (1, 1, "square", "crop square, square crop, crop into a square, make square, make it square, squared"),
            (4, 5, "upright", "crop upright, portrait, crop portrait, crop to portrait, portrait crop"),
            (3, 2, "photograph", "landscape, crop landscape, crop to landscape, landscape crop, photo shape"),
            (16, 9, "wide screen", "crop wide screen, wide screen crop, crop wide, panoramic"),
        )
        return (
            Offer(
                ("crop", "crop by hand"),
                "Opens a window on the picture; what lies outside it is cut away.",
                window,
                also="free crop, crop freely, crop it, cut, cut to size, crop window, window",
            ),
            *(
                Offer(
                    (f"crop to {across}:{down}", f"crop to {name}", name),
                    f"Cuts the picture to the shape {across} : {down} ({name}).",
                    cls(area=ShapeArea(across=across, down=down)),
                    also=also,
                )
                for across, down, name, also in shapes
            ),
        )

    @classmethod
    def read(cls, text: str) -> "Crop | None":
        """Understands `16:10`, `crop to 4:5`, `crop 1600 x 900`, `10 off each side` and `crop 10 % off the top`."""
        if (pixels := _PIXELS.fullmatch(text)) is not None:
            return cls(area=PixelArea(width_px=int(pixels[1]), height_px=int(pixels[2])))
        if (sides := _SIDES.fullmatch(text)) is not None:
            named = [sides[3] or sides[4]] if sides[3] or sides[4] else SIDES
            deep = int(sides[1] or sides[2] or sides[5])
            return cls(area=SidesArea.model_validate({f"{side}_px": deep for side in named}))
        if (shares := _SHARES.fullmatch(text)) is not None:
            named = [shares[3] or shares[4]] if shares[3] or shares[4] else SIDES
            off = float(parse_decimal(shares[1] or shares[2] or shares[5]))
            return cls(area=SharesArea.model_validate({f"{side}_percent": off for side in named}))
        if (shape := _SHAPE.fullmatch(text) or _SHAPE_IN_WORDS.fullmatch(text)) is not None:
            across, down = (Fraction(parse_decimal(number)) for number in shape.groups() if number)
            return cls(area=ShapeArea(**_whole(across, down)))
        return None

    @classmethod
    def asks(cls, text: str) -> Asked | None:
        """`crop 10 %` does not say where."""
        if (match := _AMOUNT_ALONE.fullmatch(text)) is None:
            return None
        off = f"{match[1]} {match[2]}"
        sides = ("each side", "the top", "the bottom", "the left", "the right")
        return Asked(f"{off} off which side?", tuple(f"crop {off} off {side}" for side in sides))


def _whole(across: Fraction, down: Fraction) -> dict[str, int]:
    """A shape in whole numbers: 1.91 : 1 is 191 : 100."""
    times = math.lcm(across.denominator, down.denominator)
    return {"across": int(across * times), "down": int(down * times)}


def crop_box(geometry: PictureGeometry, centre: Point, wanted: Size) -> Box:
    """The whole-pixel box of the wanted size, held inside the picture, nearest to the content point."""
    size = Size(min(wanted.width, geometry.size.width), min(wanted.height, geometry.size.height))
    middle = geometry.to_picture(centre)
    return Box(
        _origin(middle.x, size.width, geometry.size.width),
        _origin(middle.y, size.height, geometry.size.height),
        size,
    )


def free_area(geometry: PictureGeometry, box: Box) -> FreeArea:
    """The free window that yields `box` in this frame."""
    centre = geometry.held_content(box.window.centre)
    unit = geometry.content_unit(centre)
    width, height = box.size.width / unit, box.size.height / unit
    if geometry.transform.swaps_axes:
        width, height = height, width
    return FreeArea(centre_x=centre.x, centre_y=centre.y, width=width, height=height)


def moved_area(area: Area, geometry: PictureGeometry, box: Box) -> Area:
    """The area after its window was put on `box` by hand: a shape and a size in pixels stay what they are."""
    centre = geometry.held_content(box.window.centre)
    where = {"centre_x": centre.x, "centre_y": centre.y}
    if isinstance(area, PixelArea):
        size = {"width_px": box.size.width, "height_px": box.size.height}
        return area.model_copy(update=where | size)
    if isinstance(area, ShapeArea):
        largest = largest_within(Size(area.across, area.down), geometry.size)
        return area.model_copy(update={**where, "zoom": max(1.0, largest.width / box.size.width)})
    if isinstance(area, SidesArea):
        return sides_area(geometry, box)
    return free_area(geometry, box)


def sides_area(geometry: PictureGeometry, box: Box) -> SidesArea:
    """The pixels off each side that leave `box`."""
    return SidesArea(
        left_px=box.left,
        top_px=box.top,
        right_px=geometry.size.width - box.left - box.size.width,
        bottom_px=geometry.size.height - box.top - box.size.height,
    )


def _origin(middle: float, side: int, picture_side: int) -> int:
    return min(max(math.floor(middle - side / 2 + 0.5 - 1e-9), 0), picture_side - side)


def _pixels(length: float) -> int:
    return max(1, math.floor(length + 0.5 + 1e-9))
