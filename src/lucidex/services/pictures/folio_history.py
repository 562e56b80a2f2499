"""What is done in a folio beyond one picture, as one action that can be taken back and made again as one."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.places.demand import PlaceDemand
from lucidex.records.models import Document, FolioChange, Picture, PictureMove, Place, PlaceMove, now
from lucidex.services.folios.folios import ASKED_AT_ONCE, FolioView, folio_of, hanging_places, read_folio_in
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.origins import Origin, origins_of
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import MAX_SUMMARY, PictureState, read_picture, redo, undo
from lucidex.services.pictures.many_documents import Pointed, point_all
from lucidex.services.pictures.notes import NoteCount, count_notes

MAX_PLACES = 60  # that hang in a folio at once
SHOWN = 200  # changes of a list
_LOOKED_BACK = 40  # changes among which the next to be taken back, or made again, is looked for

Stand = dict[str, Any]  # how a place stands: name, demand, hangs


@dataclass
class Recorded:
    """What becomes of a change while it is made; `change_id` is known behind it, where anything was moved."""

    change_id: int | None = None


@contextmanager
def recorded(
    session: Session,
    actor: Actor,
    folio_id: int,
    summary: str = "",
    pictures: Sequence[int] = (),
    needs_places: bool = False,
) -> Iterator[Recorded]:
    """Record what is done to a folio's places, and to these pictures of it, within a transaction as one action.

    With `needs_places` only where places are moved: what concerns one picture stands in its own history.
    """
    folio_of(session, actor, folio_id, to_change=True)  # others who change it wait here
    places, states = _places(session, folio_id), _states(session, pictures)
    result = Recorded()
    yield result
    session.flush()
    moved = _moves(places, _places(session, folio_id))
    changed = {
        picture_id: (states[picture_id], after)
        for picture_id, after in _states(session, pictures).items()
        if picture_id in states and states[picture_id] != after
    }
    if not moved and (needs_places or not changed):
        return
    words = [_of_pictures(summary, len(changed))] if changed and summary else []
    change = FolioChange(
        folio_id=folio_id,
        person_id=actor.id,
        summary="; ".join([*words, *(_of_place(before, after) for before, after in moved.values())])[:MAX_SUMMARY],
        moves_places=bool(moved),
    )
    session.add(change)
    session.flush()
    session.add_all(PlaceMove(change_id=change.id, place_id=one, before=b, after=a) for one, (b, a) in moved.items())
    session.add_all(
        PictureMove(change_id=change.id, picture_id=one, before_id=b, after_id=a) for one, (b, a) in changed.items()
    )
    result.change_id = change.id


def _places(session: Session, folio_id: int) -> dict[int, Stand]:
    asked = select(Place.id, Place.name, Place.demand, Place.taken_down_at).where(Place.folio_id == folio_id)
    return {row.id: _stand(row.name, row.demand, row.taken_down_at) for row in session.execute(asked)}


def _stand(name: str, demand: dict[str, Any], taken_down_at: datetime | None) -> Stand:
    return {"name": name, "demand": demand, "hangs": taken_down_at is None}


def _states(session: Session, pictures: Sequence[int]) -> dict[int, int]:
    found: dict[int, int] = {}
    for start in range(0, len(pictures), ASKED_AT_ONCE):
        asked = select(Document.picture_id, Document.snapshot_id)
        asked = asked.where(Document.picture_id.in_(pictures[start : start + ASKED_AT_ONCE]))
        found |= {row.picture_id: row.snapshot_id for row in session.execute(asked)}
    return found


def _moves(before: Mapping[int, Stand], after: Mapping[int, Stand]) -> dict[int, tuple[Stand, Stand]]:
    known = {one: before.get(one, stand | {"hangs": False}) for one, stand in after.items()}
    return {one: (known[one], stand) for one, stand in after.items() if known[one] != stand}


def _of_pictures(summary: str, count: int) -> str:
    return summary if count == 1 else f"{summary.removesuffix('.')}, on {count} pictures"


def _of_place(before: Stand, after: Stand) -> str:
    if before["hangs"] != after["hangs"]:
        return f"Hung “{after['name']}”" if after["hangs"] else f"Took “{after['name']}” down"
    if before["demand"] == after["demand"]:
        return f"Called “{before['name']}” “{after['name']}”"
    was, now_is = (PlaceDemand.model_validate(stand["demand"]).measure.words() for stand in (before, after))
    return f"Changed “{before['name']}”" + (f" from {was} to {now_is}" if was != now_is else "")


@dataclass(frozen=True)
class FolioEntry:
    """One action in a folio; `counts` says that it was not taken back."""

    change_id: int
    summary: str
    person: str
    created_at: datetime
    counts: bool


def read_folio_history(workshop: Workshop, actor: Actor, folio_id: int) -> list[FolioEntry]:
    """The latest actions in a folio, the newest first."""
    with workshop.database.begin() as session:
        folio_of(session, actor, folio_id)
        asked = select(FolioChange).options(joinedload(FolioChange.person)).where(FolioChange.folio_id == folio_id)
        rows = session.scalars(asked.order_by(FolioChange.id.desc()).limit(SHOWN))
        return [FolioEntry(r.id, r.summary, r.person.name, r.created_at, r.taken_back_at is None) for r in rows]


@dataclass
class Moved:
    """What an action that was taken back, or made again, came to; `kept` names what was changed since."""

    summary: str
    pictures: list[str] = field(default_factory=list)
    places: list[str] = field(default_factory=list)
    kept: list[str] = field(default_factory=list)


def take_back(workshop: Workshop, actor: Actor, folio_id: int, change_id: int) -> Moved:
    """Let all that an action moved stand as before it, as far as it still stands as the action left it.

    Raises OutOfRangeError where the action was taken back already.
    """
    return _move(workshop, actor, folio_id, change_id, back=True)


def make_again(workshop: Workshop, actor: Actor, folio_id: int, change_id: int) -> Moved:
    """The same the other way: make an action again that was taken back. OutOfRangeError where it counts already."""
    return _move(workshop, actor, folio_id, change_id, back=False)


def _move(workshop: Workshop, actor: Actor, folio_id: int, change_id: int, back: bool) -> Moved:
    with workshop.database.begin() as session:
        folio = folio_of(session, actor, folio_id, to_change=True)
        change = session.get(FolioChange, change_id, with_for_update=True)
        if change is None or change.folio_id != folio.id:
            raise NotFoundError("This is not in the folio's history.")
        if (change.taken_back_at is None) is not back:
            raise OutOfRangeError("This was taken back already." if back else "This stands already.")
        moved = Moved(change.summary)
        for place, before, after in _place_moves(session, change_id):
            _move_place(session, moved, place, *((after, before) if back else (before, after)))
        pointed: dict[int, Pointed] = {}
        for picture, held, before_id, after_id in _picture_moves(session, change_id):
            expected, wanted = (after_id, before_id) if back else (before_id, after_id)
            # moved since: it is another folio's by now; or changed since
            if picture.folio_id != folio.id or held.snapshot_id != expected:
                moved.kept.append(picture.file_name)
                continue
            pointed[picture.id] = Pointed(picture, held.version, expected, wanted)
            moved.pictures.append(picture.file_name)
        point_all(session, pointed)
        change.taken_back_at = now() if back else None
        folio.changed_at = now()
        return moved


def _place_moves(session: Session, change_id: int) -> list[tuple[Place, Stand, Stand]]:
    asked = select(Place, PlaceMove.before, PlaceMove.after).join(PlaceMove, PlaceMove.place_id == Place.id)
    rows = session.execute(asked.where(PlaceMove.change_id == change_id).order_by(Place.id).with_for_update(of=Place))
    return [(place, before, after) for place, before, after in rows]


def _move_place(session: Session, moved: Moved, place: Place, expected: Stand, wanted: Stand) -> None:
    if _stand(place.name, place.demand, place.taken_down_at) != expected:
        moved.kept.append(f"“{place.name}”")
        return
    if wanted["hangs"]:
        check_room(session, place.folio_id, 0 if expected["hangs"] else 1)
    place.name, place.demand, place.version = wanted["name"], wanted["demand"], place.version + 1
    place.taken_down_at = None if wanted["hangs"] else place.taken_down_at or now()
    session.flush()
    moved.places.append(place.name)


def check_room(session: Session, folio_id: int, more: int) -> None:
    """OutOfRangeError where a folio cannot have so many places more."""
    hanging = len(hanging_places(session, folio_id))
    if hanging + more > MAX_PLACES:
        raise OutOfRangeError(f"A folio can have at most {MAX_PLACES} places. Take one down first.")


def _picture_moves(session: Session, change_id: int) -> list[tuple[Picture, Document, int, int]]:
    asked = select(Picture, Document, PictureMove.before_id, PictureMove.after_id)
    asked = asked.join(PictureMove, PictureMove.picture_id == Picture.id).join(
        Document, Document.picture_id == Picture.id
    )
    rows = session.execute(asked.where(PictureMove.change_id == change_id, Picture.removed_at.is_(None)))
    return [(picture, held, before, after) for picture, held, before, after in rows]


@dataclass(frozen=True)
class Next:
    """What would be taken back next at a bench, or made again: the picture's own change, or one of its folio."""

    summary: str
    change_id: int | None = None


def next_in(session: Session, state: PictureState) -> tuple[Next | None, Next | None]:
    """What would be taken back next at the bench of a picture, and what would be made again."""
    latest = _latest(session, state)
    return _next_back(session, state, latest), _next_again(session, state, latest)


def _next_back(session: Session, state: PictureState, latest: Sequence[FolioChange]) -> Next | None:
    """What was done last, seen from a picture: to it, or to the places of its folio since then."""
    last = next((one for one in latest if one.taken_back_at is None), None)
    if last is not None and (last.created_at > state.since or _led_to(session, last, state.snapshot_id)):
        return Next(last.summary, last.id)
    return Next(state.undo) if state.undo else None


def _next_again(session: Session, state: PictureState, latest: Sequence[FolioChange]) -> Next | None:
    """What was taken back last, seen from a picture, unless something else was done since."""
    first: FolioChange | None = None
    for change in latest:
        if change.taken_back_at is None or change.taken_back_at < state.since:
            break
        first = change
    is_first = first is not None and (
        state.redo_since is None or first.created_at < state.redo_since or _led_to(session, first, state.redo_id or 0)
    )
    if first is not None and is_first:
        return Next(first.summary, first.id)
    return Next(state.redo) if state.redo else None


def _latest(session: Session, state: PictureState) -> Sequence[FolioChange]:
    asked = select(FolioChange).where(FolioChange.folio_id == state.folio_id, FolioChange.moves_places)
    return session.scalars(asked.order_by(FolioChange.id.desc()).limit(_LOOKED_BACK)).all()


def _led_to(session: Session, change: FolioChange, snapshot_id: int) -> bool:
    asked = select(PictureMove.picture_id).where(PictureMove.change_id == change.id)
    return session.scalar(asked.where(PictureMove.after_id == snapshot_id)) is not None


def read_next(workshop: Workshop, state: PictureState) -> tuple[Next | None, Next | None]:
    """`next_in` in a transaction of its own."""
    with workshop.database.begin() as session:
        return next_in(session, state)


@dataclass(frozen=True)
class Around:
    """What stands around a picture: its folio, what is undone or redone next, its notes, where it came from."""

    folio: FolioView
    back: Next | None
    again: Next | None
    noted: NoteCount
    origin: Origin | None


def read_around(workshop: Workshop, actor: Actor, state: PictureState) -> Around:
    """All of it, read together."""
    with workshop.database.begin() as session:
        folio = read_folio_in(session, actor, state.folio_id)
        back, again = next_in(session, state)
        origin = origins_of(session, [state.picture_id]).get(state.picture_id)
        return Around(folio, back, again, count_notes(session, state.picture_id), origin)


def take_back_next(
    workshop: Workshop, actor: Actor, state: PictureState, change_id: int | None
) -> tuple[PictureState, Moved | None]:
    """Take back what was shown to be next: the folio's change of that id, or without one the picture's own."""
    if change_id is None:
        return undo(workshop, actor, state.picture_id, state.version), None
    moved = take_back(workshop, actor, state.folio_id, change_id)
    return read_picture(workshop, actor, state.picture_id), moved


def make_next_again(
    workshop: Workshop, actor: Actor, state: PictureState, change_id: int | None
) -> tuple[PictureState, Moved | None]:
    """The same the other way."""
    if change_id is None:
        return redo(workshop, actor, state.picture_id, state.version), None
    moved = make_again(workshop, actor, state.folio_id, change_id)
    return read_picture(workshop, actor, state.picture_id), moved
