"""Stored documents: brought up to date on reading, and never misread."""

import pytest

from lucidex.core import document
from lucidex.core.document import PictureDocument
from lucidex.core.errors import UnavailableError


def test_an_older_revision_is_upgraded_step_by_step(monkeypatch: pytest.MonkeyPatch) -> None:
    def add_caption(body: dict[str, object]) -> dict[str, object]:
        return {**body, "texts": {"caption": "from revision 1"}}

    def add_credit(body: dict[str, dict[str, object]]) -> dict[str, object]:
        return {**body, "texts": {**body["texts"], "credit": "from revision 2"}}

    monkeypatch.setattr(document, "SCHEMA_REVISION", 3)
    monkeypatch.setattr(document, "UPGRADES", {1: add_caption, 2: add_credit})
    read = PictureDocument.read({"schema_revision": 1})
    assert (read.texts.caption, read.texts.credit, read.schema_revision) == ("from revision 1", "from revision 2", 3)
    assert PictureDocument.read(read.model_dump(mode="json")) == read


def test_a_newer_revision_is_refused_in_words() -> None:
    with pytest.raises(UnavailableError, match="newer version"):
        PictureDocument.read({"schema_revision": 99})
