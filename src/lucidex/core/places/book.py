"""The book of places: known places by purpose, and the open file format in which they travel.

The format is JSON; `docs/book-of-places.md` describes it, `Book.model_json_schema()` is its schema.
"""

import json
from collections.abc import Callable
from enum import StrEnum
from functools import cache
from importlib.resources import files
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, FailFast, Field, ValidationError

from lucidex.core.errors import UnreadableFileError
from lucidex.core.places.demand import PlaceDemand

BOOK_REVISION = 1
MAX_PLACES = 1_000
MAX_BOOK_BYTES = 2_000_000
UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}  # from a revision to the next one


class Purpose(StrEnum):
    """What a place is for."""

    SITE = "site"
    SLIDE = "slide"
    SCREEN = "screen"
    DOCUMENT = "document"
    E_MAIL = "e-mail"
    POST = "post"


class BookPlace(BaseModel):
    """A known place."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    purpose: Purpose
    name: Annotated[str, Field(min_length=1, max_length=120, pattern=r"^\S(.*\S)?$")]
    demand: PlaceDemand


class Book(BaseModel):
    """A list of known places as it is written to a file."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_revision: int = BOOK_REVISION
    places: Annotated[tuple[BookPlace, ...], Field(max_length=MAX_PLACES), FailFast()] = ()

    def written(self) -> str:
        """The file's text."""
        return self.model_dump_json(indent=2, exclude_none=True) + "\n"


def read_book(text: bytes) -> Book:
    """A book from a file's bytes, brought up to the present schema revision.

    Raises UnreadableFileError with a sentence that names the first thing that is wrong, and where.
    """
    if len(text) > MAX_BOOK_BYTES:
        raise UnreadableFileError("The file is larger than a book of places can be (2 MB).")
    try:
        body = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise UnreadableFileError("The file is not JSON text, so no places could be read from it.") from error
    revision = body.get("schema_revision") if isinstance(body, dict) else None
    if not isinstance(revision, int) or isinstance(revision, bool) or revision < 1:
        raise UnreadableFileError("The file is JSON, but no book of places: it has no schema_revision.")
    if revision > BOOK_REVISION:
        raise UnreadableFileError("This book was written by a newer version of Lucidex.")
    for step in range(revision, BOOK_REVISION):
        body = UPGRADES[step](body)
    try:
        return Book.model_validate({**body, "schema_revision": BOOK_REVISION})
    except ValidationError as error:
        first = error.errors()[0]
        where = " / ".join(str(part + 1) if isinstance(part, int) else str(part) for part in first["loc"])
        raise UnreadableFileError(f"The book could not be read at {where}: {first['msg'].lower()}.") from error


@cache
def shipped_book() -> Book:
    """The places that come with the product; names and sizes are general ones."""
    return read_book(files("lucidex.core.places").joinpath("shipped_places.json").read_bytes())
