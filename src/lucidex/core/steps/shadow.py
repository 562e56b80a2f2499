"""A shadow that the picture casts on what it lies on, within the size that was asked for."""

import math
import re
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from lucidex.core.areas.shapes import Masks
from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import Canvas, Finished, Margins, Seat
from lucidex.core.finish.layer_kernel import lay_colour_under
from lucidex.core.finish.layers import blurred, with_alpha
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.grounds import (
    CLEAR,
    GROUND,
    Colour,
    Ground,
    HexColour,
    colour_of,
    ground_words,
    read_ground,
)
from lucidex.core.steps.bands import FinishStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

_REACH = 3.0  # sigmas: what lies further out is less than half a code value
_NUMBER = r"(\d{1,3}(?:[.,]\d{1,2})?)(?: %)?"
_TYPED = re.compile(
    rf"(?:add )?(?:a )?(?:(soft|hard|strong|pale) )?(?:drop )?shadow(?: of)?(?: {_NUMBER})?(?: on (?:a )?{GROUND})?"
)
_MEANT = {
    "soft": {"softness_percent": 5.0},
    "hard": {"softness_percent": 0.0},
    "strong": {"strength": 80.0},
    "pale": {"strength": 25.0},
}
_SIDES = (
    "straight up",
    "to the upper right",
    "to the right",
    "to the lower right",
    "straight down",
    "to the lower left",
    "to the left",
    "to the upper left",
)
Percent = Annotated[float, Field(allow_inf_nan=False)]


class Shadow(FinishStep):
    """A shadow beside and below the picture, which gives way for it."""

    kind: Literal["shadow"] = "shadow"
    seat: ClassVar[Seat] = Seat.CAST
    direction_degrees: Percent = Field(
        150.0, ge=0, le=360, title="Falls, °", description="Like the hand of a clock: 90 to the right, 180 down."
    )
    distance_percent: Percent = Field(
        1.5, ge=0, le=10, title="Distance, %", description="Of the shorter side of what comes out."
    )
    softness_percent: Percent = Field(2.5, ge=0, le=10, title="Softness, %", description="0 has a hard edge.")
    strength: Percent = Field(45.0, ge=0, le=100, title="Strength, %")
    colour: HexColour = "#1d2326"
    ground: Ground = Field(CLEAR, title="Lies on")
    varied_field: ClassVar[str | None] = "strength"
    variants: ClassVar[str] = "25; 45; 70"

    def _offset(self, canvas: Size) -> tuple[int, int]:
        away = canvas.shortest * self.distance_percent / 100
        angle = math.radians(self.direction_degrees)
        return round(away * math.sin(angle)), round(-away * math.cos(angle))

    def _sigma(self, canvas: Size) -> float:
        return canvas.shortest * self.softness_percent / 200

    @property
    def lets_through(self) -> bool:
        """Around the picture."""
        return True

    @property
    def ground_below(self) -> Colour | None:
        """What it falls on."""
        return colour_of(self.ground)

    def room(self, canvas: Size) -> Margins:
        """As far as it can be seen on each side."""
        (across, down), reach = self._offset(canvas), math.ceil(_REACH * self._sigma(canvas))
        return Margins(max(0, reach - across), max(0, reach - down), max(0, reach + across), max(0, reach + down))

    def draw(self, canvas: Canvas, assets: Assets) -> Finished:
        """Under all that is there, where the picture and its borders are, moved and softened."""
        pixels, body = with_alpha(canvas.pixels), canvas.body
        across, down = self._offset(canvas.size)
        height, width = pixels.shape[:2]
        moved: Masks = np.zeros((height, width), np.float32)
        box = canvas.inner
        left, top = box.left + across, box.top + down
        from_x, from_y = max(0, -left), max(0, -top)
        columns = min(width - max(left, 0), box.size.width - from_x)
        rows = min(height - max(top, 0), box.size.height - from_y)
        if columns > 0 and rows > 0:
            there = (
                slice(box.top + from_y, box.top + from_y + rows),
                slice(box.left + from_x, box.left + from_x + columns),
            )
            falls = moved[max(top, 0) : max(top, 0) + rows, max(left, 0) : max(left, 0) + columns]
            if body is not None and body.shape[2] == 4:
                falls[:] = body[there][..., 3]
                falls *= np.float32(1 / 255)
            else:
                falls[:] = 1
        colour = colour_of(self.colour) or (0, 0, 0)
        cover = blurred(moved, self._sigma(canvas.size))
        lay_colour_under(pixels, cover, self.strength / 100, *map(float, colour))
        return Finished(pixels)

    def sentence(self) -> Sentence:
        """For example: A shadow to the lower right, 45 % strong."""
        side = _SIDES[round(self.direction_degrees / 45) % 8] if self.distance_percent else "on all sides"
        below = () if self.ground == CLEAR else (Words(", on "), Value("ground", ground_words(self.ground)))
        return (
            Words("A shadow falls "),
            Value("direction_degrees", side),
            Words(", "),
            Value("softness_percent", f"{format_number(self.softness_percent)} % soft"),
            Words(", "),
            Value("strength", f"{format_number(self.strength)} % strong"),
            *below,
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """To the lower right; and all around."""
        return (
            Offer(
                ("shadow", "drop shadow"),
                "Lets the picture cast a soft shadow; it gives way, so that the size stays exact.",
                cls(),
                also="add shadow, add a shadow, cast a shadow, soft shadow",
            ),
            Offer(
                ("shadow all around",),
                "A soft shadow on all sides, as if the picture floated.",
                cls(distance_percent=0.0, softness_percent=4.0),
                also="glow, halo, floating",
            ),
        )

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `shadow`, `soft shadow 60 %` and `shadow on white`; a number is its strength."""
        match = _TYPED.fullmatch(text)
        if match is None or not any(match.groups()):
            return None
        given: dict[str, object] = {**(_MEANT[match[1]] if match[1] else {})}
        if match[2]:
            given["strength"] = float(parse_decimal(match[2]))
        if match[3]:
            given["ground"] = read_ground(match[3])
        return cls.model_validate(given)
