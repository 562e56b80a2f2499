"""Notes on pictures: marks by hand and words, for colleagues; answered, settled, or put into the files on purpose."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime

from pydantic import ValidationError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session, selectinload

from lucidex.core.document import PictureDocument
from lucidex.core.errors import NotAllowedError, NotFoundError, OutOfRangeError
from lucidex.core.finish.marks import Mark
from lucidex.core.finish.text.letters import settable
from lucidex.core.source.facts import SourceFacts
from lucidex.core.steps.marks import MAX_MARKS, Marks
from lucidex.records.models import MAX_NOTE, Note, NoteAnswer, Picture, now
from lucidex.services.folios.folios import ASKED_AT_ONCE, allowed_pictures, picture_of
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import PictureState, change
from lucidex.services.pictures.edits import add_step

MAX_NOTES, MAX_ANSWERS, MAX_MARKS_OF_NOTE, MAX_POINTS_OF_NOTE = 100, 100, 60, 2_000
_IN_SUMMARY = 40


@dataclass(frozen=True)
class AnswerView:
    """What somebody answered."""

    author: str
    text: str
    at: datetime


@dataclass(frozen=True)
class NoteView:
    """A note as somebody sees it; `number` counts those of its picture."""

    id: int
    number: int
    author: str
    is_mine: bool
    text: str
    marks: tuple[Mark, ...]
    at: datetime
    settled_by: str | None
    is_settled: bool
    answers: tuple[AnswerView, ...]

    @property
    def title(self) -> str:
        """Its first words, or what it consists of."""
        said = " ".join(self.text.split()) or next((mark.text for mark in self.marks if mark.text), "")
        return said or ("one mark" if len(self.marks) == 1 else f"{len(self.marks)} marks")


def read_notes(workshop: Workshop, actor: Actor, picture_id: int) -> list[NoteView]:
    """All notes of a picture, the first one first. NotFoundError where the picture is not to be seen."""
    with workshop.database.begin() as session:
        picture_of(session, actor, picture_id)
        loaded = selectinload(Note.author), selectinload(Note.settler), selectinload(Note.answers, NoteAnswer.author)
        rows = session.scalars(select(Note).where(Note.picture_id == picture_id).options(*loaded).order_by(Note.id))
        return [_view(row, number, actor) for number, row in enumerate(rows, 1)]


def _view(row: Note, number: int, actor: Actor) -> NoteView:
    return NoteView(
        id=row.id,
        number=number,
        author=row.author.name,
        is_mine=row.author_id == actor.id,
        text=row.text,
        marks=tuple(Mark.model_validate(one) for one in row.marks),
        at=row.created_at,
        settled_by=row.settler.name if row.settler else None,
        is_settled=row.settled_at is not None,
        answers=tuple(AnswerView(one.author.name, one.text, one.created_at) for one in row.answers),
    )


@dataclass(frozen=True)
class NoteCount:
    """How many notes a picture has, and how many of them are not settled."""

    all: int
    open: int


def count_notes(session: Session, picture_id: int) -> NoteCount:
    """The notes of a picture that somebody sees already."""
    counted = select(func.count(), func.count(Note.settled_at)).where(Note.picture_id == picture_id)
    total, settled = session.execute(counted).one()
    return NoteCount(total, total - settled)


def open_notes(session: Session, actor: Actor, picture_ids: Sequence[int]) -> dict[int, int]:
    """How many notes of pictures are not settled; pictures without any are left out."""
    found: dict[int, int] = {}
    for start in range(0, len(picture_ids), ASKED_AT_ONCE):
        some = picture_ids[start : start + ASKED_AT_ONCE]
        counted = select(Note.picture_id, func.count()).join(Picture, Picture.id == Note.picture_id)
        wanted = counted.where(Note.picture_id.in_(some), Note.settled_at.is_(None), allowed_pictures(actor))
        found |= {row[0]: row[1] for row in session.execute(wanted.group_by(Note.picture_id))}
    return found


def add_note(workshop: Workshop, actor: Actor, picture_id: int, text: str, marks: Sequence[Mark]) -> int:
    """A new note; its id. OutOfRangeError where it says nothing, or there are too many."""
    with workshop.database.begin() as session:
        _hold(session, actor, picture_id)
        text, stored = _words(text), _stored(marks)
        if not text and not stored:
            raise OutOfRangeError("A note needs a mark on the picture, or words.")
        count = session.scalar(select(func.count()).where(Note.picture_id == picture_id)) or 0
        if count >= MAX_NOTES:
            raise OutOfRangeError(f"A picture has at most {MAX_NOTES} notes. Remove some first.")
        row = Note(picture_id=picture_id, author_id=actor.id, text=text, marks=stored)
        session.add(row)
        session.flush()
        return row.id


def add_mark(workshop: Workshop, actor: Actor, picture_id: int, note_id: int, mark: Mark) -> None:
    """One more mark of one's own note. OutOfRangeError where they are too many."""
    _alter_marks(workshop, actor, picture_id, note_id, lambda marks: [*marks, mark])


def drop_mark(workshop: Workshop, actor: Actor, picture_id: int, note_id: int, index: int) -> None:
    """Erase a mark of one's own note; a note of which nothing is left goes."""
    _alter_marks(workshop, actor, picture_id, note_id, lambda marks: _without(marks, index))


def move_mark(
    workshop: Workshop, actor: Actor, picture_id: int, note_id: int, index: int, dx: float, dy: float
) -> None:
    """Move a mark of one's own note, by fractions of the original."""

    def moved(marks: list[Mark]) -> list[Mark]:
        _without(marks, index)
        return [mark.moved(dx, dy) if seat == index else mark for seat, mark in enumerate(marks)]

    _alter_marks(workshop, actor, picture_id, note_id, moved)


def _without(marks: list[Mark], index: int) -> list[Mark]:
    if not 0 <= index < len(marks):
        raise NotFoundError("This mark is no longer there.")
    return [*marks[:index], *marks[index + 1 :]]


def _alter_marks(
    workshop: Workshop, actor: Actor, picture_id: int, note_id: int, alter: Callable[[list[Mark]], list[Mark]]
) -> None:
    with workshop.database.begin() as session:
        row = _mine(session, actor, picture_id, note_id)
        marks = alter([Mark.model_validate(one) for one in row.marks])
        if not marks and not row.text:
            session.delete(row)
        else:
            row.marks = _stored(marks)


def write_text(workshop: Workshop, actor: Actor, picture_id: int, note_id: int, text: str) -> None:
    """The words of one's own note; a note of which nothing is left goes."""
    with workshop.database.begin() as session:
        row = _mine(session, actor, picture_id, note_id)
        row.text = _words(text)
        if not row.text and not row.marks:
            session.delete(row)


def answer(workshop: Workshop, actor: Actor, picture_id: int, note_id: int, text: str) -> None:
    """Answer a note."""
    with workshop.database.begin() as session:
        row = _note(session, actor, picture_id, note_id)
        text = _words(text)
        if not text:
            raise OutOfRangeError("An answer needs words.")
        count = session.scalar(select(func.count()).where(NoteAnswer.note_id == row.id)) or 0
        if count >= MAX_ANSWERS:
            raise OutOfRangeError(f"A note has at most {MAX_ANSWERS} answers.")
        session.add(NoteAnswer(note_id=row.id, author_id=actor.id, text=text))


def settle(workshop: Workshop, actor: Actor, picture_id: int, note_id: int, settled: bool) -> None:
    """Settle a note, or open it again; whoever sees the picture may."""
    with workshop.database.begin() as session:
        row = _note(session, actor, picture_id, note_id)
        if (row.settled_at is not None) != settled:
            row.settled_at, row.settled_by = (now(), actor.id) if settled else (None, None)


def remove_note(workshop: Workshop, actor: Actor, picture_id: int, note_id: int) -> None:
    """Take one's own note away, with its answers."""
    with workshop.database.begin() as session:
        session.execute(delete(Note).where(Note.id == _mine(session, actor, picture_id, note_id).id))


def put_into_files(workshop: Workshop, actor: Actor, state: PictureState, version: int, note_id: int) -> PictureState:
    """Draw the marks of a note into every file of its picture: a step, which can be taken back like any other."""
    note = next((one for one in read_notes(workshop, actor, state.picture_id) if one.id == note_id), None)
    if note is None:
        raise NotFoundError("This note is no longer there.")
    if not note.marks:
        raise OutOfRangeError("This note has no marks on the picture.")

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        try:
            for seat, entry in enumerate(document.steps):
                if isinstance(entry.step, Marks) and entry.only_in is None:
                    more = entry.model_copy(update={"step": entry.step.with_marks(note.marks)})
                    return document.model_copy(
                        update={"steps": (*document.steps[:seat], more, *document.steps[seat + 1 :])}
                    )
            return add_step(Marks(marks=note.marks))(document, facts)
        except ValidationError as error:
            raise OutOfRangeError(f"At most {MAX_MARKS} marks are drawn into the files of a picture.") from error

    return change(
        workshop, actor, state.picture_id, version, f"Note “{note.title[:_IN_SUMMARY]}” in the files", alter
    )


def _words(text: str) -> str:
    text = settable(text)
    if len(text) > MAX_NOTE:
        raise OutOfRangeError(f"Up to {MAX_NOTE} letters can be written here; these are {len(text)}.")
    return text


def _stored(marks: Sequence[Mark]) -> list[object]:
    points = sum(len(mark.points) for mark in marks)
    if len(marks) > MAX_MARKS_OF_NOTE or points > MAX_POINTS_OF_NOTE:
        raise OutOfRangeError("This note has as many marks as one can have. Begin another one.")
    return [mark.model_dump(mode="json") for mark in marks]


def _hold(session: Session, actor: Actor, picture_id: int) -> None:
    """The picture is to be seen, and whoever else writes notes on it waits."""
    picture_of(session, actor, picture_id)
    session.execute(select(Picture.id).where(Picture.id == picture_id).with_for_update())


def _note(session: Session, actor: Actor, picture_id: int, note_id: int) -> Note:
    _hold(session, actor, picture_id)
    row = session.scalar(select(Note).where(Note.id == note_id, Note.picture_id == picture_id).with_for_update())
    if row is None:
        raise NotFoundError("This note is no longer there.")
    return row


def _mine(session: Session, actor: Actor, picture_id: int, note_id: int) -> Note:
    row = _note(session, actor, picture_id, note_id)
    if row.author_id != actor.id:
        raise NotAllowedError("This note is somebody else's. Answer it, or settle it.")
    return row
