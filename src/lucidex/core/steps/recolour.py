"""The whole picture in one colour, from black over it to white."""

import re
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.luma import BT709_LUMA
from lucidex.core.picture.grounds import GROUND, HexColour, colour_of, ground_words, read_ground
from lucidex.core.picture.tone.amounts import Curves, Grey, Tone
from lucidex.core.steps.bands import ToneStep
from lucidex.core.steps.base import Heading, Offer, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

_TYPED = re.compile(
    rf"(?:recolou?r|recolou?red|all|tinted|toned|monochrome)(?: in| to)? {GROUND}"
    r"(?:(?: ,)? (\d{1,3}(?:[.,]\d{1,2})?)(?: %)?)?"
)
_EDGE = 0.06  # the colour's own seat is held away from black and white


class Recolour(ToneStep):
    """Everything in the light and dark of one colour; that colour itself stays where it is as light."""

    kind: Literal["recolour"] = "recolour"
    heading: ClassVar[Heading | None] = Heading.COLOUR
    colour: HexColour = "#0f6a58"
    strength: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = Field(
        100.0, title="Strength, %", description="Less leaves some of the picture's own colours."
    )
    varied_field: ClassVar[str | None] = "strength"
    variants: ClassVar[str] = "40; 70; 100"

    def tone(self) -> Tone:
        """Grey, and a curve for each channel through black, the colour and white."""
        share = self.strength / 100
        if not share:
            return Tone()
        colour = [value / 255 for value in colour_of(self.colour) or (0, 0, 0)]
        seat = min(max(sum(w * c for w, c in zip(BT709_LUMA, colour, strict=True)), _EDGE), 1 - _EDGE)
        red, green, blue = (((0.0, 0.0), (seat, value), (1.0, 1.0)) for value in colour)
        return Tone(grey=Grey(BT709_LUMA, share), curves=(Curves(red=red, green=green, blue=blue).towards(share),))

    def sentence(self) -> Sentence:
        """For example: Recoloured in teal."""
        strong = Value("strength", f"{format_number(self.strength)} %")
        weaker = (Words(", "), strong, Words(" strong")) if self.strength < 100 else ()
        return Words("Recoloured in "), Value("colour", ground_words(self.colour)), *weaker, Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Five colours, one tap each."""
        said = "Shows everything in the light and dark of one colour."
        colours = {"green": "#0f6a58", "blue": "#1f5f9e", "brown": "#7a5230", "plum": "#6d3a63", "red": "#a33b2a"}
        return tuple(
            Offer(
                (f"recoloured in {name}",),
                said,
                cls(colour=colour),
                also=f"recolour {name}, all in {name}, {name} tone",
            )
            for name, colour in colours.items()
        )

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `recolour navy` and `recolour #0f6a58 60 %`."""
        match = _TYPED.fullmatch(text)
        colour = read_ground(match[1]) if match else None
        if match is None or colour is None or not colour.startswith("#"):
            return None
        return cls.model_validate(
            {"colour": colour, **({"strength": float(parse_decimal(match[2]))} if match[2] else {})}
        )
