"""What is kept and for how long, and whether it is still what was stored. Written down in docs/keeping.md.

Nothing that counts is ever taken away: results of a folio's present run, and originals of any picture, logo or
snapshot, are pinned. Taking away is done by one process at a time, under a lock in the database.
"""

import contextlib
from collections.abc import Iterable, Iterator, Sequence, Set
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path

from sqlalchemy import ColumnElement, delete, exists, func, or_, select, text, update
from sqlalchemy.orm import Session

from lucidex.core.source.limits import OF_WHAT_IS_THERE
from lucidex.core.units import format_weight
from lucidex.records.models import (
    Cell,
    CellState,
    Document,
    Folio,
    Font,
    Logo,
    Original,
    Picture,
    Result,
    Run,
    RunState,
    Snapshot,
    Source,
    now,
)
from lucidex.services.assets.fonts import forget_prepared
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.uploads import forget_expired_uploads
from lucidex.services.people.events import EventKind, forget_old_events, note
from lucidex.services.rendering.results import forget_result

RESULTS_UNUSED_FOR = timedelta(days=14)
REMOVED_FOR = timedelta(days=30)
RUNS_FOR = timedelta(days=180)  # runs that a later one of the same folio has followed
UNKNOWN_FOR = timedelta(days=1)  # files without a row: somebody may be about to write it
MAX_RESULT_BYTES = 40_000_000_000
SHORT_OF_DISK_BYTES = 2_000_000_000
AT_ONCE = 500
WITH_FILES_AT_ONCE = 100  # in one transaction, so that nobody waits long for a row


def is_short_of_disk(workshop: Workshop) -> bool:
    """Whether little room is left where pictures are kept."""
    return workshop.disk_free() < SHORT_OF_DISK_BYTES


def disk_words(workshop: Workshop) -> str:
    """A sentence where the disk runs short; nothing otherwise."""
    if not is_short_of_disk(workshop):
        return ""
    left = format_weight(workshop.disk_free())
    return f"The disk on which pictures are kept has only {left} left. Free some room, or nothing more can be stored."


@dataclass
class Kept:
    """What a cleaning took away."""

    results: int = 0
    pictures: int = 0
    originals: int = 0
    runs: int = 0
    orphans: int = 0


@contextmanager
def _alone(workshop: Workshop) -> Iterator[bool]:
    """Whether nobody else cleans; the lock is the database's, and gone with the connection."""
    with workshop.database.engine.connect() as connection:
        mine = bool(connection.execute(text("SELECT GET_LOCK('lucidex keeping', 0)")).scalar())
        try:
            yield mine
        finally:
            if mine:
                connection.execute(text("SELECT RELEASE_LOCK('lucidex keeping')"))


def clean_up(workshop: Workshop, moment: datetime | None = None) -> Kept:
    """Take away what is kept no longer. `moment` is now, unless told otherwise."""
    kept, moment = Kept(), moment or now()
    with _alone(workshop) as mine:
        if not mine:
            return kept
        with workshop.database.begin() as session:
            forget_old_events(session)
        forget_expired_uploads(workshop)
        kept.runs = _old_runs(workshop, moment)
        kept.pictures = _removed_pictures(workshop, moment)
        kept.originals = _originals(workshop, moment)
        kept.results = _results(workshop, moment - RESULTS_UNUSED_FOR) + _over_the_limit(workshop)
        kept.orphans = _orphans(workshop, moment)
        forget_prepared(workshop, moment - RESULTS_UNUSED_FOR)
    return kept


def _pinned() -> ColumnElement[bool]:
    """A result that a finished cell of a kept run speaks of."""
    return exists().where(Cell.blob_sha256 == Result.blob_sha256, Cell.state == CellState.DONE)


def _results(workshop: Workshop, unused_since: datetime, most: int = 1_000_000) -> int:
    """Forget results that were not used since, and that nothing pins; their files where no other row has them."""
    count = 0
    while count < most:
        with workshop.database.begin() as session:
            old = select(Result).where(Result.used_at < unused_since, Result.blob_sha256.is_not(None), ~_pinned())
            old = old.order_by(Result.used_at).limit(min(AT_ONCE, most - count)).with_for_update()
            rows = list(session.scalars(old))
            for row in rows:
                blob = row.blob_sha256 or ""
                session.delete(row)
                session.flush()
                if session.scalar(select(Result.id).where(Result.blob_sha256 == blob).limit(1)) is None:
                    # within the transaction: whoever makes the same again waits for the row, then writes its file
                    workshop.results.remove(blob)
        if not rows:
            break
        count += len(rows)
    return count


def result_bytes(workshop: Workshop) -> int:
    """How much all results weigh."""
    with workshop.database.begin() as session:
        return int(session.scalar(select(func.coalesce(func.sum(Result.byte_count), 0))) or 0)


def _over_the_limit(workshop: Workshop) -> int:
    """The least recently used results go where they weigh more than they may, or where the disk runs short."""
    count = 0
    while result_bytes(workshop) > MAX_RESULT_BYTES or workshop.disk_free() < SHORT_OF_DISK_BYTES:
        gone = _results(workshop, now(), AT_ONCE)
        if gone == 0:
            break
        count += gone
    return count


def _old_runs(workshop: Workshop, moment: datetime) -> int:
    """Runs that a later one of their folio followed long ago, with their cells: what they made is pinned no more."""
    with workshop.database.begin() as session:
        newest = select(func.max(Run.id)).group_by(Run.folio_id)
        ended = Run.state.in_([RunState.STOPPED, RunState.FINISHED])
        newest_ids = list(session.scalars(newest))
        gone = delete(Run).where(ended, Run.created_at < moment - RUNS_FOR, Run.id.not_in(newest_ids or [0]))
        return int(session.execute(gone).rowcount)  # type: ignore[attr-defined]


def _removed_pictures(workshop: Workshop, moment: datetime) -> int:
    """Pictures that were taken out long ago, with all that was decided about them."""
    with workshop.database.begin() as session:
        old = select(Picture.id).where(Picture.removed_at < moment - REMOVED_FOR)
        # locked, so that whoever puts one back meanwhile waits, and finds it gone rather than half gone
        ids = list(session.scalars(old.limit(AT_ONCE).with_for_update(skip_locked=True)))
        _forget_pictures(session, ids)
    return len(ids)


def _forget_pictures(session: Session, picture_ids: Sequence[int]) -> None:
    if not picture_ids:
        return
    session.execute(delete(Cell).where(Cell.picture_id.in_(picture_ids)))
    session.execute(delete(Document).where(Document.picture_id.in_(picture_ids)))
    session.execute(update(Snapshot).where(Snapshot.picture_id.in_(picture_ids)).values(parent_id=None))
    session.execute(delete(Snapshot).where(Snapshot.picture_id.in_(picture_ids)))
    session.execute(delete(Picture).where(Picture.id.in_(picture_ids)))


def erase_pictures(workshop: Workshop, picture_ids: Sequence[int]) -> int:
    """Pictures that were taken out go for good, at once; so do their files, with their decoded pixels and results,
    where no other picture, logo or document has them. How many there were.
    """
    count, hashes = 0, set[str]()
    for start in range(0, len(picture_ids), AT_ONCE):
        some = picture_ids[start : start + AT_ONCE]
        with workshop.database.begin() as session:
            removed = select(Picture.id, Picture.source_key)
            removed = removed.where(Picture.id.in_(some), Picture.removed_at.is_not(None)).order_by(Picture.id)
            rows = list(session.execute(removed.with_for_update()))
            keys = {key for _, key in rows}
            hashes |= set(session.scalars(select(Source.original_sha256).where(Source.key.in_(keys))))
            _forget_pictures(session, [one for one, _ in rows])
        count += len(rows)
    named = _named_in_documents(workshop) if hashes else frozenset[str]()
    _forget_originals(workshop, hashes - named)
    return count


def _originals(workshop: Workshop, moment: datetime) -> int:
    """Originals that no picture, logo or face has any more, and that no document names."""
    with workshop.database.begin() as session:
        pictures = exists().where(Picture.source_key == Source.key, Source.original_sha256 == Original.sha256)
        logos = exists().where(Logo.source_key == Source.key, Source.original_sha256 == Original.sha256)
        used = or_(pictures, logos, exists().where(Font.original_sha256 == Original.sha256))
        unused = select(Original.sha256).where(~used, Original.created_at < moment - UNKNOWN_FOR)
        candidates = list(session.scalars(unused.limit(AT_ONCE)))
    named = _named_in_documents(workshop) if candidates else frozenset[str]()
    return _forget_originals(workshop, set(candidates) - named)


def _named_in_documents(workshop: Workshop) -> frozenset[str]:
    """Every logo that a snapshot or a routine names."""
    found: set[str] = set()
    pattern = text("SELECT DISTINCT body FROM snapshot WHERE body LIKE '%\"sha256\"%'")
    routines = text("SELECT DISTINCT body FROM routine WHERE body LIKE '%\"sha256\"%'")
    with workshop.database.begin() as session:
        for statement in (pattern, routines):
            for (body,) in session.execute(statement):
                words = str(body).replace('"', " ").split()
                found |= {word for word in words if len(word) == 64 and set(word) <= set("0123456789abcdef")}
    return frozenset(found)


def _forget_originals(workshop: Workshop, hashes: Set[str]) -> int:
    """Rows and files together: whoever brings the same in meanwhile waits for the row, and then stores it anew."""
    gone: list[str] = []
    in_order = sorted(hashes)  # so that two who do this do not wait for each other
    for start in range(0, len(in_order), WITH_FILES_AT_ONCE):
        some = in_order[start : start + WITH_FILES_AT_ONCE]
        with workshop.database.begin() as session:
            rows = select(Original.sha256).where(Original.sha256.in_(some)).order_by(Original.sha256)
            there = list(session.scalars(rows.with_for_update()))
            gone += _forget_unused(workshop, session, set(there) - _used(session, there))
    if gone:
        workshop.decoded.drop(*gone)  # their pages begin with the same names
    return len(gone)


def _forget_unused(workshop: Workshop, session: Session, hashes: Set[str]) -> Set[str]:
    if hashes:
        made = select(Result.blob_sha256).where(Result.original_sha256.in_(hashes), Result.blob_sha256.is_not(None))
        blobs = set(session.scalars(made))
        session.execute(delete(Source).where(Source.original_sha256.in_(hashes)))
        session.execute(delete(Result).where(Result.original_sha256.in_(hashes)))
        # pinned by a run of another folio's picture, or made of another original just the same
        for column in (Result.blob_sha256, Cell.blob_sha256):
            blobs -= set(session.scalars(select(column).where(column.in_(blobs)).distinct()))
        session.execute(delete(Original).where(Original.sha256.in_(hashes)))
        for blob in blobs:
            workshop.results.remove(blob or "")
        for sha256 in hashes:
            workshop.originals.remove(sha256)
    return hashes


def _used(session: Session, hashes: Sequence[str]) -> set[str]:
    of_source = select(Source.original_sha256).where(Source.original_sha256.in_(hashes))
    pictures = of_source.join(Picture, Picture.source_key == Source.key)
    logos = of_source.join(Logo, Logo.source_key == Source.key)
    fonts = select(Font.original_sha256).where(Font.original_sha256.in_(hashes))
    return {sha256 for one in (pictures, logos, fonts) for sha256 in session.scalars(one.distinct())}


def _orphans(workshop: Workshop, moment: datetime) -> int:
    """Result files that no row speaks of: somebody was killed between writing the file and the row."""
    with workshop.database.begin() as session:
        known = set(session.scalars(select(Result.blob_sha256).where(Result.blob_sha256.is_not(None)).distinct()))
        known |= set(session.scalars(select(Cell.blob_sha256).where(Cell.blob_sha256.is_not(None)).distinct()))
    count = 0
    for sha256, _ in list(workshop.results.all()):
        if sha256 in known or workshop.results.age(sha256) < UNKNOWN_FOR:
            continue
        workshop.results.remove(sha256)
        count += 1
    return count


@dataclass
class Checked:
    """What a look through the stores found. `damaged` names originals with the pictures that have them."""

    originals: int = 0
    results: int = 0
    damaged: dict[str, list[str]] = field(default_factory=dict)
    made_anew: int = 0


def check_store(workshop: Workshop) -> Checked:
    """Compare every stored file with its hash: results that differ are forgotten, originals are named."""
    checked = Checked()
    with workshop.database.begin() as session:
        originals = list(session.scalars(select(Original.sha256)))
        blobs = set(session.scalars(select(Result.blob_sha256).where(Result.blob_sha256.is_not(None)).distinct()))
    for sha256 in originals:
        checked.originals += 1
        if not workshop.originals.is_whole(sha256):
            checked.damaged[sha256] = _pictures_of(workshop, sha256)
    for blob in blobs:
        checked.results += 1
        if not workshop.results.is_whole(blob or ""):
            forget_result(workshop, blob or "")
            checked.made_anew += 1
    with workshop.database.begin() as session:
        message = (
            f"Checked {checked.originals} originals, {len(checked.damaged)} damaged; {checked.results} results, "
        )
        note(session, None, EventKind.STORE, message + f"{checked.made_anew} to be made anew.")
    return checked


def mend_from(workshop: Workshop, damaged: Iterable[str], folder: Path) -> list[str]:
    """Look through a folder and all in it for files that are what damaged or missing originals were, and store them
    anew; the hashes of those that are whole again. Files are known by what they hold, never by their names.
    """
    with workshop.database.begin() as session:
        rows = session.scalars(select(Original).where(Original.sha256.in_(list(damaged))))
        wanted = {row.sha256: row.byte_count for row in rows}
    mended: list[str] = []
    for path in sorted(folder.rglob("*")):
        if len(mended) == len(wanted):
            break
        with contextlib.suppress(OSError):
            if not path.is_file() or path.stat().st_size not in wanted.values():
                continue
            with path.open("rb") as file:
                pieces = iter(lambda file=file: file.read(1 << 20), b"")  # type: ignore[misc]
                with workshop.originals.receive(pieces, OF_WHAT_IS_THERE.file_bytes) as received:
                    if received.sha256 in wanted and received.sha256 not in mended:
                        workshop.originals.keep(received)
                        mended.append(received.sha256)
    return mended


def _pictures_of(workshop: Workshop, sha256: str) -> list[str]:
    with workshop.database.begin() as session:
        found = select(Picture.file_name, Folio.name).join(Folio).join(Source).where(Source.original_sha256 == sha256)
        return [f"“{picture}” in “{folio}”" for picture, folio in session.execute(found)]
