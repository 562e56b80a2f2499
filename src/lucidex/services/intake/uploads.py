"""Files that arrive in parts, over however many connections, reloads and restarts: what is there is never sent again.

How much has arrived is the length of the file in the folder and nothing else, so that no kill can make two records
differ. One connection at a time writes to a file; the lock is the file's own and gone with whoever held it.
"""

import contextlib
import fcntl
import hashlib
import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import IO

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from lucidex.core.errors import (
    ChangedMeanwhileError,
    NotFoundError,
    StorageFullError,
    TooLargeError,
    TooManyTriesError,
    said_of_the_disk,
)
from lucidex.core.proof.names import clean_file_name
from lucidex.records.models import Upload, now
from lucidex.records.store import Received
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import KEPT_FREE_BYTES
from lucidex.services.people.people import Actor

KEPT_FOR = timedelta(hours=48)
MAX_UNFINISHED, MAX_UNFINISHED_BYTES = 1_000, 20_000_000_000  # of one person


@dataclass(frozen=True)
class Arriving:
    """A file on its way: its name, how many bytes it has in all, and how many are there."""

    id: str
    file_name: str
    byte_count: int
    arrived: int
    expires_at: datetime
    metadata: str = ""  # what was said of it at first, word for word

    @property
    def is_whole(self) -> bool:
        """Whether all of it is there."""
        return self.arrived == self.byte_count


def _path(workshop: Workshop, upload_id: str) -> Path:
    folder = workshop.data_folder / "uploads"
    folder.mkdir(mode=0o700, exist_ok=True)
    return folder / upload_id


def _row(session: Session, actor: Actor, upload_id: str) -> Upload:
    row = session.get(Upload, upload_id)
    if row is None or row.person_id != actor.id or row.expires_at < now():
        raise NotFoundError("This file is no longer on its way. Send it again from the beginning.")
    return row


def begin_upload(workshop: Workshop, actor: Actor, byte_count: int, file_name: str, metadata: str = "") -> Arriving:
    """Make room for a file of so many bytes. It is let go of after two days."""
    if byte_count > workshop.limits.archive_bytes:
        raise TooLargeError(f"It weighs {byte_count / 1e6:.0f} MB; {workshop.limits.archive_words} are taken.")
    if workshop.disk_free() - byte_count < KEPT_FREE_BYTES:
        raise StorageFullError(
            "The disk on which pictures are kept has no room for it. Free some, then send it again."
        )
    upload_id = secrets.token_hex(16)
    with workshop.database.begin() as session:
        held = select(func.count(), func.coalesce(func.sum(Upload.byte_count), 0)).where(Upload.person_id == actor.id)
        count, weight = session.execute(held).one()
        if count >= MAX_UNFINISHED or weight + byte_count > MAX_UNFINISHED_BYTES:
            raise TooManyTriesError("Too many files are on their way already. Let some of them arrive, or drop them.")
        row = Upload(
            id=upload_id,
            person_id=actor.id,
            byte_count=byte_count,
            file_name=clean_file_name(file_name),
            said=metadata,
            created_at=now(),
            expires_at=now() + KEPT_FOR,
        )
        session.add(row)
        with said_of_the_disk():
            _path(workshop, upload_id).touch(mode=0o600)
        return _arriving(workshop, row)


def read_upload(workshop: Workshop, actor: Actor, upload_id: str) -> Arriving:
    """How much of a file is there."""
    with workshop.database.begin() as session:
        row = _row(session, actor, upload_id)
        return _arriving(workshop, row)


def unfinished_uploads(workshop: Workshop, actor: Actor) -> list[Arriving]:
    """All that somebody began to send and that was not taken yet, the newest first."""
    with workshop.database.begin() as session:
        rows = select(Upload).where(Upload.person_id == actor.id).order_by(Upload.created_at.desc()).limit(100)
        return [_arriving(workshop, row) for row in session.scalars(rows)]


def _arriving(workshop: Workshop, row: Upload) -> Arriving:
    try:
        arrived = _path(workshop, row.id).stat().st_size
    except FileNotFoundError:
        arrived = 0
    return Arriving(row.id, row.file_name, row.byte_count, arrived, row.expires_at, row.said)


class Part:
    """Writes further bytes of a file; `arrived` counts all of them."""

    def __init__(self, file: IO[bytes], arriving: Arriving) -> None:
        self._file, self._most, self.arriving = file, arriving.byte_count, arriving
        self.arrived = arriving.arrived

    def write(self, chunk: bytes) -> None:
        """Add bytes. TooLargeError where there are more than were announced."""
        if self.arrived + len(chunk) > self._most:
            raise TooLargeError(f"More bytes arrive than the {self._most} that were announced.")
        self._file.write(chunk)
        self.arrived += len(chunk)

    def take_back(self) -> None:
        """Let go of what was written here."""
        self._file.flush()
        self._file.truncate(self.arriving.arrived)
        self.arrived = self.arriving.arrived


@contextmanager
def further_part(workshop: Workshop, actor: Actor, upload_id: str, offset: int) -> Iterator[Part]:
    """Write on from `offset`. ChangedMeanwhileError where it is not what is there, or another connection writes."""
    with workshop.database.begin() as session:
        row = _row(session, actor, upload_id)
        session.expunge(row)
    with said_of_the_disk(), _path(workshop, upload_id).open("ab") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise ChangedMeanwhileError("Another connection is sending this file at the moment.") from error
        arriving = _arriving(workshop, row)
        if arriving.arrived != offset:
            raise ChangedMeanwhileError(f"{arriving.arrived} bytes of this file are here, not {offset}.")
        try:
            yield Part(file, arriving)
        finally:
            file.flush()
            os.fsync(file.fileno())


def drop_upload(workshop: Workshop, actor: Actor, upload_id: str) -> None:
    """Let go of a file, whether it is whole or not; nothing where it is gone."""
    with workshop.database.begin() as session:
        gone = delete(Upload).where(Upload.id == upload_id, Upload.person_id == actor.id)
        if session.execute(gone).rowcount:  # type: ignore[attr-defined]
            _path(workshop, upload_id).unlink(missing_ok=True)


@contextmanager
def whole_upload(workshop: Workshop, actor: Actor, upload_id: str) -> Iterator[tuple[Arriving, Path]]:
    """A file of which all is there. ChangedMeanwhileError where it is not."""
    arriving = read_upload(workshop, actor, upload_id)
    if not arriving.is_whole:
        raise ChangedMeanwhileError(f"Only {arriving.arrived} of {arriving.byte_count} bytes of this file are here.")
    yield arriving, _path(workshop, upload_id)


def as_received(path: Path, byte_count: int) -> Received:
    """A whole file as one that has arrived: its hash is worked out here."""
    with path.open("rb") as file:
        return Received(path, hashlib.file_digest(file, "sha256").hexdigest(), byte_count)


def forget_expired_uploads(workshop: Workshop) -> int:
    """Let go of what nobody went on with, and of files without a record."""
    count = 0
    with workshop.database.begin() as session:
        for row in session.scalars(select(Upload).where(Upload.expires_at < now()).with_for_update(skip_locked=True)):
            session.delete(row)
            count += 1
        session.flush()
        known = set(session.scalars(select(Upload.id)))
    for path in (workshop.data_folder / "uploads").glob("*"):
        with contextlib.suppress(FileNotFoundError):
            is_new = path.stat().st_mtime > (now() - timedelta(minutes=10)).timestamp()
            if path.name not in known and not is_new:
                path.unlink()
    return count
