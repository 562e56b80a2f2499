"""All kinds of steps. Whoever adds a step writes one file in this folder and names it in `ALL_STEPS`."""

from dataclasses import replace
from typing import Annotated, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from lucidex.core.errors import OutOfRangeError
from lucidex.core.frame import Frame, Note
from lucidex.core.geometry import check_output_size
from lucidex.core.steps.base import Band, FramingStep, Heading, Offer, Step
from lucidex.core.steps.clear_ground import ClearGround
from lucidex.core.steps.colour import Balance, BalanceByTone, BlackAndWhite, Saturation
from lucidex.core.steps.crop import Crop
from lucidex.core.steps.curve import Curve, Levels
from lucidex.core.steps.detail import BringBack, Denoise, LocalContrastStep, Sharpen, Soften
from lucidex.core.steps.drawn import DrawnStep
from lucidex.core.steps.logo import Logo
from lucidex.core.steps.looks import LookStep
from lucidex.core.steps.perspective import FourPoints, Perspective
from lucidex.core.steps.room import Room, Strip
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.tone import Depths, Exposure, Light, Range
from lucidex.core.steps.trim import Trim
from lucidex.core.steps.turn import Mirror, Turn
from lucidex.core.steps.two_tone import TwoToneStep

ALL_STEPS: tuple[type[Step], ...] = (
    Crop,
    Turn,
    Straighten,
    Mirror,
    Perspective,
    FourPoints,
    Trim,
    Room,
    Strip,
    Exposure,
    Light,
    Range,
    Depths,
    Balance,
    Saturation,
    LocalContrastStep,
    Levels,
    Curve,
    BalanceByTone,
    BlackAndWhite,
    TwoToneStep,
    Sharpen,
    Soften,
    LookStep,
    DrawnStep,
    ClearGround,
    Denoise,
    BringBack,
    Logo,
)

AnyStep = Annotated[
    Crop
    | Turn
    | Straighten
    | Mirror
    | Perspective
    | FourPoints
    | Trim
    | Room
    | Strip
    | Exposure
    | Light
    | Range
    | Depths
    | Balance
    | Saturation
    | LocalContrastStep
    | Levels
    | Curve
    | BalanceByTone
    | BlackAndWhite
    | TwoToneStep
    | Sharpen
    | Soften
    | LookStep
    | DrawnStep
    | ClearGround
    | Denoise
    | BringBack
    | Logo,
    Field(discriminator="kind"),
]


_SEATS = (None, *Heading)


PlaceKey = Annotated[str, Field(pattern=r"^\d{1,18}$")]


class StepEntry(BaseModel):
    """A step in a list: `id` stays the same while its parameters change; an inactive one is skipped.

    A step on the finished size may count `only_in` one place.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: Annotated[str, Field(pattern=r"^[0-9a-z]{1,26}$")]
    active: bool = True
    only_in: PlaceKey | None = None
    step: AnyStep

    @model_validator(mode="after")
    def _only_finish_is_for_one_place(self) -> Self:
        if self.only_in is not None and self.step.band is not Band.FINISH:
            raise ValueError("only a step on the finished size can count in one place alone")
        return self

    def counts_in(self, place_key: str) -> bool:
        """Whether it does something to what comes out in a place."""
        return self.active and self.only_in in {None, place_key}


def all_offers() -> tuple[Offer, ...]:
    """Every ready-made step, in the order of the lists."""
    return tuple(offer for kind in ALL_STEPS for offer in kind.offers())


def offers_by_group() -> dict[str, dict[Heading | None, list[Offer]]]:
    """The ready-made steps under the names of their groups, and there under their headings."""
    groups: dict[str, dict[Heading | None, list[Offer]]] = {}
    for offer in sorted(all_offers(), key=lambda offer: _SEATS.index(offer.heading)):
        headings = groups.setdefault(type(offer.step).group.value, {})
        headings.setdefault(offer.heading, []).append(offer)
    return groups


def frame_after(frame: Frame, entries: tuple[StepEntry, ...]) -> Frame:
    """The frame after the active framing steps of a list, with their notes.

    A step that would lead beyond the limits of a picture is left out, and a note says so.
    """
    for entry in entries:
        if entry.active:
            frame = _after_step(frame, entry)
    return frame


def _after_step(frame: Frame, entry: StepEntry) -> Frame:
    said = len(frame.notes)
    if (remark := entry.step.remark(frame)) is not None:
        frame = frame.with_note(remark)
    if isinstance(entry.step, FramingStep):
        reframed = entry.step.reframe(frame)
        try:
            check_output_size(reframed.size)
            frame = reframed
        except OutOfRangeError as error:
            frame = frame.with_note(Note(f"This step is left out. {error.sentence}"))
    notes = (replace(note, step_id=entry.id) for note in frame.notes[said:])
    return replace(frame, notes=(*frame.notes[:said], *notes))
