"""A bounded number of mutated files of every format; `python -m tests.services.fuzzing` tries thousands."""

import pytest

from lucidex.core.source.formats import FORMATS
from lucidex.work.isolation import IsolatedRunner
from tests.services.fuzzing import SEEDS, outcomes_of


def test_every_format_is_tried() -> None:
    assert set(SEEDS) == {form.name for form in FORMATS}


@pytest.mark.parametrize("name", SEEDS)
def test_mutated_files_are_taken_or_refused_in_words(name: str) -> None:
    found = outcomes_of(IsolatedRunner(), "check", name, 60)
    assert found["wrong"] == []
    assert sum(found["outcomes"].values()) == 60
    assert found["outcomes"].get("refused", 0) + found["outcomes"].get("marked", 0) > 0
