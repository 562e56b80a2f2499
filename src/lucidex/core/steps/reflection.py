"""The picture mirrored below itself, as on a polished table, within the size that was asked for."""

import re
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import Canvas, Finished, Margins, Seat
from lucidex.core.finish.layer_kernel import lay_picture_under
from lucidex.core.finish.layers import with_alpha
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.grounds import CLEAR, GROUND, Colour, Ground, colour_of, ground_words, read_ground
from lucidex.core.steps.bands import FinishStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

_NUMBER = r"(\d{1,3}(?:[.,]\d{1,2})?)(?: %)?"
_TYPED = re.compile(
    rf"(?:add )?(?:a )?(?:reflection|mirror image|reflected)(?: of)?(?: {_NUMBER})?(?: on (?:a )?{GROUND})?"
)
Percent = Annotated[float, Field(allow_inf_nan=False)]


class Reflection(FinishStep):
    """A reflection below the picture, which gives way for it."""

    kind: Literal["reflection"] = "reflection"
    seat: ClassVar[Seat] = Seat.CAST
    height_percent: Percent = Field(
        25.0, ge=1, le=100, title="Height, %", description="Of the picture's height above it."
    )
    strength: Percent = Field(40.0, ge=0, le=100, title="Strength, %", description="Where it begins.")
    fading: Percent = Field(
        100.0, ge=0, le=100, title="Fading, %", description="100 ends in nothing, 0 does not fade."
    )
    gap_percent: Percent = Field(
        0.3, ge=0, le=10, title="Gap, %", description="Of the shorter side of what comes out."
    )
    ground: Ground = Field(CLEAR, title="Lies on")
    varied_field: ClassVar[str | None] = "strength"
    variants: ClassVar[str] = "20; 40; 60"

    @property
    def lets_through(self) -> bool:
        """Below the picture."""
        return True

    @property
    def shows_picture_again(self) -> bool:
        """It is the picture."""
        return True

    @property
    def ground_below(self) -> Colour | None:
        """What it lies on."""
        return colour_of(self.ground)

    def _gap(self, canvas: Size) -> int:
        return min(round(canvas.shortest * self.gap_percent / 100), canvas.height // 4)

    def room(self, canvas: Size) -> Margins:
        """Below, with the gap."""
        gap = self._gap(canvas)
        high = round((canvas.height - gap) * self.height_percent / (100 + self.height_percent))
        return Margins(bottom=gap + min(high, canvas.height - gap - 1))

    def draw(self, canvas: Canvas, assets: Assets) -> Finished:
        """The lowest rows of the picture and its borders, upside down, fading, under all that is there."""
        pixels, body = with_alpha(canvas.pixels), canvas.body
        begins = canvas.inner.top + canvas.inner.size.height + self._gap(canvas.size)
        bottom = canvas.inner.top + canvas.inner.size.height
        high = self.room(canvas.size).bottom - self._gap(canvas.size)
        rows = min(high, canvas.inner.size.height, pixels.shape[0] - begins)
        if body is None or rows < 1:
            return Finished(pixels)
        mirrored = np.ascontiguousarray(with_alpha(body[bottom - rows : bottom])[::-1])
        way = (np.arange(rows, dtype=np.float32) + 0.5) / max(1, high)
        strength = self.strength / 100 * (1 - self.fading / 100 * way)
        lay_picture_under(pixels[begins : begins + rows], mirrored, strength.astype(np.float32))
        return Finished(pixels)

    def sentence(self) -> Sentence:
        """For example: Reflected below, 25 % high, 40 % strong."""
        below = () if self.ground == CLEAR else (Words(", on "), Value("ground", ground_words(self.ground)))
        return (
            Words("Reflected below, "),
            Value("height_percent", f"{format_number(self.height_percent)} % high"),
            Words(", "),
            Value("strength", f"{format_number(self.strength)} % strong"),
            *below,
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """A quarter of the picture high."""
        said = "Mirrors the picture below itself, fading; it gives way, so that the size stays exact."
        also = "add reflection, add a reflection, mirror below, reflected, mirror image below"
        return (Offer(("reflection",), said, cls(), also=also),)

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `reflection 30 %` and `reflection on white`; a number is its height."""
        match = _TYPED.fullmatch(text)
        if match is None or not any(match.groups()):
            return None
        given: dict[str, object] = {"height_percent": float(parse_decimal(match[1]))} if match[1] else {}
        if match[2]:
            given["ground"] = read_ground(match[2])
        return cls.model_validate(given)
