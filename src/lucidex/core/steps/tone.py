"""Light and range: exposure, brightness and contrast, black and white point, highlights and shadows.

All of them fold into one development (`picture.tone.development`, where the inner order and the formulas are written
down). The automatic ones look at the picture once and keep visible values, which can be carried on by hand.
"""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
import numpy.typing as npt
from pydantic import Field

from lucidex.core.luma import BT709_LUMA
from lucidex.core.picture.raster import Raster
from lucidex.core.picture.tone.amounts import Tone
from lucidex.core.picture.tone.development import brightness_for
from lucidex.core.picture.tone.page import page_level
from lucidex.core.steps.bands import FindingStep, ToneStep
from lucidex.core.steps.base import Heading, Offer, Sentence, Value, Words
from lucidex.core.units import format_number

Percent = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)]

DARK_BELOW = 0.32  # of the gamma range: a lighter median is left alone
UNLIT_BELOW, LIT_FROM = 0.70, 0.85  # where the lightest reach so far, a dark picture is meant: lamps, a dark ground
BURNT_FROM, BURNT_BY = 0.23, 0.33  # of the pixels: more have one channel at its end where too much light fell
BURNT, GAMMA = 254, 2.2
STOPS_TOO_MUCH = 1.7  # where half of the pixels are burnt
MAX_BRIGHTNESS = 90.0  # percent: how far the automatic goes
ENDS = (0.1, 0.5, 2.0), (99.9, 99.5, 98.0)  # percentiles; the middle ones become black and white
NEARLY_BLACK, HAZE = 9.0, 16.0  # percent that black lacks: below the first nothing is done, at the second all
SOFT, FLAT = 31.0, 44.0  # percent that both lack: a picture may be meant to be soft
DIM, UNLIT = 25.0, 38.0  # the same of white: many a right picture has none
ABRUPT, GRADUAL = 0.10, 0.22  # how a range ends: at black that was lifted, or because nothing dark is there
GRADUAL_WHITE = 0.16, 0.30  # the same of white, which ends in few and small lights
STRETCH_SHARE = 0.97  # of what is lacking
MAX_STRETCH = 60.0
PAGE_BECOMES = 0.98  # of the range: the ground of a page, when its range is found


class Exposure(ToneStep):
    """Lighter or darker as by the camera's own exposure, in stops of linear light."""

    kind: Literal["exposure"] = "exposure"
    stops: Annotated[float, Field(ge=-4, le=4, allow_inf_nan=False)] = Field(
        0.0, description="One stop is twice, or half, the light; the brightest parts may turn white."
    )
    amounts: ClassVar[dict[str, str]] = {
        **dict.fromkeys(
            ("exposure", "stops brighter", "stop brighter", "stops", "stop", "ev", "stops exposure"), "stops"
        ),
        **dict.fromkeys(("stops darker", "stop darker"), "-stops"),
    }
    varied_field: ClassVar[str | None] = "stops"
    variants: ClassVar[str] = "-1; -0,5; 0,5; 1"

    def tone(self) -> Tone:
        """Stops of exposure."""
        return Tone(exposure=self.stops)

    def sentence(self) -> Sentence:
        """For example: Exposed by 0.5 stops more."""
        return Words("Exposure changed by "), Value("stops", f"{signed(self.stops)} stops"), Words(".")

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `exposure +1`, `exposure +1 stop` and `1 stop brighter`."""
        words = text.split()
        return super().read(
            " ".join(words[:-1]) if words[0] == "exposure" and words[-1] in {"stop", "stops", "ev"} else text
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Half a stop lighter to begin with."""
        return (
            Offer(
                ("exposure",),
                "Lets more or less light in, as the camera would have.",
                cls(stops=0.5),
                also="light of the camera",
            ),
        )


class Light(ToneStep, FindingStep):
    """Brightness (black and white stay) and contrast (black, middle and white stay)."""

    kind: Literal["light"] = "light"
    brightness: Percent = Field(0.0, description="Lightens or darkens the middle tones; black and white stay.")
    contrast: Percent = Field(0.0, description="Moves dark and light apart, or together, about the middle.")
    automatic: bool = False
    finds: ClassVar[frozenset[str]] = frozenset({"brightness"})
    by_hand: ClassVar[dict[str, object]] = {"automatic": False}
    amounts: ClassVar[dict[str, str]] = {
        **dict.fromkeys(("brightness", "brighten", "brighter", "lighten", "lighter"), "brightness"),
        **dict.fromkeys(("more brightness"), "brightness"),
        **dict.fromkeys(("darken", "darker", "less brightness", "reduce brightness", "dim"), "-brightness"),
        **dict.fromkeys(("contrast", "more contrast"), "contrast"),
        **dict.fromkeys(("less contrast", "reduce contrast", "lower contrast", "decrease contrast"), "-contrast"),
    }
    varied_field: ClassVar[str | None] = "brightness"
    variants: ClassVar[str] = "-30; -15; 15; 30"

    def tone(self) -> Tone:
        """Brightness and contrast."""
        return Tone(brightness=self.brightness / 100, contrast=self.contrast / 100)

    def found_on(self, raster: Raster) -> Self:
        """Where it is automatic: the brightness that brings the median into the comfortable range."""
        if not self.automatic:
            return self
        return self.model_copy(update={"brightness": _brightness_found(opaque(raster))})

    def sentence(self) -> Sentence:
        """For example: Brightness +20, contrast +10."""
        return (
            Words("Brightness "),
            Value("brightness", signed(self.brightness)),
            Words(", contrast "),
            Value("contrast", signed(self.contrast)),
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
                Heading.BY_ITSELF,
                also="auto, automatic, by itself, enhance, improve, better, auto "
                "fix, auto tone, auto contrast, auto brightness, auto exposure, fix light, correct "
                "light, fix exposure, make better, automatic correction, auto "
                "adjust, make it look good, look good, look better, make it look better, make it nice, make it "
                "nicer, nicer, beautify, make it pretty, fix it, fix the picture, improve it, improve the picture, "
                "make it good, do your best",
            ),
            Offer(
                ("lighter", "brighter", "brightness"),
                "Lightens the middle tones; black and white stay.",
                cls(brightness=20),
                also="brightness up, brighten, lighten, too dark, more light, more brightness, increase brightness, "
                "raise "
                "brightness, brighten up, lighten up, underexposed",
            ),
            Offer(
                ("darker",),
                "Darkens the middle tones; black and white stay.",
                cls(brightness=-20),
                also="brightness down, darken, too bright, too light, less light, less bright, less brightness, "
                "reduce "
                "brightness, lower brightness, decrease brightness, dim, overexposed",
            ),
            Offer(
                ("more contrast", "contrast"),
                "Makes dark darker and light lighter about the middle.",
                cls(contrast=20),
                also="contrast up, increase contrast, raise contrast, flat, too flat, dull, too dull, add contrast, "
                "higher contrast",
            ),
            Offer(
                ("less contrast", "softer contrast"),
                "Brings dark and light closer together.",
                cls(contrast=-20),
                also="contrast down, reduce contrast, lower contrast, decrease contrast, too harsh, harsh, too much "
                "contrast",
            ),
        )


class Range(ToneStep, FindingStep):
    """Where black begins and where white begins."""

    kind: Literal["range"] = "range"
    black_percent: Share = Field(0.0, title="Black point", description="Tones below this become black.")
    white_percent: Share = Field(0.0, title="White point", description="Tones this close to the top become white.")
    automatic: bool = False
    finds: ClassVar[frozenset[str]] = frozenset({"black_percent", "white_percent"})
    by_hand: ClassVar[dict[str, object]] = {"automatic": False}
    amounts: ClassVar[dict[str, str]] = {
        **dict.fromkeys(("black point", "blacks"), "black_percent"),
        **dict.fromkeys(("white point", "whites"), "white_percent"),
    }

    def tone(self) -> Tone:
        """The black and the white point."""
        return Tone(black=self.black_percent / 100, white=self.white_percent / 100)

    def found_on(self, raster: Raster) -> Self:
        """Where it is automatic: the ends of what the picture uses, in any channel; a page's ground becomes white."""
        if not self.automatic:
            return self
        seen = opaque(raster)
        black, white = _stretches(seen)
        if (level := page_level(seen)) is not None:
            white = round(float(np.clip(100 - 100 * level / PAGE_BECOMES, 0, MAX_STRETCH)), 1)
            black = black if white else 0.0  # a clean drawing is meant as it is
        return self.model_copy(update={"black_percent": black, "white_percent": white})

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
        message = "Lets a flat picture use the whole range from black to white; leaves others alone."
        return (
            Offer(
                ("range by itself", "auto range"),
                message,
                cls(automatic=True),
                Heading.BY_ITSELF,
                also="auto levels, stretch contrast, full range, stretch tones",
            ),
            Offer(
                ("black and white points", "range of tones"),
                "Sets where black and where white begin.",
                cls(),
                also="black point, white point, black point and white point",
            ),
        )


class ShadowsHighlights(ToneStep):
    """Highlights and shadows: the two ends of the luminance, hue and strength of colours kept."""

    kind: Literal["shadows_highlights"] = "shadows_highlights"
    shadows: Percent = Field(0.0, description="Above nothing lightens what lies in shade; black stays.")
    highlights: Percent = Field(0.0, description="Below nothing brings back drawing in bright parts; white stays.")
    amounts: ClassVar[dict[str, str]] = {
        **dict.fromkeys(("shadows", "shadow", "lighten shadows", "lift shadows"), "shadows"),
        **dict.fromkeys(("highlights", "highlight"), "highlights"),
        **dict.fromkeys(("reduce highlights", "lower highlights"), "-highlights"),
    }
    varied_field: ClassVar[str | None] = "shadows"
    variants: ClassVar[str] = "-30; 20; 40; 70"

    def tone(self) -> Tone:
        """Shadows and highlights."""
        return Tone(shadows=self.shadows / 100, highlights=self.highlights / 100)

    def sentence(self) -> Sentence:
        """For example: Shadows +30, highlights -20."""
        return (
            Words("Shadows "),
            Value("shadows", signed(self.shadows)),
            Words(", highlights "),
            Value("highlights", signed(self.highlights)),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Either end alone, and both."""
        return (
            Offer(
                ("lighter shadows", "shadows"),
                "Lightens what lies in shade; black stays black.",
                cls(shadows=35),
                also="shadows up, lift shadows, lighten shadows, brighten shadows, open shadows, open up shadows, "
                "shadows up, backlight, back light, backlit, against the light, shadows too dark, "
                "more shadow detail",
            ),
            Offer(
                ("calmer highlights", "highlights", "sky"),
                "Brings back drawing in bright parts, such as a pale sky.",
                cls(highlights=-40),
                also="recover sky, darken sky, highlights down, recover highlights, reduce highlights, lower "
                "highlights, darken highlights, "
                "highlights down, blown out, burnt out, sky too bright, highlights too bright",
            ),
        )


def _stretches(seen: npt.NDArray[np.uint8]) -> tuple[float, float]:
    """How much of black and white is taken, in percent: as far as it is sure that they are lacking.

    What hazed or faded lost its black, which ends abruptly and not as what shows nothing dark. White lacks with it;
    alone it is missed only where it is far off.
    """
    low = np.percentile(seen.min(axis=-1), ENDS[0]) * 100 / 255
    high = 100 - np.percentile(seen.max(axis=-1), ENDS[1]) * 100 / 255
    span = max(100 - high[1] - low[1], 1.0)
    hazed = min(_rising(low[1], NEARLY_BLACK, HAZE), _rising(low[1] + high[1], SOFT, FLAT)) * (
        1 - _rising((low[2] - low[0]) / span, ABRUPT, GRADUAL)
    )
    unlit = _rising(high[1], DIM, UNLIT) * (1 - _rising((high[2] - high[0]) / span, *GRADUAL_WHITE))
    black, white = hazed * low[1], max(hazed, unlit) * high[1]
    return tuple(round(float(min(STRETCH_SHARE * end, MAX_STRETCH)), 1) for end in (black, white))  # type: ignore[return-value]


def _rising(value: float, none: float, whole: float) -> float:
    return float(np.clip((value - none) / (whole - none), 0, 1))


def _brightness_found(seen: npt.NDArray[np.uint8]) -> float:
    """In percent; nothing where the picture is not clearly too dark or burnt, and on pages."""
    median = float(np.median(seen @ np.array(BT709_LUMA) / 255))
    lightest = float(np.percentile(seen.max(axis=-1), 99.5) / 255)
    if 0 < median < DARK_BELOW:
        return _brightness_between(median, DARK_BELOW, 1 - _rising(lightest, UNLIT_BELOW, LIT_FROM))
    burnt, white = (seen.max(axis=-1) >= BURNT), (seen.min(axis=-1) >= BURNT)
    share = float((burnt & ~white).mean())
    share += min(share, float(white.mean())) / 2
    sure = _rising(share, BURNT_FROM, BURNT_BY)
    if sure and median < 1 and page_level(seen) is None:
        return _brightness_between(median, median * 2 ** (-STOPS_TOO_MUCH * min(2 * share, 1) / GAMMA), sure)
    return 0.0


def _brightness_between(median: float, aim: float, share: float) -> float:
    """The percentage that takes a median to an aim, or a share of the way there."""
    percent = 100 * share * (brightness_for(float(median)) - brightness_for(aim))
    return round(float(np.clip(percent, -MAX_BRIGHTNESS, MAX_BRIGHTNESS)), 1)


def signed(value: float) -> str:
    """A number with its sign."""
    return ("+" if value > 0 else "") + format_number(value)


def opaque(raster: Raster) -> npt.NDArray[np.uint8]:
    """What can be seen of a raster, as n × 1 × 3 bytes; all of it where everything is clear."""
    pixels = raster.pixels
    if pixels.shape[2] == 4 and (seen := pixels[..., 3] > 127).any():
        return pixels[seen][:, None, :3]
    return pixels[..., :3]
