"""Finished files of a run as one archive with folders, streamed while it is read."""

import zipfile
from collections.abc import Iterator
from io import RawIOBase
from pathlib import Path

from sqlalchemy import select

from lucidex.records.models import Cell, CellState
from lucidex.services.people import Who
from lucidex.services.runs import run_of
from lucidex.services.workshop import Workshop

CHUNK_BYTES = 1 << 20


def archive(workshop: Workshop, who: Who, run_id: int) -> Iterator[bytes]:
    """The bytes of a ZIP archive (PKWARE's APPNOTE) with every finished file of a run under its listed path.

    NotFoundError where the run is not the person's to see, before the first byte.
    """
    with workshop.database.begin() as session:
        run_of(session, who, run_id)
        found = select(Cell.path, Cell.blob_sha256).where(Cell.run_id == run_id, Cell.state == CellState.DONE)
        files = [
            (path, workshop.results.path(blob)) for path, blob in session.execute(found.order_by(Cell.seat)) if blob
        ]
    return _zipped(files)


class _Pipe(RawIOBase):
    """What is written can be taken out at once, so that nothing larger than a chunk is ever held."""

    def __init__(self) -> None:
        self._held = bytearray()

    def writable(self) -> bool:
        return True

    def write(self, content: bytes | bytearray | memoryview) -> int:  # type: ignore[override]
        self._held += content
        return len(content)

    def taken(self) -> bytes:
        taken, self._held = bytes(self._held), bytearray()
        return taken


def _zipped(files: list[tuple[str, Path]]) -> Iterator[bytes]:
    pipe = _Pipe()
    # pictures are compressed already; storing them keeps the archive as fast as the disk
    with zipfile.ZipFile(pipe, "w", zipfile.ZIP_STORED) as packed:
        for name, path in files:
            with (
                path.open("rb") as file,
                packed.open(zipfile.ZipInfo.from_file(path, name), "w", force_zip64=True) as entry,
            ):
                while chunk := file.read(CHUNK_BYTES):
                    entry.write(chunk)
                    yield pipe.taken()
            yield pipe.taken()
    yield pipe.taken()
