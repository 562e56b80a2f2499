"""What is made of files that arrived in parts (`web.gates.tus`): a picture, or an archive's pictures one by one.

Also pictures by their address in the web.
"""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from lucidex.core.errors import (
    ChangedMeanwhileError,
    OutOfRangeError,
    TooLargeError,
    UnreadableFileError,
    UserError,
)
from lucidex.records.store import Received
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake import uploads
from lucidex.services.intake.addresses import fetched, larger_address
from lucidex.services.intake.archive_intake import Contents, is_archive, read_contents, read_entry
from lucidex.services.intake.intake import Arrival, Seat, already_taken, bring_in_received, check_target, not_taken
from lucidex.services.intake.sources import decode_received
from lucidex.services.people.people import Actor
from lucidex.web.gates.tus import UploadId
from lucidex.web.request.context import App, AppContext, SignedIn
from lucidex.web.request.queues import while_wanted
from lucidex.web.request.security import check_csrf
from lucidex.web.views.start.page import Arrived, SaidText, SizeText, wanted_folio

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

SMALL = 400  # pixels: what is smaller is probably a reduced copy


class OnItsWay(BaseModel):
    """A file that somebody began to send."""

    id: str
    file_name: str
    byte_count: int
    arrived: int


@router.get("/uploads")
def list_uploads(app: App, actor: SignedIn) -> list[OnItsWay]:
    """What somebody began to send and nobody took yet."""
    found = uploads.unfinished_uploads(app.workshop, actor)
    return [
        OnItsWay(id=one.id, file_name=one.file_name, byte_count=one.byte_count, arrived=one.arrived) for one in found
    ]


class Target(BaseModel):
    """Where a picture goes: a folio, or a new one with the places typed for it."""

    model_config = ConfigDict(extra="forbid")

    folio_id: Annotated[int | None, Field(ge=1, le=2**63 - 1)] = None
    size: Annotated[list[SizeText], Field(max_length=30)] = []
    said: Annotated[list[SaidText], Field(max_length=30)] = []
    first: Annotated[int | None, Field(ge=1, le=2**63 - 1)] = None
    number: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    group: Annotated[str, Field(max_length=2_000)] = ""

    @property
    def seat(self) -> Seat | None:
        """Where it stands among others."""
        return None if self.first is None else Seat(self.first, self.number)


class TakeIn(Target):
    """The same, and which file of an archive."""

    entry: Annotated[int | None, Field(ge=0, le=100_000)] = None


class InArchive(BaseModel):
    """A file in an archive that can be taken."""

    number: int
    name: str
    group: str
    byte_count: int


class Unpacked(BaseModel):
    """What an archive holds."""

    entries: list[InArchive]
    refused: list[str]
    notes: list[str]

    @classmethod
    def of(cls, contents: Contents) -> "Unpacked":
        """From the service's answer."""
        return cls(
            entries=[
                InArchive(number=one.number, name=one.name, group=one.group, byte_count=one.byte_count)
                for one in contents.entries
            ],
            refused=[f"“{name}” was not taken. {sentence}" for name, sentence in contents.refused],
            notes=contents.notes,
        )


@router.post("/uploads/{upload_id}/take")
async def take(request: Request, app: App, actor: SignedIn, upload_id: UploadId, body: TakeIn) -> Arrived | Unpacked:
    """Make a picture of a file that is here, or say what an archive holds; or take one file of it."""
    arriving = await run_in_threadpool(uploads.read_upload, app.workshop, actor, upload_id)
    if not arriving.is_whole:
        raise ChangedMeanwhileError(f"Only {arriving.arrived} of {arriving.byte_count} bytes are here.")
    async with _reading(request, app, actor, arriving.file_name if body.entry is None else ""):
        return await run_in_threadpool(_take, app.workshop, actor, upload_id, body)


@asynccontextmanager
async def _reading(request: Request, app: AppContext, actor: Actor, file_name: str) -> AsyncIterator[None]:
    """A seat where files are read; errors name the file, where there is a name."""
    try:
        async with app.queues.decoding.seat(actor.id), while_wanted(request):
            yield
    except UserError as error:
        raise (not_taken(file_name, error) if file_name else error) from error


def _take(workshop: Workshop, actor: Actor, upload_id: str, body: TakeIn) -> Arrived | Unpacked:
    with uploads.whole_upload(workshop, actor, upload_id) as (arriving, path):
        if is_archive(path):
            contents = read_contents(path, workshop.limits)
            if body.entry is None:
                return Unpacked.of(contents)
            return _take_entry(workshop, actor, upload_id, body, contents)
        came_as = upload_id
        if (there := already_taken(workshop, actor, came_as)) is not None:
            taken = Arrived.of(there)
        else:
            workshop.limits.check_file(arriving.byte_count)
            received = uploads.as_received(path, arriving.byte_count)
            try:
                taken = _bring_in(workshop, actor, body, arriving.file_name, received, body.group, came_as)
            except (UnreadableFileError, TooLargeError):
                uploads.drop_upload(workshop, actor, upload_id)  # it will not become better by being sent for again
                raise
    uploads.drop_upload(workshop, actor, upload_id)
    return taken


def _take_entry(workshop: Workshop, actor: Actor, upload_id: str, body: TakeIn, contents: Contents) -> Arrived:
    entry = next((one for one in contents.entries if one.number == body.entry), None)
    if entry is None:
        raise OutOfRangeError("The archive holds no such file.")
    came_as = f"{upload_id}-{entry.number}"
    try:
        if (there := already_taken(workshop, actor, came_as)) is not None:
            return Arrived.of(there)
        with uploads.whole_upload(workshop, actor, upload_id) as (_, path):
            pieces = read_entry(path, entry.number, workshop.limits)
            with workshop.originals.receive(pieces, workshop.limits.file_bytes) as received:
                group = "/".join(part for part in (body.group, entry.group) if part)
                arrived = _bring_in(workshop, actor, body, entry.name, received, group, came_as)
    except UserError as error:
        raise not_taken(entry.name, error) from error
    return arrived.model_copy(update={"notes": [*entry.notes, *arrived.notes]})


def _bring_in(
    workshop: Workshop,
    actor: Actor,
    target: Target,
    file_name: str,
    received: Received,
    group: str,
    came_as: str | None,
) -> Arrived:
    goal = target.folio_id or wanted_folio(workshop, actor, file_name, target.size, target.said)
    check_target(workshop, actor, goal)
    arrival = Arrival(target.seat, group, came_as)
    return Arrived.of(bring_in_received(workshop, actor, goal, file_name, received, arrival))


class AddressIn(Target):
    """A picture by its address."""

    address: Annotated[str, Field(max_length=4_000)]


@router.post("/addresses")
async def take_from_address(request: Request, app: App, actor: SignedIn, body: AddressIn) -> Arrived:
    """Fetch a picture from its address. Where it is a small one, it is said whether a larger one lies there too."""
    async with app.queues.addresses.seat(actor.id), _reading(request, app, actor, body.address[:80]):
        return await run_in_threadpool(_take_from_address, app, actor, body)


def _take_from_address(app: AppContext, actor: Actor, body: AddressIn) -> Arrived:
    with fetched(app.workshop, body.address, app.is_fetched_from) as found:
        arrived = _bring_in(app.workshop, actor, body, found.file_name, found.received, body.group, None)
    if arrived.longest >= SMALL or (larger := larger_address(found.address)) is None:
        return arrived
    try:
        with fetched(app.workshop, larger, app.is_fetched_from, seconds=20) as other:
            size = decode_received(app.workshop, other.received).upright
    except UserError:
        return arrived  # nothing was promised
    if size.longest <= arrived.longest:
        return arrived
    return arrived.model_copy(update={"larger": other.address, "larger_size": str(size)})
