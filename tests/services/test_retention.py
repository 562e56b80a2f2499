"""What is kept, what goes, and what is noticed when a stored file is not what it was."""

import io
import os
import signal
import time
import zipfile
from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy import select, update

from lucidex import check_store, people
from lucidex.core.errors import OutOfRangeError, StorageFullError
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.file_list import USUAL_PATTERN
from lucidex.core.source.facts import INTAKE_REVISION
from lucidex.core.steps.logo import Logo as LogoStep
from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migration import migrate
from lucidex.records.models import (
    Cell,
    CellState,
    Event,
    Original,
    Picture,
    Place,
    Result,
    Run,
    Snapshot,
    Source,
    now,
)
from lucidex.services.assets import logos
from lucidex.services.folios.folios import read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake import intake
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.intake.source_upgrades import read_again, stale_sources
from lucidex.services.keeping import many, retention
from lucidex.services.people.people import Actor, add_person
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change, read_picture, undo
from lucidex.services.places.places import demand_of, hang_place
from lucidex.services.rendering.render_requests import in_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.runs import runs, worker
from lucidex.services.runs.archives import MISSING_NAME, archive
from tests.conftest import PASSWORD, encoded, on_disk, picture

LONG_AGO = timedelta(days=400)


def fresh() -> bytes:
    """A file that nobody has brought in before."""
    return encoded(picture(60, 40, seed=int(time.time_ns() % 10**9)))


@pytest.fixture
def run(workshop: Workshop, renderer: Renderer, actor: Actor) -> int:
    taken = bring_in(workshop, actor, NewFolio("Kept"), "k.png", [fresh()])
    hang_place(workshop, actor, taken.folio_id, read_demand("30x20").demand())
    hang_place(workshop, actor, taken.folio_id, read_demand("20x10").demand())
    run_id = runs.begin_run(workshop, actor, taken.folio_id, USUAL_PATTERN)
    while (cell := worker.take_cell(workshop, workshop.new_holder())) is not None:
        worker.render_cell(renderer, workshop, cell)
    return run_id


def blobs(workshop: Workshop, run_id: int) -> list[str]:
    with workshop.database.begin() as session:
        found = session.scalars(select(Cell.blob_sha256).where(Cell.run_id == run_id).order_by(Cell.seat))
        return [blob for blob in found if blob]


def aged(workshop: Workshop, blob: str) -> None:
    with workshop.database.begin() as session:
        session.execute(update(Result).where(Result.blob_sha256 == blob).values(used_at=now() - LONG_AGO))


def test_results_that_nobody_used_go_and_those_of_a_run_stay(
    workshop: Workshop, renderer: Renderer, actor: Actor, run: int
) -> None:
    with workshop.database.begin() as session:
        cell = session.scalars(select(Cell).where(Cell.run_id == run)).first()
        assert cell is not None
        picture_id = cell.picture_id
    state = read_picture(workshop, actor, picture_id)
    other = renderer.files.render_file(
        in_place(workshop, state, OutputId("0"), read_demand("25x15").demand()).rendering
    )
    for blob in (*blobs(workshop, run), other.blob_sha256):
        aged(workshop, blob)
    assert retention.clean_up(workshop).results >= 1
    with pytest.raises(FileNotFoundError):
        workshop.results.read(other.blob_sha256)
    assert all(on_disk(workshop.results, blob).is_file() for blob in blobs(workshop, run))
    assert (
        renderer.files.render_file(
            in_place(workshop, state, OutputId("0"), read_demand("25x15").demand()).rendering
        ).key
        == other.key
    )


def test_a_picture_taken_out_long_ago_goes_with_its_original_and_another_stays(
    workshop: Workshop, actor: Actor
) -> None:
    content = fresh()
    first = bring_in(workshop, actor, NewFolio("Out"), "o.png", [content])
    second = bring_in(workshop, actor, NewFolio("Other"), "p.png", [content])
    alone = bring_in(workshop, actor, NewFolio("Alone"), "q.png", [fresh()])
    sha256 = read_picture(workshop, actor, first.picture_id).source_key
    lonely = read_picture(workshop, actor, alone.picture_id).source_key
    for gone in (first, alone):
        many.take_out(workshop, actor, gone.folio_id, [gone.picture_id])
    with workshop.database.begin() as session:
        ids = [first.picture_id, alone.picture_id]
        session.execute(update(Picture).where(Picture.id.in_(ids)).values(removed_at=now() - LONG_AGO))
        old = update(Original).where(Original.sha256.in_([sha256, lonely]))
        session.execute(old.values(created_at=now() - LONG_AGO))
    lately = bring_in(workshop, actor, NewFolio("Lately"), "r.png", [fresh()])
    many.take_out(workshop, actor, lately.folio_id, [lately.picture_id])
    kept = retention.clean_up(workshop)
    assert kept.pictures >= 2
    assert intake.put_back_picture(workshop, actor, lately.picture_id) == lately.folio_id
    with workshop.database.begin() as session:
        assert session.get(Picture, first.picture_id) is None
        assert session.scalars(select(Snapshot).where(Snapshot.picture_id == first.picture_id)).all() == []
        assert session.get(Original, lonely) is None
    with pytest.raises(FileNotFoundError):
        on_disk(workshop.originals, lonely)
    assert on_disk(workshop.originals, sha256).is_file(), "another picture still has it"
    assert read_picture(workshop, actor, second.picture_id).source_key == sha256
    again = bring_in(workshop, actor, NewFolio("Again"), "q.png", [content])
    assert read_picture(workshop, actor, again.picture_id).source_key == sha256


def test_an_original_that_is_somebodys_logo_stays(workshop: Workshop, actor: Actor) -> None:
    kept = logos.keep_logo(workshop, actor, "l.png", [fresh()])
    with workshop.database.begin() as session:
        session.execute(update(Original).where(Original.sha256 == kept.sha256).values(created_at=now() - LONG_AGO))
    retention.clean_up(workshop)
    assert on_disk(workshop.originals, kept.sha256).is_file()


def test_a_logo_that_only_a_picture_still_names_stays(workshop: Workshop, actor: Actor) -> None:
    """Forgotten as a logo, but on a picture, or in its history: its file is needed for ever."""
    kept = logos.keep_logo(workshop, actor, "l.png", [fresh()])
    taken = bring_in(workshop, actor, NewFolio("Marked"), "m.png", [fresh()])
    change(workshop, actor, taken.picture_id, 1, "marked", edits.add_step(LogoStep(logo=kept.file)))
    undo(workshop, actor, taken.picture_id, 2)
    logos.forget_logo(workshop, actor, kept.id)
    with workshop.database.begin() as session:
        session.execute(update(Original).where(Original.sha256 == kept.sha256).values(created_at=now() - LONG_AGO))
    retention.clean_up(workshop)
    assert on_disk(workshop.originals, kept.sha256).is_file()
    with workshop.database.begin() as session:
        assert session.get(Original, kept.sha256) is not None


def test_files_that_no_row_speaks_of_are_swept_but_not_while_they_may_be_new(workshop: Workshop) -> None:
    orphan, young = (workshop.results.put(fresh()) for _ in range(2))
    path = on_disk(workshop.results, orphan)
    long_ago = time.time() - LONG_AGO.total_seconds()
    os.utime(path, (long_ago, long_ago))
    assert retention.clean_up(workshop).orphans >= 1
    assert not path.exists()
    assert on_disk(workshop.results, young).is_file()


def test_only_one_cleans_at_a_time(workshop: Workshop) -> None:
    with retention._alone(workshop) as mine, retention._alone(workshop) as other:
        assert (mine, other) == (True, False)


@pytest.mark.parametrize("harm", ["flipped", "cut", "removed"])
def test_an_archive_never_holds_what_was_not_finished(
    workshop: Workshop, renderer: Renderer, actor: Actor, run: int, harm: str
) -> None:
    """A result that is not what it was is made anew while the archive is read."""
    first, second = (on_disk(workshop.results, blob).read_bytes() for blob in blobs(workshop, run))
    path = on_disk(workshop.results, blobs(workshop, run)[0])
    if harm == "removed":
        path.unlink()
    else:
        path.write_bytes(first[:-9] if harm == "cut" else first[:-9] + bytes(9))
    with zipfile.ZipFile(io.BytesIO(b"".join(archive(renderer, workshop, actor, run)))) as packed:
        contents = [packed.read(name) for name in packed.namelist()]
    assert contents == [first, second]


def test_an_archive_names_what_cannot_be_made_any_more(
    workshop: Workshop, renderer: Renderer, actor: Actor, run: int
) -> None:
    on_disk(workshop.results, blobs(workshop, run)[0]).unlink()
    with workshop.database.begin() as session:
        cell = session.scalars(select(Cell).where(Cell.run_id == run).order_by(Cell.seat)).first()
        assert cell is not None
        path, sha256 = cell.path, session.get_one(Picture, cell.picture_id).source_key
    on_disk(workshop.originals, sha256).unlink()
    workshop.decoded.drop(sha256)
    with zipfile.ZipFile(io.BytesIO(b"".join(archive(Renderer(workshop), workshop, actor, run)))) as packed:
        assert MISSING_NAME in packed.namelist()
        message = packed.read(MISSING_NAME).decode()
    assert path in message
    assert "missing or damaged" in message


def test_a_cut_result_is_made_anew_when_it_is_asked_for(
    workshop: Workshop, renderer: Renderer, actor: Actor, run: int
) -> None:
    with workshop.database.begin() as session:
        cell = session.scalars(select(Cell).where(Cell.run_id == run)).first()
        assert cell is not None
    state = read_picture(workshop, actor, cell.picture_id)
    with workshop.database.begin() as session:
        demand = demand_of(session.get_one(Place, cell.place_id))
    rendering = in_place(workshop, state, OutputId(cell.output), demand).rendering
    result = renderer.files.render_file(rendering)
    whole = on_disk(workshop.results, result.blob_sha256).read_bytes()
    on_disk(workshop.results, result.blob_sha256).write_bytes(whole[:-5])
    assert renderer.files.known([rendering]) == {}
    assert workshop.results.read(renderer.files.render_file(rendering).blob_sha256) == whole


def test_the_store_is_checked_and_what_differs_is_named(workshop: Workshop, actor: Actor, run: int) -> None:
    taken = bring_in(workshop, actor, NewFolio("Checked"), "c.png", [fresh()])
    sha256 = read_picture(workshop, actor, taken.picture_id).source_key
    path = on_disk(workshop.originals, sha256)
    harmed = bytearray(path.read_bytes())
    harmed[30] ^= 4
    path.write_bytes(bytes(harmed))
    result = on_disk(workshop.results, blobs(workshop, run)[0])
    result.write_bytes(b"something else")
    checked = retention.check_store(workshop)
    assert checked.damaged[sha256] == ["“c.png” in “Checked”"]
    assert checked.made_anew >= 1
    assert not result.exists()
    with workshop.database.begin() as session:
        message = session.scalars(
            select(Event.subject).where(Event.kind == "store").order_by(Event.id.desc())
        ).first()
    assert message is not None
    assert "damaged" in message


def test_old_runs_that_others_followed_go(workshop: Workshop, renderer: Renderer, actor: Actor, run: int) -> None:
    with workshop.database.begin() as session:
        folio_id = session.get_one(Run, run).folio_id
    newer = runs.begin_run(workshop, actor, folio_id, "{place}/{name}")
    runs.stop_run(workshop, actor, newer)
    with workshop.database.begin() as session:
        session.execute(update(Run).where(Run.id.in_([run, newer])).values(created_at=now() - LONG_AGO))
    retention.clean_up(workshop)
    with workshop.database.begin() as session:
        assert session.get(Run, run) is None
        assert session.get(Run, newer) is not None, "the newest of a folio stays"
        assert session.scalars(select(Cell).where(Cell.run_id == run, Cell.state == CellState.DONE)).all() == []


def test_nothing_is_brought_in_beyond_the_quota_or_onto_a_full_disk(
    workshop: Workshop, actor: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = bring_in(workshop, actor, NewFolio("Mine"), "a.png", [fresh()])
    with monkeypatch.context() as small:
        small.setattr(intake, "QUOTA_BYTES", 10)
        for target in (first.folio_id, NewFolio("Another")):
            with pytest.raises(StorageFullError, match="are the most"):
                bring_in(workshop, actor, target, "b.png", [fresh()])
    with monkeypatch.context() as full:
        full.setattr(workshop, "disk_free", lambda: 1_000)
        with pytest.raises(StorageFullError, match="disk on which pictures are kept is full"):
            bring_in(workshop, actor, first.folio_id, "b.png", [fresh()])
    assert len(read_folio(workshop, actor, first.folio_id).pictures) == 1


def test_little_room_is_said(workshop: Workshop, monkeypatch: pytest.MonkeyPatch) -> None:
    assert retention.disk_words(workshop) == ""
    monkeypatch.setattr(workshop, "disk_free", lambda: 900_000_000)
    assert "only 900.0 MB left" in retention.disk_words(workshop)


def test_the_database_is_started_again_and_commands_work_beside_it(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Killed, it is there again on the same port; people and stores are looked after from the terminal meanwhile."""
    data = tmp_path / "var"
    server = MariaDbServer(data / "mariadb")
    server.start()
    message: list[str] = []
    server.supervise(message.append)
    workshop = Workshop(data / "files", server.url)
    try:
        migrate(workshop.database.engine)
        actor = add_person(workshop, "mara", "Mara", PASSWORD)
        assert actor.is_admin, "the first account is an administrator's"
        bring_in(workshop, actor, NewFolio("One"), "one.png", [fresh()])
        os.kill(int((data / "mariadb" / "server.pid").read_text()), signal.SIGKILL)
        while not any("answers again" in one for one in message):
            workshop.database.answers()
        assert workshop.database.answers()
        for arguments in (["add", "ines", "--name", "Ines"], ["rename", "ines", "Ines Farrow"], ["list"]):
            assert people.main(["--data", str(data), *arguments]) == 0
        assert "ines\tInes Farrow" in capsys.readouterr().out
        assert people.main(["--data", str(data), "password", "nobody"]) == 1
        assert "Nobody signs in as" in capsys.readouterr().err
        assert people.main(["--data", str(data), "close", "ines"]) == 0
        assert check_store.main(["--data", str(data), "--clean"]) == 0
        assert "1 originals, 0 damaged or missing." in capsys.readouterr().out
        next(iter((data / "files" / "originals").glob("??/*"))).write_bytes(b"x")
        assert check_store.main(["--data", str(data)]) == 1
        assert "“one.png” in “One”" in capsys.readouterr().out
    finally:
        workshop.close()
        server.stop()
    assert people.main(["--data", str(tmp_path / "nothing"), "list"]) == 1
    assert "There is no product" in capsys.readouterr().err


def test_a_stale_original_is_read_again(workshop: Workshop, actor: Actor) -> None:
    taken = bring_in(workshop, actor, NewFolio("Stale"), "s.png", [fresh()])
    sha256 = read_picture(workshop, actor, taken.picture_id).source_key
    with workshop.database.begin() as session:
        row = session.get_one(Source, sha256)
        old = {name: value for name, value in row.facts.items() if name != "intake_revision"}
        row.facts = {**old, "colour": "wrongly read"}
    assert stale_sources(workshop) >= 1
    assert list(read_again(workshop)) == []
    with workshop.database.begin() as session:
        facts = session.get_one(Source, sha256).facts
    assert (facts["colour"], facts["intake_revision"]) == ("sRGB", INTAKE_REVISION)
    assert stale_sources(workshop) == 0


def test_damaged_originals_are_mended_from_copies_under_any_name(
    workshop: Workshop, actor: Actor, tmp_path: Path
) -> None:
    content = fresh()
    taken = bring_in(workshop, actor, NewFolio("Mended"), "a.png", [content])
    sha256 = read_picture(workshop, actor, taken.picture_id).source_key.original
    on_disk(workshop.originals, sha256).write_bytes(b"damaged")
    assert sha256 in retention.check_store(workshop).damaged
    (tmp_path / "deep/er").mkdir(parents=True)
    (tmp_path / "deep/other.png").write_bytes(content[:-1] + b"0")
    assert retention.mend_from(workshop, [sha256], tmp_path) == []
    (tmp_path / "deep/er/copy of something.dat").write_bytes(content)
    assert retention.mend_from(workshop, [sha256], tmp_path) == [sha256]
    assert workshop.originals.is_whole(sha256)


def test_what_is_removed_for_good_is_really_gone(workshop: Workshop, actor: Actor, renderer: Renderer) -> None:
    """Its file, its decoded pixels and its results; not where another picture has the same file."""
    content = fresh()
    first = bring_in(workshop, actor, NewFolio("Gone"), "a.png", [content])
    second = bring_in(workshop, actor, first.folio_id, "b.png", [content])
    state = read_picture(workshop, actor, first.picture_id)
    made = in_place(workshop, state, OutputId("0"), read_demand("20x10 px").demand())
    result = renderer.files.render_file(made.rendering)
    for number, taken in enumerate((first, second), 1):
        many.take_out(workshop, actor, first.folio_id, [taken.picture_id])
        assert many.erase_for_good(workshop, actor, first.folio_id, [taken.picture_id]) == 1
        is_there = number == 1
        assert workshop.originals.is_whole(state.source_key.original) == is_there
        assert workshop.decoded.holds(state.source_key) == is_there
        assert (result.blob_sha256 in dict(workshop.results.all())) == is_there
    assert many.read_taken_out(workshop, actor, first.folio_id) == []


def test_what_stands_in_a_folio_is_not_removed_for_good(workshop: Workshop, actor: Actor) -> None:
    taken = bring_in(workshop, actor, NewFolio("Stays"), "a.png", [fresh()])
    with pytest.raises(OutOfRangeError, match="stands in the folio"):
        many.erase_for_good(workshop, actor, taken.folio_id, [taken.picture_id])
