"""Runs: listed, worked off by several at once, broken off in every way, and finished every cell once."""

import io
import os
import signal
import threading
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from lucidex.core.errors import NotFoundError, NotUnderstoodError, OutOfRangeError, StorageFullError
from lucidex.core.line.places import read_demand
from lucidex.core.proof.file_list import USUAL_PATTERN
from lucidex.core.proof.statistics import PixelStatistics
from lucidex.core.steps.tone import Exposure
from lucidex.core.steps.turn import Direction, Turn
from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.models import Cell, CellState, Picture, Result, Run, RunState, now
from lucidex.services.folios.folios import read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures import documents, edits
from lucidex.services.pictures.documents import change, read_picture, undo
from lucidex.services.places.places import change_place, hang_place
from lucidex.services.rendering.files import Files
from lucidex.services.rendering.render_requests import RenderRequest
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.runs import runs, worker
from lucidex.services.runs.archives import archive
from lucidex.work.dispatcher import LocalProcesses
from tests.conftest import Pixels, encoded, picture, smooth_picture


def unlike_any(pixels: Pixels) -> Pixels:
    """The same picture with a corner of its own, so that no other test has made its results already."""
    pixels[:8, :8] = np.random.default_rng().integers(0, 256, (8, 8, 3))
    return pixels


@pytest.fixture
def folio(workshop: Workshop, actor: Actor) -> int:
    """Three pictures, upright and wide, in two places."""
    wide = encoded(unlike_any(smooth_picture(400, 260)), ".jpg")
    taken = bring_in(workshop, actor, NewFolio("Autumn"), "dome.jpg", [wide])
    bring_in(workshop, actor, taken.folio_id, "keeper.png", [encoded(unlike_any(smooth_picture(240, 360)))])
    bring_in(workshop, actor, taken.folio_id, "Größe.png", [encoded(unlike_any(picture(90, 120)))])
    for typed, name in (("120x48", "Site banner"), ("80x100 as webp", "Upright post")):
        hang_place(workshop, actor, taken.folio_id, read_demand(typed).demand(), name)
    return taken.folio_id


def worked_off(workshop: Workshop, renderer: Renderer, holder: str = "h") -> int:
    count = 0
    while (taken := worker.take_cell(workshop, holder)) is not None:
        worker.render_cell(renderer, workshop, taken)
        count += 1
    return count


def test_a_run_makes_every_file_under_its_listed_name(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int
) -> None:
    listed = runs.list_cells(workshop, actor, folio, USUAL_PATTERN, now().date())
    assert [cell.listed.path for cell in listed if cell.listed] == [
        "site-banner/dome-120x48.jpg",
        "upright-post/dome-80x100.webp",
        "site-banner/keeper-120x48.jpg",
        "upright-post/keeper-80x100.webp",
        "site-banner/grosse-120x48.jpg",
        "upright-post/grosse-80x100.webp",
    ]
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    assert worker.has_work(workshop)
    assert worked_off(workshop, renderer) >= 6
    progress = runs.read_progress(workshop, actor, run_id)
    assert (progress.state, progress.done, progress.failed) == (RunState.FINISHED, 6, 0)
    assert progress.bytes_after == sum(cell.byte_count or 0 for cell in runs.read_cells(workshop, actor, run_id))
    with zipfile.ZipFile(io.BytesIO(b"".join(archive(renderer, workshop, actor, run_id)))) as packed:
        assert packed.testzip() is None
        assert packed.namelist() == [cell.listed.path for cell in listed if cell.listed]
        assert packed.read("upright-post/dome-80x100.webp")[8:12] == b"WEBP"


def test_names_that_clash_are_numbered_and_said(workshop: Workshop, actor: Actor, folio: int) -> None:
    listed = runs.list_cells(workshop, actor, folio, "{place}", now().date())
    assert [cell.listed.path for cell in listed if cell.listed][::2] == [
        "site-banner.jpg",
        "site-banner-2.jpg",
        "site-banner-3.jpg",
    ]
    assert listed[2].listed is not None
    assert "numbered" in listed[2].listed.message
    for pattern, message in (
        ("{plaace}", "is no field"),
        ("{name", "brace"),
        ("a/", "own name"),
        ("", "Write a pattern"),
    ):
        with pytest.raises(NotUnderstoodError, match=message):
            runs.list_cells(workshop, actor, folio, pattern, now().date())


def test_finishing_again_after_one_correction_makes_one_picture(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int
) -> None:
    runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    worked_off(workshop, renderer)
    cell = runs.list_cells(workshop, actor, folio, USUAL_PATTERN, now().date())[0]
    state = read_picture(workshop, actor, cell.picture_id)
    change(workshop, actor, cell.picture_id, state.version, "lighter", edits.add_step(Exposure(stops=0.5)))
    with workshop.database.begin() as session:
        before = session.scalar(select(func.count()).select_from(Result)) or 0
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    worked_off(workshop, renderer)
    with workshop.database.begin() as session:
        after = session.scalar(select(func.count()).select_from(Result)) or 0
    assert after - before == 2, "only the two files of the changed picture were computed"
    assert runs.read_progress(workshop, actor, run_id).done == 6


def test_a_failed_cell_says_why_and_can_be_tried_again_alone(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    real = Files._compute

    def short_of_memory(self: Files, rendering):  # noqa: ANN001, ANN202
        if rendering.source.stored.width == 240:
            raise MemoryError
        return real(self, rendering)

    monkeypatch.setattr(Files, "_compute", short_of_memory)
    worked_off(workshop, renderer)
    progress = runs.read_progress(workshop, actor, run_id)
    assert (progress.state, progress.done, progress.failed) == (RunState.FINISHED, 4, 2)
    failed = [cell for cell in runs.read_cells(workshop, actor, run_id) if cell.state == CellState.FAILED]
    assert {cell.message for cell in failed} == {"It takes more memory than is allowed for one picture."}
    monkeypatch.undo()
    runs.try_again(workshop, actor, failed[0].id)
    worked_off(workshop, renderer)
    assert runs.read_progress(workshop, actor, run_id).done == 5


def test_a_full_disk_pauses_the_run_and_it_goes_on_afterwards(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)

    def full(content: bytes) -> str:
        raise StorageFullError("There is no room left to write a file.")

    monkeypatch.setattr(workshop.results, "put", full)
    worked_off(workshop, renderer)
    progress = runs.read_progress(workshop, actor, run_id)
    assert progress.state == RunState.PAUSED
    assert "no room left" in (progress.message or "")
    assert progress.failed == 0
    monkeypatch.undo()
    runs.go_on(workshop, actor, run_id)
    worked_off(workshop, renderer)
    assert runs.read_progress(workshop, actor, run_id).done == 6


def test_pause_stop_and_a_second_run(workshop: Workshop, renderer: Renderer, actor: Actor, folio: int) -> None:
    first = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    runs.pause_run(workshop, actor, first)
    assert all(cell.state == CellState.WAITING for cell in runs.read_cells(workshop, actor, first))
    taken = worker.take_cell(workshop, "h")
    assert taken is None or taken.run_id != first
    runs.go_on(workshop, actor, first)
    assert runs.begin_run(workshop, actor, folio, USUAL_PATTERN) == first, "the very same files: it goes on"
    second = runs.begin_run(workshop, actor, folio, "{place}/{name}")
    assert runs.read_progress(workshop, actor, first).state == RunState.STOPPED
    runs.stop_run(workshop, actor, second)
    assert runs.read_progress(workshop, actor, second).state == RunState.STOPPED


def test_a_stranger_sees_no_run(workshop: Workshop, actor: Actor, folio: int, new_person) -> None:  # noqa: ANN001
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    stranger = new_person()
    for act in (runs.read_progress, runs.read_cells, runs.pause_run, runs.stop_run):
        with pytest.raises(NotFoundError):
            act(workshop, stranger, run_id)
    with pytest.raises(NotFoundError):
        archive(Renderer(workshop), workshop, stranger, run_id)
    runs.stop_run(workshop, actor, run_id)


def test_many_workers_never_take_the_same_cell(workshop: Workshop, actor: Actor, folio: int) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    found: list[int] = []

    def take_all(holder: str) -> None:
        while (taken := worker.take_cell(workshop, holder)) is not None:
            found.append(taken.cell_id)

    threads = [threading.Thread(target=take_all, args=(f"h{i}",)) for i in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(found) == len(set(found))
    runs.stop_run(workshop, actor, run_id)


def test_a_lost_lease_is_taken_up_again_and_the_late_result_does_not_count(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int
) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    first = worker.take_cell(workshop, "dies")
    assert first is not None
    with workshop.database.begin() as session:
        session.execute(update(Cell).where(Cell.id == first.cell_id).values(lease_until=now().replace(year=2020)))
    # what waits goes before it, so that a cell that kills its workers holds up nobody
    while (second := worker.take_cell(workshop, "lives")) is not None and second.cell_id != first.cell_id:
        worker.render_cell(renderer, workshop, second)
    assert second is not None
    assert (second.cell_id, second.attempt) == (first.cell_id, 2)
    worker._end(workshop, first, state=CellState.FAILED, message="late")
    still = next(one for one in runs.read_cells(workshop, actor, run_id) if one.id == first.cell_id)
    assert (still.state, still.message) == (CellState.TAKEN, None)
    worker.render_cell(renderer, workshop, second)
    cell = next(one for one in runs.read_cells(workshop, actor, run_id) if one.id == first.cell_id)
    assert (cell.state, cell.message) == (CellState.DONE, None)
    worked_off(workshop, renderer)


def test_the_result_that_a_killed_worker_held_is_not_waited_for(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int
) -> None:
    runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    first = worker.take_cell(workshop, "d" * 32)
    assert first is not None
    key = worker._placed(workshop, first).rendering.key
    with workshop.database.begin() as session:
        session.add(Result(key_sha256=key, holder="d" * 32, lease_until=now().replace(year=2099)))
        session.execute(update(Cell).where(Cell.id == first.cell_id).values(lease_until=now().replace(year=2020)))
    worked_off(workshop, renderer)  # would wait for ever
    with workshop.database.begin() as session:
        assert session.get_one(Cell, first.cell_id).state == CellState.DONE


def test_an_unforeseen_error_fails_alone_and_says_so(
    workshop: Workshop, actor: Actor, renderer: Renderer, folio: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    compute, asked = Files._compute, []

    def failing_once(self: Files, rendering: RenderRequest) -> tuple[bytes, PixelStatistics]:
        asked.append(rendering)
        if len(asked) == 2:
            raise ZeroDivisionError
        return compute(self, rendering)

    monkeypatch.setattr(Files, "_compute", failing_once)
    worked_off(workshop, renderer)
    progress = runs.read_progress(workshop, actor, run_id)
    assert (progress.state, progress.done, progress.failed) == (RunState.FINISHED, 5, 1)
    (failed,) = runs.read_failed(workshop, actor, run_id)
    assert "on our side" in (failed.message or "")
    runs.try_again(workshop, actor, failed.id)
    worked_off(workshop, renderer)
    assert runs.read_progress(workshop, actor, run_id).done == 6


def test_a_cell_that_kills_its_workers_fails_alone(
    workshop: Workshop, actor: Actor, renderer: Renderer, folio: int
) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    first = runs.read_cells(workshop, actor, run_id)[0].id
    with workshop.database.begin() as session:
        session.execute(update(Cell).where(Cell.id == first).values(attempt=worker.MAX_ATTEMPTS))
    worked_off(workshop, renderer)
    progress = runs.read_progress(workshop, actor, run_id)
    assert (progress.state, progress.done, progress.failed) == (RunState.FINISHED, 5, 1)


def test_processes_finish_a_run_though_one_is_killed_in_the_middle(
    workshop: Workshop,
    actor: Actor,
    database_server: MariaDbServer,
) -> None:
    taken = bring_in(
        workshop, actor, NewFolio("Many"), "p0.jpg", [encoded(unlike_any(smooth_picture(900, 600)), ".jpg")]
    )
    for number in range(1, 6):
        bring_in(
            workshop, actor, taken.folio_id, f"p{number}.png", [encoded(unlike_any(picture(500, 400, seed=number)))]
        )
    for typed in ("300x200", "200x300 as webp", "160x160 as png", "400x100"):
        hang_place(workshop, actor, taken.folio_id, read_demand(typed).demand())
    run_id = runs.begin_run(workshop, actor, taken.folio_id, USUAL_PATTERN)
    arguments = (str(workshop.data_folder), database_server.url)
    dispatcher = LocalProcesses(
        lambda: worker.has_work(workshop),
        worker.work,
        arguments,
        workshop.new_holder,
        lambda name: worker.give_back(workshop, name),
        count=2,
    )
    try:
        killed = False
        deadline = time.monotonic() + 150
        while runs.read_progress(workshop, actor, run_id).state == RunState.RUNNING and time.monotonic() < deadline:
            process = dispatcher._processes[0]
            if not killed and process is not None and runs.read_progress(workshop, actor, run_id).done:
                assert process.pid is not None
                os.kill(process.pid, signal.SIGKILL)
                killed = True
            threading.Event().wait(0.1)
    finally:
        dispatcher.close()
    progress = runs.read_progress(workshop, actor, run_id)
    assert (progress.state, progress.done, progress.failed) == (RunState.FINISHED, 24, 0)
    with workshop.database.begin() as session:
        assert session.scalar(select(Run.ended_at).where(Run.id == run_id)) is not None
    assert killed
    workshop.results.sweep()  # as a start does
    assert not list(Path(workshop.data_folder / "results" / "incoming").iterdir()), "no half file is left"


def test_a_state_that_was_rolled_back_is_not_remembered(
    workshop: Workshop, actor: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    taken = bring_in(workshop, actor, NewFolio("Back"), "b.png", [encoded(picture(20, 20))])
    real = documents._state

    def fails_before_commit(session: Session, row: Picture) -> documents.PictureState:
        real(session, row)
        raise ConnectionError("the database went away")

    monkeypatch.setattr(documents, "_state", fails_before_commit)
    with pytest.raises(ConnectionError):
        change(workshop, actor, taken.picture_id, 1, "lost", edits.add_step(Exposure(stops=1)))
    monkeypatch.undo()
    change(workshop, actor, taken.picture_id, 1, "kept", edits.add_step(Exposure(stops=-1)))
    steps = read_picture(workshop, actor, taken.picture_id).document.steps
    assert [entry.step for entry in steps] == [Exposure(stops=-1)]


def test_what_changed_since_a_run_is_counted_and_only_that_is_made(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int
) -> None:
    """Stale files are never taken for the present ones: after a change of a picture, of a place, and back again."""
    first = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    worked_off(workshop, renderer)
    total = runs.read_progress(workshop, actor, first).done
    assert total > 0
    assert runs.changed_since(workshop, actor, first) == 0
    picture = read_folio(workshop, actor, folio).pictures[0].id
    places = len(read_folio(workshop, actor, folio).places)
    state = read_picture(workshop, actor, picture)
    turned = change(workshop, actor, picture, state.version, "Turned", edits.add_step(Turn(direction=Direction.LEFT)))
    assert runs.changed_since(workshop, actor, first) == places
    second = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    assert runs.read_progress(workshop, actor, second).done == total - places, "what is there is finished at once"
    worked_off(workshop, renderer)
    assert runs.changed_since(workshop, actor, second) == 0
    assert runs.changed_since(workshop, actor, first) == places
    undo(workshop, actor, picture, turned.version)
    third = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    progress = runs.read_progress(workshop, actor, third)
    assert (progress.done, progress.state) == (total, RunState.FINISHED)


def test_a_cell_that_had_no_name_gets_one_when_it_is_tried_again(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int
) -> None:
    """The archive held “unnamed-0”."""
    wide = hang_place(workshop, actor, folio, read_demand("17000x3 as webp").demand(), "Ruler")
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    worked_off(workshop, renderer)
    failed = [cell for cell in runs.read_failed(workshop, actor, run_id) if cell.place_id == wide.id]
    assert failed
    with pytest.raises(OutOfRangeError, match="16 383"):
        runs.try_again(workshop, actor, failed[0].id)
    change_place(workshop, actor, wide.id, wide.version, read_demand("170x3 as webp").demand(), "Ruler")
    for cell in failed:
        runs.try_again(workshop, actor, cell.id)
    worked_off(workshop, renderer)
    paths = [cell.path for cell in runs.read_cells(workshop, actor, run_id)]
    assert len(set(paths)) == len(paths)
    assert sum(path.startswith("ruler/") and path.endswith("-170x3.webp") for path in paths) == len(failed)
    assert not any("unnamed" in path for path in paths)
    with zipfile.ZipFile(io.BytesIO(b"".join(archive(renderer, workshop, actor, run_id)))) as packed:
        assert sorted(packed.namelist()) == sorted(paths)


def test_trying_again_in_a_stopped_run_sets_nothing_else_going(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: int
) -> None:
    run_id = runs.begin_run(workshop, actor, folio, USUAL_PATTERN)
    first = worker.take_cell(workshop, workshop.new_holder())
    assert first is not None
    worker._end(workshop, first, state=CellState.FAILED, message="It failed.")
    runs.stop_run(workshop, actor, run_id)
    runs.try_again(workshop, actor, first.cell_id)
    worked_off(workshop, renderer)
    progress = runs.read_progress(workshop, actor, run_id)
    assert (progress.state, progress.done, progress.failed) == (RunState.FINISHED, 1, 5)
    assert {cell.message for cell in runs.read_failed(workshop, actor, run_id)} == {runs.STOPPED_BEFORE}
    again = runs.begin_run(workshop, actor, folio, "{name}-{width}")
    with pytest.raises(OutOfRangeError, match="Another run"):
        runs.try_again(workshop, actor, runs.read_failed(workshop, actor, run_id)[0].id)
    runs.stop_run(workshop, actor, again)
