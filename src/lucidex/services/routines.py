"""Routines of a person: kept from a picture's steps, found by name, put on pictures, exported and imported."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.routine import MAX_ROUTINES, Routine, RoutineFile, read_routine_file
from lucidex.core.steps.base import Carried, Step
from lucidex.records.models import RoutineRow
from lucidex.services.people import Who
from lucidex.services.prepare import PictureState
from lucidex.services.workshop import Workshop


@dataclass(frozen=True)
class KeptRoutine:
    """A routine with its id."""

    id: int
    routine: Routine


def _kept(row: RoutineRow) -> KeptRoutine:
    return KeptRoutine(row.id, Routine.model_validate(row.body))


def _rows(session: Session, who: Who) -> list[RoutineRow]:
    found = select(RoutineRow).where(RoutineRow.person_id == who.id)
    return list(session.scalars(found.order_by(RoutineRow.group_name, RoutineRow.name)))


def read_routines(workshop: Workshop, who: Who) -> list[KeptRoutine]:
    """All routines of a person, by group and name."""
    with workshop.database.begin() as session:
        return [_kept(row) for row in _rows(session, who)]


def find_routine(workshop: Workshop, who: Who, name: str) -> Routine | None:
    """The routine of that name; case does not count."""
    wanted = " ".join(name.casefold().split())
    kept = read_routines(workshop, who)
    return next((one.routine for one in kept if one.routine.name.casefold() == wanted), None)


def steps_to_keep(
    state: PictureState, chosen: Sequence[str] | None = None
) -> tuple[list[tuple[str, Step]], list[Step]]:
    """The active steps that a routine can hold, with their ids, and those that belong to this picture alone."""
    entries = [entry for entry in state.document.steps if entry.active and (chosen is None or entry.id in chosen)]
    goes = [(entry.id, entry.step) for entry in entries if entry.step.carried is not Carried.NEVER]
    return list(goes), [entry.step for entry in entries if entry.step.carried is Carried.NEVER]


def keep_routine(workshop: Workshop, who: Who, routine: Routine) -> int:
    """Keep a routine; one of the same name is replaced. Its id."""
    with workshop.database.begin() as session:
        return _keep(session, who, routine)


def _keep(session: Session, who: Who, routine: Routine) -> int:
    rows = _rows(session, who)
    row = next((one for one in rows if one.name.casefold() == routine.name.casefold()), None)
    if row is None:
        if len(rows) >= MAX_ROUTINES:
            raise OutOfRangeError(f"At most {MAX_ROUTINES} routines are kept. Take one out first.")
        row = RoutineRow(person_id=who.id)
        session.add(row)
    row.name, row.group_name, row.body = routine.name, routine.group, routine.model_dump(mode="json")
    session.flush()
    return row.id


def change_routine(workshop: Workshop, who: Who, routine_id: int, routine: Routine) -> None:
    """Write a routine anew. OutOfRangeError where another one has its name."""
    with workshop.database.begin() as session:
        row = _row(session, who, routine_id)
        if any(one.id != row.id and one.name.casefold() == routine.name.casefold() for one in _rows(session, who)):
            raise OutOfRangeError(f"Another routine is called “{routine.name}” already.")
        row.name, row.group_name, row.body = routine.name, routine.group, routine.model_dump(mode="json")


def read_routine(workshop: Workshop, who: Who, routine_id: int) -> Routine:
    """One routine of the person."""
    with workshop.database.begin() as session:
        return _kept(_row(session, who, routine_id)).routine


def remove_routine(workshop: Workshop, who: Who, routine_id: int) -> Routine:
    """Take a routine out; pictures keep the steps that it put on them."""
    with workshop.database.begin() as session:
        row = _row(session, who, routine_id)
        removed = _kept(row).routine
        session.delete(row)
        return removed


def _row(session: Session, who: Who, routine_id: int) -> RoutineRow:
    row = session.get(RoutineRow, routine_id)
    if row is None or row.person_id != who.id:
        raise NotFoundError("There is no such routine among yours.")
    return row


def export_routines(workshop: Workshop, who: Who) -> RoutineFile:
    """All routines of a person as a file."""
    return RoutineFile(routines=tuple(kept.routine for kept in read_routines(workshop, who)))


def import_routines(workshop: Workshop, who: Who, content: bytes) -> int:
    """Keep all routines of a file, all or none; how many. One of a name that is there already is replaced."""
    file = read_routine_file(content)
    with workshop.database.begin() as session:
        for routine in file.routines:
            _keep(session, who, routine)
    return len(file.routines)
