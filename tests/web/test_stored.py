"""Answers with stored files: the same whether the store has them on this disk or not."""

from pathlib import Path

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route
from starlette.testclient import TestClient

from lucidex.records.store import FolderStore
from lucidex.web.request.stored import stored_file

NAME = "Größe 1 600 × 640.png"


class ElsewhereStore(FolderStore):
    """A store whose files lie on no disk of this machine."""

    def local_path(self, sha256: str) -> None:  # type: ignore[override]
        """None: they come as streams only."""

    def open(self, sha256: str):  # noqa: ANN201
        """The contents as a stream."""
        return self._address(sha256).open("rb")

    def byte_count(self, sha256: str) -> int:
        """How many bytes there are."""
        return self._address(sha256).stat().st_size


def test_a_store_without_paths_gives_the_same_answer(tmp_path: Path) -> None:
    content = bytes(range(256)) * 4_000  # several pieces
    answers = []
    for store in (FolderStore(tmp_path), ElsewhereStore(tmp_path)):
        sha256 = store.put(content)

        def answer(_: Request, store: FolderStore = store, sha256: str = sha256) -> Response:
            return stored_file(store, sha256, "image/png", NAME, {"X-Result-Key": "k"})

        answers.append(TestClient(Starlette(routes=[Route("/", answer)])).get("/"))
    local, stream = answers
    assert local.content == stream.content == content
    for name in ("content-type", "content-length", "content-disposition", "x-result-key"):
        assert stream.headers[name] == local.headers[name]
