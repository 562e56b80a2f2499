"""What the API says and takes."""

from datetime import datetime
from typing import Annotated, Self

from pydantic import BaseModel, Field, model_validator

from lucidex.core.document import Framing, PictureDocument, StepList, check_areas
from lucidex.core.geometry.sizes import Size
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.source.facts import SourceFacts
from lucidex.records.models import Picture, Place
from lucidex.services.folios.folios import FolioRow, FolioView
from lucidex.services.pictures.documents import PictureState
from lucidex.services.pictures.folio_history import FolioEntry
from lucidex.services.places.places import demand_of

Version = Annotated[int, Field(ge=1, description="The version that was read; another one by now answers 409.")]


class SizeOut(BaseModel):
    """Whole pixels."""

    width: int
    height: int

    @classmethod
    def of(cls, size: Size) -> "SizeOut":
        """From the core's type."""
        return cls(width=size.width, height=size.height)


class FolioIn(BaseModel):
    """A folio to make."""

    name: Annotated[str, Field(min_length=1, max_length=120)]


class FolioOut(BaseModel):
    """A folio in a list."""

    id: int
    name: str
    owner: str
    is_own: bool
    pictures: int
    changed_at: datetime

    @classmethod
    def of(cls, row: FolioRow) -> "FolioOut":
        """From the service's row."""
        return cls.model_validate(row, from_attributes=True)


class PictureOut(BaseModel):
    """A picture in a list."""

    id: int
    file_name: str
    size: SizeOut
    format: str
    byte_count: int
    sha256: str

    @classmethod
    def of(cls, picture: Picture) -> "PictureOut":
        """From the row."""
        facts = SourceFacts.model_validate(picture.source.facts)
        return cls(
            id=picture.id,
            file_name=picture.file_name,
            size=SizeOut.of(facts.upright),
            format=facts.format,
            byte_count=picture.source.original.byte_count,
            sha256=picture.source.original_sha256,
        )


class PlaceOut(BaseModel):
    """A place."""

    id: int
    name: str
    version: int
    demand: PlaceDemand

    @classmethod
    def of(cls, place: Place) -> "PlaceOut":
        """From the row."""
        return cls(id=place.id, name=place.name, version=place.version, demand=demand_of(place))


class FolioDetail(BaseModel):
    """A folio with what stands in it."""

    id: int
    name: str
    pictures: list[PictureOut]
    places: list[PlaceOut]

    @classmethod
    def of(cls, view: FolioView) -> "FolioDetail":
        """From the service's view."""
        return cls(
            id=view.folio.id,
            name=view.folio.name,
            pictures=[PictureOut.of(picture) for picture in view.pictures],
            places=[PlaceOut.of(place) for place in view.places],
        )


class PictureTaken(BaseModel):
    """A picture that was brought in; `notes` say what was adjusted or noticed."""

    id: int
    folio_id: int
    file_name: str
    size: SizeOut
    format: str
    byte_count: int
    notes: list[str]


class DocumentOut(BaseModel):
    """A picture's document with its version; `size` is what the active steps make of the picture."""

    picture_id: int
    version: int
    original_size: SizeOut
    size: SizeOut
    undo: str | None
    redo: str | None
    notes: list[str]
    document: PictureDocument

    @classmethod
    def of(cls, state: PictureState) -> "DocumentOut":
        """From the service's state."""
        geometry = state.geometry
        return cls(
            picture_id=state.picture_id,
            version=state.version,
            original_size=SizeOut.of(state.facts.upright),
            size=SizeOut.of(geometry.size),
            undo=state.undo,
            redo=state.redo,
            notes=[note.sentence for note in geometry.remarks],
            document=state.document,
        )


class DocumentIn(BaseModel):
    """A whole document in place of the one that was read."""

    version: Version
    document: PictureDocument
    message: Annotated[str, Field(max_length=200, description="A few words for the history")] = "Changed by a script"


class VersionIn(BaseModel):
    """The version that was read."""

    version: Version


class PlaceIn(BaseModel):
    """A place to hang: `typed` in words such as `1600x640 under 180 kB`, or a whole `demand`."""

    name: Annotated[str, Field(max_length=120)] = ""
    typed: Annotated[str, Field(max_length=200)] | None = None
    demand: PlaceDemand | None = None


class PlaceChange(PlaceIn):
    """A place as it shall be."""

    version: Version


class RenderIn(BaseModel):
    """A rendering that leaves nothing behind: steps and framing in place of the document's, for any demand."""

    typed: Annotated[str, Field(max_length=200)] | None = None
    demand: PlaceDemand | None = None
    steps: StepList | None = None
    framing: Framing | None = None
    texts: bool = False

    @model_validator(mode="after")
    def _has_few_areas(self) -> Self:
        check_areas(self.steps or ())
        return self


class FolioAction(BaseModel):
    """Something done to the places of a folio, or to several pictures at once."""

    id: int
    summary: str
    person: str
    created_at: datetime
    counts: bool

    @classmethod
    def of(cls, entry: FolioEntry) -> "FolioAction":
        """As the folio's history has it."""
        return cls(
            id=entry.change_id,
            summary=entry.summary,
            person=entry.person,
            created_at=entry.created_at,
            counts=entry.counts,
        )


class ActionMoved(BaseModel):
    """What an action that was taken back, or made again, came to."""

    places: list[str]
    pictures: list[str]
    left_as_they_are: list[str]
