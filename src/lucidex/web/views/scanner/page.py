"""The scanner's page: a sheet of glass with a frame on it."""

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool
from starlette.responses import HTMLResponse, Response, StreamingResponse

from lucidex.core.cancellation import until
from lucidex.core.errors import NotFoundError, UserError
from lucidex.services.intake.intake import check_target
from lucidex.services.outside.adapters import SCANNER
from lucidex.services.outside.scanner import Area, is_reached_by_browser
from lucidex.services.outside.settings import find_service
from lucidex.services.people.people import Actor
from lucidex.services.ways_in.scanning import (
    DPIS,
    SUBJECTS,
    Looks,
    Preview,
    Progress,
    Treated,
    find_preview,
    look_at_glass,
    preview_file,
    scan_into,
    subject_named,
)
from lucidex.web.request.context import App, AppContext, SignedIn
from lucidex.web.request.queues import while_wanted
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import page
from lucidex.web.views.outside.choosing import chosen_service

router = APIRouter(prefix="/folios/{folio_id}/scanner", dependencies=[Depends(check_csrf)], include_in_schema=False)

TOLD_EVERY_S = 0.4
Lighter = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]
Millimetres = Annotated[float, Field(ge=-1, le=2_000, allow_inf_nan=False)]


@router.get("")
async def scanner_page(
    request: Request, app: App, actor: SignedIn, folio_id: int, scanner: Annotated[int | None, Query(ge=1)] = None
) -> HTMLResponse:
    """The glass, before anybody has looked at it."""
    choice = await chosen_service(app, actor, folio_id, SCANNER, scanner)
    return page(
        request,
        "scanner/scanner.html",
        actor=actor,
        folio=choice.folio,
        services=choice.services,
        chosen=choice.service,
        subjects=SUBJECTS,
        dpis=DPIS,
    )


class PaperSeen(BaseModel):
    """A paper on the glass: what would be framed of it for each subject, in millimetres, and its straightening."""

    straighten: float
    areas: dict[str, list[float]]


class Seen(BaseModel):
    """What a look at the glass has found, in millimetres."""

    id: str
    name: str
    width_mm: float
    height_mm: float
    is_empty: bool
    papers: list[PaperSeen]  # one for all of an empty glass
    resolutions: list[int]
    has_colour: bool
    own_page: str | None

    @classmethod
    def of(cls, preview: Preview) -> "Seen":
        """From the service's answer."""
        glass = preview.glass
        papers = [_paper(preview, number) for number in range(max(1, len(preview.papers)))]
        return cls(
            id=preview.id,
            name=glass.name,
            width_mm=glass.width_mm,
            height_mm=glass.height_mm,
            is_empty=not preview.papers,
            papers=papers,
            resolutions=[dpi for dpi in DPIS if dpi in glass.resolutions],
            has_colour=any(tones == "RGB24" for tones in glass.tones),
            own_page=glass.own_page if is_reached_by_browser(glass) else None,
        )


def _paper(preview: Preview, number: int) -> PaperSeen:
    areas = {one.name: preview.proposed(one, number) for one in SUBJECTS}
    return PaperSeen(
        straighten=preview.straighten_degrees(number),
        areas={name: [area.left, area.top, area.width, area.height] for name, area in areas.items()},
    )


@router.post("/preview")
async def look(
    request: Request, app: App, actor: SignedIn, folio_id: int, scanner: Annotated[int | None, Query(ge=1)] = None
) -> Seen:
    """Look at all of the glass."""
    await run_in_threadpool(check_target, app.workshop, actor, folio_id)
    service = await run_in_threadpool(find_service, app.workshop, SCANNER, scanner)
    async with app.queues.outside.seat(actor.id), while_wanted(request):
        return Seen.of(await run_in_threadpool(look_at_glass, app.workshop, actor, service))


@router.get("/previews/{preview_id}")
def show(
    app: App,
    actor: SignedIn,
    folio_id: int,
    preview_id: str,
    looks: Looks = Looks.COLOUR,
    clear: bool = False,
    keep: bool = True,
    lighter: Annotated[float, Query(ge=-100, le=100, allow_inf_nan=False)] = 0.0,
    paper: Annotated[int, Query(ge=0, le=100)] = 0,
) -> Response:
    """The preview as the scan will look."""
    preview = find_preview(app.workshop, actor, preview_id)
    content, media_type = preview_file(preview, Treated(looks, clear, keep, lighter), paper)
    return Response(content, media_type=media_type, headers={"Cache-Control": "private, max-age=600"})


class ScanIn(BaseModel):
    """What is to be scanned, in millimetres, and what is done to it."""

    model_config = ConfigDict(extra="forbid")

    preview: Annotated[str, Field(max_length=40)]
    subject: Annotated[str, Field(max_length=20)]
    left: Millimetres
    top: Millimetres
    width: Millimetres
    height: Millimetres
    dpi: Annotated[int, Field(ge=50, le=2_400)]
    looks: Looks
    clear: bool = False
    keep: bool = True
    lighter: Lighter = 0.0
    straighten: Annotated[float, Field(ge=-25, le=25, allow_inf_nan=False)] = 0.0


@router.post("/scan")
async def scan(request: Request, app: App, actor: SignedIn, folio_id: int, body: ScanIn) -> StreamingResponse:
    """Scan. A line of JSON now and then says how far it is; the last one says which picture it became, or why not.

    Whoever stops listening has stopped the scanner.
    """
    await run_in_threadpool(check_target, app.workshop, actor, folio_id)
    preview = await run_in_threadpool(find_preview, app.workshop, actor, body.preview)
    return StreamingResponse(
        _told(request, app, actor, folio_id, preview, body),
        media_type="application/x-ndjson",
        headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
    )


async def _told(
    request: Request, app: AppContext, actor: Actor, folio_id: int, preview: Preview, body: ScanIn
) -> AsyncIterator[str]:
    progress = Progress()

    def work() -> dict[str, object]:
        treated = Treated(body.looks, body.clear, body.keep, body.lighter, body.straighten)
        area = Area(max(0.0, body.left), max(0.0, body.top), body.width, body.height)
        with until(progress.gone):
            try:
                subject = subject_named(body.subject)
                taken = scan_into(
                    app.workshop, app.renderer, actor, folio_id, preview, subject, area, body.dpi, treated, progress
                )
            except UserError as error:
                return {"trouble": error.sentence, "is_gone": isinstance(error, NotFoundError)}
        return {"picture": taken.picture_id, "notes": list(taken.notes)}

    try:
        async with app.queues.outside.seat(actor.id):
            working = asyncio.create_task(run_in_threadpool(work))
            try:
                while not working.done():
                    if await request.is_disconnected():
                        return
                    yield json.dumps({"words": progress.words}) + "\n"
                    await asyncio.wait([working], timeout=TOLD_EVERY_S)
                yield json.dumps(working.result()) + "\n"
            finally:
                progress.gone.set()
    except UserError as error:
        yield json.dumps({"trouble": error.sentence}) + "\n"
