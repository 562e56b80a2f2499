"""Finished files of a run as one archive with folders, streamed while it is read.

Every file's contents are checked before they go in: one that is missing or not what was finished is made anew, and
one that cannot be is named in the archive, so that nobody takes an incomplete set for a whole one.
"""

import hashlib
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from io import RawIOBase

from sqlalchemy import select, update

from lucidex.core.document import PictureDocument
from lucidex.core.errors import UserError
from lucidex.core.places.output_id import OutputId
from lucidex.records.models import Cell, CellState, Place, Snapshot
from lucidex.services.folios.looking import check_made_of, shown_paths
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.events import EventKind, note
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import read_picture, with_document
from lucidex.services.places.places import demand_of
from lucidex.services.rendering.render_requests import in_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.rendering.results import forget_result
from lucidex.services.runs.runs import run_of

CHUNK_BYTES = 1 << 20
MISSING_NAME = "MISSING FILES.txt"


@dataclass(frozen=True)
class _Entry:
    """A file of the archive, and where it came from."""

    cell_id: int
    path: str
    blob_sha256: str
    ended_at: datetime


def archive(renderer: Renderer, workshop: Workshop, actor: Actor, run_id: int) -> Iterator[bytes]:
    """The bytes of a ZIP archive (PKWARE's APPNOTE) with every finished file of a run under its listed path.

    NotFoundError where the run is not the person's to see, before the first byte.
    """
    with workshop.database.begin() as session:
        run = run_of(session, actor, run_id)
        found = select(Cell).where(Cell.run_id == run_id, Cell.state == CellState.DONE).order_by(Cell.seat)
        cells = [cell for cell in session.scalars(found) if cell.blob_sha256]
        paths = shown_paths(session, actor, cells)
        entries = [
            _Entry(cell.id, paths[cell.id], cell.blob_sha256, cell.ended_at or run.created_at)
            for cell in cells
            if cell.blob_sha256
        ]
        note(session, actor.id, EventKind.DOWNLOAD, f"Fetched the archive of run {run_id}, {len(entries)} files.")
    return packed(_files(renderer, workshop, actor, entries))


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


@dataclass(frozen=True)
class Packed:
    """A file that goes into an archive; without contents, `missing` says why it does not."""

    path: str
    content: bytes | None
    ended_at: datetime
    missing: str = ""


def packed(files: Iterable[Packed], missing: Sequence[str] = ()) -> Iterator[bytes]:
    """The bytes of a ZIP archive; what is missing is named in it, file by file and from the start."""
    pipe, sentences = _Pipe(), list(missing)
    # pictures are compressed already; storing them keeps the archive as fast as the disk
    with zipfile.ZipFile(pipe, "w", zipfile.ZIP_STORED) as archived:
        for one in files:
            if one.content is None:
                sentences.append(f"{one.path}: {one.missing}")
                continue
            info = zipfile.ZipInfo(one.path, one.ended_at.timetuple()[:6])
            with archived.open(info, "w", force_zip64=True) as file:
                for start in range(0, len(one.content), CHUNK_BYTES):
                    file.write(one.content[start : start + CHUNK_BYTES])
                    yield pipe.taken()
            yield pipe.taken()
        if sentences:
            message = ["These files could not be put into the archive.", "", *sentences, ""]
            archived.writestr(MISSING_NAME, "\n".join(message))
    yield pipe.taken()


def _files(renderer: Renderer, workshop: Workshop, actor: Actor, entries: list[_Entry]) -> Iterator[Packed]:
    for entry in entries:
        try:
            content = _content(renderer, workshop, actor, entry)
        except UserError as error:
            yield Packed(entry.path, None, entry.ended_at, error.sentence)
        else:
            yield Packed(entry.path, content, entry.ended_at)


def _content(renderer: Renderer, workshop: Workshop, actor: Actor, entry: _Entry) -> bytes:
    """A file's bytes, checked against what was finished, or made anew."""
    with workshop.database.begin() as session:
        cell = session.get_one(Cell, entry.cell_id)
        made_of = PictureDocument.read(session.get_one(Snapshot, cell.snapshot_id).body)
        check_made_of(session, actor, cell.picture_id, made_of)
    try:
        content = workshop.results.read(entry.blob_sha256)
    except FileNotFoundError:
        content = b""
    if hashlib.sha256(content).hexdigest() == entry.blob_sha256:
        return content
    forget_result(workshop, entry.blob_sha256)
    return _made_anew(renderer, workshop, actor, entry.cell_id)


def _made_anew(renderer: Renderer, workshop: Workshop, actor: Actor, cell_id: int) -> bytes:
    with workshop.database.begin() as session:
        cell = session.get_one(Cell, cell_id)
        document = PictureDocument.read(session.get_one(Snapshot, cell.snapshot_id).body)
        place = session.get_one(Place, cell.place_id)
        demand, called = demand_of(place), place.name
    state = with_document(read_picture(workshop, actor, cell.picture_id), document)
    placed = in_place(workshop, state, OutputId(cell.output), demand, called)

    result = renderer.files.render_file(placed.rendering)
    with workshop.database.begin() as session:
        written = {"blob_sha256": result.blob_sha256, "byte_count": result.byte_count}
        session.execute(update(Cell).where(Cell.id == cell_id, Cell.state == CellState.DONE).values(**written))
    return workshop.results.read(result.blob_sha256)
