"""One thing done to many pictures: as many statements for thirty as for three, and nobody's change lost."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Barrier, Thread

import pytest
from sqlalchemy import event

from lucidex.core.errors import ChangedMeanwhileError, NotFoundError, UserError
from lucidex.core.stamp import Texts
from lucidex.core.steps.tone import Light
from lucidex.services.bench.steps import PutStep, put_on_pictures
from lucidex.services.folios.folios import make_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import bring_in
from lucidex.services.keeping import many
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change, read_picture, undo
from lucidex.services.pictures.folio_history import read_folio_history, take_back
from lucidex.services.pictures.gathering import read_sheet
from lucidex.services.pictures.many_documents import Wanted, change_all_in
from lucidex.services.rendering.renderer import Renderer
from tests.conftest import encoded, picture

FEW, MANY = 3, 12
DARKER = [PutStep(Light(brightness=-20.0))]


@contextmanager
def counted(workshop: Workshop) -> Iterator[list[str]]:
    seen: list[str] = []

    def note(connection: object, cursor: object, statement: str, *rest: object) -> None:
        seen.append(statement)

    event.listen(workshop.database.engine, "before_cursor_execute", note)
    try:
        yield seen
    finally:
        event.remove(workshop.database.engine, "before_cursor_execute", note)


@pytest.fixture
def folio(workshop: Workshop, actor: Actor) -> Callable[[int], tuple[int, list[int]]]:
    def made(count: int) -> tuple[int, list[int]]:
        folio_id = make_folio(workshop, actor, "Many")
        taken = [
            bring_in(
                workshop, actor, folio_id, f"{count}-{one}.png", [encoded(picture(40, 30, seed=100 * count + one))]
            )
            for one in range(count)
        ]
        return folio_id, [one.picture_id for one in taken]

    return made


def tasks(
    renderer: Renderer, workshop: Workshop, actor: Actor, folio: int, ids: list[int]
) -> Iterator[Callable[[], object]]:
    other = make_folio(workshop, actor, "Other")
    yield lambda: read_sheet(workshop, actor, folio)
    yield lambda: put_on_pictures(renderer, workshop, actor, DARKER, folio, ids)
    yield lambda: many.write_texts_on_many(workshop, actor, folio, ids, {"credit": "Marrow Lane"})
    last = read_folio_history(workshop, actor, folio)[0].change_id
    yield lambda: take_back(workshop, actor, folio, last)
    yield lambda: many.move_to_folio(workshop, actor, ids, folio, other)
    yield lambda: many.take_out(workshop, actor, other, ids)
    yield lambda: many.put_back(workshop, actor, other, ids)
    many.take_out(workshop, actor, other, ids)
    yield lambda: many.erase_for_good(workshop, actor, other, ids)


def test_many_pictures_take_no_more_statements_than_few(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: Callable[[int], tuple[int, list[int]]]
) -> None:
    counts: dict[int, list[int]] = {FEW: [], MANY: []}
    for count, found in counts.items():
        folio_id, ids = folio(count)
        for task in tasks(renderer, workshop, actor, folio_id, ids):
            with counted(workshop) as statements:
                task()
            found.append(len(statements))
        with pytest.raises(NotFoundError):
            read_picture(workshop, actor, ids[0])
    assert counts[MANY] == counts[FEW]


def test_states_that_come_of_it_are_as_they_are_read_anew(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: Callable[[int], tuple[int, list[int]]]
) -> None:
    _, ids = folio(FEW)
    named = edits.set_file_name("renamed.png")
    with workshop.database.begin() as session:
        made = change_all_in(session, actor, {one: Wanted(named) for one in ids}, "Renamed")
    again = {one: read_picture(workshop, actor, one) for one in ids}
    assert made == again
    assert {one.file_name for one in again.values()} == {"renamed.png"}
    unchanged = {one: undo(workshop, actor, one, again[one].version) for one in ids}
    with workshop.database.begin() as session:
        same = change_all_in(session, actor, {one: Wanted(edits.several()) for one in ids}, "Nothing")
    assert same == unchanged, "what changes nothing makes no version, and keeps what can be made again"
    assert {one.redo for one in unchanged.values()} == {"Renamed"}


def test_one_that_was_changed_since_is_told_apart_and_the_others_go_on(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: Callable[[int], tuple[int, list[int]]]
) -> None:
    _, ids = folio(FEW)
    wanted = {
        one: Wanted(edits.set_texts(Texts(caption="Mine")), read_picture(workshop, actor, one).version) for one in ids
    }
    change(workshop, actor, ids[1], 1, "Theirs", edits.set_texts(Texts(caption="Theirs")))
    with workshop.database.begin() as session:
        outcome = change_all_in(session, actor, wanted | {10**9: Wanted(edits.clear_steps())}, "Mine")
    assert [type(one) for one in outcome.values() if isinstance(one, UserError)] == [
        ChangedMeanwhileError,
        NotFoundError,
    ]
    captions = [read_picture(workshop, actor, one).document.texts.caption for one in ids]
    assert captions == ["Mine", "Theirs", "Mine"]


def test_four_at_once_lose_nothing_and_do_not_wait_for_each_other(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio: Callable[[int], tuple[int, list[int]]]
) -> None:
    folio_id, ids = folio(FEW)
    begin, troubles = Barrier(4), list[BaseException]()

    def run(task: Callable[[], object]) -> None:
        begin.wait()
        try:
            for _ in range(5):
                task()
        except ChangedMeanwhileError:
            pass  # said to whoever was second
        except BaseException as error:  # noqa: BLE001
            troubles.append(error)

    def one_picture() -> None:
        state = read_picture(workshop, actor, ids[0])
        change(workshop, actor, ids[0], state.version, "One", edits.add_step(Light(brightness=5.0)))

    tasks = [
        lambda: put_on_pictures(renderer, workshop, actor, DARKER, folio_id, ids),
        lambda: many.write_texts_on_many(workshop, actor, folio_id, list(reversed(ids)), {"credit": "x"}),
        one_picture,
        lambda: many.change_many(workshop, actor, folio_id, ids, "Named", edits.set_file_name("n.png")),
    ]
    threads = [Thread(target=run, args=(task,)) for task in tasks]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert troubles == []
    states = [read_picture(workshop, actor, one) for one in ids]
    assert {(one.document.texts.credit, one.document.file_name) for one in states} == {("x", "n.png")}
