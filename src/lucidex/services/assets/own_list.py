"""What a person keeps for their pictures, such as logos and faces: a list with a bound, each thing in it once."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Generic, TypeVar

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from lucidex.core.errors import NotFoundError, OutOfRangeError, UserError
from lucidex.records.models import Font, Logo, Person
from lucidex.records.store import Received
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import not_taken
from lucidex.services.people.people import Actor

R = TypeVar("R", Logo, Font)
K = TypeVar("K")


@dataclass(frozen=True)
class OwnList(Generic[R]):
    """The rows of one kind, with the word for one of them and how many somebody may keep."""

    kind: type[R]
    word: str
    most: int

    def read(self, session: Session, actor: Actor) -> list[R]:
        """All of a person, the newest first."""
        mine = select(self.kind).where(self.kind.person_id == actor.id)
        return list(session.scalars(mine.order_by(self.kind.id.desc())))

    def one(self, session: Session, actor: Actor, row_id: int) -> R:
        """One of the person. NotFoundError where it is not theirs."""
        row = session.get(self.kind, row_id)
        if row is None or row.person_id != actor.id:
            raise NotFoundError(f"There is no such {self.word} among yours.")
        return row

    def keep(self, session: Session, actor: Actor, is_it: ColumnElement[bool], made: Callable[[], R]) -> R:
        """The row for which `is_it` holds, put into the list if need be. OutOfRangeError where that is full."""
        # others of the same person wait here, so that counting and keeping are one
        session.get_one(Person, actor.id, with_for_update=True)
        mine = select(self.kind).where(self.kind.person_id == actor.id)
        if (row := session.scalar(mine.where(is_it))) is not None:
            return row
        if len(session.scalars(mine).all()) >= self.most:
            raise OutOfRangeError(f"At most {self.most} {self.word}s are kept. Forget one first.")
        row = made()
        session.add(row)
        session.flush()
        return row

    def forget(self, session: Session, actor: Actor, row_id: int) -> None:
        """Take one out; steps that use it keep it."""
        session.delete(self.one(session, actor, row_id))


def taken(
    workshop: Workshop,
    file_name: str,
    chunks: Iterable[bytes],
    most_bytes: int,
    keep: Callable[[Received], K],
) -> K:
    """A file received and kept. Raises the `UserError` family with the file and the reason; then nothing is kept."""
    try:
        with workshop.originals.receive(chunks, most_bytes) as received:
            return keep(received)
    except UserError as error:
        raise not_taken(file_name, error) from error
