"""Faces that people bring in for words on pictures."""

import contextlib
import os
import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from importlib.metadata import version
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from lucidex.core.errors import UnavailableError, UserError
from lucidex.core.finish.assets import AssetFile, AssetKind
from lucidex.core.finish.text.faces import FACES_REVISION, Face, own_face
from lucidex.core.finish.text.own_faces import MAX_FONT_BYTES, FontFacts
from lucidex.core.proof.names import clean_file_name
from lucidex.records.models import Font, Original, now
from lucidex.records.store import Received
from lucidex.services.assets.own_list import OwnList, taken
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.work.font_task import prepare

MAX_FONTS = 60  # of a person
_FACES = OwnList(Font, "face", MAX_FONTS)


@dataclass(frozen=True)
class KeptFont:
    """A face of somebody."""

    id: int
    name: str
    sha256: str
    facts: FontFacts

    @property
    def file(self) -> AssetFile:
        """As a step names it."""
        return AssetFile(sha256=self.sha256, name=self.name, kind=AssetKind.FONT)


def _kept(row: Font) -> KeptFont:
    return KeptFont(row.id, row.name, row.original_sha256, FontFacts.model_validate(row.facts))


def read_fonts(workshop: Workshop, actor: Actor) -> list[KeptFont]:
    """All faces of a person, the newest first."""
    with workshop.database.begin() as session:
        return [_kept(row) for row in _FACES.read(session, actor)]


def read_font(workshop: Workshop, actor: Actor, font_id: int) -> KeptFont:
    """One face of the person. NotFoundError where it is not theirs."""
    with workshop.database.begin() as session:
        return _kept(_FACES.one(session, actor, font_id))


def keep_font(workshop: Workshop, actor: Actor, file_name: str, chunks: Iterable[bytes]) -> KeptFont:
    """Take a TTF or OTF file. Raises the `UserError` family with the file and the reason; then nothing is kept."""
    return taken(
        workshop, file_name, chunks, MAX_FONT_BYTES, lambda file: keep_received_font(workshop, actor, file_name, file)
    )


def keep_received_font(workshop: Workshop, actor: Actor, file_name: str, received: Received) -> KeptFont:
    """The same for a file that has arrived already. Sentences of errors begin with “It …”."""
    facts = _prepare(workshop, received.path, received.sha256)
    with workshop.database.begin() as session:
        written = insert(Original).values(sha256=received.sha256, byte_count=received.byte_count, created_at=now())
        session.execute(written.on_duplicate_key_update(byte_count=written.inserted.byte_count))
        kept = _kept(keep_in(session, actor, received.sha256, clean_file_name(file_name), facts))
        workshop.originals.keep(received)
        return kept


def keep_in(session: Session, actor: Actor, sha256: str, name: str, facts: FontFacts) -> Font:
    """Put a face of which the file is there into a person's list, once. OutOfRangeError where the list is full."""
    body = facts.model_dump(mode="json")
    return _FACES.keep(
        session,
        actor,
        Font.original_sha256 == sha256,
        lambda: Font(person_id=actor.id, original_sha256=sha256, name=name, facts=body),
    )


def adopt_font(session: Session, actor: Actor, file: AssetFile) -> None:
    """Keep a face that somebody was allowed to see in a step, so that it may be put on other pictures."""
    row = session.scalar(select(Font).where(Font.original_sha256 == file.sha256).limit(1))
    if row is not None:
        keep_in(session, actor, file.sha256, file.name, FontFacts.model_validate(row.facts))


def forget_font(workshop: Workshop, actor: Actor, font_id: int) -> None:
    """Take a face out of the person's list; steps that use it keep it."""
    with workshop.database.begin() as session:
        _FACES.forget(session, actor, font_id)


def face_of(workshop: Workshop, sha256: str) -> Face:
    """A face ready to be used; prepared again where that was let go. Whether it may be used was decided before."""
    path = _there(workshop, sha256)
    if path is None:
        try:
            with workshop.originals.as_file(sha256) as original:
                _prepare(workshop, original, sha256)
        except (FileNotFoundError, UserError) as error:
            raise UnavailableError("The file of a face is missing. Choose the face again.") from error
        path = _there(workshop, sha256)
    if path is None:
        raise UnavailableError("The file of a face is missing. Choose the face again.")
    path.touch()  # whoever clears up leaves what is in use
    return own_face(path)


def _folder(workshop: Workshop) -> Path:
    return workshop.data_folder / "faces"


def forget_prepared(workshop: Workshop, moment: datetime) -> int:
    """Take away faces as they are used that nobody used since a moment, and what was left half written; how many."""
    gone = 0
    for path in _folder(workshop).glob("*"):
        with contextlib.suppress(FileNotFoundError):
            if path.stat().st_mtime < moment.timestamp():
                path.unlink()
                gone += 1
    return gone


def _stem(sha256: str) -> str:
    return f"{sha256}-{FACES_REVISION}-{version('fonttools')}"


def _there(workshop: Workshop, sha256: str) -> Path | None:
    """The face as it is used, where it was prepared already."""
    return min(_folder(workshop).glob(f"{_stem(sha256)}-*.otf"), default=None)


def _prepare(workshop: Workshop, file: Path, sha256: str) -> FontFacts:
    """Read a face in a confined process, and put it in its seat in one move.

    Each time it gets another name, inside and outside: what a process has loaded may be gone by then.
    """
    _folder(workshop).mkdir(exist_ok=True)
    path = _folder(workshop) / f"{_stem(sha256)}-{secrets.token_hex(4)}.otf"
    scratch = path.with_suffix(".part")
    try:
        answer = workshop.isolated.run(prepare, own_face(path).family, opened=((file, "rb"), (scratch, "wb")))
        with scratch.open("rb+") as written:
            os.fsync(written.fileno())
        scratch.replace(path)
    finally:
        scratch.unlink(missing_ok=True)
    return FontFacts.model_validate_json(answer)
