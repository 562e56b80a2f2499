"""Colour: white balance, saturation, black and white, and balance by tones.

All of them fold into one development (`core.picture.tone.development`).
"""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from lucidex.core.picture.raster import Raster
from lucidex.core.picture.tone.amounts import Grey, Shift, Tone
from lucidex.core.picture.tone.cast import found_cast
from lucidex.core.picture.tone.development import balance_for_grey, to_linear
from lucidex.core.steps.bands import FindingStep, ToneStep
from lucidex.core.steps.base import Heading, Offer, Sentence, Value, Words
from lucidex.core.steps.tone import Percent, opaque, signed
from lucidex.core.units import format_number

Weight = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]


class Balance(ToneStep, FindingStep):
    """White balance: warmer or cooler, more magenta or more green; greys keep their luminance."""

    kind: Literal["balance"] = "balance"
    heading: ClassVar[Heading | None] = Heading.COLOUR
    warmth: Percent = Field(0.0, description="From the blue of shade to the yellow of lamps.")
    tint: Percent = Field(0.0, description="From green to magenta.")
    automatic: bool = False
    finds: ClassVar[frozenset[str]] = frozenset({"warmth", "tint"})
    by_hand: ClassVar[dict[str, object]] = {"automatic": False}
    amounts: ClassVar[dict[str, str]] = {
        **dict.fromkeys(("warmth", "warmer", "warm", "temperature", "colour temperature"), "warmth"),
        **dict.fromkeys(("cooler", "colder", "cool"), "-warmth"),
        **dict.fromkeys(("tint", "less green", "more magenta"), "tint"),
    }
    varied_field: ClassVar[str | None] = "warmth"
    variants: ClassVar[str] = "-30; -15; 15; 30"

    def tone(self) -> Tone:
        """Warmth and tint."""
        return Tone(warmth=self.warmth / 100, tint=self.tint / 100)

    def found_on(self, raster: Raster) -> Self:
        """Where it is automatic: against a cast on which the whole picture agrees; nothing where it does not."""
        if not self.automatic:
            return self
        warmth, tint = found_cast(opaque(raster))
        return self.model_copy(update={"warmth": float(round(100 * warmth)), "tint": float(round(100 * tint))})

    def making_grey(self, colour: tuple[float, float, float], others_warmth: float, others_tint: float) -> Self:
        """The balance that makes a colour grey: sRGB, 0 to 255, as it is before all tone.

        `others_warmth` and `others_tint`, −1 to 1, are what other balances of the list do already.
        """
        warmth, tint = balance_for_grey(to_linear(np.array(colour) / 255))
        mine = (float(np.clip(amount, -1, 1)) for amount in (warmth - others_warmth, tint - others_tint))
        found = dict(zip(("warmth", "tint"), (round(100 * amount, 1) for amount in mine), strict=True))
        return self.model_copy(update={**found, "automatic": False})

    def sentence(self) -> Sentence:
        """For example: White balance: warmth +12, tint -4."""
        return (
            Words("White balance: warmth "),
            Value("warmth", signed(self.warmth)),
            Words(", tint "),
            Value("tint", signed(self.tint)),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Warmer, cooler, and against green or magenta."""
        return (
            Offer(
                ("white balance by itself", "auto white balance"),
                "Takes away a cast that lies over the whole picture; leaves others alone.",
                cls(automatic=True),
                Heading.BY_ITSELF,
                also="fix white balance, correct white balance, auto balance, auto colour, auto colours, colour by "
                "itself, fix colour, fix colours, colour cast, "
                "remove colour cast, remove cast, awb, auto wb, correct colours",
            ),
            Offer(
                ("click on grey", "grey"),
                "Choose something that should be grey, and the cast goes.",
                cls(),
                also="grey point, pick grey, neutral grey, neutral point",
            ),
            Offer(
                ("warmer",),
                "More like evening sun.",
                cls(warmth=20),
                also="more warmth, warmer tones, less cold, less cool, less blue, warm, too cold, too blue, too "
                "cool, wb, "
                "warm up",
            ),
            Offer(
                ("cooler", "colder"),
                "More like shade at noon.",
                cls(warmth=-20),
                also="less warmth, cooler tones, less warm, less yellow, cool, cold, too warm, too yellow, too "
                "orange, cool down",
            ),
            Offer(
                ("less green", "more magenta"),
                "Against the green of tube lamps and leaves.",
                cls(tint=20),
                also="too green, tint",
            ),
            Offer(
                ("less magenta", "less pink", "more green"),
                "Against the pink of plant lamps.",
                cls(tint=-20),
                also="too pink, too magenta",
            ),
        )


class Saturation(ToneStep):
    """Stronger or weaker colours; −100 leaves greys."""

    kind: Literal["saturation"] = "saturation"
    heading: ClassVar[Heading | None] = Heading.COLOUR
    saturation: Percent = Field(0.0, description="All colours alike; at the lowest, greys remain.")
    vibrance: Percent = Field(0.0, title="Gently", description="Pale colours most; strong ones and skin are spared.")
    amounts: ClassVar[dict[str, str]] = {
        **dict.fromkeys(("saturation", "saturate", "stronger colours"), "saturation"),
        **dict.fromkeys(("desaturate", "weaker colours"), "-saturation"),
        **dict.fromkeys(("gentle saturation", "vibrance", "vivid"), "vibrance"),
    }
    varied_field: ClassVar[str | None] = "saturation"
    variants: ClassVar[str] = "-40; -20; 20; 40"

    def tone(self) -> Tone:
        """A mixture with grey, the same for all and by the colour's own strength."""
        return Tone(saturation=self.saturation / 100, vividness=self.vibrance / 100)

    def amounts_with(self, other: Self) -> dict[str, float]:
        """What is left of the colours is multiplied."""
        left = (1 + self.saturation / 100) * (1 + other.saturation / 100)
        return super().amounts_with(other) | {"saturation": round(100 * (left - 1), 3)}

    def sentence(self) -> Sentence:
        """For example: Saturation +10, gently +20."""
        return (
            Words("Saturation "),
            Value("saturation", signed(self.saturation)),
            Words(", gently "),
            Value("vibrance", signed(self.vibrance)),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Stronger and weaker."""
        return (
            Offer(
                ("stronger colours", "saturation"),
                "Makes all colours stronger.",
                cls(saturation=20),
                also="more saturated, more colours, saturation up, more saturation, saturate, increase saturation, "
                "more colour, more colourful, "
                "colourful, richer colours, more intense colours, boost colours",
            ),
            Offer(
                ("gently stronger colours", "gentle saturation"),
                "Makes pale colours stronger; spares strong ones and skin.",
                cls(vibrance=35),
                also="pop, make pop, colours pop, make colours pop, more pop, vivid, more vivid, vibrant, more "
                "vibrant, vibrance, more vibrance, livelier, lively, brighter colours, "
                "vivid colours, fresher, fresh colours",
            ),
            Offer(
                ("weaker colours", "paler"),
                "Makes all colours weaker.",
                cls(saturation=-20),
                also="less saturated, fewer colours, saturation down, less saturation, desaturate, reduce "
                "saturation, decrease saturation, lower "
                "saturation, muted, muted colours, less colour, pale, faded, too colourful, "
                "oversaturated",
            ),
        )


class BlackAndWhite(ToneStep):
    """Black and white; how light each colour becomes is chosen by three weights."""

    kind: Literal["black_and_white"] = "black_and_white"
    heading: ClassVar[Heading | None] = Heading.COLOUR
    red: Weight = Field(30.0, description="How light reds become.")
    green: Weight = Field(59.0, description="How light greens become.")
    blue: Weight = Field(11.0, description="How light blues become.")

    def tone(self) -> Tone:
        """The same mixture for all channels; all weights zero count as equal ones."""
        weights = (self.red, self.green, self.blue) if self.red + self.green + self.blue > 0 else (1.0, 1.0, 1.0)
        return Tone(grey=Grey(weights))

    def sentence(self) -> Sentence:
        """For example: Black and white, from 30 red, 59 green, 11 blue."""
        parts: list[Words | Value] = [Words("Black and white, from ")]
        for name in ("red", "green", "blue"):
            parts += [
                Value(name, format_number(getattr(self, name))),
                Words(f" {name}, " if name != "blue" else " blue."),
            ]
        return tuple(parts)

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """As the eye weighs, and with dark skies."""
        return (
            Offer(
                ("black and white", "b/w"),
                "Takes the colours away; how light each becomes is chosen.",
                cls(),
                also="turn black and white, turn bw, turn grey, b and w, b w, bw, b&w, black white, greyscale, grey "
                "scale, grayscale, monochrome, mono, no "
                "colour, "
                "no colours, without colour, without colours, remove colour, remove colours, to black "
                "and white, colourless, make grey, to grey, in grey, in black and white, in bw, black and white "
                "photo",
            ),
            Offer(
                ("black and white, dark sky",),
                "Black and white with a dark sky and light skin.",
                cls(red=80, green=20, blue=0),
            ),
        )


class BalanceByTone(ToneStep):
    """Colour added in the dark, the middle and the light tones; the luma stays."""

    kind: Literal["balance_by_tone"] = "balance_by_tone"
    heading: ClassVar[Heading | None] = Heading.COLOUR
    dark_warmth: Percent = 0.0
    dark_tint: Percent = 0.0
    middle_warmth: Percent = 0.0
    middle_tint: Percent = 0.0
    light_warmth: Percent = 0.0
    light_tint: Percent = 0.0

    def tone(self) -> Tone:
        """Three shifts."""
        return Tone(
            dark=Shift(self.dark_warmth / 100, self.dark_tint / 100),
            middle=Shift(self.middle_warmth / 100, self.middle_tint / 100),
            light=Shift(self.light_warmth / 100, self.light_tint / 100),
        )

    def sentence(self) -> Sentence:
        """For example: Dark tones cooler by 20, light tones warmer by 10 and more magenta by 5."""
        parts: list[Words | Value] = []
        for zone in ("dark", "middle", "light"):
            message = [
                f"{words[amount > 0]} by {format_number(abs(amount))}"
                for name, words in (("warmth", ("cooler", "warmer")), ("tint", ("greener", "more magenta")))
                if (amount := getattr(self, f"{zone}_{name}"))
            ]
            if message:
                start = f"{zone} tones " if parts else f"{zone.capitalize()} tones "
                parts += [Words(", " if parts else ""), Words(start), Value(f"{zone}_warmth", " and ".join(message))]
        if not parts:
            return Words("Balance of "), Value("dark_warmth", "dark, middle and light tones"), Words(" as it was.")
        return (*parts, Words("."))

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Empty to begin with, and the usual pair of cool shade and warm light."""
        return (
            Offer(
                ("balance by tones", "colour balance"),
                "Adds colour to dark, middle and light tones separately; the lightness stays.",
                cls(),
            ),
            Offer(
                ("warm light, cool shade",),
                "Warms the light tones and cools the dark ones.",
                cls(dark_warmth=-25, light_warmth=25),
            ),
        )
