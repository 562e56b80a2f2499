"""What a step of each stage adds to what all steps are: the one function by which it acts.

Beside these stand three that are mixed in: what looks by itself, what is drawn from an asset, what has words.
"""

from collections.abc import Iterable, Iterator, Mapping
from typing import ClassVar, Self, TypeVar

from pydantic import ValidationError

from lucidex.core.finish.assets import AssetFile, Assets
from lucidex.core.finish.canvas import Canvas, Finished, Margins, Seat
from lucidex.core.finish.forms import Form
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.picture.background_removal import BackgroundRemoval
from lucidex.core.picture.effects.base import Effect
from lucidex.core.picture.grounds import Colour
from lucidex.core.picture.raster import Raster
from lucidex.core.picture.tone.amounts import Tone
from lucidex.core.source.derivation import Restoration
from lucidex.core.steps.base import Group, Heading, PreviewClass, Stage, Step

K = TypeVar("K")


def of_kind(steps: Iterable[Step], kind: type[K]) -> Iterator[K]:
    """Those of some steps that are of a kind, in their order."""
    return (step for step in steps if isinstance(step, kind))


class RestorationStep(Step):
    """A step that changes the original's own pixels, before everything else."""

    stage: ClassVar[Stage] = Stage.RESTORATION
    group: ClassVar[Group] = Group.MEND
    preview_class: ClassVar[PreviewClass] = PreviewClass.SOURCE

    def restorations(self) -> tuple[Restoration, ...]:
        """What it does to the original's own pixels, one change after another."""
        return ()

    @property
    def hides(self) -> bool:
        """Whether something of the picture is made unreadable by it."""
        return False

    @property
    def hides_weakly(self) -> bool:
        """Whether what it makes unreadable could still be worked back."""
        return False


class GeometryStep(Step):
    """A step that changes the picture's shape or position only; all of them compose to one transform."""

    stage: ClassVar[Stage] = Stage.GEOMETRY
    group: ClassVar[Group] = Group.FRAME

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The geometry after this step."""
        return geometry


class BackgroundStep(Step):
    """A step that takes a ground away from framed pixels."""

    stage: ClassVar[Stage] = Stage.BACKGROUND
    group: ClassVar[Group] = Group.MEND
    preview_class: ClassVar[PreviewClass] = PreviewClass.SCALED  # an edge is looked for within some pixels

    def background_removal(self) -> BackgroundRemoval | None:
        """The ground that it takes away from framed pixels."""
        return None


class ToneStep(Step):
    """A step that changes tone or colour point by point."""

    stage: ClassVar[Stage] = Stage.TONE
    group: ClassVar[Group] = Group.TONE
    heading: ClassVar[Heading | None] = Heading.LIGHT

    def tone(self) -> Tone:
        """What it adds to the one development."""
        return Tone()

    def joined(self, other: Step) -> Self | None:
        """One step that does what this and another of its kind do together, exactly and within its limits.

        None where there is none: where they differ in more than their amounts, or would take each other back.
        """
        if not isinstance(other, type(self)) or (isinstance(self, FindingStep) and self.finds_now):
            return None
        together, sums = self.tone().plus(other.tone()), self.amounts_with(other)
        try:
            one = type(self).model_validate({**other.model_dump(), **sums})
        except ValidationError:
            return None
        rest = type(self).model_fields.keys() - sums.keys()
        is_plain = all(getattr(self, name) == getattr(other, name) for name in rest)
        return one if is_plain and not together.is_neutral and one.tone().is_like(together) else None

    def amounts_with(self, other: Self) -> dict[str, float]:
        """Its amounts together with those of another of its kind: most are added."""
        names = {name.removeprefix("-") for name in self.amounts.values()}
        return {name: round(getattr(self, name) + getattr(other, name), 3) for name in names}


class EffectStep(Step):
    """A step that looks at neighbours, after the development."""

    stage: ClassVar[Stage] = Stage.EFFECT
    group: ClassVar[Group] = Group.TONE
    heading: ClassVar[Heading | None] = Heading.DETAIL
    preview_class: ClassVar[PreviewClass] = PreviewClass.SCALED

    def effect(self) -> Effect | None:
        """What it does to developed pixels, looking at neighbours."""
        return None


class FinishStep(Step):
    """A step on the finished size, in every place or only in one; it goes after all others."""

    stage: ClassVar[Stage] = Stage.FINISH
    group: ClassVar[Group] = Group.FINISH
    preview_class: ClassVar[PreviewClass] = PreviewClass.SCALED
    seat: ClassVar[Seat] = Seat.OVER  # on the finished size: on what it acts

    def measured_on(self, canvas: Size) -> Self:
        """The same in shares of a finished size, where it has a measure that other sizes would show otherwise."""
        return self

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

    def boxes(self, canvas: Size, inner: Box, assets: Assets) -> tuple[tuple[AssetFile, Box], ...]:
        """Where pictures among its assets come out on a canvas of which things around the picture leave `inner`."""
        return ()


class FindingStep(Step):
    """A step that looks at the picture once, and keeps the numbers that it found: mixed into another kind."""

    found_by: ClassVar[frozenset[str]] = frozenset()  # parameters that decide what is found
    finds: ClassVar[frozenset[str]] = frozenset()  # parameters that it finds
    found_fields: ClassVar[frozenset[str]] = frozenset()  # what else it keeps of what it found
    by_hand: ClassVar[dict[str, object]] = {}  # what follows where somebody changes one of those
    looked_at_edge: ClassVar[int] = 1_024  # the longer side of the raster on which it looks, in pixels

    def found_on(self, raster: Raster) -> Self:
        """The step with what it finds on a picture as it stands before the step."""
        return self

    def lightened(self, amount: float) -> Self:
        """The step so that what comes out is lighter, -100 to 100, in its own way; most have none."""
        return self

    @property
    def finds_now(self) -> bool:
        """Whether its numbers are still to be found on a picture: it finds some, and nobody has set them by hand."""
        return not self.by_hand or any(getattr(self, name) != value for name, value in self.by_hand.items())

    @property
    def waits_for_hint(self) -> bool:
        """Whether it could do nothing before somebody points at what it is about."""
        return False

    @property
    def by_itself(self) -> Self:
        """The step as it looks by itself again, whatever was changed by hand."""
        return self.model_copy(update=dict.fromkeys(self.by_hand, True))


class AssetStep(FinishStep):
    """What is drawn from an asset of somebody's choice, which the parameter `asset_field` holds."""

    asset_field: ClassVar[str]

    @property
    def assets(self) -> tuple[AssetFile, ...]:
        """The chosen one."""
        file = getattr(self, self.asset_field)
        return (file,) if file is not None else ()

    @property
    def lacks_asset(self) -> bool:
        """Whether it does nothing yet, because its asset is still to be chosen."""
        return getattr(self, self.asset_field) is None

    def with_asset(self, file: AssetFile) -> Self:
        """The step with another asset."""
        return self.model_copy(update={self.asset_field: file})


def lacks_asset(step: Step) -> bool:
    """Whether a step does nothing yet, because the file that it is drawn from is still to be chosen."""
    return isinstance(step, AssetStep) and step.lacks_asset


def completed(step: Step, file: AssetFile) -> Step:
    """A step that still lacks its file, with this one; any other as it is."""
    return step.with_asset(file) if isinstance(step, AssetStep) and step.lacks_asset else step


def rank(step: Step) -> int:
    """Where a step belongs in a list: all of the picture before all of the finished size, and that by its seats."""
    return int(step.seat) if isinstance(step, FinishStep) else 0


class WordedStep(FinishStep):
    """What has words of somebody's own, and fields in them."""

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
