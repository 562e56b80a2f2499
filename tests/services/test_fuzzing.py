"""A bounded number of mutated files of every format; `python -m tests.services.fuzzing` tries thousands."""

import json

import pytest

from lucidex.core.source.formats import FORMATS
from lucidex.work.isolation import IsolatedRunner
from tests.services.fuzzing import SEEDS, try_some


def test_every_format_is_tried() -> None:
    assert set(SEEDS) == {form.name for form in FORMATS}


@pytest.mark.parametrize("name", SEEDS)
def test_mutated_files_are_taken_or_refused_in_words(name: str) -> None:
    found = json.loads(IsolatedRunner().run(try_some, "check", name, "60"))
    assert found["wrong"] == []
    assert sum(found["outcomes"].values()) == 60
    assert found["outcomes"].get("refused", 0) + found["outcomes"].get("marked", 0) > 0
