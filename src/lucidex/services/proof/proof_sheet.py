"""The proof sheet: every picture of a folio in every place, with what deserves a look."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from pydantic import JsonValue
from sqlalchemy import select

from lucidex.core.document import Framing, framing_of_window, geometry_name
from lucidex.core.errors import NotFoundError, OutOfRangeError, UserError
from lucidex.core.geometry.sizes import Window
from lucidex.core.places.demand import demand_words
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.statistics import PixelStatistics
from lucidex.core.proof.warnings import Flag, Framed, flags
from lucidex.core.proof.warnings.softer import FINENESS
from lucidex.records.models import Place, Result
from lucidex.services.folios.folios import ASKED_AT_ONCE, FolioView
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import Alter, PictureState, change, read_picture, read_standing
from lucidex.services.pictures.framing import middle, next_proposal
from lucidex.services.places.places import demand_of, find_place
from lucidex.services.proof.fineness import Columns, note_fineness, read_fineness
from lucidex.services.rendering.render_requests import PlacedPicture, in_place
from lucidex.services.rendering.results import StoredResult, statistics_kept

_placed_pictures: OwnCache[tuple[int, int, int, OutputId], PlacedPicture] = OwnCache(8_192, of_facts=True)
NOTHING_TO_MOVE = "This place shows the whole picture; there is nothing to move."


@dataclass(frozen=True)
class Column:
    """A column of the sheet: a place, in its first format or in a further one."""

    place: Place
    output: OutputId

    @property
    def words(self) -> str:
        """What stands over it, beside the place's name."""
        return demand_words(demand_of(self.place).model_copy(update={"also": (), "format": None}))

    @property
    def format_words(self) -> str:
        """Its format; “format” where each picture has what suits it."""
        name = self.output.format or demand_of(self.place).format
        return name.label if name else "format"


def columns_of(places: Sequence[Place]) -> list[Column]:
    """The columns of some places."""
    return [
        Column(place, OutputId.of(str(place.id), also)) for place in places for also in (None, *demand_of(place).also)
    ]


@dataclass(frozen=True)
class ProofCell:
    """A picture in a place: worked out, with its warnings, or a sentence where it cannot be made.

    A further format that is the picture's first one already is not made twice.
    """

    state: PictureState
    place: Place
    output: OutputId
    placed: PlacedPicture | None
    trouble: str | None
    is_left_out: bool
    flags: tuple[Flag, ...]
    byte_count: int | None = None  # of its file, where that is there already

    @property
    def repeats(self) -> bool:
        """Whether it would be the same file as the first format's."""
        also = self.output.format
        return also is not None and self.placed is not None and also == self.placed.first_format

    @property
    def is_cropped(self) -> bool:
        """Whether its place shows a part, which can be chosen."""
        return self.placed is not None and demand_of(self.place).is_cropped

    @property
    def is_made(self) -> bool:
        """Whether runs make a file of it."""
        return not self.is_left_out and not self.repeats

    @property
    def needs_look(self) -> bool:
        """Whether somebody should look before it leaves."""
        return self.is_made and (self.trouble is not None or bool(self.flags))

    def flags_at(
        self, byte_count: int, statistics: PixelStatistics | None = None, neighbours: Sequence[float] = ()
    ) -> tuple[Flag, ...]:
        """All warnings, once the file is known; `neighbours` is how fine the others of the column are."""
        if self.placed is None:
            return self.flags
        return flags(
            replace(self.placed.case, byte_count=byte_count, statistics=statistics, neighbours=tuple(neighbours))
        )


@dataclass(frozen=True)
class ProofRow:
    """A picture with its cells."""

    state: PictureState
    cells: list[ProofCell]

    @property
    def lacks_text(self) -> bool:
        """Whether its alternative text is missing."""
        return not self.state.document.texts.alternative.strip()

    @property
    def needs_look(self) -> bool:
        """Whether one of its cells does."""
        return any(cell.needs_look for cell in self.cells)


def proof_cell(workshop: Workshop, state: PictureState, column: Column) -> ProofCell:
    """One cell, not rendered."""
    left_out = state.document.is_left_out(column.output)
    try:
        placed = _placed(workshop, state, column)
    except UserError as error:
        return ProofCell(state, column.place, column.output, None, error.sentence, left_out, ())
    return ProofCell(state, column.place, column.output, placed, None, left_out, placed.flags)


def _placed(workshop: Workshop, state: PictureState, column: Column) -> PlacedPicture:
    """What a version of a picture is in a version of a place never changes, so it is worked out once."""
    placed = _placed_pictures.of(workshop)
    key = (state.picture_id, state.version, column.place.version, column.output)
    known = placed.get(key)
    if known is None:
        known = in_place(workshop, state, column.output, demand_of(column.place), column.place.name)
        placed.put_if_absent(key, known)
    return known


def find_cell(workshop: Workshop, actor: Actor, picture_id: int, output: OutputId) -> ProofCell:
    """One cell of a folio. NotFoundError where picture and place do not belong together."""
    state = read_picture(workshop, actor, picture_id)
    place = find_place(workshop, actor, int(output.place))
    if place.folio_id != state.folio_id:
        raise NotFoundError("This place hangs in another folio.")
    return proof_cell(workshop, state, Column(place, output))


def proof_rows(
    workshop: Workshop, actor: Actor, folio: FolioView, picture_ids: Collection[int] | None = None
) -> list[ProofRow]:
    """All rows, or those of some pictures, with their cells, not rendered.

    What is finished already shows its weight's warnings too.
    """
    rendering = [picture.id for picture in folio.pictures if picture_ids is None or picture.id in picture_ids]
    states = read_standing(workshop, actor, rendering)
    columns = columns_of(folio.places)
    rows = [ProofRow(state, [proof_cell(workshop, state, column) for column in columns]) for state in states]
    known = _known(workshop, [cell.placed.rendering.key for row in rows for cell in row.cells if cell.placed])
    fine = {
        (cell.state.picture_id, cell.output): seen[1].saw(FINENESS)
        for row in rows
        for cell in row.cells
        if cell.placed and (seen := known.get(cell.placed.rendering.key)) is not None and seen[1] is not None
    }
    columns_fineness = _noted(workshop, [place.id for place in folio.places], fine)
    return [ProofRow(row.state, [_seen(cell, known, columns_fineness) for cell in row.cells]) for row in rows]


def _seen(cell: ProofCell, known: dict[str, tuple[int, PixelStatistics | None]], columns: Columns) -> ProofCell:
    if cell.placed is None or (seen := known.get(cell.placed.rendering.key)) is None:
        return cell
    weight, statistics = seen
    return replace(cell, flags=cell.flags_at(weight, statistics, _beside(cell, columns)), byte_count=weight)


def _noted(workshop: Workshop, place_ids: Sequence[int], fine: Mapping[tuple[int, OutputId], JsonValue]) -> Columns:
    """How fine the pictures in some places are, with what was seen now."""
    columns = read_fineness(workshop, place_ids)
    told = {at: fineness for at, fineness in fine.items() if isinstance(fineness, float)}
    note_fineness(workshop, {at: one for at, one in told.items() if columns.get(at[1], {}).get(at[0]) != one})
    for (picture_id, output), fineness in told.items():
        columns.setdefault(output, {})[picture_id] = fineness
    return columns


def _beside(cell: ProofCell, columns: Columns) -> list[float]:
    """How fine the other cells of a column are, as far as they were seen."""
    column = columns.get(cell.output, {})
    return [fineness for picture_id, fineness in column.items() if picture_id != cell.state.picture_id]


def flags_of(workshop: Workshop, cell: ProofCell, result: StoredResult) -> tuple[Flag, ...]:
    """All warnings of a cell whose file is there, beside the others of its column."""
    fineness = result.statistics.saw(FINENESS) if result.statistics else None
    columns = _noted(workshop, [cell.place.id], {(cell.state.picture_id, cell.output): fineness})
    return cell.flags_at(result.byte_count, result.statistics, _beside(cell, columns))


_MEASURED = (Result.looks, Result.likeness, Result.quality, Result.findings)


def _known(workshop: Workshop, keys: list[str]) -> dict[str, tuple[int, PixelStatistics | None]]:
    found: dict[str, tuple[int, PixelStatistics | None]] = {}
    with workshop.database.begin() as session:
        for start in range(0, len(keys), ASKED_AT_ONCE):
            some = keys[start : start + ASKED_AT_ONCE]
            rows = session.execute(
                select(Result.key_sha256, Result.byte_count, *_MEASURED).where(
                    Result.key_sha256.in_(some), Result.blob_sha256.is_not(None)
                )
            )
            found |= {key: (weight or 0, statistics_kept(*measured)) for key, weight, *measured in rows}
    return found


def nudge(workshop: Workshop, actor: Actor, cell: ProofCell, across: float, down: float, closer: float) -> ProofCell:
    """Move a framing by shares of its window, or look closer; the cell as it is then."""
    if not cell.is_cropped:
        raise OutOfRangeError(NOTHING_TO_MOVE)
    placement = cell.state.placement(str(cell.place.id), demand_of(cell.place))
    window, geometry = placement.window, cell.state.geometry
    width, height = window.width / closer, window.height / closer
    left = window.left + across * window.width + (window.width - width) / 2
    top = window.top + down * window.height + (window.height - height) / 2
    framing = framing_of_window(geometry, placement.drawn, Window(left, top, width, height))
    return _changed(
        workshop, actor, cell, f"Framed for “{cell.place.name}”", edits.set_framing(cell.place.id, framing)
    )


def propose(workshop: Workshop, actor: Actor, cell: ProofCell, in_the_middle: bool) -> ProofCell:
    """Show the next proposal of the picture's own, or its middle."""
    if not cell.is_cropped:
        raise OutOfRangeError(NOTHING_TO_MOVE)
    key, demand = str(cell.place.id), demand_of(cell.place)
    framing = middle(cell.state, key, demand) if in_the_middle else next_proposal(workshop, cell.state, key, demand)
    said = f"{'The middle' if in_the_middle else 'The next proposal'} for “{cell.place.name}”"
    return _changed(workshop, actor, cell, said, edits.set_framing(cell.place.id, framing))


def accept(workshop: Workshop, actor: Actor, cell: ProofCell) -> ProofCell:
    """Say that a framing is right as it is seen."""
    if cell.placed is None or not cell.is_cropped:
        return cell
    if cell.placed.case.framed is Framed.WHOLE:
        whole = Framing(whole=True, made_for=geometry_name(cell.state.geometry))
        said = f"Shown whole in “{cell.place.name}”, found right"
        return _changed(workshop, actor, cell, said, edits.set_framing(cell.place.id, whole))
    framing = cell.state.document.framings.get(str(cell.place.id)) or framing_of_window(
        cell.state.geometry, cell.placed.placement.drawn, cell.placed.placement.window
    )
    kept: Framing = framing.model_copy(update={"made_for": geometry_name(cell.state.geometry), "proposal": None})
    message = f"Framing of “{cell.place.name}” found right"
    return _changed(workshop, actor, cell, message, edits.set_framing(cell.place.id, kept))


def leave_out(workshop: Workshop, actor: Actor, cell: ProofCell, out: bool) -> ProofCell:
    """Let runs pass a cell over, or make it again."""
    settings = cell.state.document.settings(cell.output).model_copy(update={"left_out": out})
    message = f"{'Left out of' if out else 'Put back into'} {_named(cell)}"
    return _changed(workshop, actor, cell, message, edits.set_output(cell.output, settings))


def _named(cell: ProofCell) -> str:
    return f"“{cell.place.name}”" + (f" as {cell.output.format.label}" if cell.output.format else "")


def _changed(workshop: Workshop, actor: Actor, cell: ProofCell, summary: str, alter: Alter) -> ProofCell:
    state = change(workshop, actor, cell.state.picture_id, cell.state.version, summary, alter)
    return proof_cell(workshop, state, Column(cell.place, cell.output))
