"""What was decided about one picture: steps, framings, settings per place, texts. One document, one version."""

from collections.abc import Callable
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from lucidex.core.encode import FormatName
from lucidex.core.errors import UnavailableError
from lucidex.core.frame import Frame
from lucidex.core.geometry import Placement, Point, Rule, Size, Window, clamped_window, covering_window, fit
from lucidex.core.places import PlaceDemand
from lucidex.core.steps import StepEntry, frame_after

SCHEMA_REVISION = 1
MAX_STEPS = 200
UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}  # from a revision to the next one

PlaceKey = Annotated[str, Field(pattern=r"^\d{1,18}$")]


class Framing(BaseModel):
    """The part of the picture that a place shows: a focal point of the content, and how much closer.

    `focal_x` and `focal_y` are fractions of the upright original; `zoom` 1 is the largest window of the
    place's shape.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    focal_x: Annotated[float, Field(ge=0, le=1)] = 0.5
    focal_y: Annotated[float, Field(ge=0, le=1)] = 0.5
    zoom: Annotated[float, Field(ge=1, le=10_000)] = 1.0

    def window(self, frame: Frame, place: Size) -> Window:
        """The window in picture pixels, of the place's exact shape, held inside the picture."""
        width, height = covering_window(frame.size, place, self.zoom)
        return clamped_window(frame.to_picture(Point(self.focal_x, self.focal_y)), width, height, frame.size)


class Output(BaseModel):
    """Format and quality of this picture in one place, where they differ from what the place says."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: FormatName | None = None
    quality: Annotated[int, Field(ge=1, le=100)] | None = None


class Texts(BaseModel):
    """The texts that publication asks for."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    alternative: Annotated[str, Field(max_length=2_000)] = ""
    caption: Annotated[str, Field(max_length=4_000)] = ""
    credit: Annotated[str, Field(max_length=400)] = ""


class PictureDocument(BaseModel):
    """Everything about one picture that can be taken back and made again."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_revision: int = Field(default_factory=lambda: SCHEMA_REVISION)
    steps: Annotated[tuple[StepEntry, ...], Field(max_length=MAX_STEPS)] = ()
    framings: dict[PlaceKey, Framing] = Field(default_factory=dict)
    outputs: dict[PlaceKey, Output] = Field(default_factory=dict)
    texts: Texts = Texts()

    @model_validator(mode="after")
    def _can_be_read_again(self) -> Self:
        if self.schema_revision != SCHEMA_REVISION:
            raise ValueError(f"a document is written with schema revision {SCHEMA_REVISION}")
        if len({entry.id for entry in self.steps}) != len(self.steps):
            raise ValueError("each step needs an id of its own")
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

    def frame(self, upright: Size) -> Frame:
        """What the active steps make of the upright original."""
        return frame_after(Frame.of(upright), self.steps)

    def placement(self, frame: Frame, place_key: str, demand: PlaceDemand) -> Placement:
        """Where the picture goes in a place.

        Raises OutOfRangeError where the place's size for this picture exceeds the limits.
        """
        place = demand.size_for(frame.size)
        framing = self.framings.get(place_key)
        framed = framing.window(frame, place) if framing and demand.is_framed else None
        return fit(frame.size, place, demand.rule, demand.anchor, framed)

    def output(self, place_key: str, demand: PlaceDemand, has_clear_areas: bool) -> tuple[FormatName, int | None]:
        """Format and quality for a place: this picture's own, else the place's, else what suits."""
        own = self.outputs.get(place_key, Output())
        suits = FormatName.PNG if has_clear_areas else FormatName.JPEG
        name = own.format or demand.format or suits
        default = name.output.default_quality
        return name, None if default is None else own.quality or demand.quality or default


def shows_ground(placement: Placement, demand: PlaceDemand) -> bool:
    """Whether part of the place stays clear around the picture."""
    return demand.rule is Rule.CONTAIN and demand.ground == "clear" and not placement.covers_canvas


def framing_of_window(frame: Frame, place: Size, window: Window) -> Framing:
    """The framing whose window is nearest to `window` (picture pixels)."""
    width, _ = covering_window(frame.size, place)
    centre = frame.to_content(window.centre)
    return Framing(
        focal_x=min(max(centre.x, 0.0), 1.0),
        focal_y=min(max(centre.y, 0.0), 1.0),
        zoom=min(max(width / window.width, 1.0), 10_000.0),
    )
