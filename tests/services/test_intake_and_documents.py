"""Bringing in and preparing, on a real MariaDB: originals untouched, versions honest, undo for ever."""

import hashlib
import os
import shutil
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import func, select

from lucidex.core.document import Framing, Output, PictureDocument
from lucidex.core.encode import FORMAT_NAMES
from lucidex.core.errors import ChangedMeanwhileError, NotFoundError, OutOfRangeError, TooLargeError, UserError
from lucidex.core.line.places import read_demand
from lucidex.core.proof.names import clean_file_name
from lucidex.core.source.limits import IntakeLimits
from lucidex.core.source.pyramid import levels_of
from lucidex.core.stamp.texts import Texts
from lucidex.core.steps import StepEntry
from lucidex.core.steps.crop import Crop, FreeArea, PixelArea, ShapeArea, SidesArea
from lucidex.core.steps.straighten import Corners, Straighten
from lucidex.core.steps.turn import Direction, Mirror, Sides, Turn
from lucidex.records.decoded import MAPPED_KEPT, DecodedStore, level_path
from lucidex.records.models import Folio, Original, Picture, Snapshot
from lucidex.services.folios import folios
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake import intake
from lucidex.services.intake import sources as sources_of
from lucidex.services.intake.intake import BroughtIn, NewFolio, bring_in
from lucidex.services.keeping import many
from lucidex.services.people.people import Actor, add_person
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change, go_to, read_history, read_picture, read_pictures, redo, undo
from lucidex.services.places.places import hang_place
from tests.conftest import encoded, on_disk, picture, smooth_picture

TURN = Turn(direction=Direction.LEFT)


@pytest.fixture
def content() -> bytes:
    return encoded(smooth_picture(400, 300), ".jpg", Q=88)


@pytest.fixture
def brought(workshop: Workshop, actor: Actor, content: bytes) -> BroughtIn:
    return bring_in(workshop, actor, NewFolio("Evenings"), "dome.jpg", [content])


def test_many_can_bring_in_and_hang_at_once(workshop: Workshop, actor: Actor) -> None:
    """Each puts a row into the folio and changes the folio itself; none waits for another that waits for it."""
    first = bring_in(workshop, actor, NewFolio("Busy"), "a.png", [encoded(picture(9, 9, seed=1))])
    troubles: list[Exception] = []

    def one(number: int) -> None:
        try:
            for again in range(6):
                content = encoded(picture(9, 9, seed=100 * number + again))
                bring_in(workshop, actor, first.folio_id, f"{number}-{again}.png", [content])
                hang_place(workshop, actor, first.folio_id, read_demand("9x9").demand())
        except Exception as error:  # noqa: BLE001
            troubles.append(error)

    threads = [threading.Thread(target=one, args=(number,)) for number in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert troubles == []
    folio = folios.read_folio(workshop, actor, first.folio_id)
    assert (len(folio.pictures), len(folio.places)) == (25, 24)


def test_the_original_comes_back_byte_for_byte(
    workshop: Workshop, actor: Actor, brought: BroughtIn, content: bytes
) -> None:
    """Invariant 1, also after the picture was worked on."""
    change(workshop, actor, brought.picture_id, 1, "turn", edits.add_step(TURN))
    sha256, name, facts = sources_of.original_file(workshop, actor, brought.picture_id)
    assert workshop.originals.read(sha256) == content
    assert sha256 == hashlib.sha256(content).hexdigest()
    assert (name, facts.media_type) == ("dome.jpg", "image/jpeg")


def count(workshop: Workshop, table: type[Folio] | type[Picture] | type[Original] | type[Snapshot]) -> int:
    with workshop.database.begin() as session:
        return session.scalar(select(func.count()).select_from(table)) or 0


@pytest.mark.parametrize("bad", [b"", b"hello", b"\xff\xd8\xff\xe0broken"])
def test_a_refused_file_leaves_nothing_behind(workshop: Workshop, actor: Actor, bad: bytes) -> None:
    before = [count(workshop, table) for table in (Folio, Picture, Original, Snapshot)]
    with pytest.raises(UserError, match=r"“holiday\.jpg” was not taken"):
        bring_in(workshop, actor, NewFolio("Nothing"), "holiday.jpg", [bad])
    assert [count(workshop, table) for table in (Folio, Picture, Original, Snapshot)] == before
    with pytest.raises(FileNotFoundError):
        on_disk(workshop.originals, hashlib.sha256(bad).hexdigest())
    assert list((workshop.data_folder / "originals" / "incoming").iterdir()) == []


def test_an_upload_that_breaks_off_leaves_nothing_behind(workshop: Workshop, actor: Actor, content: bytes) -> None:
    def breaking() -> Iterator[bytes]:
        yield content[: len(content) // 2]
        raise ConnectionResetError

    before = count(workshop, Picture)
    with pytest.raises(ConnectionResetError):
        bring_in(workshop, actor, NewFolio("Nothing"), "dome.jpg", breaking())
    assert count(workshop, Picture) == before
    assert list((workshop.data_folder / "originals" / "incoming").iterdir()) == []


def test_a_file_that_never_ends_is_refused(workshop: Workshop, actor: Actor) -> None:
    with pytest.raises(TooLargeError, match="200 MB"):
        bring_in(workshop, actor, NewFolio("Nothing"), "endless.jpg", (bytes(5_000_000) for _ in range(50)))


@pytest.mark.parametrize(
    ("typed", "kept"),
    [
        ("../../etc/passwd.png", "passwd.png"),
        ("C:\\pictures\\dome.jpg", "dome.jpg"),
        ('say "cheese".jpg', 'say "cheese".jpg'),
        ("🌿 fern.jpg", "🌿 fern.jpg"),
        ("a\x00b\nc.jpg", "a b c.jpg"),
        ("", "picture"),
        ("..", "picture"),
        ("x" * 300 + ".jpg", "x" * 251 + ".jpg"),
    ],
)
def test_odd_file_names_are_kept_safely(
    workshop: Workshop, actor: Actor, content: bytes, typed: str, kept: str
) -> None:
    assert clean_file_name(typed) == kept
    taken = bring_in(workshop, actor, NewFolio("Odd"), typed, [content])
    assert read_picture(workshop, actor, taken.picture_id).file_name == kept
    assert any("kept under the name" in note for note in taken.notes) == (typed != kept)


def test_mislabelled_and_repeated_files_are_said(workshop: Workshop, actor: Actor) -> None:
    content = encoded(picture(30, 20, seed=99))
    first = bring_in(workshop, actor, NewFolio("Twice"), "scan.jpg", [content])
    assert any("inside is a PNG" in note for note in first.notes)
    second = bring_in(workshop, actor, first.folio_id, "scan.png", [content])
    assert any("already in this folio as “scan.jpg”" in note for note in second.notes)


def three_pages() -> bytes:
    """A scan of three pages: red, green and blue, the third one in rows of its own shade."""
    pages = np.zeros((3 * 8, 8, 3), np.uint8)
    for page in range(3):
        pages[8 * page : 8 * page + 8, :, page] = 200
    image = pyvips.Image.new_from_array(pages).copy(interpretation="srgb")
    return bytes(image.tiffsave_buffer(page_height=8))


def test_another_page_is_a_picture_of_its_own_over_the_same_file(workshop: Workshop, actor: Actor) -> None:
    taken = bring_in(workshop, actor, NewFolio("Scan"), "scan.tif", [three_pages()])
    first = read_picture(workshop, actor, taken.picture_id)
    third = read_picture(workshop, actor, intake.take_page(workshop, actor, taken.picture_id, 3))
    assert third.file_name == "scan, page 3.tif"
    assert (third.source_key.part.page, third.source_key.original) == (3, first.source_key)
    for state, channel in ((first, 0), (third, 2)):
        source = sources_of.open_source(workshop, state.source_key, state.facts)
        assert tuple(source.open_level(1)[4, 4]) == tuple(200 if one == channel else 0 for one in range(3))
        workshop.decoded.drop(state.source_key)  # and so it is where its pixels are decoded again
        assert source.open_level(1)[4, 4].argmax() == channel
    assert workshop.originals.read(sources_of.original_file(workshop, actor, third.picture_id)[0]) == three_pages()
    again = read_picture(workshop, actor, intake.take_page(workshop, actor, third.picture_id, 3))
    assert again.source_key == third.source_key
    with pytest.raises(UserError, match="no page 4: it holds 3"):
        intake.take_page(workshop, actor, taken.picture_id, 4)


def test_of_many_pages_the_first_is_taken_and_said(workshop: Workshop, actor: Actor) -> None:
    pages = pyvips.Image.arrayjoin([pyvips.Image.black(8, 8, bands=3)] * 3, across=1).copy(interpretation="srgb")
    pages.set_type(pyvips.GValue.gint_type, "page-height", 8)
    taken = bring_in(workshop, actor, NewFolio("Scan"), "scan.tif", [pages.write_to_buffer(".tif")])
    assert (taken.facts.upright.width, taken.facts.upright.height) == (8, 8)
    assert taken.notes == ("It holds 3 pages; the first one was taken.",)


def test_a_decoded_picture_that_was_let_go_is_decoded_again(
    workshop: Workshop, actor: Actor, brought: BroughtIn
) -> None:
    state = read_picture(workshop, actor, brought.picture_id)
    source = sources_of.open_source(workshop, state.source_key, state.facts)
    before = source.open_level(1).copy()
    workshop.decoded.drop(state.source_key)
    assert np.array_equal(source.open_level(1), before)


@pytest.mark.parametrize("harm", ["cut", "removed", "a file of its name"])
def test_decoded_pixels_that_were_harmed_are_made_anew(
    workshop: Workshop, actor: Actor, brought: BroughtIn, harm: str
) -> None:
    state = read_picture(workshop, actor, brought.picture_id)
    source = sources_of.open_source(workshop, state.source_key, state.facts)
    before = source.open_level(1).copy()
    folder = next((workshop.data_folder / "decoded").glob(f"intake-*/{state.source_key}"))
    workshop.decoded = DecodedStore(workshop.data_folder / "decoded")  # nothing is mapped yet
    if harm == "cut":
        os.truncate(level_path(folder, 1), 100)
    else:
        shutil.rmtree(folder)
    if harm == "a file of its name":
        folder.touch()
    assert np.array_equal(source.open_level(1), before)


def mapped_files(workshop: Workshop) -> set[str]:
    lines = Path("/proc/self/maps").read_text().splitlines()
    return {line.split(maxsplit=5)[5] for line in lines if str(workshop.data_folder / "decoded") in line}


def test_what_was_planned_holds_no_file_open(workshop: Workshop, actor: Actor) -> None:
    """However many pictures were looked at, only so many stay mapped."""
    folio_id, before = folios.make_folio(workshop, actor, "Many"), mapped_files(workshop)
    sources = []
    for number in range(32):
        content = encoded(picture(140, 130, seed=7_000 + number))
        taken = bring_in(workshop, actor, folio_id, f"{number}.png", [content])
        state = read_picture(workshop, actor, taken.picture_id)
        sources.append(sources_of.open_source(workshop, state.source_key, state.facts))
        for number_of_level in levels_of(state.facts.stored):
            assert sources[-1].open_level(number_of_level).shape[2] == 3
    mapped = mapped_files(workshop) - before
    assert 0 < len(mapped) <= MAPPED_KEPT
    assert sources[0].open_level(1).shape == (130, 140, 3)


def test_others_on_the_machine_cannot_read_decoded_pixels(workshop: Workshop, brought: BroughtIn) -> None:
    assert (workshop.data_folder / "decoded").stat().st_mode & 0o077 == 0


def test_twenty_changes_are_taken_back_and_made_again(workshop: Workshop, actor: Actor, brought: BroughtIn) -> None:
    states = [read_picture(workshop, actor, brought.picture_id)]
    for number in range(20):
        alter = edits.add_step(TURN if number % 2 else Mirror(sides=Sides.LEFT_RIGHT))
        states.append(change(workshop, actor, brought.picture_id, states[-1].version, f"change {number}", alter))
    version = states[-1].version
    for expected in reversed(states[:-1]):
        state = undo(workshop, actor, brought.picture_id, version)
        assert state.document == expected.document
        version = state.version
    with pytest.raises(OutOfRangeError, match="nothing to take back"):
        undo(workshop, actor, brought.picture_id, version)
    for expected in states[1:]:
        state = redo(workshop, actor, brought.picture_id, version)
        assert state.document == expected.document
        version = state.version
    with pytest.raises(OutOfRangeError, match="nothing to make again"):
        redo(workshop, actor, brought.picture_id, version)
    assert version == 1 + 60


def test_a_change_after_an_undo_branches_and_prunes_nothing(
    workshop: Workshop, actor: Actor, brought: BroughtIn
) -> None:
    first = change(workshop, actor, brought.picture_id, 1, "turn", edits.add_step(TURN))
    back = undo(workshop, actor, brought.picture_id, first.version)
    mirror = edits.add_step(Mirror(sides=Sides.TOP_BOTTOM))
    other = change(workshop, actor, brought.picture_id, back.version, "mirror", mirror)
    assert other.redo is None
    back = undo(workshop, actor, brought.picture_id, other.version)
    assert back.redo == "mirror"
    with workshop.database.begin() as session:
        kept = session.scalars(select(Snapshot.summary).where(Snapshot.picture_id == brought.picture_id)).all()
    assert sorted(kept) == ["Brought in", "mirror", "turn"]


def test_any_state_of_the_history_can_count_again(workshop: Workshop, actor: Actor, brought: BroughtIn) -> None:
    first = change(workshop, actor, brought.picture_id, 1, "turn", edits.add_step(TURN))
    back = undo(workshop, actor, brought.picture_id, first.version)
    mirror = edits.add_step(Mirror(sides=Sides.TOP_BOTTOM))
    other = change(workshop, actor, brought.picture_id, back.version, "mirror", mirror)
    entries = read_history(workshop, actor, brought.picture_id)
    assert [(entry.summary, entry.counts, entry.is_current) for entry in entries] == [
        ("mirror", True, True),
        ("turn", False, False),
        ("Brought in", True, False),
    ]
    assert {entry.person for entry in entries} == {actor.name}
    turned = go_to(workshop, actor, brought.picture_id, other.version, entries[1].snapshot_id)
    assert turned.document == first.document
    assert turned.undo == "turn"
    elsewhere = bring_in(workshop, actor, NewFolio("Other"), "other.png", [encoded(picture(5, 5))])
    foreign = read_history(workshop, actor, elsewhere.picture_id)[0].snapshot_id
    with pytest.raises(NotFoundError, match="not in the picture's history"):
        go_to(workshop, actor, brought.picture_id, turned.version, foreign)


def test_an_old_version_is_refused_and_loses_nothing(workshop: Workshop, actor: Actor, brought: BroughtIn) -> None:
    theirs = change(workshop, actor, brought.picture_id, 1, "theirs", edits.add_step(TURN))
    for stale in (
        lambda: change(workshop, actor, brought.picture_id, 1, "mine", edits.clear_steps()),
        lambda: undo(workshop, actor, brought.picture_id, 1),
    ):
        with pytest.raises(ChangedMeanwhileError, match="Nothing was lost"):
            stale()
    assert read_picture(workshop, actor, brought.picture_id).document == theirs.document


def test_of_many_changes_at_once_exactly_one_counts(workshop: Workshop, actor: Actor, brought: BroughtIn) -> None:
    outcomes: list[str] = []

    def one(number: int) -> None:
        try:
            change(workshop, actor, brought.picture_id, 1, f"change {number}", edits.add_step(TURN))
            outcomes.append("done")
        except ChangedMeanwhileError:
            outcomes.append("refused")

    threads = [threading.Thread(target=one, args=(number,)) for number in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    state = read_picture(workshop, actor, brought.picture_id)
    assert sorted(outcomes) == ["done"] + ["refused"] * 7
    assert (state.version, len(state.document.steps)) == (2, 1)


fractions = st.floats(0, 1)
areas = st.one_of(
    st.builds(
        FreeArea,
        centre_x=fractions,
        centre_y=fractions,
        width=st.floats(1e-6, 50_000),
        height=st.floats(1e-6, 50_000),
    ),
    st.builds(
        ShapeArea,
        centre_x=fractions,
        centre_y=fractions,
        across=st.integers(1, 10_000),
        down=st.integers(1, 10_000),
        zoom=st.floats(1, 1_000),
    ),
    st.builds(
        PixelArea,
        centre_x=fractions,
        centre_y=fractions,
        width_px=st.integers(1, 32_000),
        height_px=st.integers(1, 32_000),
    ),
)
sides = st.builds(SidesArea, **{f"{side}_px": st.integers(0, 32_000) for side in ("left", "top", "right", "bottom")})
steps = st.one_of(
    st.builds(Crop, area=areas | sides),
    st.builds(Straighten, angle_degrees=st.floats(-45, 45), corners=st.sampled_from(Corners)),
    st.builds(Turn, direction=st.sampled_from(Direction)),
    st.builds(Mirror, sides=st.sampled_from(Sides)),
)
place_keys = st.integers(1, 99).map(str)
framings = st.builds(Framing, focal_x=fractions, focal_y=fractions, zoom=st.floats(1, 1_000))
outputs = st.builds(Output, format=st.sampled_from(FORMAT_NAMES), quality=st.integers(1, 100))
documents = st.builds(
    PictureDocument,
    steps=st.lists(st.tuples(steps, st.booleans()), max_size=5).map(
        lambda found: tuple(StepEntry(id=f"s{i}", step=step, active=active) for i, (step, active) in enumerate(found))
    ),
    framings=st.dictionaries(place_keys, framings, max_size=3),
    outputs=st.dictionaries(place_keys, outputs, max_size=3),
    texts=st.builds(Texts, alternative=st.text(max_size=60), caption=st.text(max_size=60)),
)


@given(documents)
def test_every_parameter_survives_the_way_to_the_database(
    shared_workshop: Workshop, kept_picture: tuple[Actor, int], document: PictureDocument
) -> None:
    actor, picture_id = kept_picture
    version = read_picture(shared_workshop, actor, picture_id).version
    change(shared_workshop, actor, picture_id, version, "all", lambda before, facts: document)
    assert read_picture(shared_workshop, actor, picture_id).document == document


@pytest.fixture(scope="module")
def kept_picture(shared_workshop: Workshop) -> tuple[Actor, int]:
    actor = add_person(shared_workshop, "keeper-of-documents", "Keeper", "a-long-enough-password")
    taken = bring_in(shared_workshop, actor, NewFolio("Kept"), "x.png", [encoded(picture(9, 9))])
    return actor, taken.picture_id


def test_steps_are_changed_moved_switched_and_removed(workshop: Workshop, actor: Actor, brought: BroughtIn) -> None:
    def apply(alter, version: int):  # noqa: ANN001, ANN202
        return change(workshop, actor, brought.picture_id, version, "x", alter)

    state = apply(edits.add_step(TURN, "a"), 1)
    state = apply(edits.add_step(Mirror(sides=Sides.LEFT_RIGHT), "b"), state.version)
    state = apply(edits.move_step("b", -5), state.version)
    assert [entry.id for entry in state.document.steps] == ["b", "a"]
    state = apply(edits.replace_step("a", Turn(direction=Direction.RIGHT)), state.version)
    assert state.document.steps[1].step == Turn(direction=Direction.RIGHT)
    assert state.document.steps[1].id == "a", "a changed step stays the same step"
    state = apply(edits.switch_step("a", active=False), state.version)
    assert (state.geometry.size.width, state.geometry.size.height) == (400, 300)
    state = apply(edits.remove_step("b"), state.version)
    assert [entry.id for entry in state.document.steps] == ["a"]
    with pytest.raises(NotFoundError, match="no longer in the list"):
        apply(edits.remove_step("b"), state.version)
    same = apply(edits.switch_step("a", active=False), state.version)
    assert same.version == state.version, "a change that changes nothing makes no version"


def test_a_crop_larger_than_the_picture_is_said_in_words(
    workshop: Workshop, actor: Actor, brought: BroughtIn
) -> None:
    alter = edits.add_step(Crop(area=PixelArea(width_px=5_000, height_px=100)))
    state = change(workshop, actor, brought.picture_id, 1, "crop", alter)
    assert (state.geometry.size.width, state.geometry.size.height) == (400, 100)
    assert "only 400 × 300 here" in state.geometry.remarks[0].sentence


def test_folios_are_seen_by_their_people_only(
    workshop: Workshop, actor: Actor, new_person: Callable[[], Actor], brought: BroughtIn
) -> None:
    other = new_person()
    for forbidden in (
        lambda: folios.read_folio(workshop, other, brought.folio_id),
        lambda: read_picture(workshop, other, brought.picture_id),
        lambda: sources_of.original_file(workshop, other, brought.picture_id),
        lambda: change(workshop, other, brought.picture_id, 1, "x", edits.clear_steps()),
        lambda: many.take_out(workshop, other, brought.folio_id, [brought.picture_id]),
        lambda: bring_in(workshop, other, brought.folio_id, "x.png", [b"x"]),
    ):
        with pytest.raises(NotFoundError):
            forbidden()
    folios.share_folio(workshop, actor, brought.folio_id, other.login)
    assert read_picture(workshop, other, brought.picture_id).file_name == "dome.jpg"
    assert [row.id for row in folios.list_folios(workshop, other)] == [brought.folio_id]
    with pytest.raises(UserError, match="whose folio this is"):
        folios.share_folio(workshop, other, brought.folio_id, actor.login)
    folios.unshare_folio(workshop, actor, brought.folio_id, other.id)
    with pytest.raises(NotFoundError):
        read_picture(workshop, other, brought.picture_id)


def test_a_removed_picture_can_be_put_back(workshop: Workshop, actor: Actor, brought: BroughtIn) -> None:
    many.take_out(workshop, actor, brought.folio_id, [brought.picture_id])
    with pytest.raises(NotFoundError):
        read_picture(workshop, actor, brought.picture_id)
    intake.put_back_picture(workshop, actor, brought.picture_id)
    assert read_picture(workshop, actor, brought.picture_id).file_name == "dome.jpg"


def test_many_pictures_are_read_like_each_alone(
    workshop: Workshop, actor: Actor, new_person: Callable[[], Actor]
) -> None:
    first = bring_in(workshop, actor, NewFolio("Many"), "a.png", [encoded(picture(9, 9, seed=1))])
    ids = [first.picture_id]
    for number in range(2, 5):
        content = encoded(picture(9, 9, seed=number))
        ids.append(bring_in(workshop, actor, first.folio_id, f"{number}.png", [content]).picture_id)
    for way in (Direction.LEFT, Direction.RIGHT):
        state = read_picture(workshop, actor, ids[1])
        change(workshop, actor, ids[1], state.version, f"turn {way}", edits.add_step(Turn(direction=way)))
    undo(workshop, actor, ids[1], 3)
    OwnCache.forget_facts(workshop)
    together = read_pictures(workshop, actor, ids[::-1])
    OwnCache.forget_facts(workshop)
    assert together == [read_picture(workshop, actor, picture_id) for picture_id in ids[::-1]]
    assert together[2].redo == "turn right"
    with pytest.raises(NotFoundError):
        read_pictures(workshop, new_person(), ids)


def test_a_drawing_is_as_large_as_its_places_ask_for(workshop: Workshop, actor: Actor) -> None:
    drawing = b'<svg xmlns="http://www.w3.org/2000/svg" width="100" height="50"><rect width="100" height="50"/></svg>'
    goal = NewFolio("Drawings", ((read_demand("3000x1500").demand(), ""),))
    taken = bring_in(workshop, actor, goal, "mark.svg", [drawing])
    assert (taken.facts.stored_width, taken.facts.stored_height) == (3_000, 1_500)
    assert taken.notes == ("It is a drawing, and was drawn at 3000 × 1500 pixels.",)
    again = bring_in(workshop, actor, taken.folio_id, "again.svg", [drawing])
    assert "The same file is already in this folio as “mark.svg”." in again.notes
    plain = bring_in(workshop, actor, NewFolio("Plain"), "mark.svg", [drawing])
    assert plain.facts.stored_width == 2_048


def test_limits_are_those_that_were_set_and_hold_for_what_comes_in_only(
    workshop: Workshop, actor: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whoever lowers them loses nothing that is there already."""
    taken = bring_in(workshop, actor, NewFolio("Before"), "a.png", [encoded(picture(1_200, 1_000))])
    monkeypatch.setattr(workshop, "limits", IntakeLimits(file_bytes=5_000_000, pixels=1_000_000))
    with pytest.raises(TooLargeError, match="Up to 1 million"):
        bring_in(workshop, actor, NewFolio("After"), "b.png", [encoded(picture(1_200, 1_001))])
    with pytest.raises(TooLargeError, match="5 MB"):
        bring_in(workshop, actor, NewFolio("After"), "c.png", [bytes(5_000_001)])
    state = read_picture(workshop, actor, taken.picture_id)
    workshop.decoded.drop(state.source_key)
    source = sources_of.open_source(workshop, state.source_key, state.facts)
    assert source.open_level(1).shape[:2] == (1_000, 1_200)
