"""What every step declares: parameters, sentence, band, how it is previewed and what a routine carries."""

from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar, Self

from pydantic import BaseModel, ConfigDict

from lucidex.core.frame import Frame


class Band(StrEnum):
    """Where in the way of the pixels a step acts; steps are reordered inside a band only."""

    SOURCE = "source"
    PICTURE = "picture"
    FINISH = "finish"


class PreviewClass(StrEnum):
    """How a step may be computed on a reduced preview."""

    PIXEL_WISE = "pixel-wise"
    SCALED = "scaled"
    SOURCE = "source"


class Carried(StrEnum):
    """Whether a routine carries the step to other pictures."""

    ALWAYS = "always"
    ASK = "ask"
    NEVER = "never"


class Group(StrEnum):
    """The list under which a step is found."""

    FRAME = "Frame"


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


class Step(BaseModel):
    """One change, stored as data.

    Subclasses add a literal `kind` and their parameters, and the declarations below. Raising `revision`
    makes results computed by an older meaning of the step differ in their key.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    revision: ClassVar[int] = 1
    band: ClassVar[Band]
    group: ClassVar[Group]
    preview_class: ClassVar[PreviewClass] = PreviewClass.PIXEL_WISE
    carried: ClassVar[Carried] = Carried.ALWAYS

    def begun(self, frame: Frame) -> Self:
        """The step as it begins on a picture; most begin as they are."""
        return self

    def sentence(self) -> Sentence:
        """The step in words, with its changeable values marked."""
        raise NotImplementedError

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """The ready-made forms of this step that can be picked from a list or typed."""
        raise NotImplementedError

    @classmethod
    def read(cls, text: str) -> Self | None:
        """The step meant by typed words that carry numbers, or None where they mean something else."""
        return None


class FramingStep(Step):
    """A step that changes the picture's shape or position only; all of them compose to one transform."""

    band: ClassVar[Band] = Band.PICTURE
    group: ClassVar[Group] = Group.FRAME

    def reframe(self, frame: Frame) -> Frame:
        """The frame after this step."""
        raise NotImplementedError


def plain(sentence: Sentence) -> str:
    """A sentence as text."""
    return "".join(part.text for part in sentence)
