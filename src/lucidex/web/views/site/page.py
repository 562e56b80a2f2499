"""The site: a list of pages with their pictures, to be taken into a folio with their texts."""

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool
from starlette.responses import HTMLResponse, Response

from lucidex.core.errors import UserError
from lucidex.services.folios.folios import read_folio
from lucidex.services.intake.intake import check_target
from lucidex.services.outside.adapters import SITE
from lucidex.services.outside.micropub import Published
from lucidex.services.outside.settings import find_service
from lucidex.services.ways_in.published import (
    SitePages,
    file_name_of,
    find_shown,
    read_site,
    small_copy,
    take_published,
)
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.queues import while_wanted
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import page
from lucidex.web.views.outside.choosing import chosen_service

router = APIRouter(prefix="/folios/{folio_id}/site", dependencies=[Depends(check_csrf)], include_in_schema=False)

Which = Annotated[int | None, Query(ge=1, le=2**63 - 1)]
Address = Annotated[str, Field(max_length=1_000)]


@router.get("")
async def site_page(request: Request, app: App, actor: SignedIn, folio_id: int, site: Which = None) -> HTMLResponse:
    """The pages of a site."""
    choice = await chosen_service(app, actor, folio_id, SITE, site)
    folio, service = choice.folio, choice.service
    found, trouble = SitePages(Published((), True), {}), ""
    if service is not None:
        try:
            async with app.queues.outside.seat(actor.id), while_wanted(request):
                found = await run_in_threadpool(read_site, app.workshop, actor, folio_id, service)
        except UserError as error:
            trouble = error.sentence
    return page(
        request,
        "site/site.html",
        actor=actor,
        folio=folio,
        services=choice.services,
        service=service,
        found=found,
        trouble=trouble,
        file_name_of=file_name_of,
    )


@router.get("/small")
async def small(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    site: Annotated[int, Query(ge=1)],
    page: Annotated[str, Query(max_length=1_000)],
    address: Annotated[str, Query(max_length=1_000)],
) -> Response:
    """A small copy of a published picture."""
    await run_in_threadpool(read_folio, app.workshop, actor, folio_id)
    service = await run_in_threadpool(find_service, app.workshop, SITE, site)
    async with app.queues.small.seat(actor.id), while_wanted(request):
        await run_in_threadpool(find_shown, app.workshop, service, page, address)
        content = await run_in_threadpool(small_copy, app.workshop, service, address)
    return Response(content, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=300"})


class TakeIn(BaseModel):
    """A picture that stands on a page."""

    model_config = ConfigDict(extra="forbid")

    site: Annotated[int, Field(ge=1, le=2**63 - 1)]
    page: Address
    address: Address


class Taken(BaseModel):
    """What it became, and what is to be said."""

    picture_id: int
    file_name: str
    notes: list[str]


@router.post("/take")
async def take(request: Request, app: App, actor: SignedIn, folio_id: int, body: TakeIn) -> Taken:
    """Take one picture in, with its texts."""
    await run_in_threadpool(check_target, app.workshop, actor, folio_id)
    service = await run_in_threadpool(find_service, app.workshop, SITE, body.site)
    async with app.queues.outside.seat(actor.id), while_wanted(request):
        taken = await run_in_threadpool(
            take_published, app.workshop, actor, folio_id, service, body.page, body.address
        )
    return Taken(picture_id=taken.picture_id, file_name=taken.file_name, notes=list(taken.notes))
