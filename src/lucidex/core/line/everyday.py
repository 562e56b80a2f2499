"""Everyday words of other languages: a line in one of them is read as the same line in English, and answered in that.

Each language is data (`core/line/languages`): what is typed, and the words of the line that mean it. Whoever adds a
language writes such a file.
"""

import json
import unicodedata
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import lru_cache
from importlib import resources


def plain(word: str) -> str:
    """A word without its accents, as it is often typed.

    >>> plain("schärfer"), plain("weiß"), plain("éclaircir")
    ('scharfer', 'weiss', 'eclaircir')
    """
    parts = unicodedata.normalize("NFKD", word.replace("ß", "ss"))
    return "".join(letter for letter in parts if not unicodedata.combining(letter)) or word


@lru_cache(maxsize=1)
def languages() -> tuple[Mapping[str, tuple[str, ...]], ...]:
    """What is known of each language: typed words without accents, and the words that mean it."""
    folder = resources.files("lucidex.core.line") / "languages"
    files = sorted((one for one in folder.iterdir() if one.name.endswith(".json")), key=lambda one: one.name)
    tables = (json.loads(one.read_text("utf-8")) for one in files)
    return tuple({plain(typed): tuple(meant.split()) for typed, meant in table.items()} for table in tables)


def in_english(words: Sequence[str], is_known: Callable[[str], bool]) -> Iterator[list[str]]:
    """The line as each language reads it in which all its words are known; `is_known` says so of the line's own."""
    for table in languages():
        longest = max(len(typed.split()) for typed in table)
        if (found := _read_in(table, [plain(word) for word in words], longest, is_known)) is not None:
            yield found


def _read_in(
    table: Mapping[str, tuple[str, ...]], words: list[str], longest: int, is_known: Callable[[str], bool]
) -> list[str] | None:
    found: list[str] = []
    at = 0
    while at < len(words):
        ends = range(min(at + longest, len(words)), at, -1)
        end = next((one for one in ends if " ".join(words[at:one]) in table), None)
        if end is not None:
            found += table[" ".join(words[at:end])]
            at = end
        elif is_known(words[at]):
            found.append(words[at])
            at += 1
        else:
            return None
    return found
