"""Patterns of names: what is typed wrong is said, and nothing is put into names that was not meant."""

import pytest

from lucidex.core.encode import FormatName
from lucidex.core.errors import NotUnderstoodError
from lucidex.core.geometry.sizes import Size
from lucidex.core.proof.file_list import FIELDS, USUAL_PATTERN, Naming, check_pattern, list_files, pattern_advice

DOME = Naming("Dome.JPG", "Site banner", Size(1600, 640), 1, 1, "2026-11-25", "Autumn", FormatName("webp"))


@pytest.mark.parametrize(
    ("pattern", "sentence"),
    [
        ("{plaec}/{name}", "Is “{place}” meant?"),
        ("{zebra}", "“{zebra}” is no field. There are"),
        ("{name", "A brace"),
    ],
)
def test_what_is_no_field_is_said_with_the_one_that_is_near(pattern: str, sentence: str) -> None:
    with pytest.raises(NotUnderstoodError) as error:
        check_pattern(pattern)
    assert sentence in error.value.sentence


@pytest.mark.parametrize(
    ("pattern", "path", "advised"),
    [
        ("{name}.jpg", "dome.webp", ["“.jpg” is left away"]),
        ("{place}/{name}-width", "site-banner/dome-width.webp", ["“width” stands in every name as it is"]),
        ("name.PNG", "name.webp", ["“name” stands", "“.PNG” is left away"]),
        (".jpg", "jpg.webp", ["“.jpg” is left away"]),
        (USUAL_PATTERN, "site-banner/dome-1600x640.webp", []),
        ("{name}-v1.2", "dome-v1-2.webp", []),
    ],
)
def test_what_may_be_meant_otherwise_is_advised(pattern: str, path: str, advised: list[str]) -> None:
    assert [one.path for one in list_files(pattern, [DOME])] == [path]
    said = pattern_advice(pattern)
    assert len(said) == len(advised)
    assert all(one.startswith(words) for one, words in zip(said, advised, strict=True))


def test_every_field_is_filled() -> None:
    assert "{" not in list_files("-".join(f"{{{field}}}" for field in FIELDS), [DOME])[0].path
