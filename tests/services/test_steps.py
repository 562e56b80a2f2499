"""Steps over pictures: found anew, put on others, undone and made again across a restart; the book of places."""

import json
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, settings

from lucidex.core.document import PictureDocument
from lucidex.core.errors import NotFoundError, NotUnderstoodError, OutOfRangeError, UnreadableFileError
from lucidex.core.geometry.picture_geometry import Remedy
from lucidex.core.geometry.sizes import Size
from lucidex.core.line.places import read_demand
from lucidex.core.places.book import BOOK_REVISION, Book, BookPlace, Purpose, read_book, shipped_book
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import Step
from lucidex.core.steps.crop import Crop, PixelArea
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.trim import Trim
from lucidex.core.steps.turn import Direction, Turn
from lucidex.launch.mariadb import MariaDbServer
from lucidex.services.bench.steps import PutStep, begun, carried_steps, changed, put_on_pictures, remedied, varied
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in, copy_picture
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change, read_picture, redo, undo
from lucidex.services.places import book
from lucidex.services.rendering.render_requests import in_place, up_to
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.routines.routine_use import has_already
from tests.conftest import encoded, smooth_picture
from tests.core.any_step import any_step


def drawing(left: int) -> bytes:
    """A black bar on white, somewhere."""
    pixels = np.full((200, 300, 3), 255, np.uint8)
    pixels[80:100, left : left + 60] = 0
    return encoded(pixels)


@pytest.fixture
def pictures(workshop: Workshop, actor: Actor) -> list[int]:
    first = bring_in(workshop, actor, NewFolio("Work"), "one.png", [drawing(30)])
    others = [bring_in(workshop, actor, first.folio_id, f"n{i}.png", [drawing(60 + 40 * i)]) for i in range(3)]
    photograph = bring_in(workshop, actor, first.folio_id, "photo.jpg", [encoded(smooth_picture(300, 200), ".jpg")])
    return [first.picture_id, *(taken.picture_id for taken in others), photograph.picture_id]


def test_a_trim_finds_its_content_anew_on_each_picture(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    state = read_picture(workshop, actor, pictures[0])
    trim = begun(renderer, state, Trim(margin_percent=0))
    state = change(workshop, actor, pictures[0], state.version, "trim", edits.add_step(trim, "t"))
    assert state.geometry.size == Size(60, 20)
    done = put_on_pictures(renderer, workshop, actor, [PutStep(trim)], state.folio_id, pictures[1:])
    assert [one.trouble for one in done] == [None] * 4
    for picture_id in pictures[1:4]:
        other = read_picture(workshop, actor, picture_id)
        assert other.geometry.size == Size(60, 20)
        assert other.undo is not None
        assert other.undo.startswith("Put on: ")
    assert read_picture(workshop, actor, pictures[4]).geometry.remarks, (
        "a photograph has no plain ground, and that is said"
    )


def test_a_changed_tolerance_looks_again_and_a_margin_does_not(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    state = read_picture(workshop, actor, pictures[0])
    elsewhere = Trim(
        margin_percent=0, found=begun(renderer, read_picture(workshop, actor, pictures[3]), Trim()).found
    )
    state = change(workshop, actor, pictures[0], state.version, "trim", edits.add_step(elsewhere, "t"))
    wider = changed(renderer, state, "t", {"margin_percent": "10"})
    assert isinstance(wider, Trim)
    assert wider.found == elsewhere.found
    again = changed(renderer, state, "t", {"tolerance_percent": "20"})
    assert isinstance(again, Trim)
    assert again.found != elsewhere.found
    with pytest.raises(OutOfRangeError, match="at most 90"):
        changed(renderer, state, "t", {"tolerance_percent": "200"})


def test_all_steps_go_to_other_pictures_but_those_of_this_picture_alone(pictures: list[int]) -> None:
    steps: list[Step] = [Turn(direction=Direction.LEFT), Straighten(angle_degrees=2), Trim()]
    entries = tuple(StepEntry.model_validate({"id": f"s{i}", "step": s.model_dump()}) for i, s in enumerate(steps))
    goes, stays = carried_steps(PictureDocument(steps=entries))
    assert goes == [entries[0], entries[2]]
    assert stays == [entries[1]]


def test_several_values_leave_the_picture_alone_until_one_is_kept(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    state = read_picture(workshop, actor, pictures[4])
    state = change(workshop, actor, pictures[4], state.version, "s", edits.add_step(Straighten(angle_degrees=1), "s"))
    sizes = [varied(renderer, state, "s", value).geometry(state.facts.upright).size for value in ("1", "4", "9,5")]
    assert sizes[0].pixels > sizes[1].pixels > sizes[2].pixels
    assert read_picture(workshop, actor, pictures[4]).version == state.version
    with pytest.raises(OutOfRangeError):
        varied(renderer, state, "s", "90")
    with pytest.raises(NotUnderstoodError):
        varied(renderer, state, "s", "much")


@pytest.mark.parametrize(
    ("remedy", "size"), [(Remedy.LARGEST, Size(300, 100)), (Remedy.ROOM, Size(900, 300)), (Remedy.ENLARGE, None)]
)
def test_the_ways_out_of_a_crop_beyond_the_picture(
    workshop: Workshop, actor: Actor, pictures: list[int], remedy: Remedy, size: Size | None
) -> None:
    crop = Crop(area=PixelArea(width_px=900, height_px=300))
    state = read_picture(workshop, actor, pictures[0])
    state = change(workshop, actor, pictures[0], state.version, "c", edits.add_step(crop, "c"))
    steps = remedied(crop, up_to(state.document, "c").geometry(state.facts.upright), remedy)
    after = edits.replace_step("c", *steps)(state.document, state.facts)
    geometry = after.geometry(state.facts.upright)
    assert geometry.size == (size or Size(300, 200))
    assert geometry.remarks == ()


def test_twenty_undos_a_restart_and_twenty_redos(
    workshop: Workshop, actor: Actor, pictures: list[int], database_server: MariaDbServer
) -> None:
    picture_id = pictures[4]
    states = [read_picture(workshop, actor, picture_id)]
    for angle in range(1, 21):
        add = edits.add_step(Straighten(angle_degrees=angle / 10), f"s{angle}")
        states.append(change(workshop, actor, picture_id, states[-1].version, f"step {angle}", add))
    at = states[-1]
    for _ in range(20):
        at = undo(workshop, actor, picture_id, at.version)
    assert at.document == states[0].document
    again = Workshop(workshop.data_folder, database_server.url)
    for expected in states[1:]:
        at = redo(again, actor, picture_id, at.version)
        assert at.document == expected.document
    assert at.redo is None
    again.close()


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(step=any_step)
def test_every_step_comes_back_from_the_database_as_it_went(
    workshop: Workshop, actor: Actor, pictures: list[int], step: Step
) -> None:
    assume(not step.assets)  # a file must be somebody's own: tests/services/test_logos.py, test_finishing.py
    state = read_picture(workshop, actor, pictures[0])
    entry = StepEntry.model_validate({"id": "a", "step": step.model_dump()})
    document = state.document.model_copy(update={"steps": (entry,)})
    change(workshop, actor, pictures[0], state.version, "x", lambda before, facts: document)
    assert read_picture(workshop, actor, pictures[0]).document.steps == (entry,)


def test_a_part_is_a_picture_of_its_own_and_the_other_stays(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    crop = Crop(area=PixelArea(width_px=40, height_px=30))
    entry = edits.new_entry(crop)
    made = copy_picture(workshop, actor, pictures[0], PictureDocument(steps=(entry,)), "part", "Made from a part")
    part = read_picture(workshop, actor, made)
    assert part.file_name == "one, part.png"
    assert part.geometry.size == Size(40, 30)
    assert read_picture(workshop, actor, pictures[0]).document.steps == ()
    placed = in_place(workshop, part, OutputId("0"), read_demand("100 %").demand())
    assert renderer.files.render_file(placed.rendering).byte_count > 0


# the book of places


def place(name: str = "Poster", size: str = "400x600") -> BookPlace:
    return BookPlace(purpose=Purpose.DOCUMENT, name=name, demand=read_demand(size).demand())


def test_own_places_come_first_and_belong_to_one_person(
    workshop: Workshop, actor: Actor, new_person: Callable[[], Actor]
) -> None:
    other = new_person()
    own = book.add_own(workshop, actor, place("Full HD", "640x360"))
    found = book.find_by_name(workshop, actor, "  full  hd ")
    assert found is not None
    assert found.own_id == own
    shipped = book.find_by_name(workshop, other, "full hd")
    assert shipped is not None
    assert shipped.own_id is None
    for refused in (
        lambda: book.read_own(workshop, other, own),
        lambda: book.change_own(workshop, other, own, place()),
        lambda: book.remove_own(workshop, other, own),
    ):
        with pytest.raises(NotFoundError):
            refused()
    book.change_own(workshop, actor, own, place("Poster", "500x500"))
    assert book.read_own(workshop, actor, own).place == place("Poster", "500x500")
    assert book.remove_own(workshop, actor, own) == place("Poster", "500x500")


def test_a_book_goes_out_and_comes_in_again(
    workshop: Workshop, actor: Actor, new_person: Callable[[], Actor]
) -> None:
    for name in ("A", "B"):
        book.add_own(workshop, actor, place(name))
    text = book.export_book(workshop, actor, with_shipped=True).written().encode()
    other = new_person()
    assert book.import_book(workshop, other, text) == book.Imported(2, len(shipped_book().places))
    assert book.import_book(workshop, other, text).added == 0, "what is there is not added twice"
    assert book.export_book(workshop, other) == book.export_book(workshop, actor)


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        (b"\xff\xfe nonsense", "not JSON"),
        (b"[]", "no book of places"),
        (b'{"places": []}', "no schema_revision"),
        (json.dumps({"schema_revision": BOOK_REVISION + 1}).encode(), "newer version"),
        (b'{"schema_revision": 1, "places": [{"purpose": "site"}]}', "places / 1 / name"),
        (
            b'{"schema_revision": 1, "places": [{"purpose": "moon", "name": "x", "demand": {}}]}',
            "places / 1 / purpose",
        ),
        (b"[" * 100_000, "not JSON"),
        (b" " * 2_000_001, "larger"),
    ],
)
def test_what_is_no_book_is_said_and_adds_nothing(
    workshop: Workshop, actor: Actor, text: bytes, sentence: str
) -> None:
    with pytest.raises(UnreadableFileError, match=sentence):
        book.import_book(workshop, actor, text)
    assert book.export_book(workshop, actor) == Book()


def test_every_shipped_place_can_be_filled() -> None:
    assert len(shipped_book().places) > 20
    assert {entry.purpose for entry in shipped_book().places} == set(Purpose)
    for entry in shipped_book().places:
        for picture in (Size(6000, 4000), Size(90, 900)):
            assert entry.demand.size_for(picture).pixels >= 1
    assert read_book(shipped_book().written().encode()) == shipped_book()


def test_what_a_step_could_not_do_on_another_picture_is_said(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    crop = Crop(area=PixelArea(width_px=5_000, height_px=5_000))
    folio_id = read_picture(workshop, actor, pictures[0]).folio_id
    (done,) = put_on_pictures(renderer, workshop, actor, [PutStep(crop)], folio_id, pictures[:1])
    assert done.trouble is None
    assert "The crop asks for 5000 × 5000, but the picture is only 300 × 200 here." in done.remark


def test_steps_that_are_there_already_are_known_whatever_they_found(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    steps = [PutStep(Trim(margin_percent=2)), PutStep(Turn(direction=Direction.LEFT))]
    assert not has_already(read_picture(workshop, actor, pictures[0]), steps)
    folio_id = read_picture(workshop, actor, pictures[0]).folio_id
    put_on_pictures(renderer, workshop, actor, steps, folio_id, pictures[:2])
    for one in pictures[:2]:
        assert has_already(read_picture(workshop, actor, one), steps)
        assert has_already(read_picture(workshop, actor, one), steps[1:])
        assert not has_already(read_picture(workshop, actor, one), steps[::-1])
    assert not has_already(read_picture(workshop, actor, pictures[0]), [PutStep(Trim(margin_percent=3))])


def test_a_free_crop_begins_with_the_shape_of_the_picture(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    state = read_picture(workshop, actor, pictures[0])
    for turns in (0, 1):
        if turns:
            state = change(
                workshop, actor, pictures[0], state.version, "t", edits.add_step(Turn(direction=Direction.LEFT))
            )
        free = next(offer.step for offer in Crop.offers() if offer.words[0] == "crop")
        step = begun(renderer, state, free)
        assert isinstance(step, Crop)
        wanted = step.area.wanted(state.geometry)
        assert (wanted.width, wanted.height) == (
            round(0.8 * state.geometry.size.width),
            round(0.8 * state.geometry.size.height),
        )
