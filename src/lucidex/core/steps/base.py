"""What every step declares: parameters, sentence, band, how it is previewed and what a routine carries."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar, Self, TypeVar

from annotated_types import Ge, Le
from pydantic import BaseModel, ConfigDict, ValidationError
from pydantic.fields import FieldInfo

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.finish.assets import AssetFile, Assets
from lucidex.core.finish.canvas import Canvas, Finished, Margins, Seat
from lucidex.core.finish.forms import Form
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.picture.background_removal import BackgroundRemoval
from lucidex.core.picture.content import Raster
from lucidex.core.picture.effects.base import Effect
from lucidex.core.picture.grounds import Colour
from lucidex.core.picture.tone.amounts import Tone
from lucidex.core.source.derivation import Restoration
from lucidex.core.units import parse_decimal

_NUMBER = r"([+-]?\d{1,4}(?:[.,]\d{1,3})?)(?: %)?"
_WORDS = r"((?:[^\W\d_]+ ){0,3}[^\W\d_]+?)"
_WORDS_FIRST = re.compile(rf"{_WORDS}(?: by| to)? {_NUMBER}")
_MORE = frozenset({"more", "increase", "raise", "boost", "add", "up", "plus", "higher"})
_LESS = frozenset({"less", "decrease", "reduce", "lower", "down", "minus"})
_NUMBER_FIRST = re.compile(rf"{_NUMBER} {_WORDS}")


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


class Step(BaseModel):
    """One change, stored as data.

    Subclasses add a literal `kind` and their parameters, the declarations below, and the one function of their stage:
    what a step does not say, it does not do. Raising `revision` makes results computed by an older meaning of the
    step differ in their key.
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

    # what looks at the picture once and keeps the numbers that it found says so (`FindingStep`)
    finds_by_itself: ClassVar[bool] = False
    found_by: ClassVar[frozenset[str]] = frozenset()  # parameters that decide what is found
    finds: ClassVar[frozenset[str]] = frozenset()  # parameters that it finds
    found_fields: ClassVar[frozenset[str]] = frozenset()  # what else it keeps of what it found
    by_hand: ClassVar[dict[str, object]] = {}  # what follows where somebody changes one of those

    looked_at_edge: ClassVar[int] = 1_024  # the longer side of the raster on which it looks, in pixels

    lies_where_drawn: ClassVar[bool] = False  # whether it lies at a spot of its picture that means nothing on others

    fills_clear: ClassVar[bool] = False  # whether nothing of the picture is clear after it

    # what is drawn from an asset of somebody's choice says which parameter holds it
    asset_field: ClassVar[str | None] = None

    seat: ClassVar[Seat] = Seat.OVER  # on the finished size: on what it acts

    @property
    def band(self) -> Band:
        """The band in which it acts."""
        return self.stage.band

    # --- what it does, a function a stage

    def restorations(self) -> tuple[Restoration, ...]:
        """What it does to the original's own pixels, one change after another."""
        return ()

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The geometry after this step."""
        return geometry

    def background_removal(self) -> BackgroundRemoval | None:
        """The ground that it takes away from framed pixels."""
        return None

    def tone(self) -> Tone:
        """What it adds to the one development."""
        return Tone()

    def effect(self) -> Effect | None:
        """What it does to developed pixels, looking at neighbours."""
        return None

    @property
    def hides(self) -> bool:
        """Whether something of the picture is made unreadable by it."""
        return False

    @property
    def hides_weakly(self) -> bool:
        """Whether what it makes unreadable could still be worked back."""
        return False

    @property
    def leaves_clear(self) -> bool:
        """Whether something of the picture becomes clear by it."""
        return False

    def room(self, canvas: Size) -> Margins:
        """How much of the finished size it needs around the picture, which gives way."""
        return Margins()

    @property
    def lets_through(self) -> bool:
        """Whether something of the finished size is clear after it, until a ground is laid under it."""
        return False

    @property
    def shows_picture_again(self) -> bool:
        """Whether what it draws are the picture's own pixels, somewhere else."""
        return False

    @property
    def ground_below(self) -> Colour | None:
        """The colour that it lays under everything that is clear on the finished size."""
        return None

    def form_after(self, canvas: Canvas) -> Form | None:
        """The picture's outline on the finished size after it."""
        return canvas.form

    def draw(self, canvas: Canvas, assets: Assets) -> Finished:
        """The finished size with what it draws onto it: the same size, 8-bit sRGB of 3 or 4 bands."""
        return Finished(canvas.pixels)

    def filled(self, values: Mapping[str, str]) -> Self:
        """The step with the fields of its words filled in, by their names; what is not among them stays."""
        return self

    def easier_to_read(self, on_plate: bool) -> Self:
        """The step with its words on a plate, or else in the other one of light and dark; most have no words."""
        return self

    def saying(self, quoted: Mapping[str, str]) -> Self:
        """The step with words that were typed between quotation marks, by the placeholders that stand for them."""
        return self

    @property
    def fields(self) -> tuple[str, ...]:
        """The names of the fields in its words."""
        return ()

    # --- assets

    @property
    def assets(self) -> tuple[AssetFile, ...]:
        """The files that it needs, beside the picture's own."""
        file = getattr(self, self.asset_field) if self.asset_field else None
        return (file,) if file is not None else ()

    @property
    def lacks_asset(self) -> bool:
        """Whether it does nothing yet, because its asset is still to be chosen."""
        return self.asset_field is not None and getattr(self, self.asset_field) is None

    def with_asset(self, file: AssetFile) -> Self:
        """The step with another asset. OutOfRangeError where it takes none."""
        if self.asset_field is None:
            raise OutOfRangeError("This step takes no file.")
        return self.model_copy(update={self.asset_field: file})

    def boxes(self, canvas: Size, inner: Box, assets: Assets) -> tuple[tuple[AssetFile, Box], ...]:
        """Where pictures among its assets come out on a canvas of which things around the picture leave `inner`."""
        return ()

    # --- how it begins and is varied

    def begun(self, geometry: PictureGeometry) -> Self:
        """The step as it begins on a picture; most begin as they are."""
        return self

    def found_on(self, raster: Raster) -> Self:
        """The step with what it finds on a picture as it stands before the step."""
        return self

    def lightened(self, amount: float) -> Self:
        """The step so that what comes out is lighter, -100 to 100, in its own way; most have none."""
        return self

    @property
    def finds_now(self) -> bool:
        """Whether its numbers are still to be found on a picture: it finds some, and nobody has set them by hand."""
        is_by_hand = self.by_hand and all(getattr(self, name) == value for name, value in self.by_hand.items())
        return self.finds_by_itself and not is_by_hand

    @property
    def for_others(self) -> Self:
        """The step as routines carry it: without what belongs to its own picture alone."""
        return self

    @property
    def by_itself(self) -> Self:
        """The step as it looks by itself again, whatever was changed by hand."""
        return self.model_copy(update=dict.fromkeys(self.by_hand, True))

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
        if (match := _WORDS_FIRST.fullmatch(text)) is not None:
            words, number = match[1], match[2]
        elif (match := _NUMBER_FIRST.fullmatch(text)) is not None:
            number, words = match[1], match[2]
        else:
            return None
        sign, words = 1, words.removesuffix(" by").removesuffix(" to")
        if words not in cls.amounts:
            sign, words = _direction(words)
        field = cls.amounts.get(words)
        if field is None:
            return None
        amount = float(parse_decimal(number)) * sign
        return cls.model_validate({field.removeprefix("-"): -amount if field.startswith("-") else amount})

    def by_degree(self, factor: float) -> Self | None:
        """The step so many times as strong, within its limits; None where it has no amount to be more or less."""
        names = {name.removeprefix("-") for name in self.amounts.values()}
        amounts = {name: value for name in names if isinstance(value := getattr(self, name), float) and value}
        if not amounts:
            return None
        scaled = {name: _within(type(self).model_fields[name], value * factor) for name, value in amounts.items()}
        return type(self).model_validate({**self.model_dump(), **scaled})


def _within(field: FieldInfo, value: float) -> float:
    least = max((float(limit.ge) for limit in field.metadata if isinstance(limit, Ge)), default=value)  # type: ignore[arg-type]
    most = min((float(limit.le) for limit in field.metadata if isinstance(limit, Le)), default=value)  # type: ignore[arg-type]
    return round(min(max(value, least), most), 3)


def _direction(words: str) -> tuple[int, str]:
    """Which way words ask for more of something, and of what: `reduce contrast` and `contrast down` ask for less."""
    first, _, rest = words.partition(" ")
    if rest and first in _MORE | _LESS:
        return (1 if first in _MORE else -1), rest
    before, _, last = words.rpartition(" ")
    if before and last in _MORE | _LESS:
        return (1 if last in _MORE else -1), before
    return 1, words


class RestorationStep(Step):
    """A step that changes the original's own pixels, before everything else."""

    stage: ClassVar[Stage] = Stage.RESTORATION
    group: ClassVar[Group] = Group.MEND
    preview_class: ClassVar[PreviewClass] = PreviewClass.SOURCE


class GeometryStep(Step):
    """A step that changes the picture's shape or position only; all of them compose to one transform."""

    stage: ClassVar[Stage] = Stage.GEOMETRY
    group: ClassVar[Group] = Group.FRAME


class ToneStep(Step):
    """A step that changes tone or colour point by point."""

    stage: ClassVar[Stage] = Stage.TONE
    group: ClassVar[Group] = Group.TONE
    heading: ClassVar[Heading | None] = Heading.LIGHT


class EffectStep(Step):
    """A step that looks at neighbours, after the development."""

    stage: ClassVar[Stage] = Stage.EFFECT
    group: ClassVar[Group] = Group.TONE
    heading: ClassVar[Heading | None] = Heading.DETAIL
    preview_class: ClassVar[PreviewClass] = PreviewClass.SCALED


class FinishStep(Step):
    """A step on the finished size, in every place or only in one; it goes after all others."""

    stage: ClassVar[Stage] = Stage.FINISH
    group: ClassVar[Group] = Group.FINISH
    preview_class: ClassVar[PreviewClass] = PreviewClass.SCALED


class FindingStep(Step):
    """A step that looks at the picture once, and keeps the numbers that it found: mixed into another kind."""

    finds_by_itself: ClassVar[bool] = True


S = TypeVar("S", bound=Step)


def expect(step: Step, kind: type[S], otherwise: str) -> S:
    """The step where it is of a kind; OutOfRangeError with the sentence `otherwise` where it is another."""
    if not isinstance(step, kind):
        raise OutOfRangeError(otherwise)
    return step


def plain(sentence: Sentence) -> str:
    """A sentence as text."""
    return "".join(part.text for part in sentence)
