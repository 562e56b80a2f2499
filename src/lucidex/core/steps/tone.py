"""Tone and colour: exposure, light, range, white balance, saturation, black and white.

All of them fold into one development (`core.development`, where the inner order and the formulas are written down).
The automatic ones look at the picture once and keep visible values, which can be carried on by hand.
"""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
import numpy.typing as npt
from pydantic import Field

from lucidex.core.content import Raster
from lucidex.core.development import LUMINANCE, Tone
from lucidex.core.steps.base import Band, FindingStep, Group, Offer, Sentence, Step, Value, Words
from lucidex.core.units import format_number

Percent = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)]
Weight = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]

COMFORTABLE = 0.30, 0.62  # of the gamma range: a median between these is left alone
MOST_LIFT = 60.0  # percent: how far the automatic goes
USUAL_ENDS = 0.5, 99.5  # percentiles that become black and white
NEARLY_RIGHT, FLAT = 6.0, 30.0  # percent that a range lacks: below the first nothing is done, at the second most
STRETCH_SHARE = 0.65  # of what is lacking: a picture may be meant to be soft
MOST_STRETCH = 40.0


class ToneStep(Step):
    """A step that changes tone or colour point by point."""

    band: ClassVar[Band] = Band.PICTURE
    group: ClassVar[Group] = Group.TONE

    def tone(self) -> Tone:
        """What it adds to the development."""
        raise NotImplementedError


class Exposure(ToneStep):
    """Lighter or darker as by the camera's own exposure, in stops of linear light."""

    kind: Literal["exposure"] = "exposure"
    stops: Annotated[float, Field(ge=-4, le=4, allow_inf_nan=False)] = 0.0
    varied_field: ClassVar[str | None] = "stops"
    variants: ClassVar[str] = "-1; -0,5; 0,5; 1"

    def tone(self) -> Tone:
        """Stops of exposure."""
        return Tone(exposure=self.stops)

    def sentence(self) -> Sentence:
        """For example: Exposed by 0.5 stops more."""
        return Words("Exposure changed by "), Value("stops", f"{_signed(self.stops)} stops"), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Half a stop lighter to begin with."""
        return (Offer(("exposure",), "Lets more or less light in, as the camera would have.", cls(stops=0.5)),)


class Light(ToneStep, FindingStep):
    """Brightness (black and white stay) and contrast (black, middle and white stay)."""

    kind: Literal["light"] = "light"
    brightness: Percent = 0.0
    contrast: Percent = 0.0
    automatic: bool = False
    by_hand: ClassVar[dict[str, object]] = {"automatic": False}
    varied_field: ClassVar[str | None] = "brightness"
    variants: ClassVar[str] = "-30; -15; 15; 30"

    def tone(self) -> Tone:
        """Brightness and contrast."""
        return Tone(brightness=self.brightness / 100, contrast=self.contrast / 100)

    def found_on(self, raster: Raster) -> Self:
        """Where it is automatic: the brightness that brings the median into the comfortable range."""
        if not self.automatic:
            return self
        median = float(np.median(_greys(raster)))
        aim = min(max(median, COMFORTABLE[0]), COMFORTABLE[1])
        if aim == median or not 0 < median < 1:
            return self.model_copy(update={"brightness": 0.0})
        power = np.log(aim) / np.log(median)
        lift = -100 * np.log(power) / np.log(2.5)
        return self.model_copy(update={"brightness": round(float(np.clip(lift, -MOST_LIFT, MOST_LIFT)), 1)})

    def sentence(self) -> Sentence:
        """For example: Brightness +20, contrast +10."""
        return (
            Words("Brightness "),
            Value("brightness", _signed(self.brightness)),
            Words(", contrast "),
            Value("contrast", _signed(self.contrast)),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Lighter, darker, more contrast, and by itself."""
        return (
            Offer(
                ("light by itself", "auto light"),
                "Brings a picture that is too dark or too light into a comfortable range; leaves others alone.",
                cls(automatic=True),
            ),
            Offer(
                ("lighter", "brighter", "brightness"),
                "Lightens the middle tones; black and white stay.",
                cls(brightness=20),
            ),
            Offer(("darker",), "Darkens the middle tones; black and white stay.", cls(brightness=-20)),
            Offer(
                ("more contrast", "contrast"),
                "Makes dark darker and light lighter about the middle.",
                cls(contrast=20),
            ),
            Offer(("less contrast", "softer contrast"), "Brings dark and light closer together.", cls(contrast=-20)),
        )


class Range(ToneStep, FindingStep):
    """Where black begins and where white begins."""

    kind: Literal["range"] = "range"
    black_percent: Share = 0.0
    white_percent: Share = 0.0
    automatic: bool = False
    by_hand: ClassVar[dict[str, object]] = {"automatic": False}

    def tone(self) -> Tone:
        """The black and the white point."""
        return Tone(black=self.black_percent / 100, white=self.white_percent / 100)

    def found_on(self, raster: Raster) -> Self:
        """Where it is automatic: the ends of what the picture uses, in any channel."""
        if not self.automatic:
            return self
        seen = _opaque(raster)
        low = 100 * float(np.percentile(seen.min(axis=-1), USUAL_ENDS[0])) / 255
        high = 100 - 100 * float(np.percentile(seen.max(axis=-1), USUAL_ENDS[1])) / 255
        ends = [_stretch(lacking) for lacking in (low, high)]
        return self.model_copy(update={"black_percent": ends[0], "white_percent": ends[1]})

    def sentence(self) -> Sentence:
        """For example: Black from 4 %, white from 6 % below the top."""
        return (
            Words("Black begins "),
            Value("black_percent", f"{format_number(self.black_percent, 1)} %"),
            Words(" above the bottom, white "),
            Value("white_percent", f"{format_number(self.white_percent, 1)} %"),
            Words(" below the top."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """By itself, and by hand."""
        said = "Lets a flat picture use the whole range from black to white; leaves others alone."
        return (
            Offer(("range by itself", "auto range"), said, cls(automatic=True)),
            Offer(("black and white points", "range of tones"), "Sets where black and where white begin.", cls()),
        )


class Balance(ToneStep):
    """White balance: warmer or cooler, more magenta or more green; greys keep their luminance."""

    kind: Literal["balance"] = "balance"
    warmth: Percent = 0.0
    tint: Percent = 0.0
    varied_field: ClassVar[str | None] = "warmth"
    variants: ClassVar[str] = "-30; -15; 15; 30"

    def tone(self) -> Tone:
        """Warmth and tint."""
        return Tone(warmth=self.warmth / 100, tint=self.tint / 100)

    def sentence(self) -> Sentence:
        """For example: White balance: warmth +12, tint -4."""
        return (
            Words("White balance: warmth "),
            Value("warmth", _signed(self.warmth)),
            Words(", tint "),
            Value("tint", _signed(self.tint)),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Warmer, cooler, and against green or magenta."""
        return (
            Offer(("warmer", "white balance"), "More like evening sun.", cls(warmth=20)),
            Offer(("cooler", "colder"), "More like shade at noon.", cls(warmth=-20)),
            Offer(("less green", "more magenta"), "Against the green of tube lamps and leaves.", cls(tint=20)),
            Offer(("less magenta", "less pink", "more green"), "Against the pink of plant lamps.", cls(tint=-20)),
        )


class Saturation(ToneStep):
    """Stronger or weaker colours; −100 leaves greys."""

    kind: Literal["saturation"] = "saturation"
    saturation: Percent = 0.0
    varied_field: ClassVar[str | None] = "saturation"
    variants: ClassVar[str] = "-40; -20; 20; 40"

    def tone(self) -> Tone:
        """A mixture with grey."""
        return Tone(saturation=self.saturation / 100)

    def sentence(self) -> Sentence:
        """For example: Colours stronger by 20."""
        return Words("Saturation "), Value("saturation", _signed(self.saturation)), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Stronger and weaker."""
        return (
            Offer(("stronger colours", "saturation"), "Makes all colours stronger.", cls(saturation=20)),
            Offer(("weaker colours", "paler"), "Makes all colours weaker.", cls(saturation=-20)),
        )


class BlackAndWhite(ToneStep):
    """Black and white; how light each colour becomes is chosen by three weights."""

    kind: Literal["black_and_white"] = "black_and_white"
    red: Weight = 30.0
    green: Weight = 59.0
    blue: Weight = 11.0

    def tone(self) -> Tone:
        """The same mixture for all channels; all weights zero count as equal ones."""
        weights = (self.red, self.green, self.blue) if self.red + self.green + self.blue > 0 else (1.0, 1.0, 1.0)
        return Tone(grey_mix=weights)

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
            Offer(("black and white", "b/w"), "Takes the colours away; how light each becomes is chosen.", cls()),
            Offer(
                ("black and white, dark sky",),
                "Black and white with a dark sky and light skin.",
                cls(red=80, green=20, blue=0),
            ),
        )


def tone_of(steps: tuple[Step, ...]) -> Tone | None:
    """What the tone steps of a list add up to; None where that is nothing."""
    total = Tone()
    for step in steps:
        if isinstance(step, ToneStep):
            total = total.plus(step.tone())
    return None if total.is_neutral else total


def _stretch(lacking: float) -> float:
    """How much of a lacking end is taken: little of little, and never all."""
    eagerness = min(max((lacking - NEARLY_RIGHT) / (FLAT - NEARLY_RIGHT), 0.0), 1.0)
    return round(min(STRETCH_SHARE * eagerness * lacking, MOST_STRETCH), 1)


def _signed(value: float) -> str:
    return ("+" if value > 0 else "") + format_number(value)


def _opaque(raster: Raster) -> npt.NDArray[np.uint8]:
    """What can be seen of a raster, as n × 1 × 3 bytes; all of it where everything is clear."""
    pixels = raster.pixels
    if pixels.shape[2] == 4 and (seen := pixels[..., 3] > 127).any():
        return pixels[seen][:, None, :3]
    return pixels[..., :3]


def _greys(raster: Raster) -> npt.NDArray[np.float64]:
    greys: npt.NDArray[np.float64] = _opaque(raster) @ np.array(LUMINANCE) / 255
    return greys
