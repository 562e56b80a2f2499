"""The migrated schema agrees with the models; files are fully there or not there."""

import hashlib
import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy.exc import IntegrityError, OperationalError

from lucidex.core.errors import TooLargeError
from lucidex.records.decoded import DecodedStore
from lucidex.records.migration import differences, migrate
from lucidex.records.models import Original, Picture
from lucidex.records.store import FolderStore
from lucidex.services.house.workshop import Workshop


def test_migrations_make_what_the_models_say(workshop: Workshop) -> None:
    assert differences(workshop.database.engine) == []
    migrate(workshop.database.engine)  # and running them again changes nothing
    assert differences(workshop.database.engine) == []


def test_the_schema_refuses_rows_that_cannot_be(workshop: Workshop) -> None:
    with pytest.raises(IntegrityError), workshop.database.begin() as session:
        session.add(Picture(folio_id=987_654_321, source_key="f" * 64, file_name="x"))
    with pytest.raises((IntegrityError, OperationalError)), workshop.database.begin() as session:
        session.add(Original(sha256="e" * 64, byte_count=0))


def test_a_transaction_that_fails_leaves_nothing(workshop: Workshop) -> None:
    def half() -> None:
        with workshop.database.begin() as session:
            session.add(Original(sha256="d" * 64, byte_count=5))
            session.flush()
            raise RuntimeError("in the middle")

    with pytest.raises(RuntimeError):
        half()
    with workshop.database.begin() as session:
        assert session.get(Original, "d" * 64) is None


def test_content_is_kept_under_its_own_hash(tmp_path: Path) -> None:
    store = FolderStore(tmp_path)
    content = os.urandom(100_000)
    sha256 = store.put(content)
    assert sha256 == hashlib.sha256(content).hexdigest()
    assert store.local_path(sha256).read_bytes() == content
    assert list((tmp_path / "incoming").iterdir()) == []


def test_what_is_not_kept_is_gone(tmp_path: Path) -> None:
    store = FolderStore(tmp_path)
    with store.receive([b"abc", b"def"], 100) as received:
        assert received.path.read_bytes() == b"abcdef"
        sha256 = received.sha256
    assert not received.path.exists()
    with pytest.raises(FileNotFoundError):
        store.local_path(sha256)


def test_receiving_stops_at_the_limit_and_when_the_sender_fails(tmp_path: Path) -> None:
    store = FolderStore(tmp_path)

    def endless() -> Iterator[bytes]:
        while True:
            yield bytes(1000)

    with pytest.raises(TooLargeError), store.receive(endless(), 50_000):
        pass

    def broken() -> Iterator[bytes]:
        yield b"half"
        raise ConnectionError("gone")

    with pytest.raises(ConnectionError), store.receive(broken(), 50_000):
        pass
    assert list((tmp_path / "incoming").iterdir()) == []


def test_sweeping_clears_what_a_kill_left(tmp_path: Path) -> None:
    store = FolderStore(tmp_path)
    kept = store.put(b"kept")
    (tmp_path / "incoming" / "half").write_bytes(b"half an upload")
    (tmp_path / "incoming" / "levels").mkdir()
    store.sweep()
    assert list((tmp_path / "incoming").iterdir()) == []
    assert store.local_path(kept).read_bytes() == b"kept"


def test_the_decoded_cache_stays_under_its_cap(tmp_path: Path) -> None:
    store = DecodedStore(tmp_path / "decoded", max_bytes=2_500)
    for number in range(4):
        folder = tmp_path / f"new{number}"
        folder.mkdir()
        (folder / "level-1.raw").write_bytes(bytes(1_000))
        os.utime(folder, (number, number))
        store.keep(f"{number}" * 64, folder)
    assert [store.holds(f"{n}" * 64) for n in range(4)] == [False, False, True, True]
