"""How files are written: format and quality of one cell of the sheet, of a row, or of a whole column."""

from dataclasses import dataclass
from enum import StrEnum

from lucidex.core.document import Output, PictureDocument
from lucidex.core.encode import FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.places.demand import PlaceDemand, amended
from lucidex.core.places.output_id import OutputId
from lucidex.core.source.facts import SourceFacts
from lucidex.core.units import format_weight
from lucidex.services.folios.folios import place_of, read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change
from lucidex.services.pictures.folio_history import recorded
from lucidex.services.pictures.many_documents import Wanted, all_or_none, change_all_in
from lucidex.services.places.places import change_place_in, demand_of
from lucidex.services.proof.proof_sheet import ProofCell
from lucidex.services.rendering.render_requests import PlacedPicture, in_place

SMALLER_PERCENTS = (75, 50, 35)


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
    outputs = [cell.output]
    if scope is Scope.ROW:
        places = read_folio(workshop, actor, cell.state.folio_id).places
        outputs = [OutputId.of(str(place.id)) for place in places]
    alters = [edits.set_output(one, _chosen(cell.state.document, one, written)) for one in outputs]
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


def _chosen(document: PictureDocument, output: OutputId, written: Written) -> Output:
    name = None if output.format else written.format
    return document.settings(output).model_copy(update={"format": name, "quality": written.quality})


def _write_column(workshop: Workshop, actor: Actor, cell: ProofCell, written: Written) -> str:
    """The place itself asks for it; what was chosen for single pictures gives way. All of it, or nothing."""
    output = cell.output
    own = Written(None, written.quality if output.format else None)

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        return edits.set_output(output, _chosen(document, output, own))(document, facts)

    folio = read_folio(workshop, actor, cell.state.folio_id)
    summary = f"Written as {written.words} with all others in “{cell.place.name}”"
    ids = [picture.id for picture in folio.pictures]
    with workshop.database.begin() as session, recorded(session, actor, folio.folio.id, summary, ids):
        place = place_of(session, actor, cell.place.id, to_change=True)
        if output.format is None:
            demand = amended(demand_of(place), format=written.format, quality=written.quality)
            change_place_in(session, actor, place.id, place.version, demand, place.name)
        all_or_none(change_all_in(session, actor, dict.fromkeys(ids, Wanted(alter)), summary))
    name = output.format.label if output.format else written.words
    return f"All {len(folio.pictures)} in “{cell.place.name}” are written as {name}."


def chosen_quality(cell: ProofCell) -> int | None:
    """The quality that somebody chose for a cell, for this picture or for its place."""
    own = cell.state.document.settings(cell.output).quality
    return own if own or cell.output.format else demand_of(cell.place).quality


def accept_weight(workshop: Workshop, actor: Actor, cell: ProofCell, byte_count: int) -> None:
    """Let this picture be as heavy as it is in this place."""
    settings = cell.state.document.settings(cell.output).model_copy(update={"accepted_bytes": byte_count})
    message = f"{format_weight(byte_count)} accepted for “{cell.place.name}”"
    alter = edits.set_output(cell.output, settings)
    change(workshop, actor, cell.state.picture_id, cell.state.version, message, alter)


def smaller(workshop: Workshop, cell: ProofCell, percent: int) -> PlacedPicture:
    """The picture in a smaller place of the same shape. OutOfRangeError where the place has no size to be smaller."""
    return in_place(workshop, cell.state, cell.output, smaller_demand(cell, percent), cell.place.name)


def smaller_demand(cell: ProofCell, percent: int) -> PlaceDemand:
    """What the place asks for, so many per cent as large."""
    demand = demand_of(cell.place)
    measure = demand.measure.at_percent(percent)
    if measure is None:
        raise OutOfRangeError("Only a place with a size of its own can be made smaller here.")
    return amended(demand, measure=measure.model_dump())


def smaller_choices(cell: ProofCell) -> list[tuple[int, str]]:
    """Per cent and words of the smaller sizes that are offered."""
    measure = demand_of(cell.place).measure
    offered = [(percent, measure.at_percent(percent)) for percent in SMALLER_PERCENTS]
    return [(percent, smaller.words()) for percent, smaller in offered if smaller is not None]
