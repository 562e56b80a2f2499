"""Answers with a stored file: from the disk where the store has it there, else as a stream."""

from collections.abc import Iterator, Mapping
from types import MappingProxyType
from typing import BinaryIO

from fastapi import Response
from fastapi.responses import FileResponse, StreamingResponse
from starlette.datastructures import Headers

from lucidex.records.store import FileStore

CHUNK_BYTES = 256 * 1024


def stored_file(
    store: FileStore,
    sha256: str,
    media_type: str,
    download_as: str | None = None,
    headers: Mapping[str, str] = MappingProxyType({}),
) -> Response:
    """A file of the store, offered under a name where it is to be saved. FileNotFoundError where it is not there."""
    path = store.local_path(sha256)
    if path is not None:
        return FileResponse(path, media_type=media_type, filename=download_as, headers=headers)
    named = FileResponse("", media_type=media_type, filename=download_as).headers if download_as else Headers()
    size = {"Content-Length": str(store.byte_count(sha256))}
    return StreamingResponse(_pieces(store.open(sha256)), media_type=media_type, headers={**named, **size, **headers})


def _pieces(file: BinaryIO) -> Iterator[bytes]:
    with file:
        while piece := file.read(CHUNK_BYTES):
            yield piece
