"""All kinds of steps. Whoever adds one writes a file in this folder and names its class once, below.

Line, lists, forms, the schema of the API and the tests over all steps follow from that.
"""

from collections.abc import Iterable
from dataclasses import replace
from typing import TYPE_CHECKING, Annotated, Self, Union

from pydantic import BaseModel, ConfigDict, Field, model_validator

from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.assets import AssetFile
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import check_output_size
from lucidex.core.steps.bands import GeometryStep
from lucidex.core.steps.base import Band, Heading, Offer, Step
from lucidex.core.steps.border import Border
from lucidex.core.steps.clear_ground import ClearGround
from lucidex.core.steps.crop import Crop
from lucidex.core.steps.cut_out import CutOut
from lucidex.core.steps.detail import Deconvolve, Denoise, LocalContrastStep, Sharpen, Soften
from lucidex.core.steps.distort import Distort
from lucidex.core.steps.drawn import DrawnStep
from lucidex.core.steps.fill_ground import FillGround
from lucidex.core.steps.hide import Hide, HideFaces
from lucidex.core.steps.logo import Logo
from lucidex.core.steps.looks import LookStep
from lucidex.core.steps.marks import Marks
from lucidex.core.steps.mend_spots import CopySpot, RemoveDust, RemoveSpots
from lucidex.core.steps.perspective import FourPoints, Perspective
from lucidex.core.steps.pointwise import POINTWISE_STEPS
from lucidex.core.steps.recolour import Recolour
from lucidex.core.steps.red_eyes import RedEyes
from lucidex.core.steps.reflection import Reflection
from lucidex.core.steps.room import Room, Strip
from lucidex.core.steps.see_through import SeeThrough
from lucidex.core.steps.shadow import Shadow
from lucidex.core.steps.shape import Shape
from lucidex.core.steps.soften_part import SoftenPart
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.text import Text
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
    *POINTWISE_STEPS,  # tone: those that looks are made of have a list of their own
    LookStep,
    Recolour,
    LocalContrastStep,
    TwoToneStep,
    Sharpen,
    Soften,
    DrawnStep,
    ClearGround,
    CutOut,
    FillGround,
    Hide,
    HideFaces,
    SoftenPart,
    RedEyes,
    RemoveSpots,
    RemoveDust,
    CopySpot,
    Distort,
    Denoise,
    Deconvolve,
    Logo,
    Shape,
    Border,
    SeeThrough,
    Shadow,
    Reflection,
    Text,
    Marks,
)

if TYPE_CHECKING:
    AnyStep = Step
else:
    AnyStep = Annotated[Union[ALL_STEPS], Field(discriminator="kind")]  # noqa: UP007 - made of a tuple


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


def geometry_after(geometry: PictureGeometry, entries: tuple[StepEntry, ...]) -> PictureGeometry:
    """The geometry after the active steps of a list, with their remarks.

    A step that would lead beyond the limits of a picture is left out, and a remark says so.
    """
    for entry in entries:
        if entry.active:
            geometry = _after_step(geometry, entry)
    return geometry


def _after_step(geometry: PictureGeometry, entry: StepEntry) -> PictureGeometry:
    before = len(geometry.remarks)
    if (remark := entry.step.remark(geometry)) is not None:
        geometry = geometry.with_remark(remark)
    if isinstance(entry.step, GeometryStep):
        changed = entry.step.transform_geometry(geometry)
        try:
            check_output_size(changed.size)
            geometry = changed
        except OutOfRangeError as error:
            geometry = geometry.with_remark(Remark(f"This step is left out. {error.sentence}"))
    remarks = (replace(remark, step_id=entry.id) for remark in geometry.remarks[before:])
    return replace(geometry, remarks=(*geometry.remarks[:before], *remarks))


def assets_of(steps: Iterable[Step]) -> frozenset[AssetFile]:
    """The files that steps need beside the picture's own."""
    return frozenset(file for step in steps for file in step.assets)
