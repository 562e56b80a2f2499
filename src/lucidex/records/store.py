"""The store of files: content under its SHA-256, fully there or not there.

Everything is written to a temporary name in the same file system, flushed, and renamed.
"""

import contextlib
import hashlib
import os
import shutil
import tempfile
import time
from collections.abc import Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from datetime import timedelta
from io import BufferedReader
from pathlib import Path
from typing import IO, Protocol

from lucidex.core.errors import TooLargeError, said_of_the_disk


@dataclass(frozen=True)
class Received:
    """A file that has arrived but belongs to nothing yet."""

    path: Path
    sha256: str
    byte_count: int


class Incoming:
    """A file on its way in: written piece by piece, counted and hashed."""

    def __init__(self, path: Path, file: IO[bytes], max_bytes: int) -> None:
        self._path, self._file, self._max_bytes = path, file, max_bytes
        self._digest, self._count = hashlib.sha256(), 0

    def write(self, chunk: bytes) -> None:
        """Add a piece. TooLargeError beyond the most that is taken."""
        self._count += len(chunk)
        if self._count > self._max_bytes:
            raise TooLargeError(
                f"It is larger than {self._max_bytes // 1_000_000} MB, the most that is taken for one file."
            )
        self._digest.update(chunk)
        self._file.write(chunk)

    def received(self) -> Received:
        """All of it has arrived, and is flushed."""
        self._file.flush()
        os.fsync(self._file.fileno())
        return Received(self._path, self._digest.hexdigest(), self._count)


class FileStore(Protocol):
    """Where originals or results lie: a folder by default, something that several machines share later."""

    def open(self, sha256: str) -> BufferedReader:
        """The contents as a stream, for whoever closes it; FileNotFoundError where there are none."""

    def read(self, sha256: str) -> bytes:
        """The contents at once; FileNotFoundError where there are none."""

    def byte_count(self, sha256: str) -> int:
        """How many bytes there are under a hash; FileNotFoundError where there is nothing."""

    def is_whole(self, sha256: str) -> bool:
        """Whether what lies under a hash is what was stored."""

    def local_path(self, sha256: str) -> Path | None:
        """A file of this machine with these contents, where the store has one; FileNotFoundError for no contents."""

    def as_file(self, sha256: str) -> AbstractContextManager[Path]:
        """A readable file of this machine with these contents, for a while; FileNotFoundError for none."""

    def receive(self, chunks: Iterable[bytes], max_bytes: int) -> AbstractContextManager[Received]:
        """Write chunks to a temporary file, which is gone at the end unless it was kept."""

    def incoming(self, max_bytes: int) -> "AbstractContextManager[Incoming]":
        """A temporary file that is written to piece by piece, gone at the end unless it was kept."""

    def scratch_folder(self) -> AbstractContextManager[Path]:
        """A temporary folder in the same file system."""

    def keep(self, received: Received) -> None:
        """Take a received file into the store."""

    def put(self, content: bytes) -> str:
        """Store bytes and return their SHA-256."""

    def remove(self, sha256: str) -> None:
        """Take a file out of the store; nothing where there is none."""

    def all(self) -> Iterator[tuple[str, int]]:
        """The SHA-256 and the length of every stored file."""

    def age(self, sha256: str) -> timedelta:
        """How long ago a file was stored; none where there is none."""

    def sweep(self) -> None:
        """Remove what a killed process left half received."""


class FolderStore:
    """A folder with one file a content, spread over 256 subfolders."""

    def __init__(self, root: Path) -> None:
        self._root = root
        self._incoming = root / "incoming"
        self._incoming.mkdir(parents=True, exist_ok=True)
        root.chmod(0o700)

    def sweep(self) -> None:
        """Remove what a killed process left half received."""
        for left in self._incoming.iterdir():
            shutil.rmtree(left) if left.is_dir() else left.unlink()

    def remove(self, sha256: str) -> None:
        """Take a file out of the store; nothing where there is none."""
        self._address(sha256).unlink(missing_ok=True)

    def all(self) -> Iterator[tuple[str, int]]:
        """The SHA-256 and the length of every stored file."""
        for path in self._root.glob("[0-9a-f][0-9a-f]/*"):
            with contextlib.suppress(FileNotFoundError):
                yield path.name, path.stat().st_size

    def age(self, sha256: str) -> timedelta:
        """How long ago a file was stored; none where there is none."""
        with contextlib.suppress(FileNotFoundError):
            return timedelta(seconds=time.time() - self._address(sha256).stat().st_mtime)
        return timedelta()

    def _address(self, sha256: str) -> Path:
        return self._root / sha256[:2] / sha256

    def open(self, sha256: str) -> BufferedReader:
        """The contents as a stream, for whoever closes it; FileNotFoundError where there are none."""
        return self.local_path(sha256).open("rb")

    def read(self, sha256: str) -> bytes:
        """The contents at once; FileNotFoundError where there are none."""
        return self.local_path(sha256).read_bytes()

    def byte_count(self, sha256: str) -> int:
        """How many bytes there are under a hash; FileNotFoundError where there is nothing."""
        return self.local_path(sha256).stat().st_size

    def is_whole(self, sha256: str) -> bool:
        """Whether what lies under a hash is what was stored."""
        try:
            with self.open(sha256) as file:
                return hashlib.file_digest(file, "sha256").hexdigest() == sha256
        except FileNotFoundError:
            return False

    def local_path(self, sha256: str) -> Path:
        """The file with these contents; FileNotFoundError where there is none."""
        path = self._address(sha256)
        if not path.is_file():
            raise FileNotFoundError(sha256)
        return path

    @contextmanager
    def as_file(self, sha256: str) -> Iterator[Path]:
        """The file with these contents, which is there anyway; FileNotFoundError where there is none."""
        yield self.local_path(sha256)

    @contextmanager
    def receive(self, chunks: Iterable[bytes], max_bytes: int) -> Iterator[Received]:
        """Write chunks to a temporary file, which is gone at the end unless it was kept.

        Raises TooLargeError beyond `max_bytes`, StorageFullError where the disk is full.
        """
        with self.incoming(max_bytes) as incoming:
            for chunk in chunks:
                incoming.write(chunk)
            yield incoming.received()

    @contextmanager
    def incoming(self, max_bytes: int) -> "Iterator[Incoming]":
        """A temporary file that is written to piece by piece, gone at the end unless it was kept. Errors as above."""
        with said_of_the_disk():
            handle, name = tempfile.mkstemp(dir=self._incoming)
            path = Path(name)
            try:
                with os.fdopen(handle, "wb") as file:
                    yield Incoming(path, file, max_bytes)
            finally:
                path.unlink(missing_ok=True)

    @contextmanager
    def scratch_folder(self) -> Iterator[Path]:
        """A temporary folder in the same file system."""
        with said_of_the_disk():
            folder = Path(tempfile.mkdtemp(dir=self._incoming))
        try:
            yield folder
        finally:
            shutil.rmtree(folder, ignore_errors=True)

    def keep(self, received: Received) -> None:
        """Move a received file to its address."""
        target = self._address(received.sha256)
        with said_of_the_disk():
            target.parent.mkdir(exist_ok=True)
            os.replace(received.path, target)
            _flush_folder(target.parent)

    def put(self, content: bytes) -> str:
        """Store bytes and return their SHA-256."""
        with self.receive([content], max_bytes=len(content)) as received:
            self.keep(received)
            return received.sha256


def _flush_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
