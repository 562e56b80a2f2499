"""Routines of a person: kept from a picture's steps, found by name, put on pictures, exported and imported."""

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.finish.assets import AssetKind
from lucidex.core.routine import MAX_ROUTINES, PackedLogo, Routine, RoutineFile, RoutineStep, read_routine_file
from lucidex.core.steps import assets_of
from lucidex.core.steps.base import Carried, Step
from lucidex.records.models import Person, Picture, RoutineRow, now
from lucidex.services.assets.assets import check_assets
from lucidex.services.assets.logos import adopt_assets, keep_logo
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import PictureState


@dataclass(frozen=True)
class KeptRoutine:
    """A routine with its id."""

    id: int
    routine: Routine


def _kept(row: RoutineRow) -> KeptRoutine:
    return KeptRoutine(row.id, Routine.read(row.body))


def _rows(session: Session, actor: Actor) -> list[RoutineRow]:
    found = select(RoutineRow).where(RoutineRow.person_id == actor.id)
    return list(session.scalars(found.order_by(RoutineRow.group_name, RoutineRow.name)))


def read_routines(workshop: Workshop, actor: Actor) -> list[KeptRoutine]:
    """All routines of a person, by group and name."""
    with workshop.database.begin() as session:
        return [_kept(row) for row in _rows(session, actor)]


def find_routine(workshop: Workshop, actor: Actor, name: str) -> KeptRoutine | None:
    """The routine of that name; case does not count."""
    wanted = " ".join(name.casefold().split())
    return next((one for one in read_routines(workshop, actor) if one.routine.name.casefold() == wanted), None)


def steps_to_keep(state: PictureState, place_names: Mapping[str, str]) -> tuple[dict[str, RoutineStep], list[Step]]:
    """The active steps that a routine can hold, by their ids, and those that belong to this picture alone.

    `place_names` are the folio's places by their keys; a step for one place that hangs no more is left out.
    """
    entries = [e for e in state.document.steps if e.active and (e.only_in is None or e.only_in in place_names)]
    goes = {
        entry.id: RoutineStep(
            step=entry.step.for_others,
            carried=entry.step.carried,
            only_in=place_names[entry.only_in] if entry.only_in else None,
        )
        for entry in entries
        if entry.step.carried is not Carried.NEVER
    }
    return goes, [entry.step for entry in entries if entry.step.carried is Carried.NEVER]


def adopt_routine_assets(workshop: Workshop, actor: Actor, routine: Routine) -> None:
    """Keep the assets of a routine whose steps the person was allowed to see."""
    adopt_assets(workshop, actor, [one.step for one in routine.steps])


def keep_routine(workshop: Workshop, actor: Actor, routine: Routine) -> int:
    """Keep a routine; one of the same name is replaced. Its id."""
    with workshop.database.begin() as session:
        return _keep(session, actor, routine)


def _keep(session: Session, actor: Actor, routine: Routine) -> int:
    # others of the same person wait here, so that counting, finding and keeping are one
    session.get_one(Person, actor.id, with_for_update=True)
    rows = _rows(session, actor)
    row = next((one for one in rows if one.name.casefold() == routine.name.casefold()), None)
    if row is None:
        if len(rows) >= MAX_ROUTINES:
            raise OutOfRangeError(f"At most {MAX_ROUTINES} routines are kept. Take one out first.")
        row = RoutineRow(person_id=actor.id)
        session.add(row)
    row.name, row.group_name, row.body = routine.name, routine.group, routine.stored()
    session.flush()
    return row.id


def change_routine(workshop: Workshop, actor: Actor, routine_id: int, routine: Routine) -> None:
    """Write a routine anew. OutOfRangeError where another one has its name."""
    with workshop.database.begin() as session:
        row = _row(session, actor, routine_id)
        if any(one.id != row.id and one.name.casefold() == routine.name.casefold() for one in _rows(session, actor)):
            raise OutOfRangeError(f"Another routine is called “{routine.name}” already.")
        row.name, row.group_name, row.body = routine.name, routine.group, routine.stored()


def read_routine(workshop: Workshop, actor: Actor, routine_id: int) -> Routine:
    """One routine of the person."""
    with workshop.database.begin() as session:
        return _kept(_row(session, actor, routine_id)).routine


def remove_routine(workshop: Workshop, actor: Actor, routine_id: int) -> Routine:
    """Take a routine out; pictures keep the steps that it put on them."""
    with workshop.database.begin() as session:
        row = _row(session, actor, routine_id)
        removed = _kept(row).routine
        trials = update(Picture).where(Picture.trial_of == row.id, Picture.removed_at.is_(None))
        session.execute(trials.values(removed_at=now()))
        session.delete(row)
        return removed


def _row(session: Session, actor: Actor, routine_id: int) -> RoutineRow:
    row = session.get(RoutineRow, routine_id)
    if row is None or row.person_id != actor.id:
        raise NotFoundError("There is no such routine among yours.")
    return row


def export_routines(workshop: Workshop, actor: Actor) -> RoutineFile:
    """All routines of a person as a file, with the logos that they need."""
    kept = tuple(one.routine for one in read_routines(workshop, actor))
    files = sorted(assets_of(one.step for routine in kept for one in routine.steps), key=lambda file: file.sha256)
    # faces stay: whoever made them may not allow that they are handed on
    logos = [file for file in files if file.kind is AssetKind.PICTURE]
    packed = {file.sha256: PackedLogo.of(file, workshop.originals.read(file.sha256)) for file in logos}
    return RoutineFile(routines=kept, logos=tuple(packed.values()))


def import_routines(workshop: Workshop, actor: Actor, content: bytes) -> int:
    """Keep all routines of a file, all or none; how many. One of a name that is there already is replaced."""
    file = read_routine_file(content)
    unpacked = [(logo.file.name, logo.unpacked()) for logo in file.logos]
    for name, logo in unpacked:
        keep_logo(workshop, actor, name, [logo])
    needed = assets_of(one.step for routine in file.routines for one in routine.steps)
    with workshop.database.begin() as session:
        check_assets(session, actor, needed)
        for routine in file.routines:
            _keep(session, actor, routine)
    return len(file.routines)
