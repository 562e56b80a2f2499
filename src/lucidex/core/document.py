"""What was decided about one picture: steps, framings, settings per place, texts. One document, one version."""

from collections.abc import Callable, Collection, Iterable, Mapping
from hashlib import sha256
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, FailFast, Field, GetCoreSchemaHandler, model_validator
from pydantic_core import CoreSchema, core_schema
from typing_extensions import TypeAliasType

from lucidex.core.encode import FormatName, usual_format
from lucidex.core.errors import UnavailableError
from lucidex.core.finish.assets import AssetFile
from lucidex.core.finish.canvas import Given, Margins, given_room, ground_below, stays_clear, total_margins
from lucidex.core.framing.subject import Subject
from lucidex.core.framing.window import PROPOSALS, keeps_all, subject_window
from lucidex.core.geometry.fit import Anchor, Placement, Rule, clamped_window, covering_window, fit
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size, Window
from lucidex.core.picture.treatment import Treatment
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import MAX_TIMES
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.names import MAX_FILE_NAME, clean_file_name
from lucidex.core.source.derivation import Restoration
from lucidex.core.stamp.texts import Texts
from lucidex.core.steps import PlaceKey, StepEntry, assets_of, geometry_after
from lucidex.core.steps.bands import FinishStep, RestorationStep, WordedStep, of_kind
from lucidex.core.steps.base import Band, Step
from lucidex.core.steps.composition import restorations_of, treatment_of
from lucidex.core.steps.upgrades import renamed

SCHEMA_REVISION = 7
MAX_STEPS = 200
MAX_AREAS = 1_000  # shapes of all steps: each of them may be a change of its own
MAX_EDGE_POINTS = 18_000  # of all steps: dozens of cut-outs as they usually are
MAX_PLACES = 2_000  # framings, and settings, of one picture
MAX_ZOOM = 1_000
NEARLY_ALL = 0.96  # of a picture: less is cut off rather than a hairline of ground shown beside it
MAX_FIELDS = 40

FieldName = Annotated[str, Field(min_length=1, max_length=40)]
FieldWords = Annotated[str, Field(max_length=1_000)]


# a type of its own, so that it can be one of several; whatever is wrong with a step ends the reading of them
StepList = TypeAliasType("StepList", Annotated[tuple[StepEntry, ...], Field(max_length=MAX_STEPS), FailFast()])


class AtMost:
    """A limit on a mapping that holds before anything of it is read."""

    def __init__(self, count: int) -> None:
        self._count = count

    def __get_pydantic_core_schema__(self, source: object, handler: GetCoreSchemaHandler) -> CoreSchema:
        """The mapping's own schema, behind a look at its length."""
        inner = {**handler(source), "max_length": self._count}
        return core_schema.no_info_before_validator_function(self._checked, inner)

    def _checked(self, value: object) -> object:
        if isinstance(value, Mapping) and len(value) > self._count:
            raise ValueError(f"at most {self._count} entries, not {len(value)}")
        return value


def _held_zooms(body: dict[str, Any]) -> dict[str, Any]:
    """Revision 3 bounds how close a framing may be; what was closer cannot be told from it on any screen."""
    framings = body.get("framings", {})
    held = {key: {**one, "zoom": min(one.get("zoom", 1.0), MAX_ZOOM)} for key, one in framings.items()}
    return {**body, "framings": held}


UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: lambda body: body,  # revision 2 only adds: the focal point, what a framing was made for, multiples
    2: _held_zooms,
    3: lambda body: {**body, "steps": renamed(body.get("steps", []))},
    4: lambda body: body,  # revision 5 only adds: steps on areas
    5: lambda body: body,  # revision 6 only adds: words, outlines, shadows; sides of borders
    6: lambda body: body,  # revision 7 only adds: the name of its files
}  # from a revision to the next one


class Framing(BaseModel):
    """The part of the picture that a place shows: a focal point of the content, and how much closer.

    `focal_x` and `focal_y` are fractions of the upright original; `zoom` 1 is the largest window of the
    place's shape. `made_for` names the frame (`frame_name`) on which somebody chose it; where the picture's frame
    is another one by now, the framing has moved with the picture.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    focal_x: Annotated[float, Field(ge=0, le=1)] = 0.5
    focal_y: Annotated[float, Field(ge=0, le=1)] = 0.5
    zoom: Annotated[float, Field(ge=1, le=MAX_ZOOM)] = 1.0
    made_for: Annotated[str, Field(max_length=16)] | None = None
    whole: bool = Field(False, description="Show all of the picture, on its own edge colour, rather than cut it.")
    proposal: Annotated[int, Field(ge=0, lt=PROPOSALS)] | None = Field(
        None, description="Which proposal of the picture's own it is, where nobody dragged it."
    )

    def window(self, geometry: PictureGeometry, place: Size) -> Window:
        """The window in picture pixels, of the place's exact shape, held inside the picture."""
        width, height = covering_window(geometry.size, place)
        zoom = min(self.zoom, max(1.0, min(width, height)))  # a window is never smaller than a pixel
        width, height = width / zoom, height / zoom
        return clamped_window(geometry.to_picture(Point(self.focal_x, self.focal_y)), width, height, geometry.size)


class FocalPoint(BaseModel):
    """The spot that must stay in view, whatever the shape; fractions of the upright original."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: Annotated[float, Field(ge=0, le=1)]
    y: Annotated[float, Field(ge=0, le=1)]


class Output(BaseModel):
    """Format, quality and multiple of this picture in one place, where they differ from what the place says.

    Beside a further format (`OutputId.format`), the format is that one whatever is said here.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: FormatName | None = None
    quality: Annotated[int, Field(ge=1, le=100)] | None = None
    times: Annotated[int, Field(ge=1, le=MAX_TIMES)] | None = None
    accepted_bytes: Annotated[int, Field(ge=100, le=2_000_000_000)] | None = Field(
        None, description="A weight that somebody accepted for this picture here, above the place's ceiling."
    )
    left_out: bool = Field(False, description="Whether runs make no file of this picture for this place.")


class PictureDocument(BaseModel):
    """Everything about one picture that can be taken back and made again."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_revision: int = Field(default_factory=lambda: SCHEMA_REVISION)
    steps: StepList = ()
    framings: Annotated[dict[PlaceKey, Framing], AtMost(MAX_PLACES)] = Field(default_factory=dict)
    outputs: Annotated[dict[OutputId, Output], AtMost(MAX_PLACES)] = Field(default_factory=dict)
    texts: Texts = Texts()
    focal_point: FocalPoint | None = None
    frames_itself: bool = Field(False, description="Whether places show what the picture is of, where nobody framed.")
    file_name: Annotated[str, Field(min_length=1, max_length=MAX_FILE_NAME)] | None = Field(
        None, description="How the picture and its files are called, where not as it came in."
    )
    words: Annotated[dict[FieldName, FieldWords], AtMost(MAX_FIELDS)] = Field(
        default_factory=dict, description="What fields of words become on this picture, by their names."
    )

    @model_validator(mode="after")
    def _can_be_read_again(self) -> Self:
        if self.schema_revision != SCHEMA_REVISION:
            raise ValueError(f"a document is written with schema revision {SCHEMA_REVISION}")
        if len({entry.id for entry in self.steps}) != len(self.steps):
            raise ValueError("each step needs an id of its own")
        check_areas(self.steps)
        if self.file_name is not None and self.file_name != clean_file_name(self.file_name):
            raise ValueError("a file's name has no folders and no control characters")
        return self

    @classmethod
    def read(cls, body: dict[str, Any]) -> "PictureDocument":
        """A stored document, brought up to the present schema revision.

        Raises UnavailableError where a newer version of the product has written it.
        """
        revision = body.get("schema_revision", 1)
        if revision > SCHEMA_REVISION:
            raise UnavailableError("This picture was last changed by a newer version of Lucidex; start that one.")
        for step in range(revision, SCHEMA_REVISION):
            body = UPGRADES[step](body)
        return cls.model_validate({**body, "schema_revision": SCHEMA_REVISION})

    def geometry(self, upright: Size) -> PictureGeometry:
        """What the active steps make of the upright original."""
        return geometry_after(PictureGeometry.of(upright), self.steps)

    @property
    def active_steps(self) -> tuple[Step, ...]:
        """The steps that count."""
        return tuple(entry.step for entry in self.steps if entry.active)

    def counting_in(self, place_key: str | None) -> tuple[StepEntry, ...]:
        """The entries that decide what comes out in a place; without one, what decides the prepared picture."""
        if place_key is None:
            return tuple(entry for entry in self.steps if entry.active and entry.step.band is not Band.FINISH)
        return tuple(entry for entry in self.steps if entry.counts_in(place_key))

    def filled(self, values: Mapping[str, str]) -> "PictureDocument":
        """The document with the fields of its words filled in."""
        if not any(step.fields for step in of_kind((entry.step for entry in self.steps), WordedStep)):
            return self
        return self.with_words(lambda entry, step: step.filled(values))

    def with_words(self, alter: Callable[[StepEntry, WordedStep], Step]) -> "PictureDocument":
        """The document with another step for each that has words."""
        steps = tuple(
            entry.model_copy(update={"step": alter(entry, entry.step)})
            if isinstance(entry.step, WordedStep)
            else entry
            for entry in self.steps
        )
        return self.model_copy(update={"steps": steps})

    def finish(self, place_key: str, canvas: Size) -> tuple[Given, ...]:
        """What is drawn onto a finished size in a place, in its order, with the room that it is given there."""
        return given_room((step.measured_on(canvas) for step in self.finish_steps(place_key)), canvas)

    def finish_steps(self, place_key: str) -> tuple[FinishStep, ...]:
        """The steps on the finished size that count in a place."""
        return tuple(of_kind((entry.step for entry in self.counting_in(place_key)), FinishStep))

    @property
    def assets(self) -> frozenset[AssetFile]:
        """The files that its steps need beside the original, whether they count or not."""
        return assets_of(entry.step for entry in self.steps)

    @property
    def may_be_named_after_what_is_hidden(self) -> bool:
        """Whether something is hidden, and nobody has said how its files are called."""
        return self.hides and self.file_name is None

    @property
    def hides(self) -> bool:
        """Whether its active steps make something unreadable."""
        return any(step.hides for step in of_kind(self.active_steps, RestorationStep))

    @property
    def invents(self) -> bool:
        """Whether its active steps put pixels where the camera saw others: mended, moved, hidden."""
        return self.hides or bool(self.restorations)

    @property
    def treatment(self) -> Treatment:
        """What its active steps do to framed pixels."""
        return treatment_of(self.active_steps)

    @property
    def restorations(self) -> tuple[Restoration, ...]:
        """What its active steps do to the original's own pixels."""
        return restorations_of(self.active_steps)

    def shows_clear(self, geometry: PictureGeometry, has_clear_areas: bool) -> bool:
        """Whether something is clear after its steps; `has_clear_areas` says so of the source."""
        is_clear = has_clear_areas or any(step.leaves_clear for step in self.active_steps)
        return geometry.shows_clear or (is_clear and not any(step.fills_clear for step in self.active_steps))

    def comes_out_clear(
        self, geometry: PictureGeometry, placement: Placement, place_key: str, demand: PlaceDemand, source_clear: bool
    ) -> bool:
        """Whether something of the finished size is clear in a place; `source_clear` says so of the source."""
        finish = self.finish(place_key, placement.canvas)
        is_clear = self.shows_clear(geometry, source_clear) or shows_ground(placement, demand)
        return stays_clear(finish) or (is_clear and ground_below(finish) is None)

    def usual_format(self, has_clear_areas: bool, is_photograph: bool) -> FormatName:
        """What suits where nobody chose a format; `is_photograph` says so of the source."""
        return usual_format(has_clear_areas, is_photograph and not any(step.draws for step in self.active_steps))

    def settings(self, output: OutputId) -> Output:
        """What was chosen for this picture in an output; nothing, where nobody chose."""
        return self.outputs.get(output, Output())

    def demand_for(self, output: OutputId, demand: PlaceDemand) -> PlaceDemand:
        """What the place asks of this picture: a multiple may be chosen, and a heavier file accepted, for each."""
        accepted = self.settings(output).accepted_bytes
        if accepted is not None and demand.max_bytes is not None:
            demand = demand.model_copy(update={"max_bytes": max(accepted, demand.max_bytes)})
        measure = demand.measure.for_times(self.settings(OutputId(output.place)).times)
        return demand if measure is demand.measure else demand.model_copy(update={"measure": measure})

    def placement(
        self, geometry: PictureGeometry, place_key: str, demand: PlaceDemand, subject: Subject | None = None
    ) -> Placement:
        """Where the picture goes in a place; it gives way where something on the finished size asks for room.

        A framing decides, then the place's anchor where it keeps to a side, then the picture's focal point, then its
        `subject` where it frames itself, then the middle.
        Raises OutOfRangeError where the place's size for this picture exceeds the limits, or nothing of it is left.
        """
        demand = self.demand_for(OutputId(place_key), demand)
        canvas = _canvas(geometry, demand)
        margins = total_margins(self.finish(place_key, canvas))
        # without room given away it is fitted once: what is fitted twice can lose a pixel to rounding
        inner = demand.size_for(geometry.size) if margins == Margins() else margins.inside(canvas)
        framing = self.framings.get(place_key) or self._framing_by_focal_point(demand)
        crop_window = framing.window(geometry, inner) if framing and demand.is_cropped else None
        if framing is None and self.is_framed_by_itself(place_key, demand, subject) and subject is not None:
            crop_window = subject_window(geometry, inner, subject)
        if demand.rule is Rule.SCALE_DOWN and margins != Margins():
            inner = margins.inside(canvas)  # the size stays what it is without them, and the picture gives way
            rule = Rule.COVER if _nearly_covers(geometry.size, inner) else Rule.CONTAIN
            placement = fit(geometry.size, inner, rule, demand.anchor)
            return placement.with_room(margins.left, margins.top, margins.right, margins.bottom)
        placement = fit(geometry.size, inner, demand.rule, demand.anchor, crop_window, demand.enlarges)
        return placement.with_room(margins.left, margins.top, margins.right, margins.bottom)

    def shows_whole(
        self, geometry: PictureGeometry, place_key: str, demand: PlaceDemand, subject: Subject | None
    ) -> bool:
        """Whether a place that would cut shows all of the picture, on its own edge colour: somebody said so, or no
        part of the place's shape keeps what must stay whole."""
        framing = self.framings.get(place_key)
        if framing is not None or subject is None or not self.frames_by_itself_in(demand, subject):
            return framing is not None and framing.whole and demand.is_cropped
        window = self.placement(geometry, place_key, demand, subject).window
        return not keeps_all(geometry, window, subject)

    def is_framed_by_itself(self, place_key: str, demand: PlaceDemand, subject: Subject | None) -> bool:
        """Whether a place shows what was found in the picture, because nobody has said anything else."""
        return place_key not in self.framings and self.frames_by_itself_in(demand, subject)

    def frames_by_itself_in(self, demand: PlaceDemand, subject: Subject | None) -> bool:
        """Whether a place would show what was found in the picture, if it had no framing of its own."""
        if self.focal_point is not None or subject is None:
            return False
        is_free = demand.is_cropped and demand.anchor is Anchor.CENTRE
        return self.frames_itself and is_free and subject.is_sure

    def _framing_by_focal_point(self, demand: PlaceDemand) -> Framing | None:
        if self.focal_point is None or demand.anchor is not Anchor.CENTRE:
            return None
        return Framing(focal_x=self.focal_point.x, focal_y=self.focal_point.y)

    def finds_quality(self, output: OutputId, demand: PlaceDemand) -> bool:
        """Whether the quality is found so that the file keeps the place's ceiling: nobody chose one."""
        own = self.settings(output).quality
        chosen = own if output.format else own or demand.quality
        return demand.max_bytes is not None and chosen is None

    def is_left_out(self, output: OutputId) -> bool:
        """Whether runs pass an output over."""
        return self.settings(output).left_out

    @property
    def focal_point_xy(self) -> Point | None:
        """The focal point in content coordinates."""
        return Point(self.focal_point.x, self.focal_point.y) if self.focal_point else None

    def has_moved(self, geometry: PictureGeometry, place_key: str) -> bool:
        """Whether the picture's frame changed since somebody framed it for a place."""
        framing = self.framings.get(place_key)
        return framing is not None and framing.made_for not in {None, geometry_name(geometry)}

    def written_as(self, output: OutputId, demand: PlaceDemand, usual: FormatName) -> tuple[FormatName, int | None]:
        """Format and quality of an output: this picture's own, else the place's, else the `usual_format`.

        For a further format, only the quality is to be decided.
        """
        own = self.settings(output)
        if (also := output.format) is not None:
            return also, _quality(also, own.quality)
        name = own.format or demand.format or usual
        # a quality that was meant for a format with a usual one would take colours from one that loses nothing
        of_place = demand.quality if name.output.default_quality is not None or demand.format == name else None
        return name, _quality(name, own.quality or of_place)


def _quality(name: FormatName, chosen: int | None) -> int | None:
    """The quality of a file: a chosen one, else the usual one; None for a format without, or without loss."""
    output = name.output
    if not output.qualities or (output.default_quality is None and chosen == output.exact_quality):
        return None
    return chosen or output.default_quality


def _nearly_covers(picture: Size, place: Size) -> bool:
    """Whether next to nothing of a picture would be cut off where it covers a place."""
    width, height = covering_window(picture, place)
    return width * height >= NEARLY_ALL * picture.pixels


def count_areas(steps: Iterable[StepEntry]) -> int:
    """How many shapes were drawn or found in all steps."""
    return sum(len(getattr(entry.step, "shapes", ())) for entry in steps)


def count_edge_points(steps: Iterable[StepEntry]) -> int:
    """How many points the edges of subjects have that were found in all steps."""
    return sum(len(ring) for entry in steps for ring in getattr(entry.step, "rings", ()))


def check_areas(steps: Collection[StepEntry]) -> None:
    """ValueError where steps hold more areas, or points of found edges, together than a picture may have."""
    if count_areas(steps) > MAX_AREAS:
        raise ValueError(f"the steps of a picture hold at most {MAX_AREAS} areas together")
    if count_edge_points(steps) > MAX_EDGE_POINTS:
        raise ValueError(f"the steps of a picture hold at most {MAX_EDGE_POINTS} points of rings together")


def _canvas(geometry: PictureGeometry, demand: PlaceDemand) -> Size:
    """The size that comes out, whatever asks for room in it."""
    return fit(geometry.size, demand.size_for(geometry.size), demand.rule, enlarges=demand.enlarges).canvas


def shows_ground(placement: Placement, demand: PlaceDemand) -> bool:
    """Whether part of the place stays clear around the picture."""
    return demand.rule in {Rule.CONTAIN, Rule.SCALE_DOWN} and demand.ground == "clear" and not placement.covers_canvas


def framing_of_window(geometry: PictureGeometry, place: Size, window: Window) -> Framing:
    """The framing whose window is nearest to `window` (picture pixels)."""
    width, _ = covering_window(geometry.size, place)
    centre = geometry.held_content(window.centre)
    zoom = min(max(width / window.width, 1.0), float(MAX_ZOOM))
    return Framing(focal_x=centre.x, focal_y=centre.y, zoom=zoom, made_for=geometry_name(geometry))


def geometry_name(geometry: PictureGeometry) -> str:
    """A short name of a frame's shape and position, the same wherever they are the same."""
    numbers = [
        geometry.size.width,
        geometry.size.height,
        *(round(float(n), 6) for n in geometry.transform.matrix.ravel()),
    ]
    return sha256(repr(numbers).encode()).hexdigest()[:16]
