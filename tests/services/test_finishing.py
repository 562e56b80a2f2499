"""Words, outlines and notes over pictures: fields filled in a run, faces of one's own, notes with authors."""

import io
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import timedelta
from functools import cache

import numpy as np
import pytest
from fontTools.ttLib import TTFont
from PIL import Image

from lucidex.core.encode import JPEG, PNG, WEBP
from lucidex.core.errors import NotAllowedError, NotFoundError, OutOfRangeError, UnreadableFileError
from lucidex.core.finish.findings import FindingKind
from lucidex.core.finish.marks import Mark, MarkKind, PenColour
from lucidex.core.finish.text.faces import Family, shipped_face
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.file_list import USUAL_PATTERN
from lucidex.core.routine import Routine, RoutineFile, RoutineStep
from lucidex.core.stamp.texts import Texts
from lucidex.core.steps.base import Carried
from lucidex.core.steps.border import Border
from lucidex.core.steps.marks import Marks
from lucidex.core.steps.reflection import Reflection
from lucidex.core.steps.shadow import Shadow
from lucidex.core.steps.shape import Shape
from lucidex.core.steps.text import Text, TextInk
from lucidex.core.steps.two_tone import Paper, TwoToneStep
from lucidex.records.models import Font, Note, Original, Scope, now
from lucidex.services.assets import fonts
from lucidex.services.bench.words_on_pictures import words_apart
from lucidex.services.folios.folios import read_folio, share_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.keeping.retention import clean_up
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits, notes
from lucidex.services.pictures.documents import PictureState, change, read_picture, with_document
from lucidex.services.pictures.gathering import read_sheet
from lucidex.services.places.places import hang_place
from lucidex.services.proof.proof_sheet import proof_rows
from lucidex.services.rendering.render_requests import in_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.routines.routines import export_routines, import_routines, keep_routine, steps_to_keep
from lucidex.services.runs import runs
from tests.conftest import encoded, smooth_picture

ARROW = Mark(kind=MarkKind.ARROW, points=((0.2, 0.2), (0.7, 0.6)))


@pytest.fixture
def other_actor(new_person: Callable[[], Actor]) -> Actor:
    """Somebody else."""
    return new_person()


@pytest.fixture
def picture_id(workshop: Workshop, actor: Actor) -> int:
    content = encoded(smooth_picture(600, 400), ".jpg")
    return bring_in(workshop, actor, NewFolio("Finish"), "one.jpg", [content]).picture_id


def with_steps(workshop: Workshop, actor: Actor, picture_id: int, *steps: object) -> PictureState:
    state = read_picture(workshop, actor, picture_id)
    for step in steps:
        state = change(workshop, actor, picture_id, state.version, "added", edits.add_step(step))  # type: ignore[arg-type]
    return state


def made(workshop: Workshop, renderer: Renderer, state: PictureState, typed: str, called: str = "") -> Image.Image:
    placed = in_place(workshop, state, OutputId.of("1"), read_demand(typed).demand(), called)
    return Image.open(io.BytesIO(workshop.results.read(renderer.files.render_file(placed.rendering).blob_sha256)))


def test_a_slide_picture_with_shadow_and_reflection_has_its_exact_size_in_a_format_that_keeps_clear_areas(
    workshop: Workshop, renderer: Renderer, actor: Actor, picture_id: int
) -> None:
    state = with_steps(workshop, actor, picture_id, Shadow(), Reflection(), Border(width_percent=1))
    made_file = made(workshop, renderer, state, "960x540")
    assert (made_file.size, made_file.format, made_file.mode) == ((960, 540), "WEBP", "RGBA")
    lost = in_place(workshop, state, OutputId.of("1"), read_demand("960x540 as jpeg").demand())
    assert "clear areas lost" in [flag.kind for flag in lost.flags]
    state = with_steps(workshop, actor, picture_id, Shape(outside="#ffffff"))
    assert made(workshop, renderer, state, "960x540").format == "JPEG", "on a ground nothing is clear"


def test_what_is_added_to_the_finished_size_takes_its_seat_in_the_list(
    workshop: Workshop, actor: Actor, picture_id: int
) -> None:
    state = with_steps(workshop, actor, picture_id, Text(text="a"), Shadow(), Border(), Shape(), Text(text="b"))
    kinds = [entry.step.kind for entry in state.document.steps]
    assert kinds == ["shape", "border", "shadow", "text", "text"]
    last = state.document.steps[-1].id
    state = change(workshop, actor, picture_id, state.version, "up", edits.move_step(last, -4))
    assert [entry.step.kind for entry in state.document.steps] == kinds, "among words only"
    assert state.document.steps[3].id == last


def test_fields_are_each_pictures_and_each_places_own(
    workshop: Workshop, renderer: Renderer, actor: Actor, picture_id: int
) -> None:
    state = with_steps(workshop, actor, picture_id, Text(text="{caption} · {place} · {price}"))
    texts = edits.set_texts(Texts(caption="Fern fronds"))
    state = change(workshop, actor, picture_id, state.version, "texts", texts)
    demand = read_demand("300x200").demand()
    one, other = (in_place(workshop, state, OutputId.of("1"), demand, called) for called in ("Card", "Banner"))
    assert one.rendering.key != other.rendering.key, "the place's name is on it"
    assert one.rendering.steps[0].step.text == "Fern fronds · Card"  # type: ignore[attr-defined]
    result = renderer.files.render_file(one.rendering)
    assert result.statistics
    assert [(f.kind, f.named) for f in result.statistics.findings] == [(FindingKind.EMPTY_FIELD, "price")]
    assert [flag.words for flag in one.flags_at(1, result.statistics)] == ["{price} is empty"]
    words = lambda document, facts: document.model_copy(update={"words": {"price": "free"}})  # noqa: E731
    state = change(workshop, actor, picture_id, state.version, "price", words)
    filled = in_place(workshop, state, OutputId.of("1"), demand, "Card")
    assert filled.rendering.steps[0].step.text == "Fern fronds · Card · free"  # type: ignore[attr-defined]
    assert state.document.steps[0].step.text == "{caption} · {place} · {price}"  # type: ignore[attr-defined]


def test_what_was_found_is_known_again_when_the_file_is_there_already(
    workshop: Workshop, renderer: Renderer, actor: Actor, picture_id: int
) -> None:
    state = with_steps(workshop, actor, picture_id, Text(text="W" * 90, size_percent=30))
    rendering = in_place(workshop, state, OutputId.of("1"), read_demand("300x200").demand()).rendering
    first, again = renderer.files.render_file(rendering), renderer.files.known([rendering])[rendering.key]
    assert first.statistics
    assert again.statistics
    assert again.statistics.findings == first.statistics.findings != ()


def test_a_run_over_twenty_pictures_sets_each_ones_caption(
    workshop: Workshop, renderer: Renderer, actor: Actor
) -> None:
    folio = bring_in(workshop, actor, NewFolio("Twenty"), "0.jpg", [encoded(smooth_picture(90, 60), ".jpg")])
    ids = [folio.picture_id]
    for number in range(1, 20):
        content = encoded(smooth_picture(90 + number, 60), ".jpg")
        ids.append(bring_in(workshop, actor, folio.folio_id, f"{number}.jpg", [content]).picture_id)
    place = hang_place(workshop, actor, folio.folio_id, read_demand("160x90").demand(), "Card")
    for number, one in enumerate(ids):
        state = with_steps(workshop, actor, one, Text(text="{caption}"))
        change(workshop, actor, one, state.version, "t", edits.set_texts(Texts(caption=f"Bed {number}")))
    rows = proof_rows(workshop, actor, read_folio(workshop, actor, folio.folio_id))
    texts = [row.cells[0].placed.rendering.steps[0].step.text for row in rows]  # type: ignore[union-attr, attr-defined]
    assert texts == [f"Bed {number}" for number in range(20)]
    assert len({row.cells[0].placed.rendering.key for row in rows}) == 20  # type: ignore[union-attr]
    assert rows[0].cells[0].place.id == place.id
    run_id = runs.begin_run(workshop, actor, folio.folio_id, USUAL_PATTERN)
    assert len(runs.read_cells(workshop, actor, run_id)) == 20
    runs.stop_run(workshop, actor, run_id)  # nothing is left for other tests' workers to take


def test_words_are_apart_from_the_picture_as_they_are_in_the_file(
    workshop: Workshop, renderer: Renderer, actor: Actor, picture_id: int
) -> None:
    state = with_steps(
        workshop, actor, picture_id, Border(width_percent=4), Text(text="Seed swap", ink=TextInk.LIGHT)
    )
    place = hang_place(workshop, actor, state.folio_id, read_demand("300x200 as png").demand(), "Card")
    demand = read_demand("300x200 as png").demand()
    apart = words_apart(workshop, state, state.document.steps[-1].id, place, demand)
    alone = np.asarray(
        Image.open(io.BytesIO(renderer.screen.thing_alone(apart.step, apart.without, apart.part, apart.assets))),
        float,
    )
    below = np.asarray(made(workshop, renderer, without(state), "300x200 as png").convert("RGB"), float)
    whole = np.asarray(made(workshop, renderer, state, "300x200 as png").convert("RGB"), float)
    part = apart.part
    rows, columns = slice(part.top, part.top + part.size.height), slice(part.left, part.left + part.size.width)
    share = alone[..., 3:] / 255
    below[rows, columns] = below[rows, columns] * (1 - share) + alone[..., :3] * share
    assert np.abs(below - whole).max() <= 2
    with pytest.raises(OutOfRangeError, match="has no words"):
        words_apart(workshop, state, state.document.steps[0].id, place, demand)


def without(state: PictureState) -> PictureState:
    return with_document(state, state.document.model_copy(update={"steps": state.document.steps[:-1]}))


def test_the_ways_out_of_words_that_are_hard_to_read_help() -> None:
    hard = Text(text="x", ink=TextInk.DARK, behind_strength=20)
    assert hard.easier_to_read(True).behind_strength >= 85
    assert hard.easier_to_read(False).ink is TextInk.LIGHT
    assert hard.easier_to_read(False).easier_to_read(False).ink is TextInk.DARK


@cache
def hand_bytes(family: Family = Family.HAND, **changes: int) -> bytes:
    font = TTFont(shipped_face(family).path)
    for name, value in changes.items():
        setattr(font["OS/2"], name, value)
    out = io.BytesIO()
    font.save(out)
    return out.getvalue()


def test_a_face_of_ones_own_is_used_kept_apart_and_let_go(
    workshop: Workshop, renderer: Renderer, actor: Actor, other_actor: Actor, picture_id: int
) -> None:
    kept = fonts.keep_font(workshop, actor, "our hand.ttf", [hand_bytes()])
    assert fonts.keep_font(workshop, actor, "our hand.ttf", [hand_bytes()]).id == kept.id, "once"
    state = with_steps(workshop, actor, picture_id, Text(text="Seed", font=kept.file))
    own = np.asarray(made(workshop, renderer, state, "300x200 as png").convert("RGB"), int)
    shipped = with_steps(workshop, actor, picture_id)
    shipped = change(
        workshop, actor, picture_id, shipped.version, "face",
        edits.replace_step(shipped.document.steps[0].id, Text(text="Seed", family=Family.HAND, weight="regular")),
    )  # fmt: skip
    same = np.asarray(made(workshop, renderer, shipped, "300x200 as png").convert("RGB"), int)
    assert np.abs(own - same).max() <= 2, "it is the same hand, but for the weight that only shipped ones have"
    foreign = bring_in(workshop, other_actor, NewFolio("Theirs"), "x.jpg", [encoded(smooth_picture(60, 40), ".jpg")])
    with pytest.raises(NotFoundError, match="face “our hand"):
        with_steps(workshop, other_actor, foreign.picture_id, Text(text="x", font=kept.file))
    with pytest.raises(NotFoundError, match="among yours"):
        fonts.read_font(workshop, other_actor, kept.id)
    path = fonts.face_of(workshop, kept.sha256).path
    path.unlink()
    assert fonts.face_of(workshop, kept.sha256).path.read_bytes(), "prepared again from what was brought in"
    fonts.forget_font(workshop, actor, kept.id)
    assert fonts.read_fonts(workshop, actor) == []
    clean_up(workshop, now() + timedelta(days=400))
    with workshop.database.begin() as session:
        assert session.get(Original, kept.sha256) is not None, "a step uses it, now or earlier"
    assert not path.exists(), "only what it is made into is let go"
    path = fonts.face_of(workshop, kept.sha256).path
    clean_up(workshop, now() + timedelta(days=1))
    assert path.exists(), "nothing that was used goes"


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"no font at all", "neither TTF nor OTF"),
        (hand_bytes(fsType=2), "does not allow"),
        (hand_bytes()[:9_000], "damaged"),
    ],
)
def test_a_file_that_is_no_usable_face_leaves_nothing(
    workshop: Workshop, actor: Actor, content: bytes, says: str
) -> None:
    before = set((workshop.data_folder / "faces").glob("*")) if (workshop.data_folder / "faces").exists() else set()
    with pytest.raises(UnreadableFileError, match=f"“f.ttf” was not taken. .*{says}"):
        fonts.keep_font(workshop, actor, "f.ttf", [content])
    assert fonts.read_fonts(workshop, actor) == []
    assert set((workshop.data_folder / "faces").glob("*")) == before


def test_four_callers_keep_a_face_once_and_never_more_than_allowed(
    workshop: Workshop, actor: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(fonts, "_FACES", replace(fonts._FACES, most=2))
    contents = [hand_bytes(), hand_bytes(), hand_bytes(Family.MONO), hand_bytes(Family.SLAB)]

    def keep(content: bytes) -> str:
        try:
            return fonts.keep_font(workshop, actor, "f.ttf", [content]).sha256
        except OutOfRangeError as error:
            return error.sentence

    with ThreadPoolExecutor(4) as pool:
        answers = list(pool.map(keep, contents))
    assert len(fonts.read_fonts(workshop, actor)) == 2
    assert sum("At most 2 faces" in one for one in answers) in {1, 2}


def test_a_routine_carries_words_and_shapes_and_never_marks(
    workshop: Workshop, actor: Actor, picture_id: int
) -> None:
    kept = fonts.keep_font(workshop, actor, "our hand.ttf", [hand_bytes()])
    steps = (Text(text="{caption}", font=kept.file), Shape(), Border(), Shadow(), Marks(marks=(ARROW,)))
    state = with_steps(workshop, actor, picture_id, *steps)
    goes, stays = steps_to_keep(state, {})
    assert {one.step.kind: one.carried for one in goes.values()} == dict.fromkeys(
        ("text", "shape", "border", "shadow"), Carried.ALWAYS
    )
    assert [step.kind for step in stays] == ["marks"]


def test_faces_are_not_handed_on_with_routines(workshop: Workshop, actor: Actor, other_actor: Actor) -> None:
    kept = fonts.keep_font(workshop, actor, "our hand.ttf", [hand_bytes()])
    keep_routine(workshop, actor, Routine(name="Ours", steps=(RoutineStep(step=Text(text="x", font=kept.file)),)))
    written = export_routines(workshop, actor)
    assert written.logos == ()
    content = RoutineFile.model_validate(written.model_dump()).written().encode()
    with pytest.raises(NotFoundError, match="face “our hand"):
        import_routines(workshop, other_actor, content)
    fonts.keep_font(workshop, other_actor, "the same.ttf", [hand_bytes()])
    assert import_routines(workshop, other_actor, content) == 1


def test_a_colleagues_note_is_seen_answered_and_settled_and_is_in_no_file(
    workshop: Workshop, renderer: Renderer, actor: Actor, other_actor: Actor, picture_id: int
) -> None:
    state = read_picture(workshop, actor, picture_id)
    before = in_place(workshop, state, OutputId.of("1"), read_demand("300x200").demand()).rendering.key
    with pytest.raises(NotFoundError):
        notes.add_note(workshop, other_actor, picture_id, "Lighter?", [ARROW])
    share_folio(workshop, actor, state.folio_id, other_actor.login, Scope.LOOK)
    note_id = notes.add_note(workshop, other_actor, picture_id, "Lighter?", [ARROW])
    (note,) = notes.read_notes(workshop, actor, picture_id)
    assert (note.author, note.is_mine, note.text, note.marks) == (other_actor.name, False, "Lighter?", (ARROW,))
    (one,) = [p for _, group in read_sheet(workshop, actor, state.folio_id).groups for p in group]
    assert (one.open_notes, one.needs_somebody) == (1, True)
    notes.answer(workshop, actor, picture_id, note_id, "Done.")
    for forbidden in (
        lambda: notes.write_text(workshop, actor, picture_id, note_id, "mine now"),
        lambda: notes.drop_mark(workshop, actor, picture_id, note_id, 0),
        lambda: notes.remove_note(workshop, actor, picture_id, note_id),
    ):
        with pytest.raises(NotAllowedError, match="somebody else's"):
            forbidden()
    notes.settle(workshop, actor, picture_id, note_id, True)
    (note,) = notes.read_notes(workshop, other_actor, picture_id)
    assert [(a.author, a.text) for a in note.answers] == [(actor.name, "Done.")]
    assert (note.is_settled, note.settled_by) == (True, actor.name)
    (one,) = [p for _, group in read_sheet(workshop, actor, state.folio_id).groups for p in group]
    assert one.open_notes == 0
    state = read_picture(workshop, actor, picture_id)
    assert in_place(workshop, state, OutputId.of("1"), read_demand("300x200").demand()).rendering.key == before
    with pytest.raises(NotAllowedError):
        notes.put_into_files(workshop, other_actor, state, state.version, note_id)


def test_marks_come_into_the_files_on_purpose_where_they_were_drawn_and_can_be_taken_back(
    workshop: Workshop, renderer: Renderer, actor: Actor, picture_id: int
) -> None:
    state = read_picture(workshop, actor, picture_id)
    bare = np.asarray(made(workshop, renderer, state, "300x200 as png").convert("RGB"), int)
    box = Mark(kind=MarkKind.BOX, colour=PenColour.BLUE, points=((0.25, 0.25), (0.75, 0.75)), width=0.02)
    note_id = notes.add_note(workshop, actor, picture_id, "", [box])
    state = notes.put_into_files(workshop, actor, state, state.version, note_id)
    marked = np.asarray(made(workshop, renderer, state, "300x200 as png").convert("RGB"), int)
    changed = np.abs(marked - bare).max(axis=2) > 20
    rows, columns = np.nonzero(changed)
    assert [rows.min(), rows.max(), columns.min(), columns.max()] == pytest.approx([48, 151, 73, 226], abs=2)
    assert np.abs(marked[50, 150] - (0, 114, 178)).max() <= 2
    state = notes.put_into_files(workshop, actor, state, state.version, note_id)
    assert [len(entry.step.marks) for entry in state.document.steps] == [2], "one step, with all of them"  # type: ignore[attr-defined]
    cut = read_demand("100x200 as png").demand()
    assert (
        in_place(workshop, state, OutputId.of("1"), cut).rendering.chosen.finish[0].thing
        == state.document.steps[0].step
    )
    state = change(
        workshop, actor, picture_id, state.version, "off", edits.switch_step(state.document.steps[0].id, False)
    )
    again = np.asarray(made(workshop, renderer, state, "300x200 as png").convert("RGB"), int)
    assert np.array_equal(again, bare)


def test_notes_have_bounds_and_say_so(
    workshop: Workshop, actor: Actor, picture_id: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(notes, "MAX_NOTES", 3)
    monkeypatch.setattr(notes, "MAX_ANSWERS", 1)

    def add(number: int) -> str:
        try:
            return str(notes.add_note(workshop, actor, picture_id, f"Note {number}", []))
        except OutOfRangeError as error:
            return error.sentence

    with ThreadPoolExecutor(4) as pool:
        answers = list(pool.map(add, range(8)))
    assert sum(one.isdigit() for one in answers) == 3, "whoever asks at the same time"
    note_id = next(int(one) for one in answers if one.isdigit())
    notes.answer(workshop, actor, picture_id, note_id, "yes")
    for refused, says in (
        (lambda: notes.answer(workshop, actor, picture_id, note_id, "no"), "at most 1 answers"),
        (lambda: notes.answer(workshop, actor, picture_id, note_id, "  "), "needs words"),
        (lambda: notes.add_note(workshop, actor, picture_id, "", []), "needs a mark"),
        (lambda: notes.write_text(workshop, actor, picture_id, note_id, "x" * 2_001), "Up to 2000 letters"),
        (lambda: notes.write_text(workshop, actor, picture_id, note_id, "a\x00"), "control character"),
    ):
        with pytest.raises(OutOfRangeError, match=says):
            refused()
    for number in range(notes.MAX_MARKS_OF_NOTE):
        notes.add_mark(workshop, actor, picture_id, note_id, ARROW.moved(number / 100, 0))
    with pytest.raises(OutOfRangeError, match="Begin another one"):
        notes.add_mark(workshop, actor, picture_id, note_id, ARROW)
    with workshop.database.begin() as session:
        assert session.query(Note).filter_by(picture_id=picture_id).count() == 3
        assert session.query(Font).filter_by(person_id=actor.id).count() == 0


def test_marks_drawn_at_once_are_all_kept_and_a_note_without_anything_goes(
    workshop: Workshop, actor: Actor, picture_id: int
) -> None:
    note_id = notes.add_note(workshop, actor, picture_id, "", [ARROW])
    with ThreadPoolExecutor(4) as pool:
        moved = [ARROW.moved(number / 50, 0) for number in range(1, 13)]
        list(pool.map(lambda mark: notes.add_mark(workshop, actor, picture_id, note_id, mark), moved))
    (note,) = notes.read_notes(workshop, actor, picture_id)
    assert set(note.marks) == {ARROW, *moved}
    notes.move_mark(workshop, actor, picture_id, note_id, 0, 0.1, 0.05)
    (note,) = notes.read_notes(workshop, actor, picture_id)
    assert note.marks[0].points == ((0.3, 0.25), (0.8, 0.65))
    for _ in range(13):
        notes.drop_mark(workshop, actor, picture_id, note_id, 0)
    assert notes.read_notes(workshop, actor, picture_id) == []
    with pytest.raises(NotFoundError, match="no longer there"):
        notes.drop_mark(workshop, actor, picture_id, note_id, 0)


def test_formats_follow_what_is_clear(workshop: Workshop, actor: Actor, picture_id: int) -> None:
    demand = read_demand("300x200").demand()
    state = read_picture(workshop, actor, picture_id)
    assert in_place(workshop, state, OutputId.of("1"), demand).first_format == JPEG
    state = with_steps(workshop, actor, picture_id, Shape())
    assert in_place(workshop, state, OutputId.of("1"), demand).first_format == WEBP
    state = change(
        workshop, actor, picture_id, state.version, "only", edits.count_only_in(state.document.steps[0].id, "7")
    )
    assert in_place(workshop, state, OutputId.of("1"), demand).first_format == JPEG, "it counts elsewhere"
    state = with_steps(workshop, actor, picture_id, TwoToneStep(paper=Paper.CLEAR))
    assert in_place(workshop, state, OutputId.of("1"), demand).first_format == PNG, "ink alone is a drawing"
