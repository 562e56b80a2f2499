"""The start page: takes pictures at once, with the places they are for."""

from collections.abc import Sequence
from itertools import zip_longest
from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool
from starlette.responses import HTMLResponse

from lucidex.services.folios.folios import list_folios
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import Arrival, BroughtIn, NewFolio, Seat, bring_in_received, check_target
from lucidex.services.people.people import Actor
from lucidex.services.typed.line import Understood, understood
from lucidex.web.request.body_limits import takes_file
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.incoming import received
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import page, partial

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

SizeText = Annotated[str, Field(max_length=400)]
SaidText = Annotated[str, Field(max_length=4_000)]
FileName = Annotated[str, Query(max_length=2_000)]


GroupName = Annotated[str, Query(max_length=2_000, description="folders it lay in, joined by “/”")]
Sending = Annotated[
    str | None, Query(pattern=r"^[0-9a-f-]{16,60}$", description="a name of this sending, so that it counts once")
]


class Arrived(BaseModel):
    """What the script of the page needs to know of a picture that was taken."""

    picture_id: int
    folio_id: int
    file_name: str
    notes: list[str]
    longest: int = 0
    larger: str | None = Field(None, description="where a larger copy lies")
    larger_size: str = ""

    @classmethod
    def of(cls, taken: BroughtIn) -> "Arrived":
        """From the service's answer."""
        return cls(
            picture_id=taken.picture_id,
            folio_id=taken.folio_id,
            file_name=taken.file_name,
            notes=list(taken.notes),
            longest=taken.facts.upright.longest,
        )


@router.get("/")
def start(request: Request, app: App, actor: SignedIn) -> HTMLResponse:
    """Drop area, wanted sizes, folios."""
    return page(request, "start/start.html", actor=actor, folios=list_folios(app.workshop, actor))


class ReadSize(BaseModel):
    """A typed size, understood."""

    words: str = Field(description="What will hang, in a few words")
    said: str = Field(description="The whole of what was shown, to be sent along with the first picture")


@router.get("/start/size")
def read_size(
    app: App,
    actor: SignedIn,
    text: Annotated[str, Query(max_length=400)],
    said: Annotated[str, Query(max_length=4_000)] = "",
) -> ReadSize:
    """Whether a typed size is understood, before anything is dropped."""
    proposal = understood(app.workshop, actor, text).only("places").chosen(said)
    words = " · ".join(deed.words.removeprefix("Hangs ").removesuffix(".") for deed in proposal.places)
    return ReadSize(words=words, said=proposal.words)


@router.get("/start/reading")
def reading(
    request: Request, app: App, actor: SignedIn, line: Annotated[str, Query(max_length=4_000)] = ""
) -> HTMLResponse:
    """What a line means before a picture is there: the places that will hang."""
    read = understood(app.workshop, actor, line).only("places") if line.strip() else Understood()
    return partial(request, "parts/readings.html", line=line, read=read)


def wanted_folio(
    workshop: Workshop, actor: Actor, file_name: str, sizes: Sequence[str], said: Sequence[str]
) -> NewFolio:
    """A folio named after its first file, with the places typed for it, as they were `said`."""
    read = (
        understood(workshop, actor, text).only("places").chosen(words)
        for text, words in zip_longest(sizes, said, fillvalue="")
    )
    wanted = tuple((deed.demand, deed.name) for proposal in read for deed in proposal.places)
    return NewFolio(file_name.rpartition(".")[0] or file_name, wanted)


@router.post("/start/pictures")
@takes_file
async def first_picture(
    request: Request,
    app: App,
    actor: SignedIn,
    name: FileName = "picture",
    size: Annotated[list[SizeText], Query(max_length=30)] = [],  # noqa: B006
    said: Annotated[list[SaidText], Query(max_length=30)] = [],  # noqa: B006
    group: GroupName = "",
    sending: Sending = None,
) -> Arrived:
    """Take a picture into a folio of its own, made together with the places typed for it, as they were `said`."""
    arrival = Arrival(group=group, came_as=sending)
    new = await run_in_threadpool(wanted_folio, app.workshop, actor, name, size, said)
    await run_in_threadpool(check_target, app.workshop, actor, new)
    async with received(request, app, actor, name) as file:
        return Arrived.of(await run_in_threadpool(bring_in_received, app.workshop, actor, new, name, file, arrival))


@router.post("/folios/{folio_id}/pictures")
@takes_file
async def another_picture(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    name: FileName = "picture",
    first: Annotated[int | None, Query(ge=1, le=2**63 - 1)] = None,
    number: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
    group: GroupName = "",
    sending: Sending = None,
) -> Arrived:
    """Take a picture into a folio; `number` is its place among those chosen together with picture `first`."""
    arrival = Arrival(None if first is None else Seat(first, number), group, sending)
    await run_in_threadpool(check_target, app.workshop, actor, folio_id)
    async with received(request, app, actor, name) as file:
        return Arrived.of(
            await run_in_threadpool(bring_in_received, app.workshop, actor, folio_id, name, file, arrival)
        )
