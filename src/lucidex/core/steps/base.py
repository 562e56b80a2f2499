"""What all steps are: parameters, sentence, band, how they are previewed and what a routine carries."""

from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar, Self, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.finish.assets import AssetFile
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.steps.typed_amounts import typed_amount, within_limits
from lucidex.core.units import parse_decimal


class Band(StrEnum):
    """The bands in which results come about; steps are reordered inside a band only."""

    SOURCE = "source"
    PICTURE = "picture"
    FINISH = "finish"


class Stage(StrEnum):
    """Where on the way of the pixels a step acts, in the order of that way."""

    RESTORATION = "restoration"
    GEOMETRY = "geometry"
    BACKGROUND = "background"
    TONE = "tone"
    EFFECT = "effect"
    FINISH = "finish"

    @property
    def band(self) -> Band:
        """The band to which it belongs."""
        return _BANDS.get(self, Band.PICTURE)


_BANDS = {Stage.RESTORATION: Band.SOURCE, Stage.FINISH: Band.FINISH}


class PreviewClass(StrEnum):
    """How a step is computed on a reduced preview, and what that is worth.

    Pixel-wise: the same pixels, tone by tone. Scaled: lengths shrink with the picture. Source: at full scale, then
    reduced. Finished: at the finished pixels, so a reduced preview promises nothing: judge at 100 %.
    """

    PIXEL_WISE = "pixel-wise"
    SCALED = "scaled"
    SOURCE = "source"
    FINISHED = "finished"


class Carried(StrEnum):
    """Whether a routine carries the step to other pictures."""

    ALWAYS = "always"
    ASK = "ask"
    NEVER = "never"


class Group(StrEnum):
    """The list under which a step is found."""

    FRAME = "Frame"
    TONE = "Tone"
    MEND = "Mend"
    FINISH = "Finish"


class Heading(StrEnum):
    """Parts of a long list, in their order."""

    BY_ITSELF = "By itself"
    LIGHT = "Light"
    COLOUR = "Colour"
    FINELY = "Set finely"
    PAPER = "Scans and signatures"
    DETAIL = "Detail"
    LOOKS = "Looks"
    DRAWN = "Drawn and painted"


@dataclass(frozen=True)
class Words:
    """Fixed words of a sentence."""

    text: str


@dataclass(frozen=True)
class Value:
    """A value in a sentence, which opens the control of `field` when chosen."""

    field: str
    text: str


Sentence = tuple[Words | Value, ...]


@dataclass(frozen=True)
class Offer:
    """One entry of the lists under the add-a-step line: its words and the step that they add."""

    words: tuple[str, ...]
    explanation: str
    step: "Step"
    apart: Heading | None = None  # where it stands apart from the other forms of its step
    also: str = ""  # further words that mean it on the line, divided by commas

    @property
    def typed(self) -> tuple[str, ...]:
        """Everything that means it on the line, as it can be typed."""
        return (*self.words, *(part.strip() for part in self.also.split(",") if part.strip()))

    @property
    def heading(self) -> Heading | None:
        """Under which heading it stands, in a list that has some."""
        return self.apart or self.step.heading


@dataclass(frozen=True)
class Asked:
    """What typed words leave open: a question, and what could be typed instead, the likeliest first."""

    question: str
    instead: tuple[str, ...]


class Step(BaseModel):
    """One change, stored as data.

    Subclasses add a literal `kind` and their parameters, the declarations below, and the one function of their stage
    (`core.steps.bands`): what a step does not say, it does not do. Raising `revision` makes results computed by an
    older meaning of the step differ in their key.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: str
    revision: ClassVar[int] = 1
    stage: ClassVar[Stage]
    group: ClassVar[Group]
    heading: ClassVar[Heading | None] = None
    preview_class: ClassVar[PreviewClass] = PreviewClass.PIXEL_WISE
    carried: ClassVar[Carried] = Carried.ALWAYS
    varied_field: ClassVar[str | None] = None  # the parameter of which several values can be tried side by side
    opens: ClassVar[bool] = True  # whether its control unfolds when it is added
    variants: ClassVar[str] = ""  # values to begin with, as they are typed
    # words that can be typed with a number, and the parameter they mean; with a minus before it, the other way round
    amounts: ClassVar[dict[str, str]] = {}

    lies_where_drawn: ClassVar[bool] = False  # whether it lies at a spot of its picture that means nothing on others

    draws: ClassVar[bool] = False  # whether a photograph is none any more after it, but flat colours
    fills_clear: ClassVar[bool] = False  # whether nothing of the picture is clear after it

    @property
    def band(self) -> Band:
        """The band in which it acts."""
        return self.stage.band

    @property
    def leaves_clear(self) -> bool:
        """Whether something of the picture becomes clear by it."""
        return False

    @property
    def assets(self) -> tuple[AssetFile, ...]:
        """The files that it needs, beside the picture's own."""
        return ()

    # --- how it begins and is varied

    def begun(self, geometry: PictureGeometry) -> Self:
        """The step as it begins on a picture; most begin as they are."""
        return self

    @property
    def for_others(self) -> Self:
        """The step as routines carry it: without what belongs to its own picture alone."""
        return self

    def varied(self, value: str) -> Self:
        """The step with another value, as typed, of the parameter by which it is varied.

        Raises NotUnderstoodError where the value cannot be read, OutOfRangeError where it exceeds its limits.
        """
        if self.varied_field is None:
            raise NotUnderstoodError("This step has no value of which several could be tried.")
        typed: object = value.strip()
        if not isinstance(getattr(self, self.varied_field), str):
            typed = float(parse_decimal(value.strip().removesuffix("%").removesuffix("°")))
        try:
            return type(self).model_validate({**self.model_dump(mode="json"), self.varied_field: typed})
        except ValidationError as error:
            raise OutOfRangeError(f"“{value.strip()[:20]}” is not possible here.") from error

    # --- words

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence about a step that could not do what it is for, on the geometry before it."""
        return None

    def sentence(self) -> Sentence:
        """The step in words, with its changeable values marked."""
        raise NotImplementedError

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """The ready-made forms of this step that can be picked from a list or typed."""
        raise NotImplementedError

    @classmethod
    def read(cls, text: str) -> Self | None:
        """The step meant by typed words that carry numbers, or None where they mean something else.

        `text` is as the line writes it (`core.typed_text`): small letters, British spelling, one blank between all
        words, numbers and signs. A word of `amounts` with a number before or behind it, such as `exposure +0,5`,
        `contrast 20 %` or `+10 brightness`, is understood by itself.
        """
        return None if (found := typed_amount(text, cls.amounts)) is None else cls.model_validate(found)

    @classmethod
    def asks(cls, text: str) -> Asked | None:
        """What is asked back where typed words, in the same form, mean this step and leave something open."""
        return None

    def by_degree(self, factor: float) -> Self | None:
        """The step so many times as strong, within its limits; None where it has no amount to be more or less."""
        names = {name.removeprefix("-") for name in self.amounts.values()}
        amounts = {name: value for name in names if isinstance(value := getattr(self, name), float) and value}
        if not amounts:
            return None
        fields = type(self).model_fields
        scaled = {name: within_limits(fields[name], value * factor) for name, value in amounts.items()}
        return type(self).model_validate({**self.model_dump(), **scaled})


S = TypeVar("S", bound=Step)


def expect(step: Step, kind: type[S], otherwise: str) -> S:
    """The step where it is of a kind; OutOfRangeError with the sentence `otherwise` where it is another."""
    if not isinstance(step, kind):
        raise OutOfRangeError(otherwise)
    return step


def plain(sentence: Sentence) -> str:
    """A sentence as text."""
    return "".join(part.text for part in sentence)
