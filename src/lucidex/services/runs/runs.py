"""Runs: many pictures in many places as one list of cells, kept in the database from its listing to its end."""

import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.file_list import (
    USUAL_BEFORE,
    USUAL_PATTERN,
    ListedFile,
    Naming,
    check_pattern,
    free_path,
    list_files,
)
from lucidex.records.models import Cell, CellState, Folio, Original, Picture, Place, Run, RunState, Source, now
from lucidex.services.folios.folios import ASKED_AT_ONCE, FolioView, folio_of, read_folio
from lucidex.services.folios.looking import shown_paths
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import read_standing
from lucidex.services.proof.proof_sheet import ProofCell, columns_of, proof_cell
from lucidex.services.rendering.render_requests import PlacedPicture
from lucidex.services.rendering.results import StoredResult, stored_results

MAX_CELLS = 20_000
RATED_BY = 24  # cells ended last: what is left is judged by them
FRESH_SECONDS = 0.4
STOPPED_BEFORE = "Its run was stopped before it was made. Try it again."
STALE_AFTER = timedelta(seconds=60)  # since the last cell ended: after a pause, nothing can be said yet


@dataclass(frozen=True)
class ListedCell:
    """One file that a run would make; `trouble` where it cannot be made, and then it has no name."""

    picture_id: int
    place_id: int
    snapshot_id: int
    output: OutputId
    listed: ListedFile | None
    trouble: str | None = None
    key: str = ""  # of its bytes; empty where it cannot be made


def list_cells(workshop: Workshop, actor: Actor, folio_id: int, pattern: str, day: date) -> list[ListedCell]:
    """All files of a folio with their names, pictures in order and in each the places; what is left out is not there.

    Raises NotUnderstoodError where the pattern is none.
    """
    check_pattern(pattern)
    folio = read_folio(workshop, actor, folio_id)
    open_cells: list[ListedCell] = []
    namings: list[Naming] = []
    states = read_standing(workshop, actor, [picture.id for picture in folio.pictures])
    numbers = {picture.id: number for number, picture in enumerate(folio.pictures, 1)}
    for state in states:
        number = numbers[state.picture_id]
        for cell in (proof_cell(workshop, state, column) for column in columns_of(folio.places)):
            if not cell.is_made:
                continue
            trouble, key = (None, cell.placed.rendering.key) if cell.placed else (cell.trouble, "")
            seat = (state.picture_id, cell.place.id, state.snapshot_id, cell.output)
            open_cells.append(ListedCell(*seat, None, trouble, key))
            if cell.placed is not None:
                namings.append(naming_of(folio, number, day, cell, cell.placed))
    if len(open_cells) > MAX_CELLS:
        raise OutOfRangeError(f"A run makes at most {MAX_CELLS} files; these would be {len(open_cells)}.")
    names = iter(list_files(pattern, namings))
    return [cell if cell.trouble else replace(cell, listed=next(names)) for cell in open_cells]


def naming_of(folio: FolioView, number: int, day: date, cell: ProofCell, placed: PlacedPicture) -> Naming:
    """What a file's name can be made of; `number` counts the folio's pictures from 1."""
    standing = folio.pictures[number - 1 : number]  # none for one that stands apart
    return Naming(
        name=cell.state.file_name,
        place=cell.place.name,
        size=placed.size,
        number=number,
        count=len(folio.pictures),
        date=day.isoformat(),
        group=(standing[0].group_name if standing else "") or folio.folio.name,
        format=placed.rendering.format,
        hides=cell.state.document.hides,
    )


def today() -> date:
    """The day by which names are made, in UTC."""
    return now().date()


def begin_run(workshop: Workshop, actor: Actor, folio_id: int, pattern: str) -> int:
    """List all cells of a folio and let workers have them; the run's id.

    A run of this folio that is still under way is stopped first, so that no cell is worked on twice; where it makes
    the very same files, it is that run which goes on.
    """
    cells = list_cells(workshop, actor, folio_id, pattern, today())
    if not cells:
        raise OutOfRangeError("There is nothing to finish: hang a place and bring a picture in first.")
    with workshop.database.begin() as session:
        folio = folio_of(session, actor, folio_id, to_change=True)  # a second click waits here
        for open_run in session.scalars(
            select(Run).where(Run.folio_id == folio.id, Run.state.in_([RunState.RUNNING, RunState.PAUSED]))
        ):
            if open_run.state == RunState.RUNNING and _makes(session, open_run.id) == [_made(cell) for cell in cells]:
                return open_run.id
            open_run.state, open_run.ended_at = RunState.STOPPED, now()
        run = Run(folio_id=folio.id, person_id=actor.id, pattern=pattern, state=RunState.RUNNING)
        session.add(run)
        session.flush()
        # what is there already is finished at once: only what changed is worked on
        known = _known(session, workshop, cells)
        session.add_all(_row(run.id, seat, cell, known.get(cell.key)) for seat, cell in enumerate(cells))
        if all(cell.trouble or cell.key in known for cell in cells):
            run.state, run.ended_at = RunState.FINISHED, now()
        return run.id


def _known(session: Session, workshop: Workshop, cells: Sequence[ListedCell]) -> dict[str, StoredResult]:
    """The files of some cells that are in the store already, by their keys."""
    keys = [cell.key for cell in cells if cell.key]
    known: dict[str, StoredResult] = {}
    for start in range(0, len(keys), ASKED_AT_ONCE):
        known |= stored_results(session, workshop.results, keys[start : start + ASKED_AT_ONCE])
    return known


def changed_since(workshop: Workshop, actor: Actor, run_id: int) -> int:
    """How many files the folio has by now that a run has not made, or made otherwise."""
    with workshop.database.begin() as session:
        run = run_of(session, actor, run_id)
        folio_id, pattern = run.folio_id, run.pattern
    cells = list_cells(workshop, actor, folio_id, pattern, today())
    with workshop.database.begin() as session:
        made = select(Cell.picture_id, Cell.output, Cell.blob_sha256).where(Cell.run_id == run_id)
        blobs = {(picture, output): blob for picture, output, blob in session.execute(made)}
        known = _known(session, workshop, cells)
    seen = ((cell, known.get(cell.key)) for cell in cells if not cell.trouble)
    return sum(file is None or blobs.get((cell.picture_id, cell.output)) != file.blob_sha256 for cell, file in seen)


def _makes(session: Session, run_id: int) -> list[tuple[int, int, str, str | None]]:
    """Which files a run makes, of which states, under which names."""
    rows = session.scalars(select(Cell).where(Cell.run_id == run_id).order_by(Cell.seat))
    found = ((row, None if row.message and not row.attempt else row.path) for row in rows)
    return [(row.picture_id, row.snapshot_id, row.output, path) for row, path in found]


def _made(cell: ListedCell) -> tuple[int, int, str, str | None]:
    return cell.picture_id, cell.snapshot_id, cell.output, cell.listed.path if cell.listed else None


def _row(run_id: int, seat: int, cell: ListedCell, known: StoredResult | None) -> Cell:
    state = CellState.DONE if known else CellState.FAILED if cell.trouble else CellState.WAITING
    return Cell(
        run_id=run_id,
        seat=seat,
        picture_id=cell.picture_id,
        place_id=cell.place_id,
        snapshot_id=cell.snapshot_id,
        output=cell.output,
        path=cell.listed.path if cell.listed else f"unnamed-{seat}",
        state=state,
        message=cell.trouble,
        blob_sha256=known.blob_sha256 if known else None,
        byte_count=known.byte_count if known else None,
        ended_at=now() if known else None,
    )


@dataclass(frozen=True)
class Progress:
    """How far a run is. `seconds_left` is None where nothing can be said yet."""

    run_id: int
    folio_id: int
    state: str
    message: str | None
    total: int
    done: int
    failed: int
    bytes_before: int
    bytes_after: int
    seconds_left: float | None

    @property
    def is_open(self) -> bool:
        """Whether something may still happen."""
        return self.state in {RunState.RUNNING, RunState.PAUSED}


_seen: OwnCache[tuple[int, str], tuple[float, Progress]] = OwnCache(256)


def run_of(session: Session, actor: Actor, run_id: int, to_change: bool = False) -> Run:
    """The run, or NotFoundError where its folio is not the person's to see; errors as for it where it is changed."""
    run = session.get(Run, run_id)
    if run is None:
        raise NotFoundError("There is no such run.")
    folio_of(session, actor, run.folio_id, to_change)
    if to_change:
        session.refresh(run)  # others that change it waited for the folio too
    return run


def latest_run(workshop: Workshop, actor: Actor, folio_id: int) -> Progress | None:
    """The newest run of a folio."""
    with workshop.database.begin() as session:
        folio_of(session, actor, folio_id)
        run = session.scalar(select(Run).where(Run.folio_id == folio_id).order_by(Run.id.desc()).limit(1))
        return _progress(session, run) if run else None


def latest_pattern(workshop: Workshop, actor: Actor, folio_id: int) -> str:
    """The names that were used for a folio last, or the usual ones."""
    with workshop.database.begin() as session:
        folio_of(session, actor, folio_id)
        found = select(Run.pattern).where(Run.folio_id == folio_id).order_by(Run.id.desc()).limit(1)
        last = session.scalar(found) or USUAL_PATTERN
        return USUAL_PATTERN if last in USUAL_BEFORE else last


def read_progress(workshop: Workshop, actor: Actor, run_id: int) -> Progress:
    """How far a run is."""
    with workshop.database.begin() as session:
        return _progress(session, run_of(session, actor, run_id))


def follow_progress(workshop: Workshop, actor: Actor, run_id: int) -> Progress:
    """The same to within `FRESH_SECONDS`: all who follow a run here share one look at its cells."""
    seen = _seen.of(workshop)
    with workshop.database.begin() as session:
        run = run_of(session, actor, run_id)
        known = seen.get((run_id, run.state))
        if known is not None and time.monotonic() - known[0] < FRESH_SECONDS:
            return known[1]
        progress = _progress(session, run)
    seen.forget((run_id, run.state))
    seen.put_if_absent((run_id, run.state), (time.monotonic(), progress))
    return progress


def _progress(session: Session, run: Run) -> Progress:
    counted = {
        state: (count, int(byte_count or 0))
        for state, count, byte_count in session.execute(
            select(Cell.state, func.count(), func.sum(Cell.byte_count))
            .where(Cell.run_id == run.id)
            .group_by(Cell.state)
        )
    }
    total = sum(count for count, _ in counted.values())
    done, after = counted.get(CellState.DONE, (0, 0))
    failed, _ = counted.get(CellState.FAILED, (0, 0))
    pictures = select(Cell.picture_id).where(Cell.run_id == run.id).distinct()
    files = select(Source.original_sha256).join(Picture).where(Picture.id.in_(pictures))
    before = session.scalar(select(func.coalesce(func.sum(Original.byte_count), 0)).where(Original.sha256.in_(files)))
    left = _seconds_left(session, run, total - done - failed) if run.state == RunState.RUNNING else None
    return Progress(run.id, run.folio_id, run.state, run.message, total, done, failed, int(before or 0), after, left)


def _seconds_left(session: Session, run: Run, open_cells: int) -> float | None:
    ended: list[datetime | None] = list(
        session.scalars(
            select(Cell.ended_at)
            .where(Cell.run_id == run.id, Cell.ended_at.is_not(None))
            .order_by(Cell.ended_at.desc())
            .limit(RATED_BY)
        )
    )
    times = [moment for moment in ended if moment is not None]
    if len(times) < 2 or not open_cells or now() - times[0] > STALE_AFTER:
        return None
    # a run that has just begun is judged from its beginning: that its first cells were waited for counts too
    since = times[-1] if len(times) == RATED_BY else run.created_at
    return max((now() - since).total_seconds(), 0.01) / len(times) * open_cells


def pause_run(workshop: Workshop, actor: Actor, run_id: int) -> None:
    """Let no more cells be taken; those under way come to their end."""
    _to_state(workshop, actor, run_id, RunState.RUNNING, RunState.PAUSED)


def go_on(workshop: Workshop, actor: Actor, run_id: int) -> None:
    """Go on with a paused run."""
    _to_state(workshop, actor, run_id, RunState.PAUSED, RunState.RUNNING)


def stop_run(workshop: Workshop, actor: Actor, run_id: int) -> None:
    """End a run; what is finished stays finished."""
    with workshop.database.begin() as session:
        run = run_of(session, actor, run_id, to_change=True)
        if run.state in {RunState.RUNNING, RunState.PAUSED}:
            run.state, run.message, run.ended_at = RunState.STOPPED, None, now()


def _to_state(workshop: Workshop, actor: Actor, run_id: int, before: RunState, after: RunState) -> None:
    with workshop.database.begin() as session:
        run = run_of(session, actor, run_id, to_change=True)
        if run.state == before:
            run.state, run.message = after, None


def try_again(workshop: Workshop, actor: Actor, cell_id: int) -> int:
    """Let a failed cell be taken once more, with its picture as it is by now, and nothing else of its run; the run's
    id. Its name is what its run would give it now.

    OutOfRangeError where it did not fail, still cannot be made, or another run of its folio is under way.
    """
    with workshop.database.begin() as session:
        cell = session.get(Cell, cell_id)
        if cell is None:
            raise NotFoundError("There is no such cell.")
        run = run_of(session, actor, cell.run_id, to_change=True)
        seat = (cell.picture_id, cell.place_id, cell.output)
        asked = run.folio_id, run.pattern, run.created_at.date()
    listed = next(
        (one for one in list_cells(workshop, actor, *asked) if (one.picture_id, one.place_id, one.output) == seat),
        None,
    )
    if listed is None or listed.listed is None:
        raise OutOfRangeError((listed and listed.trouble) or "This file is no longer asked for.")
    with workshop.database.begin() as session:
        folio_of(session, actor, asked[0], to_change=True)  # whoever begins a run waits here
        cell = session.get_one(Cell, cell_id, with_for_update=True)
        run = session.get_one(Run, cell.run_id, with_for_update=True)
        if cell.state != CellState.FAILED:
            raise OutOfRangeError("This cell did not fail.")
        under_way = Run.state.in_([RunState.RUNNING, RunState.PAUSED])
        if session.scalar(select(Run.id).where(Run.folio_id == run.folio_id, Run.id != run.id, under_way).limit(1)):
            raise OutOfRangeError("Another run of this folio is under way. Wait until it has ended, or stop it.")
        if run.state == RunState.STOPPED:
            stopped = update(Cell).where(Cell.run_id == run.id, Cell.state == CellState.WAITING)
            session.execute(stopped.values(state=CellState.FAILED, message=STOPPED_BEFORE, ended_at=now()))
        others = set(session.scalars(select(Cell.path).where(Cell.run_id == run.id, Cell.id != cell.id)))
        cell.path = free_path(listed.listed.path, others)
        # attempts go on being counted, so that whoever held an earlier one can never write again
        cell.state, cell.tried_from, cell.message, cell.ended_at = CellState.WAITING, cell.attempt, None, None
        cell.snapshot_id = listed.snapshot_id
        run.state, run.ended_at = RunState.RUNNING, None
        return run.id


@dataclass(frozen=True)
class CellRow:
    """A cell as it stands."""

    id: int
    picture_id: int
    place_id: int
    picture: str
    place: str
    path: str
    state: str
    byte_count: int | None
    message: str | None


def read_cells(workshop: Workshop, actor: Actor, run_id: int) -> list[CellRow]:
    """All cells of a run, in order."""
    with workshop.database.begin() as session:
        run_of(session, actor, run_id)
        rows = list(
            session.execute(
                select(Cell, Picture.file_name, Place.name)
                .join(Picture, Picture.id == Cell.picture_id)
                .join(Place, Place.id == Cell.place_id)
                .where(Cell.run_id == run_id)
                .order_by(Cell.seat)
            )
        )
        paths = shown_paths(session, actor, [cell for cell, _, _ in rows])
        return [
            CellRow(c.id, c.picture_id, c.place_id, picture, place, paths[c.id], c.state, c.byte_count, c.message)
            for c, picture, place in rows
        ]


def read_failed(workshop: Workshop, actor: Actor, run_id: int) -> list[CellRow]:
    """The cells of a run that failed, with their reasons."""
    return [cell for cell in read_cells(workshop, actor, run_id) if cell.state == CellState.FAILED]


def folio_name(workshop: Workshop, actor: Actor, run_id: int) -> str:
    """The name of the folio of a run."""
    with workshop.database.begin() as session:
        return session.get_one(Folio, run_of(session, actor, run_id).folio_id).name
