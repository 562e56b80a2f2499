"""The line as a person's: their book and routines take part, and what is chosen is done as one thing."""

from collections.abc import Callable

import pytest

from lucidex.core.errors import ChangedMeanwhileError, NotUnderstoodError, OutOfRangeError
from lucidex.core.line.parts import Command
from lucidex.core.line.places import read_demand
from lucidex.core.places.book import BookPlace, Purpose
from lucidex.core.places.demand import demand_words
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps.base import plain
from lucidex.services.folios.folios import read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState, change, read_picture
from lucidex.services.places.book import add_own
from lucidex.services.places.places import demand_of, find_place, hang_place
from lucidex.services.rendering.render_requests import in_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.typed.deeds import Done, carry_out
from lucidex.services.typed.line import OWN_SIZE, Chosen, CommandDeed, offered, place_named, understood
from tests.conftest import encoded, smooth_picture

Doing = Callable[..., Done]


@pytest.fixture
def state(workshop: Workshop, actor: Actor) -> PictureState:
    taken = bring_in(workshop, actor, NewFolio("Line"), "dome.jpg", [encoded(smooth_picture(900, 600), ".jpg")])
    return read_picture(workshop, actor, taken.picture_id)


@pytest.fixture
def do(workshop: Workshop, renderer: Renderer, actor: Actor) -> Doing:
    def doing(state: PictureState, line: str, place_id: int | None = None, said: str = "") -> Done:
        place = find_place(workshop, actor, place_id) if place_id else None
        chosen = Chosen(place.name, demand_of(place)) if place else None
        read = understood(workshop, actor, line, chosen)
        return carry_out(renderer, workshop, actor, state, read.chosen(said), place_id)

    return doing


def hung(workshop: Workshop, actor: Actor, state: PictureState) -> list[str]:
    return [
        f"{one.name}: {demand_words(demand_of(one))}" for one in read_folio(workshop, actor, state.folio_id).places
    ]


def sentences(state: PictureState) -> list[str]:
    return [plain(entry.step.sentence()) for entry in state.document.steps]


def test_several_steps_are_one_change(do: Doing, actor: Actor, state: PictureState) -> None:
    done = do(state, "crop square and brighten, bw")
    assert sentences(done.state) == [
        "Cropped to the shape 1 : 1.",
        "Brightness +20, contrast 0.",
        "Black and white, from 30 red, 59 green, 11 blue.",
    ]
    assert done.state.version == state.version + 1
    undone = do(done.state, "undo")
    assert undone.state.document.steps == ()
    redone = do(undone.state, "redo")
    assert len(redone.state.document.steps) == 3
    assert do(redone.state, "reset").state.document.steps == ()


def test_a_step_finds_its_numbers_behind_the_ones_before_it(do: Doing, state: PictureState) -> None:
    """Light by itself looks at the picture as the step before it leaves it."""
    first = do(state, "light by itself").state
    again = do(first, "reset").state
    after_darkening = do(again, "brightness -90, light by itself").state
    assert after_darkening.document.steps[1].step != first.document.steps[0].step


def test_steps_and_places_at_once(workshop: Workshop, actor: Actor, do: Doing, state: PictureState) -> None:
    done = do(state, "bw, 300x200 under 20 kB and 120 wide as webp")
    assert len(done.state.document.steps) == 1
    assert hung(workshop, actor, state) == [
        "300 × 200: 300 × 200, at most 20 kB",
        "120 wide: 120 wide, as WebP",
    ]


def test_a_weight_concerns_the_chosen_place(workshop: Workshop, actor: Actor, do: Doing, state: PictureState) -> None:
    place = hang_place(workshop, actor, state.folio_id, read_demand("300x200 quality 95").demand(), "Banner")
    done = do(state, "under 9 kB", place.id)
    assert hung(workshop, actor, state) == ["Banner: 300 × 200, at most 9 kB"], "the quality is found again"
    assert done.place_id == place.id
    do(done.state, "as webp", place.id)
    assert hung(workshop, actor, state) == ["Banner: 300 × 200, at most 9 kB, as WebP"]


def test_what_was_chosen_for_one_picture_gives_way(
    workshop: Workshop,
    actor: Actor,
    do: Doing,
    state: PictureState,
) -> None:
    place = hang_place(workshop, actor, state.folio_id, read_demand("300x200").demand(), "Banner")
    output = OutputId.of(str(place.id))
    own = state.document.settings(output).model_copy(update={"format": "png", "times": None})
    changed = change(workshop, actor, state.picture_id, state.version, "as PNG", edits.set_output(output, own))
    after = do(changed, "as webp", place.id).state
    placed = in_place(workshop, after, output, demand_of(find_place(workshop, actor, place.id)))
    assert placed.rendering.format == "webp"


def test_without_a_place_a_weight_hangs_the_own_size(
    workshop: Workshop,
    renderer: Renderer,
    actor: Actor,
    do: Doing,
    state: PictureState,
) -> None:
    done = do(state, "under 20 kB")
    assert hung(workshop, actor, state) == [f"{OWN_SIZE}: 100 %, at most 20 kB"]
    assert done.place_id is not None
    demand = demand_of(find_place(workshop, actor, done.place_id))
    placed = in_place(workshop, state, OutputId.of(str(done.place_id)), demand)
    assert placed.size == state.geometry.size
    assert renderer.files.render_file(placed.rendering).byte_count <= 20_000


def test_the_book_takes_part(workshop: Workshop, actor: Actor, do: Doing, state: PictureState) -> None:
    own = BookPlace(purpose=Purpose.SITE, name="Greenhouse board", demand=read_demand("640x200").demand())
    add_own(workshop, actor, own)
    do(state, "greenhouse board as webp")
    assert hung(workshop, actor, state) == ["Greenhouse board: 640 × 200, as WebP"]
    offers = understood(workshop, actor, "greenhouse")
    assert offers.question
    assert [one.words for one in offers.proposals] == ["Hangs Greenhouse board: 640 × 200."]
    assert place_named(workshop, actor, "Greenhouse board").places[0].name == "Greenhouse board"


def test_nothing_is_done_that_was_not_shown(workshop: Workshop, actor: Actor) -> None:
    for line in ("4x5", "banner", "10 cm", "blak and white", "bw zwqxj", "turn"):
        with pytest.raises(NotUnderstoodError):
            understood(workshop, actor, line).chosen()
    misspelt = understood(workshop, actor, "blak and white")
    assert misspelt.proposals[0].note == "read as “black”"
    assert misspelt.chosen(misspelt.proposals[0].words).steps
    with pytest.raises(NotUnderstoodError, match="means something else by now"):
        understood(workshop, actor, "bw").chosen("Turned upside down.")
    shape, pixels = understood(workshop, actor, "4x5").proposals[:2]
    assert understood(workshop, actor, "4x5").chosen(pixels.words).places
    assert understood(workshop, actor, "4x5").chosen(shape.words).steps


def test_lists_and_commands(workshop: Workshop, actor: Actor, do: Doing, state: PictureState) -> None:
    assert offered("black and white").steps[0].words.startswith("Black and white")
    with pytest.raises(NotUnderstoodError):
        offered("frobnicate")
    assert do(state, "100 %").for_page == (Command.ACTUAL,)
    assert isinstance(understood(workshop, actor, "thirds").proposals[0].deeds[0], CommandDeed)


def test_a_line_for_one_kind_of_thing_says_so(workshop: Workshop, actor: Actor) -> None:
    assert understood(workshop, actor, "4x5").only("places").proposals
    assert understood(workshop, actor, "bw").only("steps").chosen().steps
    with pytest.raises(NotUnderstoodError, match="is understood, but this takes a size"):
        understood(workshop, actor, "bw").only("places").chosen()
    with pytest.raises(NotUnderstoodError, match="this takes a step"):
        understood(workshop, actor, "1600x900").only("steps").chosen()


def test_format_and_quality_are_found_together(
    workshop: Workshop, actor: Actor, renderer: Renderer, do: Doing
) -> None:
    """Under a tight ceiling the format that looks better is taken, and said; under a wide one the usual one stays."""
    pixels = smooth_picture(1000, 700).copy()
    pixels[::40], pixels[:, ::55] = 20, 240  # fine lines cost a JPEG much
    taken = bring_in(workshop, actor, NewFolio("Lines"), "lines.png", [encoded(pixels)])
    state = read_picture(workshop, actor, taken.picture_id)
    wide = do(state, "under 2 MB")
    assert wide.message == ""
    tight = do(state, "under 24 kB", wide.place_id)
    assert tight.message.startswith("Written as AVIF: with 24 kB it is ")
    demand = demand_of(find_place(workshop, actor, wide.place_id or 0))
    placed = in_place(workshop, tight.state, OutputId.of(str(wide.place_id)), demand)
    assert placed.rendering.format == "avif"
    assert renderer.files.render_file(placed.rendering).byte_count <= 24_000
    chosen = do(tight.state, "as jpeg under 24 kB", wide.place_id)
    assert chosen.message == "", "a format that somebody chose stays"
    plain = in_place(
        workshop,
        chosen.state,
        OutputId.of(str(wide.place_id)),
        demand_of(find_place(workshop, actor, wide.place_id or 0)),
    )
    assert plain.rendering.format == "jpeg"


def test_a_line_is_done_whole_or_not_at_all(
    workshop: Workshop, actor: Actor, do: Doing, state: PictureState, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("lucidex.services.pictures.folio_history.MAX_PLACES", 1)
    with pytest.raises(OutOfRangeError, match="at most 1 places"):
        do(state, "bw, 300x200, 120 wide")
    assert read_picture(workshop, actor, state.picture_id).document.steps == ()
    assert hung(workshop, actor, state) == []
    changed = do(state, "mirror").state
    with pytest.raises(ChangedMeanwhileError):
        do(state, "bw, 300x200")
    assert hung(workshop, actor, state) == []
    assert len(read_picture(workshop, actor, changed.picture_id).document.steps) == 1


@pytest.mark.parametrize(
    ("line", "said", "stands"),
    [
        ("half size", "“Wide” becomes 400 × 200, at most 90 kB.", ["Wide: 400 × 200, at most 90 kB"]),
        ("half size", "“Wide” becomes 50 %, at most 90 kB.", ["Wide: 50 %, at most 90 kB"]),
        ("half size", "Hangs 50 %.", ["Wide: 800 × 400, at most 90 kB", "50 %: 50 %"]),
        ("resize to 600 px wide", "“Wide” becomes 600 wide, at most 90 kB.", ["Wide: 600 wide, at most 90 kB"]),
        ("800 wide", "", ["Wide: 800 × 400, at most 90 kB", "800 wide: 800 wide"]),
    ],
)
def test_what_is_said_as_a_change_asks_whether_the_chosen_place_is_meant(
    do: Doing, workshop: Workshop, actor: Actor, state: PictureState, line: str, said: str, stands: list[str]
) -> None:
    place = hang_place(workshop, actor, state.folio_id, read_demand("800x400 under 90 kB").demand(), "Wide")
    if said:
        with pytest.raises(NotUnderstoodError, match="Shall “Wide” become that"):
            do(state, line, place.id)
    do(state, line, place.id, said)
    assert hung(workshop, actor, state) == stands


def test_the_same_typed_once_more_becomes_one_step(
    do: Doing, workshop: Workshop, actor: Actor, state: PictureState
) -> None:
    first = do(state, "lighter, crop square")
    again = do(first.state, "lighter, more contrast")
    assert sentences(again.state) == ["Brightness +40, contrast +20.", "Cropped to the shape 1 : 1."]
    assert again.state.document.steps[0].id == first.state.document.steps[0].id
    assert again.state.undo == "Brightness +40, contrast 0. Brightness +40, contrast +20."
    others = do(do(again.state, "turn left").state, "turn left")
    assert sentences(others.state)[-2:] == ["Turned a quarter to the left."] * 2, "what is no tone stays two steps"
