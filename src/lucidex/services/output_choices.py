"""How files are written: format and quality of one cell of the sheet, of a row, or of a whole column."""

from dataclasses import dataclass
from enum import StrEnum

from lucidex.core.document import Output, output_key
from lucidex.core.encode import FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.places.demand import PlaceDemand, amended
from lucidex.core.places.measures import ExactSize
from lucidex.core.units import format_weight
from lucidex.services import edits
from lucidex.services.documents import change, read_picture
from lucidex.services.folios import read_folio
from lucidex.services.people import Actor
from lucidex.services.places import change_place, demand_of, find_place
from lucidex.services.proof_sheet import ProofCell
from lucidex.services.render_requests import PlacedPicture, in_place
from lucidex.services.workshop import Workshop

SMALLER_PERCENTS = (75, 50)


class Scope(StrEnum):
    """How far a choice goes."""

    CELL = "cell"
    ROW = "row"
    COLUMN = "column"


@dataclass(frozen=True)
class Written:
    """Format and quality; None leaves the format to what suits, and the quality to be found by itself."""

    format: FormatName | None
    quality: int | None

    @property
    def words(self) -> str:
        """For example: AVIF at quality 60."""
        name = self.format.label if self.format else "what suits"
        return name + (f" at quality {self.quality}" if self.quality else "")


def write_as(workshop: Workshop, actor: Actor, cell: ProofCell, written: Written, scope: Scope) -> str:
    """Choose format and quality as far as `scope` says; a sentence about what was done.

    A further format stays what it is; only its quality is chosen.
    """
    if scope is Scope.COLUMN:
        return _write_column(workshop, actor, cell, written)
    place_ids = [cell.place.id]
    also = cell.also
    if scope is Scope.ROW:
        also = None
        place_ids = [place.id for place in read_folio(workshop, actor, cell.state.folio_id).places]
    alters = [
        edits.set_output(place_id, _chosen(cell.state.document.outputs, place_id, also, written), also)
        for place_id in place_ids
    ]
    where = f"“{cell.place.name}”" if scope is Scope.CELL else "every place"
    change(
        workshop,
        actor,
        cell.state.picture_id,
        cell.state.version,
        f"Written as {written.words} for {where}",
        edits.several(*alters),
    )
    return f"“{cell.state.file_name}” is written as {written.words} for {where}."


def _chosen(outputs: dict[str, Output], place_id: int, also: FormatName | None, written: Written) -> Output:
    before = outputs.get(output_key(str(place_id), also), Output())
    return before.model_copy(update={"format": None if also else written.format, "quality": written.quality})


def _write_column(workshop: Workshop, actor: Actor, cell: ProofCell, written: Written) -> str:
    """The place itself asks for it; what was chosen for single pictures gives way, each with a change of its own."""
    place = find_place(workshop, actor, cell.place.id)
    if cell.also is None:
        demand = amended(demand_of(place), format=written.format, quality=written.quality)
        change_place(workshop, actor, place.id, place.version, demand, place.name)
    pictures = read_folio(workshop, actor, cell.state.folio_id).pictures
    own = Written(None, written.quality if cell.also else None)
    for picture in pictures:
        state = read_picture(workshop, actor, picture.id)
        output = _chosen(state.document.outputs, place.id, cell.also, own)
        summary = f"Written as {written.words} with all others in “{place.name}”"
        change(workshop, actor, picture.id, state.version, summary, edits.set_output(place.id, output, cell.also))
    name = cell.also.label if cell.also else written.words
    return f"All {len(pictures)} in “{place.name}” are written as {name}."


def chosen_quality(cell: ProofCell) -> int | None:
    """The quality that somebody chose for a cell, for this picture or for its place."""
    own = cell.state.document.outputs.get(output_key(str(cell.place.id), cell.also), Output()).quality
    return own if own or cell.also else demand_of(cell.place).quality


def accept_weight(workshop: Workshop, actor: Actor, cell: ProofCell, byte_count: int) -> None:
    """Let this picture be as heavy as it is in this place."""
    before = cell.state.document.outputs.get(output_key(str(cell.place.id), cell.also), Output())
    output = before.model_copy(update={"accepted_bytes": byte_count})
    message = f"{format_weight(byte_count)} accepted for “{cell.place.name}”"
    alter = edits.set_output(cell.place.id, output, cell.also)
    change(workshop, actor, cell.state.picture_id, cell.state.version, message, alter)


def smaller(workshop: Workshop, cell: ProofCell, percent: int) -> PlacedPicture:
    """The picture in a smaller place of the same shape. OutOfRangeError where the place has no size to be smaller."""
    return in_place(workshop, cell.state, str(cell.place.id), smaller_demand(cell, percent), cell.also)


def smaller_demand(cell: ProofCell, percent: int) -> PlaceDemand:
    """What the place asks for, so many per cent as large."""
    demand = demand_of(cell.place)
    if not isinstance(demand.measure, ExactSize):
        raise OutOfRangeError("Only a place with a size of its own can be made smaller here.")
    width, height = (
        max(1, round(side * percent / 100)) for side in (demand.measure.width_px, demand.measure.height_px)
    )
    return amended(demand, measure={"by": "size", "width_px": width, "height_px": height})
