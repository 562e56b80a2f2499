"""Routines: steps worth keeping under a name, with places if wished, and their file format (docs/routines.md)."""

import base64
import binascii
import json
from collections.abc import Callable
from hashlib import sha256
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, FailFast, Field, ValidationError, model_validator

from lucidex.core.errors import UnavailableError, UnreadableFileError
from lucidex.core.finish.assets import AssetFile
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.steps import AnyStep, assets_of
from lucidex.core.steps.bands import FindingStep
from lucidex.core.steps.base import Band, Carried, plain
from lucidex.core.steps.on_area import AreaStep
from lucidex.core.steps.upgrades import renamed

ROUTINE_REVISION = 5
MAX_STEPS, MAX_PLACES, MAX_ROUTINES, MAX_FILE_BYTES = 60, 60, 500, 30_000_000

Name = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\x00-\x1f]+$")]
PlaceName = Annotated[str, Field(min_length=1, max_length=120)]


class RoutineStep(BaseModel):
    """A step of a routine: whether it goes along always, on asking, or never; and in which place alone it counts."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    step: AnyStep
    carried: Carried = Carried.ALWAYS
    only_in: PlaceName | None = Field(None, description="The name of the one place in which it counts.")

    @model_validator(mode="after")
    def _only_finish_is_for_one_place(self) -> Self:
        if self.only_in is not None and self.step.band is not Band.FINISH:
            raise ValueError("only a step on the finished size can count in one place alone")
        return self

    @property
    def sentence(self) -> str:
        """What it does; of what is found by itself it is said that it is found anew."""
        finds = isinstance(self.step, FindingStep) and getattr(
            self.step, "automatic", isinstance(self.step, AreaStep)
        )
        anew = " Found anew on each picture." if finds else ""
        where = f" Only in “{self.only_in}”." if self.only_in else ""
        return plain(self.step.sentence()) + where + anew


class RoutinePlace(BaseModel):
    """A place that a routine brings along."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: PlaceName
    demand: PlaceDemand


class Routine(BaseModel):
    """Steps in their order, and places. Automatic steps are found anew on each picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name
    group: Annotated[str, Field(max_length=80)] = ""
    steps: Annotated[tuple[RoutineStep, ...], Field(min_length=1, max_length=MAX_STEPS), FailFast()]
    places: Annotated[tuple[RoutinePlace, ...], Field(max_length=MAX_PLACES), FailFast()] = ()

    @property
    def sentences(self) -> list[str]:
        """What it does, a sentence a step; those that stay behind are left out."""
        return [one.sentence for one in self.steps if one.carried is not Carried.NEVER]

    @property
    def asks(self) -> list[int]:
        """The seats of the steps about which it asks."""
        return [seat for seat, one in enumerate(self.steps) if one.carried is Carried.ASK]

    def going(self, asked: frozenset[int]) -> tuple[RoutineStep, ...]:
        """The steps that go along; of those about which it asks, the ones in `asked` (seats)."""
        return tuple(
            one
            for seat, one in enumerate(self.steps)
            if one.carried is Carried.ALWAYS or (one.carried is Carried.ASK and seat in asked)
        )

    @property
    def assets(self) -> frozenset[AssetFile]:
        """The files that its steps need."""
        return assets_of(one.step for one in self.steps)

    def stored(self) -> dict[str, Any]:
        """As it is kept, with its schema revision."""
        return {"schema_revision": ROUTINE_REVISION, **self.model_dump(mode="json")}

    @classmethod
    def read(cls, stored: dict[str, Any]) -> "Routine":
        """From what is kept, brought up to the present revision. UnavailableError where a newer version kept it."""
        revision = stored.get("schema_revision", 1)
        if revision > ROUTINE_REVISION:
            raise UnavailableError("This routine was kept by a newer version of Lucidex; start that one.")
        return cls.model_validate(_upgraded({k: v for k, v in stored.items() if k != "schema_revision"}, revision))


def _steps_with_choices(routine: dict[str, Any]) -> dict[str, Any]:
    """Revision 1 kept bare steps, and all of them went along."""
    steps = routine.get("steps", [])
    return {**routine, "steps": [{"step": step} for step in steps] if isinstance(steps, list) else steps}


UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {  # of one routine
    1: _steps_with_choices,
    2: renamed,
    3: lambda routine: routine,  # revision 4 only adds: steps on areas
    4: lambda routine: routine,  # revision 5 only adds: words, outlines, shadows; sides of borders
}


def _upgraded(routine: dict[str, Any], revision: int) -> dict[str, Any]:
    for step in range(revision, ROUTINE_REVISION):
        routine = UPGRADES[step](routine)
    return routine


class PackedLogo(BaseModel):
    """The file of a logo inside a file of routines."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    file: AssetFile
    content: Annotated[str, Field(description="The file itself, as base64 (RFC 4648).")]

    @classmethod
    def of(cls, file: AssetFile, content: bytes) -> "PackedLogo":
        """From a file's bytes."""
        return cls(file=file, content=base64.b64encode(content).decode())

    def unpacked(self) -> bytes:
        """The file's bytes. UnreadableFileError where they are not what the hash says."""
        try:
            content = base64.b64decode(self.content, validate=True)
        except (binascii.Error, ValueError) as error:
            raise UnreadableFileError(f"The logo “{self.file.name}” in this file is damaged.") from error
        if sha256(content).hexdigest() != self.file.sha256:
            raise UnreadableFileError(f"The logo “{self.file.name}” in this file is damaged.")
        return content


class RoutineFile(BaseModel):
    """Routines as they are exported and imported, with the logos that they need."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_revision: int = ROUTINE_REVISION
    routines: Annotated[tuple[Routine, ...], Field(max_length=MAX_ROUTINES), FailFast()]
    logos: Annotated[tuple[PackedLogo, ...], Field(max_length=MAX_ROUTINES), FailFast()] = ()

    def written(self) -> str:
        """As JSON text."""
        return self.model_dump_json(indent=1)


def read_routine_file(content: bytes) -> RoutineFile:
    """Routines from JSON, brought up to the present schema revision.

    UnreadableFileError in words where it is none, too large, or of a newer version.
    """
    if len(content) > MAX_FILE_BYTES:
        raise UnreadableFileError(f"A file of routines has at most {MAX_FILE_BYTES // 1_000_000} MB.")
    try:
        body = json.loads(content)
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise UnreadableFileError("This is no JSON file.") from error
    revision = body.get("schema_revision", 1) if isinstance(body, dict) else 0
    if not isinstance(revision, int) or not 1 <= revision <= ROUTINE_REVISION:
        raise UnreadableFileError("These routines are of another kind, or of a newer version of Lucidex.")
    listed = body.get("routines")
    if isinstance(listed, list):
        body = {**body, "routines": [_upgraded(one, revision) if isinstance(one, dict) else one for one in listed]}
    try:
        return RoutineFile.model_validate({**body, "schema_revision": ROUTINE_REVISION})
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = ", ".join(str(part) for part in first["loc"]) or "its start"
        raise UnreadableFileError(f"This is no file of routines: {first['msg'].lower()} (at {where}).") from error
