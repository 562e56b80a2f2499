"""What is done beyond one picture is one action, taken back and made again; what was changed since stays."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import pytest

from lucidex.core.document import Framing
from lucidex.core.errors import NotAllowedError, NotFoundError, OutOfRangeError
from lucidex.core.line.places import read_demand
from lucidex.core.steps.turn import Direction, Turn
from lucidex.records.models import Scope
from lucidex.services.bench.steps import PutStep, put_on_pictures
from lucidex.services.folios.folios import make_folio, read_folio, share_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.keeping import many
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState, change, read_picture
from lucidex.services.pictures.folio_history import (
    MAX_PLACES,
    Next,
    make_again,
    make_next_again,
    read_folio_history,
    read_next,
    take_back,
    take_back_next,
)
from lucidex.services.places import places
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.typed.deeds import carry_out, enlarge_as_place
from lucidex.services.typed.line import understood
from tests.conftest import encoded, smooth_picture

LEFT = Turn(direction=Direction.LEFT)


@pytest.fixture
def pictures(workshop: Workshop, actor: Actor) -> list[int]:
    first = bring_in(workshop, actor, NewFolio("Work"), "one.png", [encoded(smooth_picture(60, 40))])
    more = [
        bring_in(workshop, actor, first.folio_id, f"n{i}.png", [encoded(smooth_picture(60, 41 + i))]) for i in (1, 2)
    ]
    return [first.picture_id, *(taken.picture_id for taken in more)]


@pytest.fixture
def state(workshop: Workshop, actor: Actor, pictures: list[int]) -> PictureState:
    return read_picture(workshop, actor, pictures[0])


def wall(workshop: Workshop, actor: Actor, folio_id: int) -> list[tuple[str, str]]:
    return [(p.name, places.demand_of(p).measure.words()) for p in read_folio(workshop, actor, folio_id).places]


def turned(workshop: Workshop, actor: Actor, picture_id: int) -> PictureState:
    version = read_picture(workshop, actor, picture_id).version
    return change(workshop, actor, picture_id, version, "Turned", edits.add_step(LEFT))


def test_hanging_changing_and_taking_down_are_taken_back_in_turn_and_made_again(
    workshop: Workshop, actor: Actor, state: PictureState
) -> None:
    folio = state.folio_id
    hung = places.hang_place(workshop, actor, folio, read_demand("16x9 px").demand(), "Banner")
    places.change_place(workshop, actor, hung.id, 1, read_demand("20x10 px").demand(), "Wide")
    places.take_down(workshop, actor, hung.id)
    entries = read_folio_history(workshop, actor, folio)
    assert [one.summary for one in entries] == [
        "Took “Wide” down",
        "Changed “Banner” from 16 × 9 to 20 × 10",
        "Hung “Banner”",
    ]
    seen = []
    for entry in entries:
        take_back(workshop, actor, folio, entry.change_id)
        seen.append(wall(workshop, actor, folio))
    assert seen == [[("Wide", "20 × 10")], [("Banner", "16 × 9")], []]
    for entry in reversed(entries):
        make_again(workshop, actor, folio, entry.change_id)
        seen.append(wall(workshop, actor, folio))
    assert seen[3:] == [[("Banner", "16 × 9")], [("Wide", "20 × 10")], []]
    with pytest.raises(OutOfRangeError, match="stands already"):
        make_again(workshop, actor, folio, entries[0].change_id)
    take_back(workshop, actor, folio, entries[0].change_id)
    with pytest.raises(OutOfRangeError, match="taken back already"):
        take_back(workshop, actor, folio, entries[0].change_id)


def test_what_was_put_on_many_is_taken_back_at_once_but_where_it_was_changed_since(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int], new_person: Callable[[], Actor]
) -> None:
    folio = read_picture(workshop, actor, pictures[0]).folio_id
    done = put_on_pictures(renderer, workshop, actor, [PutStep(LEFT)], folio, pictures)
    change_id = done[0].change_id or 0
    assert "on 3 pictures" in read_folio_history(workshop, actor, folio)[0].summary
    turned(workshop, actor, pictures[0])
    with pytest.raises(NotFoundError):
        take_back(workshop, new_person(), folio, change_id)
    moved = take_back(workshop, actor, folio, change_id)
    assert (moved.kept, moved.pictures) == (["one.png"], ["n1.png", "n2.png"])
    assert [len(read_picture(workshop, actor, one).document.steps) for one in pictures] == [2, 0, 0]
    make_again(workshop, actor, folio, change_id)
    assert [len(read_picture(workshop, actor, one).document.steps) for one in pictures] == [2, 1, 1]


def test_an_action_belongs_to_its_folio_and_to_those_who_may_change_it(
    workshop: Workshop, actor: Actor, state: PictureState, new_person: Callable[[], Actor]
) -> None:
    places.hang_place(workshop, actor, state.folio_id, read_demand("16x9 px").demand())
    (entry,) = read_folio_history(workshop, actor, state.folio_id)
    other = bring_in(workshop, actor, NewFolio("Other"), "two.png", [encoded(smooth_picture(60, 44))])
    with pytest.raises(NotFoundError):
        take_back(workshop, actor, other.folio_id, entry.change_id)
    looker = new_person()
    share_folio(workshop, actor, state.folio_id, looker.login, Scope.LOOK)
    assert read_folio_history(workshop, looker, state.folio_id) == [entry]
    with pytest.raises(NotAllowedError):
        take_back(workshop, looker, state.folio_id, entry.change_id)


def test_the_bench_takes_back_what_was_done_last_picture_or_place(
    workshop: Workshop, renderer: Renderer, actor: Actor, state: PictureState
) -> None:
    turned(workshop, actor, state.picture_id)
    state = read_picture(workshop, actor, state.picture_id)
    line = understood(workshop, actor, "32 x 20 px").chosen("")
    state = carry_out(renderer, workshop, actor, state, line).state
    state = change(workshop, actor, state.picture_id, state.version, "Turned again", edits.add_step(LEFT))
    taken = []
    while (back := read_next(workshop, state)[0]) is not None:
        taken.append(back.summary)
        state, _ = take_back_next(workshop, actor, state, back.change_id)
    assert taken == ["Turned again", "Hung “32 × 20”", "Turned"]
    assert (wall(workshop, actor, state.folio_id), len(state.document.steps)) == ([], 0)
    made = []
    while (again := read_next(workshop, state)[1]) is not None:
        made.append(again.summary)
        state, _ = make_next_again(workshop, actor, state, again.change_id)
    assert made == taken[::-1]
    assert (len(wall(workshop, actor, state.folio_id)), len(state.document.steps)) == (1, 2)


def test_a_new_change_leaves_nothing_to_be_made_again(workshop: Workshop, actor: Actor, state: PictureState) -> None:
    places.hang_place(workshop, actor, state.folio_id, read_demand("16x9 px").demand())
    (entry,) = read_folio_history(workshop, actor, state.folio_id)
    take_back(workshop, actor, state.folio_id, entry.change_id)
    assert read_next(workshop, state)[1] == Next("Hung “16 × 9”", entry.change_id)
    state = turned(workshop, actor, state.picture_id)
    assert read_next(workshop, state) == (Next("Turned"), None)


def test_a_place_that_hung_before_the_picture_came_is_not_next(workshop: Workshop, actor: Actor) -> None:
    first = bring_in(workshop, actor, NewFolio("Work"), "one.png", [encoded(smooth_picture(60, 40))])
    places.hang_place(workshop, actor, first.folio_id, read_demand("16x9 px").demand())
    later = bring_in(workshop, actor, first.folio_id, "two.png", [encoded(smooth_picture(60, 45))])
    assert read_next(workshop, read_picture(workshop, actor, later.picture_id)) == (None, None)


def test_enlarging_as_a_place_is_one_action(workshop: Workshop, actor: Actor, state: PictureState) -> None:
    state = change(workshop, actor, state.picture_id, state.version, "Turned", edits.add_step(LEFT, "t"))
    demand = read_demand("90x90 px").demand()
    state, _ = enlarge_as_place(workshop, actor, state, demand, Framing(), "t")
    assert (len(wall(workshop, actor, state.folio_id)), state.document.steps) == (1, ())
    back, _ = read_next(workshop, state)
    assert back is not None
    assert back.summary == "Enlarged to 90 × 90 as a place; Hung “90 × 90”"
    state, _ = take_back_next(workshop, actor, state, back.change_id)
    assert (wall(workshop, actor, state.folio_id), len(state.document.steps)) == ([], 1)
    _, again = read_next(workshop, state)
    assert again is not None
    state, _ = make_next_again(workshop, actor, state, again.change_id)
    assert (len(wall(workshop, actor, state.folio_id)), state.document.steps) == (1, ())


def test_taking_back_hangs_no_more_places_than_a_folio_may_have(
    workshop: Workshop, actor: Actor, state: PictureState
) -> None:
    wanted = [(read_demand(f"{20 + i}x9 px").demand(), "") for i in range(MAX_PLACES)]
    ids = places.hang_missing(workshop, actor, state.folio_id, wanted)
    places.take_down(workshop, actor, ids[0])
    down = read_folio_history(workshop, actor, state.folio_id)[0]
    places.hang_place(workshop, actor, state.folio_id, read_demand("16x9 px").demand())
    for hangs in (
        lambda: take_back(workshop, actor, state.folio_id, down.change_id),
        lambda: places.hang_again(workshop, actor, ids[0]),
    ):
        with pytest.raises(OutOfRangeError, match="at most 60 places"):
            hangs()
    assert len(wall(workshop, actor, state.folio_id)) == MAX_PLACES


def test_of_four_who_take_the_same_back_one_does(workshop: Workshop, actor: Actor, state: PictureState) -> None:
    places.hang_place(workshop, actor, state.folio_id, read_demand("16x9 px").demand())
    (entry,) = read_folio_history(workshop, actor, state.folio_id)

    def once(_: int) -> bool:
        try:
            take_back(workshop, actor, state.folio_id, entry.change_id)
        except OutOfRangeError:
            return False
        return True

    with ThreadPoolExecutor(4) as pool:
        assert sorted(pool.map(once, range(4))) == [False, False, False, True]
    assert wall(workshop, actor, state.folio_id) == []


def test_four_who_hang_at_once_have_an_action_each(workshop: Workshop, actor: Actor, state: PictureState) -> None:
    def once(number: int) -> None:
        places.hang_place(workshop, actor, state.folio_id, read_demand(f"{20 + number}x9 px").demand())

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(once, range(4)))
    words = {f"Hung “{20 + number} × 9”" for number in range(4)}
    assert {one.summary for one in read_folio_history(workshop, actor, state.folio_id)} == words


def test_a_place_that_was_changed_since_stays(workshop: Workshop, actor: Actor, state: PictureState) -> None:
    hung = places.hang_place(workshop, actor, state.folio_id, read_demand("16x9 px").demand(), "Banner")
    (entry,) = read_folio_history(workshop, actor, state.folio_id)
    places.change_place(workshop, actor, hung.id, 1, read_demand("20x10 px").demand(), "Wide")
    moved = take_back(workshop, actor, state.folio_id, entry.change_id)
    assert (moved.kept, moved.places) == (["“Wide”"], [])
    assert wall(workshop, actor, state.folio_id) == [("Wide", "20 × 10")]


def test_a_picture_that_was_moved_to_another_folio_is_left_alone(
    workshop: Workshop, actor: Actor, state: PictureState
) -> None:
    """Who may take back what was done in a folio has no hand in another one."""
    many.write_texts_on_many(workshop, actor, state.folio_id, [state.picture_id], {"credit": "M. Ellery"})
    (entry,) = read_folio_history(workshop, actor, state.folio_id)
    goal = make_folio(workshop, actor, "Elsewhere")
    assert read_picture(workshop, actor, state.picture_id).folio_id == state.folio_id  # and is kept as it was read
    assert many.move_to_folio(workshop, actor, [state.picture_id], state.folio_id, goal) == 1
    moved = take_back(workshop, actor, state.folio_id, entry.change_id)
    assert (moved.pictures, moved.kept) == ([], [state.file_name])
    there = read_picture(workshop, actor, state.picture_id)
    assert (there.folio_id, there.document.texts.credit) == (goal, "M. Ellery")
