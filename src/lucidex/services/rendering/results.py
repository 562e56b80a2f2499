"""Results in the database: what is there under which key, who computes it under a lease, and what is free again."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import ColumnElement, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lucidex.core.encode.likeness import likeness_words
from lucidex.core.finish.findings import Finding
from lucidex.core.proof.statistics import PixelStatistics
from lucidex.core.units import format_weight
from lucidex.records.database import database_clock, from_now
from lucidex.records.models import Result, now
from lucidex.records.store import FileStore
from lucidex.services.house.workshop import Workshop

LEASE = timedelta(seconds=120)
USED_EVERY = timedelta(hours=12)  # how finely it is known when a result was used last


@dataclass(frozen=True)
class StoredResult:
    """Finished bytes in the store."""

    blob_sha256: str
    byte_count: int
    key: str
    statistics: PixelStatistics | None = None


def result_words(result: StoredResult) -> str:
    """What a file weighs, and where its quality was searched, how close it looks: `178 kB, looks the same`."""
    likeness = result.statistics.likeness if result.statistics else None
    weight = format_weight(result.byte_count)
    return weight if likeness is None else f"{weight}, {likeness_words(likeness)}"


OnStored = Callable[[Session, StoredResult], None]


def stored_results(session: Session, store: FileStore, keys: Sequence[str]) -> dict[str, StoredResult]:
    """The results that are there under some keys; that they were used is noted now and then."""
    rows = session.scalars(select(Result).where(Result.key_sha256.in_(keys), Result.blob_sha256.is_not(None)))
    found = {}
    for row in rows:
        if (result := _of_row(store, row)) is not None:
            found[row.key_sha256] = result
            _note_use(row)
    return found


def _note_use(row: Result) -> None:
    if now() - row.used_at > USED_EVERY:
        row.used_at = now()


def _of_row(store: FileStore, row: Result) -> StoredResult | None:
    """The file that a row speaks of, where it is still there."""
    try:
        if row.blob_sha256 is None or store.byte_count(row.blob_sha256) != row.byte_count:
            return None
    except FileNotFoundError:
        return None
    statistics = statistics_kept(row.looks, row.likeness, row.quality, row.findings)
    return StoredResult(row.blob_sha256, row.byte_count or 0, row.key_sha256, statistics)


def statistics_kept(
    looks: dict[str, Any] | None,
    likeness: float | None,
    quality: int | None,
    findings: list[Any] | None,
) -> PixelStatistics | None:
    """What was measured on a file, from the columns that keep it."""
    if looks is None:
        return None
    found = tuple(Finding.model_validate(one) for one in findings or ())
    return PixelStatistics(looks, likeness, quality, found)


def claim(session: Session, keys: Sequence[str], holder: str) -> set[str]:
    """Lease all keys of which nobody knows anything yet; those that are the holder's by it."""
    if not keys:
        return set()
    new = insert(Result).values([_new(key, holder) for key in sorted(keys)]).prefix_with("IGNORE")
    session.execute(new)
    return set(session.scalars(select(Result.key_sha256).where(Result.key_sha256.in_(keys), Result.holder == holder)))


def done_or_mine(
    workshop: Workshop, key: str, holder: str, on_stored: OnStored | None
) -> tuple[StoredResult | None, bool]:
    """The file that is there already, or else whether the holder may compute it."""
    try:
        with workshop.database.begin() as session:
            row = session.scalar(select(Result).where(Result.key_sha256 == key, Result.blob_sha256.is_not(None)))
            done = _of_row(workshop.results, row) if row is not None else None
            if row is None:
                session.execute(insert(Result).values(_new(key, holder)))
            elif done is None:  # its file is gone or cut: free for whoever takes it
                free(session, Result.id == row.id, Result.blob_sha256 == row.blob_sha256)
                return None, False
            else:
                _note_use(row)
                if on_stored is not None:
                    on_stored(session, done)
        return done, done is None
    except IntegrityError:
        return None, _taken_over(workshop, key, holder)


def _taken_over(workshop: Workshop, key: str, holder: str) -> bool:
    """Whether a lease that ran out, or a result that was freed, is the holder's now."""
    is_free = (
        Result.key_sha256 == key,
        Result.blob_sha256.is_(None),
        Result.lease_until <= database_clock(),
    )
    with workshop.database.begin() as session:
        taken = session.execute(update(Result).where(*is_free).values(holder=holder, lease_until=from_now(LEASE)))
        return bool(taken.rowcount == 1)  # type: ignore[attr-defined]


def renew_leases_of(session: Session, holder: str) -> None:
    """What somebody is at stays theirs for another while."""
    held = (Result.holder == holder, Result.blob_sha256.is_(None))
    session.execute(update(Result).where(*held).values(lease_until=from_now(LEASE)))


def record(session: Session, holder: str, result: StoredResult, original: str | None = None) -> bool:
    """Written by whoever holds it only, and whether it was; the file itself is the same whoever made it.

    `original` is what it shows.
    """
    held = (Result.key_sha256 == result.key, Result.holder == holder)
    statistics = result.statistics
    measured = (
        {}
        if statistics is None
        else {
            "looks": dict(statistics.looks),
            "likeness": statistics.likeness,
            "quality": statistics.quality,
            "findings": [one.model_dump(mode="json") for one in statistics.findings],
        }
    )
    values = {
        "original_sha256": original,
        "blob_sha256": result.blob_sha256,
        "byte_count": result.byte_count,
        "used_at": now(),
        **measured,
    }
    written = session.execute(
        update(Result).where(*held).values(**values).execution_options(synchronize_session=False)
    )
    return bool(written.rowcount == 1)  # type: ignore[attr-defined]


def note_likeness(session: Session, key: str, likeness: float) -> None:
    """Keep what was measured on a file that is there; whoever measures it finds the same."""
    there = (Result.key_sha256 == key, Result.blob_sha256.is_not(None))
    session.execute(update(Result).where(*there).values(likeness=likeness))


def _new(key: str, holder: str) -> dict[str, object]:
    moment = now()
    lease = {"holder": holder, "lease_until": from_now(LEASE)}
    return {"key_sha256": key, **lease, "created_at": moment, "used_at": moment}


def free(session: Session, *where: ColumnElement[bool]) -> None:
    """Results that whoever wants them may compute at once."""
    freed = {"blob_sha256": None, "byte_count": None, "lease_until": database_clock()}
    session.execute(update(Result).where(*where).values(**freed))


def release_leases_of(session: Session, holder: str) -> None:
    """What somebody held who is gone is free at once."""
    free(session, Result.holder == holder, Result.blob_sha256.is_(None))


def release_leases(workshop: Workshop) -> None:
    """After a restart nobody on this machine computes any more: what its killed processes held is free."""
    with workshop.database.begin() as session:
        free(session, Result.holder.startswith(workshop.machine), Result.blob_sha256.is_(None))


def forget_result(workshop: Workshop, blob_sha256: str) -> None:
    """A stored file is not what it was: it is made anew when it is wanted next."""
    with workshop.database.begin() as session:
        free(session, Result.blob_sha256 == blob_sha256)
    workshop.results.remove(blob_sha256)
