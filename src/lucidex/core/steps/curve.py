"""Levels and curves: tones set against the histogram, for all channels, for each, and for the luminance.

Both fold into one development (`picture.tone.development`), in the order of the list. A simple correction that treats
all channels alike can be carried on as either.
"""

import re
from enum import StrEnum
from itertools import pairwise
from typing import Annotated, ClassVar, Literal

import numpy as np
import numpy.typing as npt
from pydantic import FailFast, Field, field_validator, model_validator

from lucidex.core.picture.tone.amounts import Curves, Tone
from lucidex.core.picture.tone.curves import Points, is_straight, through
from lucidex.core.picture.tone.development import brightened, curve, middle_for, to_gamma, to_linear
from lucidex.core.steps.bands import ToneStep
from lucidex.core.steps.base import Asked, Heading, Offer, Sentence, Step, Value, Words
from lucidex.core.steps.tone import signed
from lucidex.core.units import format_number, parse_decimal

Percentage = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
PointList = Annotated[tuple[tuple[Percentage, Percentage], ...], Field(max_length=65), FailFast()]
PairList = tuple[tuple[float, float], ...]
CHANNELS = ("all", "red", "green", "blue", "luminance")
LEVELS_ENTRIES = (1 - np.cos(np.linspace(0, np.pi, 49))) / 2  # close where levels begin and end
KNOTS = (0.0, 0.02, 0.05, *np.round(np.arange(0.1, 0.95, 0.05), 4), 0.95, 0.98, 1.0)

Floats = npt.NDArray[np.float64]

_GAMMA = re.compile(r"gamma(?: of| to| by)? (\d{1,2}(?:[.,]\d{1,3})?)")
LEAST_GAMMA, MOST_GAMMA = 0.2, 5.0


class Channel(StrEnum):
    """Which channel levels are set for."""

    ALL = "all"
    RED = "red"
    GREEN = "green"
    BLUE = "blue"


class Levels(ToneStep):
    """Which tone becomes black, which white and which the middle; and what black and white become."""

    kind: Literal["levels"] = "levels"
    heading: ClassVar[Heading | None] = Heading.FINELY
    channel: Channel = Field(Channel.ALL, description="Of which channel.")
    dark_percent: Percentage = Field(0.0, description="Tones below this become the darkest.")
    middle_percent: Annotated[float, Field(ge=2, le=98, allow_inf_nan=False)] = Field(
        50.0, description="Which tone becomes the middle, counted from the dark end to the light end."
    )
    light_percent: Percentage = Field(100.0, description="Tones above this become the lightest.")
    darkest_percent: Percentage = Field(
        0.0, title="Darkest becomes, %", description="Above 0, nothing is quite black."
    )
    lightest_percent: Percentage = Field(
        100.0, title="Lightest becomes, %", description="Below 100, nothing is quite white."
    )

    @model_validator(mode="after")
    def _room_between(self) -> "Levels":
        if self.light_percent - self.dark_percent < 1:
            raise ValueError("the light end must lie at least 1 % above the dark end")
        return self

    def height(self, value: Floats) -> Floats:
        """The level that a value (0 to 1 of sRGB's gamma) becomes."""
        low, high = self.dark_percent / 100, self.light_percent / 100
        inside = brightened(np.clip((value - low) / (high - low), 0, 1), self.middle_percent / 100)
        darkest, lightest = self.darkest_percent / 100, self.lightest_percent / 100
        level: Floats = darkest + (lightest - darkest) * inside
        return level

    def tone(self) -> Tone:
        """A curve of their channel, with points that lie close where it bends."""
        low, high = self.dark_percent / 100, self.light_percent / 100
        x = np.unique(np.concatenate([[0, low, high, 1], low + (high - low) * LEVELS_ENTRIES]))
        y = self.height(x)
        points = tuple((float(a), float(b)) for a, b in zip(x, y, strict=True))
        curves = Curves(**{self.channel.value: points})
        return Tone() if np.array_equal(x, y) or is_straight(points) else Tone(curves=(curves,))

    def sentence(self) -> Sentence:
        """For example: Levels: dark from 4 %, middle at 45 %, light from 96 %."""
        of = "" if self.channel is Channel.ALL else f" of {self.channel.value}"
        parts: tuple[Words | Value, ...] = (
            Words(f"Levels{of}: dark from "),
            Value("dark_percent", f"{format_number(self.dark_percent, 1)} %"),
            Words(", middle at "),
            Value("middle_percent", f"{format_number(self.middle_percent, 1)} %"),
            Words(", light from "),
            Value("light_percent", f"{format_number(self.light_percent, 1)} %"),
        )
        if (self.darkest_percent, self.lightest_percent) != (0, 100):
            ends = f"{format_number(self.darkest_percent, 1)} to {format_number(self.lightest_percent, 1)} %"
            parts += (Words(", ending at "), Value("darkest_percent", ends))
        return (*parts, Words("."))

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """At rest, to be set on the histogram."""
        return (
            Offer(
                ("levels",),
                "Sets black, middle and white against the histogram.",
                cls(),
                also="tone levels, adjust levels, histogram",
            ),
        )

    @classmethod
    def read(cls, text: str) -> "Levels | None":
        """Understands `gamma 1,2`: the tone that this power makes the middle becomes it."""
        if (match := _GAMMA.fullmatch(text)) is None:
            return None
        gamma = float(parse_decimal(match[1]))
        return cls(middle_percent=round(100 * 0.5**gamma, 2)) if LEAST_GAMMA <= gamma <= MOST_GAMMA else None

    @classmethod
    def asks(cls, text: str) -> Asked | None:
        """`gamma` alone, or one that no picture has."""
        if text != "gamma" and _GAMMA.fullmatch(text) is None:
            return None
        return Asked("Which gamma, from 0.2 to 5? Above 1 is lighter.", ("gamma 1.2", "gamma 1.5", "gamma 0.8"))


class Curve(ToneStep):
    """Curves through points, or as drawn: how dark or light each tone becomes, all in per cent."""

    kind: Literal["curve"] = "curve"
    heading: ClassVar[Heading | None] = Heading.FINELY
    all: PointList = ()
    red: PointList = ()
    green: PointList = ()
    blue: PointList = ()
    luminance: PointList = ()

    @field_validator(*CHANNELS, mode="before")
    @classmethod
    def _typed(cls, value: object) -> object:
        """Points as they are typed: `0:0 25:20 100:100`."""
        if not isinstance(value, str):
            return value
        return tuple(tuple(part.split(":")) for part in value.replace(",", ".").split())

    @field_validator(*CHANNELS)
    @classmethod
    def _rising(cls, points: PairList) -> PairList:
        if any(later[0] <= earlier[0] for earlier, later in pairwise(points)):
            raise ValueError("the points of a curve go from left to right, no two above each other")
        return points

    def tone(self) -> Tone:
        """Its curves, in fractions; straight ones are left out."""
        found = {name: tuple((x / 100, y / 100) for x, y in getattr(self, name)) for name in CHANNELS}
        curves = Curves(**{name: () if is_straight(points) else points for name, points in found.items()})
        return Tone() if curves.is_straight else Tone(curves=(curves,))

    @property
    def bent(self) -> list[str]:
        """The names of the curves that change something."""
        return [name for name in CHANNELS if not is_straight(_fractions(getattr(self, name)))]

    def sentence(self) -> Sentence:
        """For example: Curve: 25 becomes 20, 75 becomes 81."""
        bent = self.bent
        if not bent:
            return Words("Curve, "), Value("all", "straight"), Words(".")
        parts: list[Words | Value] = [Words("Curve: ")]
        for name in bent:
            parts += [Words("; " if len(parts) > 1 else ""), Value(name, _in_words(name, getattr(self, name)))]
        return (*parts, Words("."))

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Straight, a soft S, and the dark tones lifted."""
        return (
            Offer(
                ("curve",),
                "Sets how dark or light each tone becomes, by points or by drawing.",
                cls(),
                also="curves, tone curve, tone curves, gradation curve, s curve",
            ),
            Offer(
                ("invert",),
                "Light becomes dark and dark light, as on a negative.",
                cls(all=((0, 100), (100, 0))),
                also="negative, invert colours, inverted, make negative, from negative, reverse tones",
            ),
            Offer(
                ("curve of the luminance",),
                "A curve that keeps the colours: only the lightness follows it.",
                cls(luminance=((0, 0), (50, 50), (100, 100))),
            ),
        )


def _fractions(points: PairList) -> Points:
    return tuple((x / 100, y / 100) for x, y in points)


def _in_words(name: str, points: PairList) -> str:
    moved = [(x, y) for x, y in points if abs(x - y) >= 0.05]
    of = "" if name == "all" else f"{name} "
    if len(moved) > 3:
        most = max(moved, key=lambda point: abs(point[1] - point[0]))
        return f"{of}{len(points)} points, most {signed(round(most[1] - most[0], 1))} at {format_number(most[0], 0)}"
    return of + ", ".join(f"{format_number(x, 0)} becomes {format_number(y, 0)}" for x, y in moved)


def can_become_curve(step: Step) -> bool:
    """Whether a step treats all channels alike, so that a curve can carry it on."""
    if not isinstance(step, ToneStep) or isinstance(step, Curve):
        return False
    tone = step.tone()
    same = all(not (curves.red or curves.green or curves.blue or curves.luminance) for curves in tone.curves)
    rest = Tone(tone.exposure, black=tone.black, white=tone.white, curves=tone.curves)
    rest = rest.plus(Tone(brightness=tone.brightness, contrast=tone.contrast))
    return not tone.is_neutral and same and tone == rest


def as_curve(step: ToneStep) -> Curve:
    """The same correction as a curve for all channels, at 23 points and where its level ends are."""
    tone = step.tone()
    knots = np.unique(np.concatenate([KNOTS, *_level_ends(tone)]))
    points = through(knots.tolist(), _grey_curve(tone, knots))
    return Curve(all=tuple((round(100 * x, 2), round(100 * y, 2)) for x, y in points))


def _grey_curve(tone: Tone, value: Floats) -> Floats:
    exposed = to_gamma(np.clip(to_linear(value) * 2.0**tone.exposure, 0, 1))
    return curve(tone, exposed)


def _level_ends(tone: Tone) -> list[Floats]:
    """Where the curve leaves its lowest level and where it reaches its highest, with a close neighbour each."""
    fine = np.round(np.linspace(0, 1, 401), 4)
    height = _grey_curve(tone, fine)
    start, end = np.flatnonzero(height <= height[0])[-1], np.flatnonzero(height >= height[-1])[0]
    return [fine[[start, min(start + 2, 400)]], fine[[max(end - 2, 0), end]]]


def can_become_levels(step: Step) -> bool:
    """Whether a step is black point, white point and brightness only, which levels can carry on exactly."""
    if not isinstance(step, ToneStep) or isinstance(step, Levels):
        return False
    tone = step.tone()
    return not tone.is_neutral and tone == Tone(black=tone.black, white=tone.white, brightness=tone.brightness)


def as_levels(step: ToneStep) -> Levels:
    """The same correction as levels."""
    tone = step.tone()
    return Levels(
        dark_percent=round(100 * tone.black, 2),
        light_percent=round(100 * (1 - tone.white), 2),
        middle_percent=round(100 * middle_for(tone.brightness), 2),
    )
