"""A border of one colour that follows the picture's outline, within the size that was asked for."""

import re
from enum import StrEnum
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import Canvas, Finished, Margins, Seat
from lucidex.core.finish.forms import Form
from lucidex.core.finish.layer_kernel import lay_colour_beside, mix_colour_atop
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.picture.grounds import CLEAR, GROUND, HexColour, colour_of, ground_words, read_ground
from lucidex.core.source.pyramid import AnyPixels
from lucidex.core.steps.bands import FinishStep
from lucidex.core.steps.base import Asked, Offer, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

_WIDTH = r"(\d{1,2}(?:[.,]\d{1,2})?)(?: %)?"
_TYPED = re.compile(
    rf"(?:add )?(?:a )?border(?: of)? {_WIDTH}(?: %)?(?: (?:in )?{GROUND})?"
    rf"|(?:add )?(?:a )?{GROUND} (?:border|frame)(?: of)?(?: {_WIDTH})?|{_WIDTH} (?:{GROUND} )?(?:border|frame)"
    rf"|(?:border|frame)(?: in)? {GROUND}(?: {_WIDTH})?|{_WIDTH} (?:border|frame)(?: in)? {GROUND}"
)
_PIXELS = r"(\d{1,4}) px"
_IN_PIXELS = re.compile(
    rf"(?:add )?(?:a )?(?:border|frame)(?: of)? {_PIXELS}(?: (?:in )?{GROUND})?"
    rf"|(?:add )?(?:a )?{GROUND} (?:border|frame)(?: of)? {_PIXELS}|{_PIXELS} (?:{GROUND} )?(?:border|frame)"
    rf"|(?:border|frame)(?: in)? {GROUND} {_PIXELS}|{_PIXELS} (?:border|frame)(?: in)? {GROUND}"
)
LARGE_PERCENT = 12.0  # beyond it a bare number is more often meant as pixels


class Side(StrEnum):
    """On which side of the picture's edge it lies."""

    OUTSIDE = "outside"
    INSIDE = "inside"


_SIDES = {"inside": Side.INSIDE, "inner": Side.INSIDE, "outside": Side.OUTSIDE, "outer": Side.OUTSIDE}


class Border(FinishStep):
    """A border on the finished size; outside, the picture gives way, so that the size stays exact."""

    kind: Literal["border"] = "border"
    revision: ClassVar[int] = 2
    seat: ClassVar[Seat] = Seat.EDGE
    width_percent: Annotated[float, Field(ge=0, le=30, allow_inf_nan=False)] = Field(
        4.0, title="Width, %", description="Of the shorter side of what comes out, at least a pixel; 0 is no border."
    )
    width_px: Annotated[int, Field(ge=0, le=2_000)] = Field(
        0, title="Width, px", description="Instead of per cent: so many pixels in every place; 0 leaves it to those."
    )
    colour: HexColour = "#ffffff"
    side: Side = Field(
        Side.OUTSIDE, title="Lies", description="Outside, the picture gives way; inside, it is covered."
    )
    amounts: ClassVar[dict[str, str]] = dict.fromkeys(("border", "add border", "white border"), "width_percent")
    varied_field: ClassVar[str | None] = "width_percent"
    variants: ClassVar[str] = "1; 2; 4; 8"

    def measured_on(self, canvas: Size) -> Self:
        """So many pixels, as the per cent that they are there: however small it is looked at, it looks the same."""
        percent = 100 * self.width_px / canvas.shortest
        return self.model_copy(update={"width_percent": percent, "width_px": 0}) if self.width_px else self

    def varied(self, value: str) -> Self:
        """Another share, which counts instead of pixels."""
        return super().varied(value).model_copy(update={"width_px": 0})

    def _width(self, canvas: Size) -> int:
        width = max(1, round(canvas.shortest * self.width_percent / 100)) if self.width_percent else 0
        return min(width, (canvas.shortest - 1) // 2)

    def room(self, canvas: Size) -> Margins:
        """The same on all sides, outside."""
        width = self._width(canvas) if self.side is Side.OUTSIDE else 0
        return Margins(width, width, width, width)

    def form_after(self, canvas: Canvas) -> Form | None:
        """An outline with the border in it."""
        outside = self.side is Side.OUTSIDE and canvas.form is not None
        return canvas.form.grown(self._width(canvas.size)) if outside and canvas.form else canvas.form

    def draw(self, canvas: Canvas, assets: Assets) -> Finished:
        """Its colour along the outline, or between the boxes where that is a rectangle."""
        pixels, width, colour = canvas.pixels, self._width(canvas.size), colour_of(self.colour) or (255, 255, 255)
        if not width:
            return Finished(pixels)
        if canvas.form is None:
            inner = canvas.inner if self.side is Side.OUTSIDE else _within(canvas.inner, width)
            _fill_between(pixels, canvas.outer, inner, colour)
        elif self.side is Side.OUTSIDE:
            around = canvas.form.grown(width)
            if around is not None:
                within = canvas.form.coverage(canvas.size)
                lay_colour_beside(pixels, around.coverage(canvas.size), within, *map(float, colour))
        else:
            kept = canvas.form.grown(-width)
            cover = 1 - kept.coverage(canvas.size) if kept else np.ones(pixels.shape[:2], np.float32)
            mix_colour_atop(pixels, cover, *map(float, colour))
        return Finished(pixels)

    def sentence(self) -> Sentence:
        """For example: A border of 4 %, white."""
        in_percent = Value("width_percent", f"{format_number(self.width_percent)} %")
        width = Value("width_px", f"{self.width_px} px") if self.width_px else in_percent
        where = () if self.side is Side.OUTSIDE else (Words(", "), Value("side", "inside the picture's edge"))
        return (
            Words("A border of "),
            width,
            Words(", "),
            Value("colour", ground_words(self.colour)),
            *where,
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """White, as around a print; and a thin dark line."""
        said = "Puts an even border around the picture, along its outline, inside the size of each place."
        return (
            Offer(
                ("border", "white border"),
                said,
                cls(),
                also="add border, add a border, put a border around, white frame, border around",
            ),
            Offer(("thin dark border",), said, cls(width_percent=0.6, colour="#1d2326")),
            Offer(
                ("border inside",),
                "Puts an even border over the picture's edge; the picture keeps its size.",
                cls(side=Side.INSIDE),
                also="inner border, inside border",
            ),
        )

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `border 4 %`, `border 2,5 % black`, `border 20 px` and `border 4 dark green inside`."""
        words = text.split()
        sides = [word for word in words if word in _SIDES]
        if len(sides) > 1:
            return None
        said = " ".join(word for word in words if word not in _SIDES)
        side = _SIDES[sides[0]] if sides else Side.OUTSIDE
        match = _IN_PIXELS.fullmatch(said) or _TYPED.fullmatch(said)
        if match is None or _leaves_open(match, said):
            return None
        found = [part for part in match.groups() if part]
        width = next((part for part in found if part[0].isdigit()), None)
        colour = next((part for part in found if not part[0].isdigit()), None)
        ground = read_ground(colour or "white")
        if ground in {None, CLEAR}:
            return None
        if match.re is _IN_PIXELS:
            none = {} if (pixels := int(width or 0)) else {"width_percent": 0}
            return cls.model_validate({"colour": ground, "side": side, "width_px": pixels, **none})
        amount = {"width_percent": float(parse_decimal(width))} if width else {}
        return cls.model_validate({"colour": ground, "side": side, **amount})

    @classmethod
    def asks(cls, text: str) -> Asked | None:
        """A number without a unit that is much for per cent."""
        match = _TYPED.fullmatch(text)
        if match is None or not _leaves_open(match, text):
            return None
        found = [part for part in match.groups() if part]
        width = next(part for part in found if part[0].isdigit())
        colour = next((f" {part}" for part in found if not part[0].isdigit()), "")
        said = (f"border {width} %{colour}", f"border {width} px{colour}")
        return Asked(f"{width} per cent, or {width} px?", said)


def _leaves_open(match: re.Match[str], text: str) -> bool:
    """Whether a number is large for per cent, and no unit says that it is meant."""
    width = next((part for part in match.groups() if part and part[0].isdigit()), None)
    return (
        width is not None and match.re is _TYPED and "%" not in text and float(parse_decimal(width)) > LARGE_PERCENT
    )


def _within(box: Box, width: int) -> Box:
    width = min(width, (box.size.shortest - 1) // 2)
    return Box(box.left + width, box.top + width, Size(box.size.width - 2 * width, box.size.height - 2 * width))


def _fill_between(pixels: AnyPixels, outer: Box, inner: Box, colour: tuple[int, int, int]) -> None:
    """Paint all of a box but another one within."""
    value = np.array([*colour, 255][: pixels.shape[2]], np.uint8)
    right, bottom = outer.left + outer.size.width, outer.top + outer.size.height
    inner_right, inner_bottom = inner.left + inner.size.width, inner.top + inner.size.height
    pixels[outer.top : inner.top, outer.left : right] = value
    pixels[inner_bottom:bottom, outer.left : right] = value
    pixels[inner.top : inner_bottom, outer.left : inner.left] = value
    pixels[inner.top : inner_bottom, inner_right:right] = value
