"""What every step declares: parameters, sentence, band, how it is previewed and what a routine carries."""

import re
from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar, Self

from pydantic import BaseModel, ConfigDict, ValidationError

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.finish.compositing import Stamp
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.content import Raster
from lucidex.core.units import parse_decimal

_AMOUNT = re.compile(r"([a-z ]+?)(?: by)? ([+−-]?\d{1,4}(?:[.,]\d{1,3})?) ?(?:%|stops?|px)?")


class Band(StrEnum):
    """Where in the way of the pixels a step acts; steps are reordered inside a band only."""

    SOURCE = "source"
    PICTURE = "picture"
    FINISH = "finish"


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

    @property
    def heading(self) -> Heading | None:
        """Under which heading it stands, in a list that has some."""
        return self.apart or self.step.heading


class Step(BaseModel):
    """One change, stored as data.

    Subclasses add a literal `kind` and their parameters, and the declarations below. Raising `revision`
    makes results computed by an older meaning of the step differ in their key.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    revision: ClassVar[int] = 1
    band: ClassVar[Band]
    group: ClassVar[Group]
    heading: ClassVar[Heading | None] = None
    preview_class: ClassVar[PreviewClass] = PreviewClass.PIXEL_WISE
    carried: ClassVar[Carried] = Carried.ALWAYS
    varied_field: ClassVar[str | None] = None  # the parameter of which several values can be tried side by side
    opens: ClassVar[bool] = True  # whether its control unfolds when it is added
    variants: ClassVar[str] = ""  # values to begin with, as they are typed
    amounts: ClassVar[dict[str, str]] = {}  # words that can be typed with a number, and the parameter they mean

    def begun(self, geometry: PictureGeometry) -> Self:
        """The step as it begins on a picture; most begin as they are."""
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

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence about a step that could not do what it is for, `frame` being the picture before it."""
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

        A word of `amounts` with a number, such as `exposure +0,5` or `contrast 20 %`, is understood by itself.
        """
        match = _AMOUNT.fullmatch(text)
        field = cls.amounts.get(match[1]) if match else None
        if match is None or field is None:
            return None
        return cls.model_validate({field: float(match[2].replace(",", ".").replace("−", "-"))})


class GeometryStep(Step):
    """A step that changes the picture's shape or position only; all of them compose to one transform."""

    band: ClassVar[Band] = Band.PICTURE
    group: ClassVar[Group] = Group.FRAME

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The frame after this step."""
        raise NotImplementedError


class FinishStep(Step):
    """A step on the finished size, in every place or only in one; it goes after all others."""

    band: ClassVar[Band] = Band.FINISH
    group: ClassVar[Group] = Group.FINISH

    @property
    def logo_sha256(self) -> str | None:
        """The file that it needs, beside the picture's own."""
        return None

    def stamp(self, canvas: Size, logo: Size) -> Stamp | None:
        """What it lays over a canvas; `logo` is the upright size of the file that it needs."""
        return None


class FindingStep(Step):
    """A step that looks at the picture once, and keeps the numbers that it found.

    `found_by` names the parameters that decide what is found: where one of them changes, it looks again. `finds` are
    the parameters that it finds: where somebody changes one by hand, `by_hand` follows.
    """

    found_by: ClassVar[frozenset[str]] = frozenset()
    finds: ClassVar[frozenset[str]] = frozenset()
    by_hand: ClassVar[dict[str, object]] = {}

    def found_on(self, raster: Raster) -> Self:
        """The step with what it finds on a picture as it stands before the step."""
        raise NotImplementedError

    @property
    def by_itself(self) -> Self:
        """The step as it looks by itself again, whatever was changed by hand."""
        return self.model_copy(update=dict.fromkeys(self.by_hand, True))


def plain(sentence: Sentence) -> str:
    """A sentence as text."""
    return "".join(part.text for part in sentence)
