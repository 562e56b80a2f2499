"""Free pictures: a contact sheet of what a source offers, with a place beside it."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query, Request
from starlette.concurrency import run_in_threadpool
from starlette.responses import HTMLResponse, RedirectResponse, Response

from lucidex.core.errors import UserError
from lucidex.core.geometry.sizes import Size
from lucidex.services.folios.folios import read_folio
from lucidex.services.intake.intake import check_target
from lucidex.services.outside.adapters import PICTURES
from lucidex.services.outside.iiif import Item
from lucidex.services.outside.settings import find_service
from lucidex.services.ways_in.free_pictures import (
    Found,
    Looked,
    Offer,
    Shape,
    find_item,
    look_for,
    place_shown,
    small_picture,
    take_in,
)
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.queues import while_wanted
from lucidex.web.request.security import check_csrf, message_before, say_next
from lucidex.web.shell.templating import page
from lucidex.web.views.outside.choosing import chosen_service

router = APIRouter(
    prefix="/folios/{folio_id}/free-pictures", dependencies=[Depends(check_csrf)], include_in_schema=False
)

LEAST = (800, 1_200, 1_600, 2_000)
SHAPES = ((Shape.ANY, "any shape"), (Shape.WIDE, "wide"), (Shape.TALL, "tall"), (Shape.SQUARE, "square"))
SMALL, LARGE = Size(420, 420), Size(900, 700)
Which = Annotated[int | None, Query(ge=0, le=2**63 - 1)]  # 0 for none
Words = Annotated[str, Query(max_length=200)]
Least = Annotated[int, Query(ge=0, le=20_000)]
Key = Annotated[str, Query(pattern=r"^[0-9a-f]{20}$")]


@router.get("")
async def free_page(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    source: Which = None,
    find: Words = "",
    shape: Shape = Shape.ANY,
    least: Least = 0,
    place: Which = None,
    chosen: Annotated[str, Query(max_length=20)] = "",
) -> HTMLResponse:
    """What a source offers, as it would sit in a place."""
    choice = await chosen_service(app, actor, folio_id, PICTURES, source)
    folio, service = choice.folio, choice.service
    found, trouble = Found((), 0, 0, ()), ""
    if service is not None:
        try:
            async with app.queues.outside.seat(actor.id), while_wanted(request):
                looked = Looked(find, shape, least)
                found = await run_in_threadpool(look_for, app.workshop, actor, folio_id, service, looked, place)
        except UserError as error:
            trouble = error.sentence
    offer: Offer | None = next((one for one in found.offers if one.key == chosen), None)
    return page(
        request,
        "free/free.html",
        actor=actor,
        folio=folio,
        services=choice.services,
        service=service,
        found=found,
        trouble=trouble,
        offer=offer or (found.offers[0] if found.offers else None),
        find=find,
        shape=shape,
        shapes=SHAPES,
        least=least,
        leasts=LEAST,
        place=next((one for one in folio.places if one.id == place), None),
        message=message_before(request),
    )


@router.get("/small")
async def small(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    source: Annotated[int, Query(ge=1)],
    item: Key,
    place: Which = None,
    large: bool = False,
) -> Response:
    """A small copy of a picture, or of the part that a place shows."""
    await run_in_threadpool(read_folio, app.workshop, actor, folio_id)
    service = await run_in_threadpool(find_service, app.workshop, PICTURES, source)
    async with app.queues.small.seat(actor.id), while_wanted(request):
        found = await run_in_threadpool(find_item, app.workshop, service, item)
        window = await run_in_threadpool(place_shown, app.workshop, actor, folio_id, found, place)
        box = LARGE if large else SMALL
        content, media_type = await run_in_threadpool(small_picture, app.workshop, service, found, box, window)
    # the place may change its size, so that nobody keeps it for long
    return Response(content, media_type=media_type, headers={"Cache-Control": "private, max-age=60"})


def _with(item: Item) -> str:
    """What came with a picture, in words."""
    came = [words for words, there in (("credit", item.credit), ("licence", item.licence)) if there]
    return f", with its {' and '.join(came)}" if came else "; neither its maker nor its licence is said there"


@router.post("/take")
async def take(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    source: Annotated[int, Form(ge=1)],
    item: Annotated[str, Form(pattern=r"^[0-9a-f]{20}$")],
    back: Annotated[str, Form(max_length=2_000)] = "",
) -> RedirectResponse:
    """Bring the full picture in."""
    await run_in_threadpool(check_target, app.workshop, actor, folio_id)
    service = await run_in_threadpool(find_service, app.workshop, PICTURES, source)
    async with app.queues.outside.seat(actor.id), while_wanted(request):
        found = await run_in_threadpool(find_item, app.workshop, service, item)
        try:
            taken = await run_in_threadpool(take_in, app.workshop, actor, folio_id, service, found)
        except UserError as error:
            say_next(request, error.sentence)
        else:
            said = f"“{taken.file_name}” is in the folio, {taken.facts.upright}{_with(found)}."
            say_next(request, " ".join((said, *taken.notes)) if taken.notes else said)
    return RedirectResponse(f"/folios/{folio_id}/free-pictures?{back.lstrip('?')}", 303)
