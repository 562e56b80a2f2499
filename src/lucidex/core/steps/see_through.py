"""The whole picture partly clear, so that what lies below it shows."""

import re
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import Canvas, Finished, Seat
from lucidex.core.finish.layer_kernel import scale_alpha
from lucidex.core.finish.layers import with_alpha
from lucidex.core.picture.grounds import CLEAR, Colour, Ground, colour_of, ground_words
from lucidex.core.steps.bands import FinishStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

_TYPED = re.compile(
    r"(?:partly )?(opacity|opaque|see through|transparency|transparent|clear)(?: (?:to|of|by))? "
    r"(\d{1,3}(?:[.,]\d{1,2})?)(?: %)?"
    r"|(\d{1,3}(?:[.,]\d{1,2})?)(?: %)? (opacity|opaque|see through|transparency|transparent|clear)"
)
_KEPT = frozenset({"opacity", "opaque"})  # a number with them says what stays, with the others what goes


class SeeThrough(FinishStep):
    """The picture at less than its full strength; the size stays exact."""

    kind: Literal["see_through"] = "see_through"
    seat: ClassVar[Seat] = Seat.FORM
    opacity_percent: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = Field(
        60.0, title="Opacity, %", description="100 is all there, 0 is clear."
    )
    ground: Ground = CLEAR
    varied_field: ClassVar[str | None] = "opacity_percent"
    variants: ClassVar[str] = "30; 50; 70"

    @property
    def lets_through(self) -> bool:
        """Unless all of it stays."""
        return self.opacity_percent < 100

    @property
    def ground_below(self) -> Colour | None:
        """What shows through it."""
        return colour_of(self.ground)

    def draw(self, canvas: Canvas, assets: Assets) -> Finished:
        """Alpha times the opacity."""
        if not self.lets_through:
            return Finished(canvas.pixels)
        pixels = with_alpha(canvas.pixels)
        scale_alpha(pixels, np.broadcast_to(np.float32(self.opacity_percent / 100), pixels.shape[:2]))
        return Finished(pixels)

    def sentence(self) -> Sentence:
        """For example: Partly clear, 60 % opaque."""
        strong = Value("opacity_percent", f"{format_number(self.opacity_percent)} %")
        below = () if self.ground == CLEAR else (Words(" on "), Value("ground", ground_words(self.ground)))
        return Words("Partly clear, "), strong, Words(" opaque"), *below, Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """At a little more than half."""
        also = "see through, transparency, transparent picture, opacity, half clear"
        return (Offer(("partly clear",), "Lets what lies below the picture show through it.", cls(), also=also),)

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `opacity 60 %` and `40 % transparent`."""
        match = _TYPED.fullmatch(text)
        if match is None:
            return None
        words, amount = match[1] or match[4], float(parse_decimal(match[2] or match[3]))
        return cls.model_validate({"opacity_percent": amount if words in _KEPT else 100 - amount})
