"""Routines: steps worth keeping under a name, and their file format (docs/routines.md)."""

import json
from collections.abc import Callable
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lucidex.core.errors import UnreadableFileError
from lucidex.core.steps import AnyStep
from lucidex.core.steps.base import plain

ROUTINE_REVISION = 1
MAX_STEPS, MAX_ROUTINES, MAX_FILE_BYTES = 60, 500, 2_000_000
UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}  # from a schema revision to the next one

Name = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\x00-\x1f]+$")]


class Routine(BaseModel):
    """Steps in their order. Automatic ones are found anew on each picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name
    group: Annotated[str, Field(max_length=80)] = ""
    steps: Annotated[tuple[AnyStep, ...], Field(min_length=1, max_length=MAX_STEPS)]

    @property
    def sentences(self) -> list[str]:
        """What it does, a sentence a step; of automatic ones it is said that their numbers are found anew."""
        return [
            plain(step.sentence()) + (" Found anew on each picture." if getattr(step, "automatic", False) else "")
            for step in self.steps
        ]


class RoutineFile(BaseModel):
    """Routines as they are exported and imported."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_revision: int = ROUTINE_REVISION
    routines: Annotated[tuple[Routine, ...], Field(max_length=MAX_ROUTINES)]

    def written(self) -> str:
        """As JSON text."""
        return self.model_dump_json(indent=1)


def read_routine_file(content: bytes) -> RoutineFile:
    """Routines from JSON, brought up to the present schema revision.

    UnreadableFileError in words where it is none, too large, or of a newer version.
    """
    if len(content) > MAX_FILE_BYTES:
        raise UnreadableFileError("A file of routines has at most 2 MB.")
    try:
        body = json.loads(content)
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise UnreadableFileError("This is no JSON file.") from error
    revision = body.get("schema_revision", 1) if isinstance(body, dict) else 0
    if not isinstance(revision, int) or not 1 <= revision <= ROUTINE_REVISION:
        raise UnreadableFileError("These routines are of another kind, or of a newer version of Lucidex.")
    for step in range(revision, ROUTINE_REVISION):
        body = UPGRADES[step](body)
    try:
        return RoutineFile.model_validate({**body, "schema_revision": ROUTINE_REVISION})
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = ", ".join(str(part) for part in first["loc"]) or "its start"
        raise UnreadableFileError(f"This is no file of routines: {first['msg'].lower()} (at {where}).") from error
