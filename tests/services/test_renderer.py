"""Results under their keys: exact, the same every time, computed once, never half."""

import io
import threading
from datetime import timedelta

import pytest
from PIL import Image
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from lucidex.core.errors import OutOfRangeError, UnavailableError, UserError
from lucidex.core.geometry.sizes import Size
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.statistics import PixelStatistics
from lucidex.core.stamp import Stamp, Texts, xmp_packet
from lucidex.core.steps.turn import Direction, Turn
from lucidex.records.models import Result, now
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState, change, read_picture, undo
from lucidex.services.rendering import files as files_module
from lucidex.services.rendering import leases
from lucidex.services.rendering.files import Files
from lucidex.services.rendering.render_requests import PlacedPicture, RenderRequest, for_screen, in_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.rendering.results import (
    OnStored,
    StoredResult,
    done_or_mine,
    forget_result,
    record,
    release_leases_of,
    renew_leases_of,
)
from tests.conftest import encoded, picture, smooth_picture


def known_one(renderer: Files, rendering: RenderRequest) -> StoredResult | None:
    return renderer.files.known([rendering]).get(rendering.key)


@pytest.fixture
def state(workshop: Workshop, actor: Actor) -> PictureState:
    content = encoded(smooth_picture(900, 600), ".jpg", Q=90)
    taken = bring_in(workshop, actor, NewFolio("Results"), "Dome at Dusk.JPG", [content])
    return read_picture(workshop, actor, taken.picture_id)


def placed(workshop: Workshop, state: PictureState, typed: str) -> PlacedPicture:
    return in_place(workshop, state, OutputId("1"), read_demand(typed).demand())


@pytest.mark.parametrize(
    ("typed", "size"),
    [
        ("300x200", (300, 200)),
        ("7x599", (7, 599)),
        ("1600x640", (1600, 640)),
        ("450 wide", (450, 300)),
        ("longest 333", (333, 222)),
        ("50 %", (450, 300)),
        ("100x100 show whole as png", (100, 100)),
        ("100x100 no larger than as webp", (100, 67)),
        ("91x17 stretch as avif", (91, 17)),
    ],
)
def test_another_program_measures_the_size_that_was_typed(
    workshop: Workshop, renderer: Renderer, state: PictureState, typed: str, size: tuple[int, int]
) -> None:
    result = placed(workshop, state, typed)
    with Image.open(
        io.BytesIO(workshop.results.read(renderer.files.render_file(result.rendering).blob_sha256))
    ) as read:
        assert read.size == size
    assert f"-{size[0]}x{size[1]}." in result.file_name
    assert result.file_name.startswith("dome-at-dusk-")


def test_a_preview_of_a_place_that_fits_is_the_files_own_pixels(
    workshop: Workshop, renderer: Renderer, state: PictureState
) -> None:
    """Invariant 5: what hangs on the wall is the file; and the stage at the same size shows the same pixels."""
    result = placed(workshop, state, "450x300 as png")
    shown = for_screen(workshop, state, Size(450, 300), state.document)
    assert shown.pixels_key == result.rendering.pixels_key


def test_the_same_key_gives_the_same_bytes(workshop: Workshop, state: PictureState) -> None:
    """Invariant 2: two renderers that share nothing but the store agree, and so do two that share nothing."""
    result = placed(workshop, state, "320x200")
    first = Renderer(workshop).files.render_file(result.rendering)
    content = workshop.results.read(first.blob_sha256)
    workshop.results.remove(first.blob_sha256)
    again = Renderer(workshop).files.render_file(result.rendering)
    assert (again.key, workshop.results.read(again.blob_sha256)) == (first.key, content)


def test_taking_a_change_back_finds_the_earlier_file(
    workshop: Workshop, renderer: Renderer, actor: Actor, state: PictureState
) -> None:
    before = renderer.files.render_file(placed(workshop, state, "320x200").rendering)
    turned = change(workshop, actor, state.picture_id, 1, "turn", edits.add_step(Turn(direction=Direction.LEFT)))
    assert renderer.files.render_file(placed(workshop, turned, "320x200").rendering).key != before.key
    back = undo(workshop, actor, state.picture_id, turned.version)
    known = known_one(renderer, placed(workshop, back, "320x200").rendering)
    assert known is not None
    assert known.key == before.key


def test_a_key_is_computed_once_however_many_ask(
    workshop: Workshop, state: PictureState, monkeypatch: pytest.MonkeyPatch
) -> None:
    computed: list[str] = []
    everybody_asked = threading.Barrier(6)
    asked = threading.local()
    compute, ask = Files._compute, files_module.done_or_mine

    def counting(self: Files, rendering: RenderRequest) -> tuple[bytes, PixelStatistics]:
        computed.append(rendering.key)
        return compute(self, rendering)

    def after_everybody(
        shop: Workshop, key: str, holder: str, on_stored: OnStored | None
    ) -> tuple[StoredResult | None, bool]:
        answer = ask(shop, key, holder, on_stored)
        if not hasattr(asked, "once"):
            asked.once = True
            everybody_asked.wait(20)
        return answer

    monkeypatch.setattr(Files, "_compute", counting)
    monkeypatch.setattr(files_module, "done_or_mine", after_everybody)
    result = placed(workshop, state, "333x111")
    files: list[str] = []
    threads = [
        threading.Thread(
            target=lambda: files.append(Renderer(workshop).files.render_file(result.rendering).blob_sha256)
        )
        for _ in range(6)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(files) == 6
    assert len(set(files)) == 1
    assert computed == [result.rendering.key]


def test_a_lease_of_somebody_killed_is_taken_over(
    workshop: Workshop, renderer: Renderer, state: PictureState
) -> None:
    result = placed(workshop, state, "211x99")
    with workshop.database.begin() as session:
        session.add(
            Result(key_sha256=result.rendering.key, holder="x" * 32, lease_until=now() - timedelta(seconds=1))
        )
    assert renderer.files.render_file(result.rendering).byte_count > 0


def test_a_failure_frees_the_lease(workshop: Workshop, state: PictureState, monkeypatch: pytest.MonkeyPatch) -> None:
    result = placed(workshop, state, "212x99")
    with monkeypatch.context() as broken:

        def failing(self: Files, rendering: object) -> tuple[bytes, PixelStatistics]:
            raise MemoryError

        broken.setattr(Files, "_compute", failing)
        with pytest.raises(MemoryError):
            Renderer(workshop).files.render_file(result.rendering)
    assert Renderer(workshop).files.render_file(result.rendering).byte_count > 0


def test_a_holder_that_lost_its_lease_cannot_overwrite(
    workshop: Workshop, renderer: Renderer, state: PictureState
) -> None:
    """Fencing: a result is recorded only by the holder that the row names."""
    result = placed(workshop, state, "213x99")
    assert done_or_mine(workshop, result.rendering.key, "a" * 32, None) == (None, True)
    with workshop.database.begin() as session:
        session.execute(update(Result).where(Result.key_sha256 == result.rendering.key).values(holder="b" * 32))
    with workshop.database.begin() as session:
        record(session, "a" * 32, StoredResult("0" * 64, 1, result.rendering.key))
    with workshop.database.begin() as session:
        row = session.scalar(select(Result).where(Result.key_sha256 == result.rendering.key))
        assert row is not None
        assert row.blob_sha256 is None


def test_flags_say_what_deserves_a_look(
    workshop: Workshop, renderer: Renderer, actor: Actor, state: PictureState
) -> None:
    large = placed(workshop, state, "2700x1800 under 1 kB")
    kinds = {flag.kind for flag in large.flags_at(renderer.files.render_file(large.rendering).byte_count)}
    assert kinds == {"enlarged", "too heavy"}
    assert {flag.kind for flag in placed(workshop, state, "90x90 stretch").flags} == {"stretched"}
    assert placed(workshop, state, "90x60 stretch").flags == ()
    mark = bring_in(workshop, actor, NewFolio("Clear"), "mark.png", [encoded(picture(40, 40, 4))])
    clear = read_picture(workshop, actor, mark.picture_id)
    assert placed(workshop, clear, "20x20").rendering.format == "webp"
    assert placed(workshop, clear, "40x40").rendering.format == "png", "nothing is done to it: it stays what it is"
    assert placed(workshop, clear, "40x40").rendering.passage is not None
    assert {flag.kind for flag in placed(workshop, clear, "20x20 as jpeg").flags} == {"clear areas lost"}


def test_what_a_format_cannot_hold_is_refused_in_words(workshop: Workshop, state: PictureState) -> None:
    with pytest.raises(OutOfRangeError, match="WebP holds at most 16 383 pixels"):
        placed(workshop, state, "17000x3 as webp")
    with pytest.raises(UserError, match="too large"):
        placed(workshop, state, "2900 %")


def test_files_made_together_are_the_files_made_one_by_one(
    workshop: Workshop, renderer: Renderer, state: PictureState, monkeypatch: pytest.MonkeyPatch
) -> None:
    sizes = ("71x41", "72x42 as png", "73x43 as webp")
    asked = [placed(workshop, state, typed).rendering for typed in sizes]
    known = renderer.files.render_file(asked[0])
    held = placed(workshop, state, "74x44").rendering  # somebody else computes it, and dies
    assert done_or_mine(workshop, held.key, "d" * 32, None) == (None, True)
    with workshop.database.begin() as session:
        session.execute(update(Result).where(Result.key_sha256 == held.key).values(lease_until=now()))
    broken = placed(workshop, state, "75x45").rendering
    compute = Files._compute

    def failing(self: Files, rendering: RenderRequest) -> tuple[bytes, PixelStatistics]:
        if rendering.key == broken.key:
            raise UnavailableError("Not today.")
        return compute(self, rendering)

    with monkeypatch.context() as today:
        today.setattr(Files, "_compute", failing)
        made = renderer.files.render_together([*asked, held, broken, asked[1]])
    assert set(made) == {one.key for one in (*asked, held, broken)}
    assert made[asked[0].key] == known
    assert isinstance(made[broken.key], UnavailableError)
    other = Renderer(workshop)
    for one in (*asked, held):
        result = made[one.key]
        assert isinstance(result, StoredResult)
        assert result.blob_sha256 == other.files.render_file(one).blob_sha256
        assert renderer.files.known([one]) == {one.key: result}
    assert isinstance(renderer.files.render_together([broken])[broken.key], StoredResult), "and nothing stays leased"


def test_texts_are_put_into_a_file_that_is_there_already(
    workshop: Workshop, renderer: Renderer, state: PictureState, monkeypatch: pytest.MonkeyPatch
) -> None:
    rendering = placed(workshop, state, "310x190 as png").rendering
    plain = renderer.files.render_file(rendering)

    def never(*_: object) -> None:
        raise AssertionError("it was rendered once more")

    monkeypatch.setattr(Files, "_compute", never)
    texts = Texts(caption="Two tomatoes", credit="Mara Lind")
    done = renderer.files.render_file(rendering.carrying(Stamp(texts=texts)))
    content = workshop.results.read(done.blob_sha256)
    assert xmp_packet(Stamp(texts=texts)) in content
    assert done.byte_count == len(content) > plain.byte_count
    assert done.statistics == renderer.files.known([rendering])[plain.key].statistics
    assert renderer.files.known([rendering.carrying(Stamp(texts=texts))]) == {done.key: done}
    assert done.key not in {plain.key, rendering.carrying(Stamp(texts=Texts(caption="Two"))).key}


def test_a_ceiling_leaves_room_for_texts(workshop: Workshop, renderer: Renderer, state: PictureState) -> None:
    rendering = placed(workshop, state, "310x190 as jpeg under 12 kB").rendering
    done = renderer.files.render_file(rendering.carrying(Stamp(texts=Texts(caption="word " * 700))))
    assert done.byte_count <= 12_000


def test_how_close_a_searched_file_looks_is_known(
    workshop: Workshop, renderer: Renderer, state: PictureState
) -> None:
    searched = placed(workshop, state, "310x190 as jpeg under 3 kB").rendering
    renderer.files.render_file(searched)
    statistics = renderer.files.known([searched])[searched.key].statistics
    assert statistics is not None
    assert statistics.likeness is not None
    assert 0 < statistics.likeness < 100
    chosen = renderer.files.render_file(placed(workshop, state, "310x190 as jpeg quality 40").rendering)
    assert chosen.statistics is not None
    assert chosen.statistics.likeness is None, "a quality that somebody chose is not judged"


def test_a_file_and_the_one_made_from_it_are_made_in_one_request(
    workshop: Workshop, renderer: Renderer, state: PictureState
) -> None:
    """Two places of one size, one with its credit: neither waits for the other's lease."""
    plain = placed(workshop, state, "311x191 as png").rendering
    credited = plain.carrying(Stamp(texts=Texts(credit="Mara Lind")))
    made: list[dict[str, StoredResult | UserError]] = []
    renderings = [credited, plain]
    asking = threading.Thread(target=lambda: made.append(renderer.files.render_together(renderings)), daemon=True)
    asking.start()
    asking.join(20)
    assert made, "it waits for itself"
    assert all(isinstance(made[0][one.key], StoredResult) for one in renderings)
    assert made[0].keys() == {credited.key, plain.key}


def test_nothing_is_held_while_somebody_else_makes_what_a_file_is_made_from(
    workshop: Workshop, renderer: Renderer, state: PictureState
) -> None:
    plain = placed(workshop, state, "312x191 as png").rendering
    credited = plain.carrying(Stamp(texts=Texts(credit="Mara Lind")))
    elsewhere = workshop.new_holder()
    assert done_or_mine(workshop, plain.key, elsewhere, None) == (None, True)
    asking = [
        threading.Thread(target=renderer.files.render_file, args=(credited,), daemon=True),
        threading.Thread(target=renderer.files.render_together, args=([credited, plain],), daemon=True),
    ]
    for one in asking:
        one.start()
    for one in asking:
        one.join(0.5)
    with workshop.database.begin() as session:
        assert session.scalar(select(Result).where(Result.key_sha256 == credited.key)) is None
        release_leases_of(session, elsewhere)
    for one in asking:
        one.join(20)
    assert known_one(renderer, credited) is not None


def test_what_a_file_is_made_from_may_be_cleared_away_meanwhile(
    workshop: Workshop, renderer: Renderer, state: PictureState, monkeypatch: pytest.MonkeyPatch
) -> None:
    plain = placed(workshop, state, "313x191 as png").rendering
    credited = plain.carrying(Stamp(texts=Texts(credit="Mara Lind")))
    computed = Files._computed

    def cleared_before(self: Files, rendering: RenderRequest) -> StoredResult:
        if rendering.key == credited.key:
            forget_result(workshop, plain_file.blob_sha256)
        return computed(self, rendering)

    plain_file = renderer.files.render_file(plain)
    monkeypatch.setattr(Files, "_computed", cleared_before)
    done = renderer.files.render_file(credited)
    assert workshop.results.byte_count(done.blob_sha256) == done.byte_count


def test_a_failure_of_what_others_are_made_from_is_told_of_both(
    workshop: Workshop, renderer: Renderer, state: PictureState, monkeypatch: pytest.MonkeyPatch
) -> None:
    plain = placed(workshop, state, "314x191 as png").rendering
    credited = plain.carrying(Stamp(texts=Texts(credit="Mara Lind")))

    def failing(self: Files, rendering: RenderRequest) -> tuple[bytes, PixelStatistics]:
        raise UnavailableError("Not today.")

    with monkeypatch.context() as today:
        today.setattr(Files, "_compute", failing)
        made = renderer.files.render_together([credited, plain])
    assert all(isinstance(made[one.key], UnavailableError) for one in (credited, plain))
    assert isinstance(renderer.files.render_file(credited), StoredResult)


def test_a_lease_is_renewed_while_its_file_is_made(
    workshop: Workshop, renderer: Renderer, state: PictureState, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A file may take longer than its lease; nobody takes it over before its holder is gone."""
    rendering = placed(workshop, state, "315x191 as png").rendering
    compute, renewed = Files._compute, threading.Event()

    def long_after(self: Renderer, asked: RenderRequest) -> tuple[bytes, PixelStatistics]:
        with workshop.database.begin() as session:  # as if it had run out by now
            session.execute(update(Result).where(Result.key_sha256 == asked.key).values(lease_until=now()))
        assert renewed.wait(20)
        assert done_or_mine(workshop, asked.key, workshop.new_holder(), None) == (None, False)
        return compute(self, asked)

    def noted(session: Session, holder: str) -> None:
        renew_leases_of(session, holder)
        session.commit()
        renewed.set()

    monkeypatch.setattr(leases, "RENEWED_EVERY_S", 0.01)
    monkeypatch.setattr(leases, "renew_leases_of", noted)
    monkeypatch.setattr(Files, "_compute", long_after)
    assert renderer.files.render_file(rendering).byte_count > 0


def test_who_was_taken_over_notes_nothing_that_has_no_row(
    workshop: Workshop, renderer: Renderer, state: PictureState, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A cell is done where its result is recorded: by whoever made it in the end."""
    rendering = placed(workshop, state, "316x191 as png").rendering
    computed, noted = Files._computed, list[bool]()

    def taken_over(self: Renderer, asked: RenderRequest) -> StoredResult:
        made = computed(self, asked)
        monkeypatch.setattr(Files, "_computed", computed)
        with workshop.database.begin() as session:
            session.execute(update(Result).where(Result.key_sha256 == asked.key).values(holder="o" * 32))
            release_leases_of(session, "o" * 32)
        return made

    def note(session: Session, done: StoredResult) -> None:
        noted.append(session.scalar(select(Result).where(Result.blob_sha256 == done.blob_sha256)) is not None)

    monkeypatch.setattr(Files, "_computed", taken_over)
    renderer.files.render_file(rendering, note)
    assert noted == [True]
