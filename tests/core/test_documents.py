"""Stored documents: brought up to date on reading, and never misread."""

import json

import pytest

from lucidex.core import document
from lucidex.core.document import PictureDocument
from lucidex.core.errors import UnavailableError
from lucidex.core.picture.tone.amounts import Tone
from lucidex.core.routine import Routine
from lucidex.core.steps.looks import read_looks


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


def test_steps_are_read_by_the_names_that_they_had() -> None:
    look = {"name": "Old", "steps": [{"kind": "depths", "shadows": 10}, {"kind": "saturation", "gentle": 20}]}
    steps = [
        {"id": "a", "step": {"kind": "depths", "shadows": 30}},
        {"id": "b", "active": False, "step": {"kind": "bring_back", "radius_px": 1.5}},
        {"id": "c", "step": {"kind": "look", "recipe": look}},
    ]
    read = PictureDocument.read({"schema_revision": 3, "steps": steps})
    assert [entry.step.kind for entry in read.steps] == ["shadows_highlights", "deconvolve", "look"]
    assert read.steps[0].step.tone().shadows == 0.3
    assert read.steps[2].step.tone() == Tone(shadows=0.1, vividness=0.2)
    assert read_looks(json.dumps([look]))[0] == read.steps[2].step.recipe
    kept = {"schema_revision": 2, "name": "Old", "steps": [{"step": steps[1]["step"]}]}
    assert Routine.read(kept).steps[0].step == read.steps[1].step
