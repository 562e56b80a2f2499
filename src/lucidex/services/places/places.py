"""Hanging places in a folio, changing them, taking them down and hanging them again."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from sqlalchemy import update
from sqlalchemy.orm import Session

from lucidex.core.encode import FormatName
from lucidex.core.errors import ChangedMeanwhileError
from lucidex.core.places.demand import PlaceDemand, amended
from lucidex.records.models import Place, now
from lucidex.services.folios.folios import clean_name, folio_of, hanging_places, place_of, read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures.folio_history import check_room, recorded


def demand_of(place: Place) -> PlaceDemand:
    """What a place asks for."""
    return PlaceDemand.model_validate(place.demand)


def find_place(workshop: Workshop, actor: Actor, place_id: int) -> Place:
    """A place that the person may see."""
    with workshop.database.begin() as session:
        return place_of(session, actor, place_id)


def hang_place(workshop: Workshop, actor: Actor, folio_id: int, demand: PlaceDemand, name: str = "") -> Place:
    """Hang a new place. Without a name it is called by its size."""
    with workshop.database.begin() as session, recorded(session, actor, folio_id):
        return hang_place_in(session, actor, folio_id, demand, name)


def hang_place_in(session: Session, actor: Actor, folio_id: int, demand: PlaceDemand, name: str = "") -> Place:
    """The same within a transaction that does more."""
    folio = folio_of(session, actor, folio_id, to_change=True)
    check_room(session, folio.id, 1)
    place = Place(
        folio_id=folio.id,
        name=clean_name(name, demand.measure.words()),
        demand=demand.model_dump(mode="json"),
    )
    session.add(place)
    folio.changed_at = now()
    session.flush()
    return place


def hang_missing(
    workshop: Workshop, actor: Actor, folio_id: int, wanted: Sequence[tuple[PlaceDemand, str]]
) -> list[int]:
    """Hang places by demand and name, unless one that asks the same hangs already; the ids of all, in order."""
    with workshop.database.begin() as session, recorded(session, actor, folio_id):
        return hang_missing_in(session, actor, folio_id, wanted)


def hang_missing_in(
    session: Session, actor: Actor, folio_id: int, wanted: Sequence[tuple[PlaceDemand, str]]
) -> list[int]:
    """The same within a transaction that does more."""
    folio = folio_of(session, actor, folio_id, to_change=True)  # others who hang something wait here
    hung = [(demand_of(place), place.id) for place in hanging_places(session, folio.id)]
    ids = []
    for demand, name in wanted:
        known = next((place_id for other, place_id in hung if other == demand), None)
        place_id = known or hang_place_in(session, actor, folio_id, demand, name).id
        hung.append((demand, place_id))
        ids.append(place_id)
    return ids


def change_place(
    workshop: Workshop, actor: Actor, place_id: int, version: int, demand: PlaceDemand, name: str
) -> Place:
    """Change what a place asks for. Raises ChangedMeanwhileError where `version` is not the current one."""
    with _recorded(workshop, actor, place_id) as (session, _):
        return change_place_in(session, actor, place_id, version, demand, name)


def change_place_in(
    session: Session, actor: Actor, place_id: int, version: int, demand: PlaceDemand, name: str
) -> Place:
    """The same within a transaction that does more."""
    place = place_of(session, actor, place_id, to_change=True)
    was_named_by_size = place.name == demand_of(place).measure.words()
    wanted = clean_name(name, demand.measure.words())
    if was_named_by_size and wanted == place.name:
        wanted = demand.measure.words()
    changed = session.execute(
        update(Place)
        .where(Place.id == place.id, Place.version == version)
        .values(demand=demand.model_dump(mode="json"), name=wanted, version=version + 1)
    )
    if changed.rowcount != 1:  # type: ignore[attr-defined]
        raise ChangedMeanwhileError("This place was changed elsewhere since you opened it here. Look at it again.")
    session.refresh(place)
    return place


def write_also(workshop: Workshop, actor: Actor, place_id: int, formats: tuple[FormatName, ...]) -> Place:
    """Write every picture of a place in further formats too."""
    place = find_place(workshop, actor, place_id)
    demand = amended(demand_of(place), also=formats)
    return change_place(workshop, actor, place_id, place.version, demand, place.name)


def write_all(workshop: Workshop, actor: Actor, folio_id: int, is_quick: bool) -> None:
    """Write the files of all places quickly, or thoroughly, as one action of the folio."""
    folio = read_folio(workshop, actor, folio_id)
    summary = "All files written quickly" if is_quick else "All files written thoroughly"
    with workshop.database.begin() as session, recorded(session, actor, folio_id, summary, []):
        for place in folio.places:
            demand = amended(demand_of(place), is_quick=is_quick)
            change_place_in(session, actor, place.id, place.version, demand, place.name)


def take_down(workshop: Workshop, actor: Actor, place_id: int) -> Place:
    """Take a place off the wall; its framings stay with the pictures."""
    with _recorded(workshop, actor, place_id) as (_, place):
        place.taken_down_at = place.taken_down_at or now()
        return place


def hang_again(workshop: Workshop, actor: Actor, place_id: int) -> Place:
    """Put a place back that was taken down."""
    with _recorded(workshop, actor, place_id) as (session, place):
        if place.taken_down_at is not None:
            check_room(session, place.folio_id, 1)
        place.taken_down_at = None
        return place


@contextmanager
def _recorded(workshop: Workshop, actor: Actor, place_id: int) -> Iterator[tuple[Session, Place]]:
    """A transaction that changes one place, as one action of its folio."""
    with workshop.database.begin() as session:
        place = place_of(session, actor, place_id, to_change=True)
        with recorded(session, actor, place.folio_id):
            session.refresh(place)  # it may have changed while others held the folio
            yield session, place
