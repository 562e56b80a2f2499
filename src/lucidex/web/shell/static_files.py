"""What ships with the product for the browser: under an address that holds the contents' key, kept for ever.

Addresses follow the folders: `/static/KEY/shell/js/main.js` and whatever it imports by relative addresses are asked
for once; without the key, or with that of an earlier start, a file is asked for again by its ETag. Only what lies in
a folder `js` or `static` is served.
"""

import gzip
import os
import re
import time
from functools import lru_cache
from hashlib import sha256
from http import HTTPStatus
from pathlib import Path

from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.responses import FileResponse, Response
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

from lucidex.web.shell.view import WEB

SERVED = re.compile(r"(shell|views/[a-z_]+)/(js|static)/.+")


def _key() -> str:
    files = sorted(path for path in WEB.rglob("*") if path.is_file() and SERVED.match(str(path.relative_to(WEB))))
    parts = (f"{path.relative_to(WEB)}\n".encode() + path.read_bytes() for path in files)
    return sha256(b"".join(parts)).hexdigest()[:16]


KEPT = "public, max-age=31536000, immutable"
READ_AT = time.time()
KEY = _key()
ADDRESS = f"/static/{KEY}"
_TEXTS = frozenset({".js", ".css", ".svg", ".json"})
_KEYED = re.compile(r"([0-9a-f]{16})/(.+)")


class KeyedFiles(StaticFiles):
    """Static files with or without the contents' key before their path."""

    def __init__(self) -> None:
        super().__init__(directory=WEB)

    def lookup_path(self, path: str) -> tuple[str, os.stat_result | None]:
        """Where a file lies; nothing but what is meant for the browser."""
        return super().lookup_path(path) if SERVED.fullmatch(path) else ("", None)

    async def get_response(self, path: str, scope: Scope) -> Response:
        """The file; kept for ever only under the present key, and only if it was not changed since it was read."""
        keyed = _KEYED.fullmatch(path)
        response = await super().get_response(keyed[2] if keyed else path, scope)
        if keyed and keyed[1] == KEY and isinstance(response, FileResponse) and _is_as_read(response):
            response.headers["Cache-Control"] = KEPT
            if _takes_gzip(scope) and Path(response.path).suffix in _TEXTS and response.status_code == HTTPStatus.OK:
                return await _smaller(response)
        return response


def _takes_gzip(scope: Scope) -> bool:
    codings = Headers(scope=scope).get("accept-encoding", "").split(",")
    return any(coding.split(";")[0].strip() == "gzip" and "q=0" not in coding for coding in codings)


async def _smaller(response: FileResponse) -> Response:
    """The same compressed once for all who ask, and better than what is compressed anew for each (`web.app`)."""
    content = await run_in_threadpool(_compressed, str(response.path))
    smaller = Response(content, media_type=response.media_type, headers={"Content-Encoding": "gzip"})
    smaller.headers.update({"Cache-Control": KEPT, "Vary": "Accept-Encoding"})
    return smaller


@lru_cache(maxsize=512)
def _compressed(path: str) -> bytes:
    return gzip.compress(Path(path).read_bytes(), mtime=0)


def _is_as_read(response: FileResponse) -> bool:
    return response.stat_result is not None and response.stat_result.st_mtime <= READ_AT
