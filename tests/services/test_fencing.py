"""Nobody writes what is no longer theirs, whatever the clocks say; many at once are as good as one after another."""

import hashlib
import threading
import time
from collections.abc import Callable
from datetime import timedelta

import pytest
from sqlalchemy import select, update
from sqlalchemy.exc import OperationalError

from lucidex.core.errors import DamagedStoreError, NotAllowedError, StorageFullError
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.file_list import USUAL_PATTERN
from lucidex.core.routine import Routine, RoutineStep
from lucidex.core.steps.tone import Exposure
from lucidex.records.models import Cell, CellState, Result, Run, RunState, Scope, now
from lucidex.services.assets import logos
from lucidex.services.folios import folios
from lucidex.services.house.caches import CappedCache
from lucidex.services.house.workshop import Workshop, machine_name
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.intake.sources import original_file
from lucidex.services.people.people import Actor
from lucidex.services.places.places import hang_place
from lucidex.services.rendering import results
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.routines import routines
from lucidex.services.runs import runs, worker
from tests.conftest import encoded, on_disk, picture


@pytest.fixture
def folio(workshop: Workshop, actor: Actor) -> int:
    seed = int(time.time_ns() % 10**9)
    taken = bring_in(workshop, actor, NewFolio("Fences"), "f.png", [encoded(picture(40, 30, seed=seed))])
    hang_place(workshop, actor, taken.folio_id, read_demand("20x10").demand())
    return taken.folio_id


def at_once(count: int, act: Callable[[int], object]) -> list[Exception]:
    """Many at the very same moment; what went wrong."""
    troubles: list[Exception] = []
    ready = threading.Barrier(count)

    def one(number: int) -> None:
        ready.wait(20)
        try:
            act(number)
        except Exception as error:  # noqa: BLE001
            troubles.append(error)

    threads = [threading.Thread(target=one, args=(number,)) for number in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return troubles


def cell_of(workshop: Workshop, run_id: int) -> Cell:
    with workshop.database.begin() as session:
        return session.scalars(select(Cell).where(Cell.run_id == run_id)).one()


def test_a_late_worker_cannot_overwrite_what_was_tried_again(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int
) -> None:
    """It held the first attempt; the cell failed, was tried again, and is in other hands by now."""
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    late = worker.take_cell(workshop, workshop.new_holder())
    assert late is not None
    assert late.run_id == run_id
    worker._end(workshop, late, state=CellState.FAILED, message="it failed")
    runs.try_again(workshop, actor, late.cell_id)
    new = worker.take_cell(workshop, workshop.new_holder())
    assert new is not None
    assert (new.cell_id, new.attempt) == (late.cell_id, 2), "attempts go on being counted"
    worker._end(workshop, late, state=CellState.DONE, blob_sha256="0" * 64, byte_count=1)
    assert cell_of(workshop, run_id).state == CellState.TAKEN
    worker.render_cell(renderer, workshop, new)
    done = cell_of(workshop, run_id)
    assert done.state == CellState.DONE
    assert done.blob_sha256 != "0" * 64


def test_one_of_the_same_attempt_under_another_name_cannot_write(
    workshop: Workshop, actor: Actor, folio: int
) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    taken = worker.take_cell(workshop, workshop.new_holder())
    assert taken is not None
    with workshop.database.begin() as session:
        session.execute(update(Cell).where(Cell.id == taken.cell_id).values(holder=workshop.new_holder()))
    worker._end(workshop, taken, state=CellState.FAILED, message="late")
    assert cell_of(workshop, run_id).state == CellState.TAKEN
    runs.stop_run(workshop, actor, run_id)


def test_trying_again_gives_all_attempts_anew(workshop: Workshop, actor: Actor, folio: int) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    with workshop.database.begin() as session:
        session.execute(update(Cell).where(Cell.run_id == run_id).values(attempt=worker.MAX_ATTEMPTS))
    assert worker.take_cell(workshop, "h" * 32) is None
    failed = cell_of(workshop, run_id)
    assert failed.state == CellState.FAILED
    runs.try_again(workshop, actor, failed.id)
    taken = worker.take_cell(workshop, "h" * 32)
    assert taken is not None
    assert taken.attempt == worker.MAX_ATTEMPTS + 1
    runs.stop_run(workshop, actor, run_id)


def test_leases_go_by_the_databases_clock(
    workshop: Workshop, actor: Actor, folio: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A machine whose clock is a day behind, or ahead, neither loses its own cells nor takes others'."""
    for off in (timedelta(days=-1), timedelta(days=1)):
        run_id = runs.begin_run(workshop, actor, folio, f"{{name}}-{off.days}")
        with monkeypatch.context() as wrong:
            for module in (worker, results):
                wrong.setattr(module, "now", lambda off=off: now() + off)
            taken = worker.take_cell(workshop, "a" * 32)
            assert taken is not None
            assert worker.take_cell(workshop, "b" * 32) is None
        with workshop.database.begin() as session:
            lease = session.get_one(Cell, taken.cell_id).lease_until
        assert lease is not None
        assert timedelta() < lease - now() <= worker.LEASE + timedelta(seconds=5)
        runs.stop_run(workshop, actor, run_id)


def test_a_start_frees_only_what_its_own_processes_held(workshop: Workshop, actor: Actor, folio: int) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    assert worker.take_cell(workshop, "f" * 32) is not None  # another machine's
    with workshop.database.begin() as session:
        session.add(Result(key_sha256=f"{run_id:064x}", holder="f" * 32, lease_until=now() + timedelta(hours=1)))
    worker.free_cells(workshop)
    results.release_leases(workshop)
    assert cell_of(workshop, run_id).state == CellState.TAKEN
    with workshop.database.begin() as session:
        held = session.scalar(select(Result).where(Result.key_sha256 == f"{run_id:064x}"))
        assert held is not None
        assert held.lease_until > now() + timedelta(minutes=30)
        session.execute(update(Cell).where(Cell.run_id == run_id).values(holder=workshop.new_holder()))
    worker.free_cells(workshop)
    assert cell_of(workshop, run_id).state == CellState.WAITING
    runs.stop_run(workshop, actor, run_id)


def test_machines_over_one_folder_have_names_of_their_own(
    workshop: Workshop, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert machine_name(workshop.data_folder) == workshop.machine
    assert workshop.new_holder().startswith(workshop.machine)
    monkeypatch.setattr("socket.gethostname", lambda: "another-bench")
    assert machine_name(workshop.data_folder) != workshop.machine


def test_the_watchdog_ends_its_worker_even_while_the_database_is_away(
    workshop: Workshop, monkeypatch: pytest.MonkeyPatch
) -> None:
    ended: list[int] = []

    def away(*_: object, **__: object) -> None:
        raise OperationalError("UPDATE", {}, ConnectionError("gone"))

    def end(status: int) -> None:
        ended.append(status)
        raise SystemExit

    monkeypatch.setattr(worker, "_end", away)
    monkeypatch.setattr(worker.os, "_exit", end)
    monkeypatch.setattr(worker, "MAX_SECONDS", -1.0)
    taken = worker.Taken(1, 1, 1, 1, 1, OutputId("1"), 1, "h" * 32)
    with pytest.raises(SystemExit):
        worker._watch(workshop, taken, lambda seconds: False)
    assert ended == [1]


def test_a_run_pauses_for_a_full_disk_whatever_the_words_are(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    taken = worker.take_cell(workshop, workshop.new_holder())
    assert taken is not None

    def no_room(content: bytes) -> str:
        raise StorageFullError("Nothing more goes in.")

    with monkeypatch.context() as full:
        full.setattr(workshop.results, "put", no_room)
        worker.render_cell(renderer, workshop, taken)
    cell = cell_of(workshop, run_id)
    assert (cell.state, cell.attempt, cell.tried_from) == (CellState.WAITING, 1, 1)
    assert runs.read_progress(workshop, actor, run_id).state == RunState.PAUSED
    runs.stop_run(workshop, actor, run_id)


def test_two_clicks_make_one_run(workshop: Workshop, actor: Actor, folio: int) -> None:
    begun: list[int] = []
    assert at_once(4, lambda number: begun.append(runs.begin_run(workshop, actor, folio, USUAL_PATTERN))) == []
    assert len(set(begun)) == 1
    with workshop.database.begin() as session:
        assert len(session.scalars(select(Run.id).where(Run.folio_id == folio)).all()) == 1
    runs.stop_run(workshop, actor, begun[0])


def test_the_same_new_file_can_be_brought_in_by_many_at_once(workshop: Workshop, actor: Actor) -> None:
    folio_id = folios.make_folio(workshop, actor, "Everybody")
    for again in range(6):
        content = encoded(picture(31, 17, seed=40_000 + again + int(time.time_ns() % 10**8)))
        troubles = at_once(
            4, lambda number, content=content: bring_in(workshop, actor, folio_id, f"{number}.png", [content])
        )
        assert troubles == []
    assert len(folios.read_folio(workshop, actor, folio_id).pictures) == 24


def test_logos_routines_and_shares_can_be_kept_by_many_at_once(
    workshop: Workshop, actor: Actor, new_person: Callable[[], Actor]
) -> None:
    colleague = new_person()
    folio_id = folios.make_folio(workshop, actor, "Shared")
    content = encoded(picture(19, 23, seed=int(time.time_ns() % 10**9)))
    routine = Routine(name="Lift", steps=(RoutineStep(step=Exposure(stops=0.5)),))
    assert at_once(4, lambda number: logos.keep_logo(workshop, actor, "mark.png", [content])) == []
    assert at_once(4, lambda number: routines.keep_routine(workshop, actor, routine)) == []
    assert at_once(4, lambda number: folios.share_folio(workshop, actor, folio_id, colleague.login)) == []
    assert len(logos.read_logos(workshop, actor)) == 1
    assert len(routines.read_routines(workshop, actor)) == 1


def test_only_the_owner_shares_and_stops_sharing(
    workshop: Workshop, actor: Actor, new_person: Callable[[], Actor]
) -> None:
    """A share lets somebody change pictures, never who else sees them."""
    colleague, third = new_person(), new_person()
    folio_id = folios.make_folio(workshop, actor, "Mine")
    for somebody in (colleague, third):
        folios.share_folio(workshop, actor, folio_id, somebody.login, Scope.CHANGE)
    for act in (
        lambda: folios.unshare_folio(workshop, colleague, folio_id, third.id),
        lambda: folios.unshare_folio(workshop, colleague, folio_id, colleague.id),
        lambda: folios.share_folio(workshop, colleague, folio_id, actor.login),
        lambda: folios.hand_over_folio(workshop, colleague, folio_id, colleague.login),
    ):
        with pytest.raises(NotAllowedError):
            act()
    assert {person.id for person in folios.read_folio(workshop, actor, folio_id).shared_with} == {
        colleague.id,
        third.id,
    }
    folios.unshare_folio(workshop, actor, folio_id, third.id)
    assert [person.id for person in folios.read_folio(workshop, actor, folio_id).shared_with] == [colleague.id]


def test_a_full_cache_lets_the_oldest_go_and_keeps_nothing_that_exceeds_it() -> None:
    cache: CappedCache[bytes] = CappedCache(10, len)
    for name in ("first", "second", "third"):
        cache.put_if_absent(name, b"1234")
    assert cache.get("first") is None
    assert cache.get("second") is not None
    cache.put_if_absent("fourth", b"1234")
    assert cache.get("third") is None, "what was used last stays"
    assert cache.get("second") is not None
    cache.put_if_absent("huge", b"1" * 11)
    assert cache.get("huge") is None
    assert cache.get("fourth") is not None


def test_a_damaged_original_is_said_and_never_served(workshop: Workshop, actor: Actor) -> None:
    content = encoded(picture(33, 21, seed=int(time.time_ns() % 10**9)))
    taken = bring_in(workshop, actor, NewFolio("Rot"), "r.png", [content])
    path = on_disk(workshop.originals, hashlib.sha256(content).hexdigest())
    harmed = bytearray(content)
    harmed[len(harmed) // 2] ^= 1
    path.write_bytes(bytes(harmed))
    with pytest.raises(DamagedStoreError, match="damaged"):
        original_file(workshop, actor, taken.picture_id)
