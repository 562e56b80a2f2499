"""What a worker does: it takes a cell, renders it, writes its result, and takes the next one.

Taking is one transaction with SKIP LOCKED, so that workers never wait for each other; each taking raises the attempt,
and a result counts only while its attempt is the present one. A worker that dies leaves a lease that runs out.
"""

import contextlib
import logging
import multiprocessing
import os
import resource
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

import pyvips
from sqlalchemy import ColumnElement, and_, select, update
from sqlalchemy.exc import DBAPIError, SQLAlchemyError
from sqlalchemy.orm import Session

from lucidex.core.document import PictureDocument
from lucidex.core.errors import StorageFullError, UserError
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.output_id import OutputId
from lucidex.records.database import database_clock, from_now, is_full
from lucidex.records.models import Cell, CellState, Person, Place, Run, RunState, Snapshot, now
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import actor_of
from lucidex.services.pictures.documents import PictureState, read_picture, with_document
from lucidex.services.places.places import demand_of
from lucidex.services.rendering.render_requests import PlacedPicture, in_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.rendering.results import StoredResult, release_leases_of

LEASE = timedelta(seconds=30)
MAX_ATTEMPTS = 3
MAX_SECONDS = 240.0  # for one cell: after that its worker ends itself, and the cell has failed
IDLE_SECONDS = 4.0
PAUSE_SECONDS = 0.25
NICENESS = 10
MAX_MEMORY_BYTES = 5_000_000_000  # of a worker, files that are mapped apart; a picture that takes more fails
THREADS = 2  # threads of a worker; only one of them computes
KEPT_BYTES = 48_000_000  # pixels that a worker keeps, for the next format of the same cell
_log = logging.getLogger(__name__)
# what a run sees throughout, whatever changes meanwhile
_states: OwnCache[int, PictureState] = OwnCache(4_096, of_facts=True)
_demands: OwnCache[tuple[int, int], tuple[PlaceDemand, str]] = OwnCache(4_096)
_RUNNING = select(Run.id).where(Run.state == RunState.RUNNING).order_by(Run.id)
# asked for one after the other: each is found by the index of cells, however many others a run has
_OPEN = (
    Cell.state == CellState.WAITING,
    and_(Cell.state == CellState.TAKEN, Cell.lease_until < database_clock()),
)


@dataclass(frozen=True)
class Taken:
    """A cell in somebody's hands."""

    cell_id: int
    run_id: int
    picture_id: int
    place_id: int
    snapshot_id: int
    output: OutputId
    attempt: int
    holder: str


def has_work(workshop: Workshop) -> bool:
    """Whether a running run has a cell that nobody holds; a database that is away has none to give."""
    try:
        with workshop.database.begin() as session:
            return _next_open(session, for_update=False) is not None
    except SQLAlchemyError:
        return False


def _next_open(session: Session, for_update: bool) -> Cell | None:
    """The first cell that nobody holds: of the oldest run, those that wait before those whose holder is gone."""
    runs = list(session.scalars(_RUNNING))
    for run_id in runs:
        for is_open in _OPEN:
            found = select(Cell).where(Cell.run_id == run_id, is_open).order_by(Cell.id).limit(1)
            cell = session.scalar(found.with_for_update(skip_locked=True) if for_update else found)
            if cell is not None:
                return cell
    return None


def take_cell(workshop: Workshop, holder: str) -> Taken | None:
    """The next cell for a holder. One that was taken too often has failed, and the next one is looked for."""
    while True:
        with workshop.database.begin() as session:
            cell = _next_open(session, for_update=True)
            if cell is None:
                _end_runs(session)
                return None
            if cell.attempt - cell.tried_from >= MAX_ATTEMPTS:
                _fail(
                    cell,
                    f"Given up after {MAX_ATTEMPTS} attempts: its worker ended each time, as where memory is short.",
                )
                continue
            if cell.state == CellState.TAKEN and cell.holder is not None:
                release_leases_of(session, cell.holder)  # or its result would be waited for until that lease ends too
            attempt = cell.attempt + 1  # nobody else writes it: the row is locked
            taking = update(Cell).where(Cell.id == cell.id).execution_options(synchronize_session=False)
            values = {"state": CellState.TAKEN, "holder": holder, "lease_until": from_now(LEASE), "attempt": attempt}
            session.execute(taking.values(values))
            seat = (cell.id, cell.run_id, cell.picture_id, cell.place_id, cell.snapshot_id)
            return Taken(*seat, OutputId(cell.output), attempt, holder)


def _end_runs(session: Session) -> None:
    """Runs without an open cell are finished; only who finds nothing to take needs to look."""
    still = select(Cell.id).where(Cell.run_id == Run.id, Cell.state.in_([CellState.WAITING, CellState.TAKEN]))
    session.execute(
        update(Run)
        .where(Run.state == RunState.RUNNING, ~still.exists())
        .values(state=RunState.FINISHED, ended_at=now())
    )


def free_cells(workshop: Workshop) -> None:
    """After a restart nobody on this machine works any more: what its killed workers held is free at once."""
    with workshop.database.begin() as session:
        mine = Cell.holder.startswith(workshop.machine)
        freed = update(Cell).where(Cell.state == CellState.TAKEN, mine)
        session.execute(freed.values(state=CellState.WAITING, lease_until=None))


def give_back(workshop: Workshop, worker: str) -> None:
    """A worker died: what it held is free at once, instead of when its leases run out."""
    with workshop.database.begin() as session:
        held = Cell.holder.startswith(worker[:-1])
        for holder in set(session.scalars(select(Cell.holder).where(Cell.state == CellState.TAKEN, held))):
            if holder is not None:
                release_leases_of(session, holder)
        freed = update(Cell).where(Cell.state == CellState.TAKEN, held)
        session.execute(freed.values(state=CellState.WAITING, lease_until=None))


def _fail(cell: Cell, sentence: str) -> None:
    cell.state, cell.message, cell.ended_at, cell.lease_until = CellState.FAILED, sentence[:400], now(), None


def render_cell(renderer: Renderer, workshop: Workshop, taken: Taken) -> None:
    """Make the file of a cell and write it down; what cannot be made is a failed cell with a sentence."""
    try:
        rendering = _placed(workshop, taken).rendering
        renderer.files.render_file(rendering, lambda session, done: _note_done(session, taken, done), taken.holder)
    except StorageFullError as error:
        return _pause(workshop, taken, error.sentence)
    except UserError as error:
        return _end(workshop, taken, state=CellState.FAILED, message=error.sentence[:400])
    except (MemoryError, pyvips.Error):
        _log.exception("cell %d", taken.cell_id)
        return _end(
            workshop, taken, state=CellState.FAILED, message="It takes more memory than is allowed for one picture."
        )
    except DBAPIError as error:
        if is_full(error):
            return _pause(workshop, taken, "The database's disk is full.")
        raise  # the database is away: the cell is taken up again
    except Exception:  # noqa: BLE001 - whatever it is, it ends this cell and not its worker
        _log.exception("cell %d", taken.cell_id)
        message = "Something went wrong on our side while it was made; the log says what. Try it again."
        return _end(workshop, taken, state=CellState.FAILED, message=message)
    return None


def _placed(workshop: Workshop, taken: Taken) -> PlacedPicture:
    """The cell's picture as it stood when the run was listed, in its place as this run saw it first."""
    states, demands = _states.of(workshop), _demands.of(workshop)
    state, asked = states.get(taken.snapshot_id), demands.get((taken.run_id, taken.place_id))
    if state is None or asked is None:
        with workshop.database.begin() as session:
            person = session.get_one(Person, session.get_one(Run, taken.run_id).person_id)
            document = PictureDocument.read(session.get_one(Snapshot, taken.snapshot_id).body)
            place = session.get_one(Place, taken.place_id)
            asked = demand_of(place), place.name
        actor = actor_of(person)
        state = with_document(read_picture(workshop, actor, taken.picture_id), document)
        states.put_if_absent(taken.snapshot_id, state)
        demands.put_if_absent((taken.run_id, taken.place_id), asked)
    return in_place(workshop, state, taken.output, *asked)


def _end(workshop: Workshop, taken: Taken, **values: object) -> None:
    """Write a result down, if the cell is still in the same hands."""
    with workshop.database.begin() as session:
        _write_end(session, taken, **values)


def _note_done(session: Session, taken: Taken, done: StoredResult) -> None:
    _write_end(
        session, taken, state=CellState.DONE, blob_sha256=done.blob_sha256, byte_count=done.byte_count, message=None
    )


def _write_end(session: Session, taken: Taken, **values: object) -> None:
    ending = update(Cell).where(*_still_held(taken)).execution_options(synchronize_session=False)
    session.execute(ending.values(ended_at=now(), lease_until=None, **values))


def _still_held(taken: Taken) -> tuple[ColumnElement[bool], ...]:
    """The cell is in the same hands, at the same attempt: whoever comes late changes nothing."""
    return (
        Cell.id == taken.cell_id,
        Cell.attempt == taken.attempt,
        Cell.holder == taken.holder,
        Cell.state == CellState.TAKEN,
    )


def _pause(workshop: Workshop, taken: Taken, sentence: str) -> None:
    """The whole run waits where no file could be written; the cell is free again."""
    with workshop.database.begin() as session:
        session.execute(
            update(Cell)
            .where(*_still_held(taken))
            .values(state=CellState.WAITING, lease_until=None, tried_from=taken.attempt)
        )
        session.execute(
            update(Run)
            .where(Run.id == taken.run_id, Run.state == RunState.RUNNING)
            .values(state=RunState.PAUSED, message=f"{sentence} Free some room, then go on."[:400])
        )


def work(files: str, database_url: str, name: str) -> None:
    """The life of a worker process: cell after cell, until there is none for a while. `name` is its own.

    One cell is computed at a time; while its file goes to the disk and into the database, the next one is computed.
    """
    os.nice(NICENESS)
    resource.setrlimit(resource.RLIMIT_DATA, (MAX_MEMORY_BYTES, MAX_MEMORY_BYTES))
    workshop = Workshop(Path(files), database_url)
    pyvips.concurrency_set(1)
    renderer = Renderer(workshop, files_at_once=1, kept_bytes=KEPT_BYTES)
    threads = [
        threading.Thread(target=_work_off, args=(renderer, workshop, f"{name[:-1]}{hand:x}"))
        for hand in range(THREADS)
    ]
    for hand in threads:
        hand.start()
    for hand in threads:
        hand.join()
    workshop.close()


def _work_off(renderer: Renderer, workshop: Workshop, holder: str) -> None:
    idle_since = time.monotonic()
    while time.monotonic() - idle_since < IDLE_SECONDS and _started_by_somebody():
        taken = None
        # a database that is away comes back, or the dispatcher starts another worker later
        with contextlib.suppress(SQLAlchemyError):
            taken = take_cell(workshop, holder)
            if taken is not None:
                with _watched(workshop, taken):
                    render_cell(renderer, workshop, taken)
                idle_since = time.monotonic()
        if taken is None:
            time.sleep(PAUSE_SECONDS)


def _started_by_somebody() -> bool:
    parent = multiprocessing.parent_process()
    return parent is None or parent.is_alive()


@contextlib.contextmanager
def _watched(workshop: Workshop, taken: Taken) -> Iterator[None]:
    """Keeps the lease while the cell is made; ends the whole process where it takes too long."""
    done = threading.Event()
    watcher = threading.Thread(target=_watch, args=(workshop, taken, done.wait), daemon=True)
    watcher.start()
    try:
        yield
    finally:
        done.set()


def _watch(workshop: Workshop, taken: Taken, wait: Callable[[float], bool]) -> None:
    started = time.monotonic()
    while not wait(LEASE.total_seconds() / 3):
        if time.monotonic() - started > MAX_SECONDS:
            minutes = MAX_SECONDS / 60
            # whether or not that can be written down: the worker ends, and its lease runs out
            with contextlib.suppress(SQLAlchemyError):
                _end(workshop, taken, state=CellState.FAILED, message=f"It took longer than {minutes:.0f} minutes.")
            os._exit(1)
        with contextlib.suppress(SQLAlchemyError), workshop.database.begin() as session:
            session.execute(update(Cell).where(*_still_held(taken)).values(lease_until=from_now(LEASE)))
