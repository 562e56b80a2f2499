"""Folios by API."""

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request
from starlette.concurrency import run_in_threadpool

from lucidex.services.folios import folios
from lucidex.services.intake.intake import bring_in_received, check_target
from lucidex.services.pictures import folio_history
from lucidex.web.api.shapes import ActionMoved, FolioAction, FolioDetail, FolioIn, FolioOut, PictureTaken, SizeOut
from lucidex.web.request.body_limits import takes_file
from lucidex.web.request.context import App, Bearer
from lucidex.web.request.incoming import received

router = APIRouter(tags=["folios"])


@router.get("/folios")
def list_folios(app: App, actor: Bearer) -> list[FolioOut]:
    """Your folios and those shared with you, the last changed first."""
    return [FolioOut.of(row) for row in folios.list_folios(app.workshop, actor)]


@router.post("/folios", status_code=201)
def make_folio(app: App, actor: Bearer, body: FolioIn) -> FolioDetail:
    """Make a folio."""
    folio_id = folios.make_folio(app.workshop, actor, body.name)
    return FolioDetail.of(folios.read_folio(app.workshop, actor, folio_id))


@router.get("/folios/{folio_id}")
def read_folio(app: App, actor: Bearer, folio_id: int) -> FolioDetail:
    """A folio with its pictures and places."""
    return FolioDetail.of(folios.read_folio(app.workshop, actor, folio_id))


@router.get("/folios/{folio_id}/history")
def read_history(app: App, actor: Bearer, folio_id: int) -> list[FolioAction]:
    """What was done to places and to several pictures at once, the newest first."""
    return [FolioAction.of(one) for one in folio_history.read_folio_history(app.workshop, actor, folio_id)]


@router.post("/folios/{folio_id}/history/{change_id}/{direction}")
def move_in_history(
    app: App, actor: Bearer, folio_id: int, change_id: int, direction: Literal["back", "again"]
) -> ActionMoved:
    """Take an action back, or make it again; what was changed since is left as it is and named."""
    moves = folio_history.take_back if direction == "back" else folio_history.make_again
    moved = moves(app.workshop, actor, folio_id, change_id)
    return ActionMoved(places=moved.places, pictures=moved.pictures, left_as_they_are=moved.kept)


@router.post(
    "/folios/{folio_id}/pictures",
    status_code=201,
    openapi_extra={"requestBody": {"content": {"image/*": {"schema": {"type": "string", "format": "binary"}}}}},
)
@takes_file
async def take_picture(
    request: Request,
    app: App,
    actor: Bearer,
    folio_id: int,
    name: Annotated[str, Query(max_length=2_000, description="The file's name")] = "picture",
) -> PictureTaken:
    """Bring in a picture: the request's body is the file itself."""
    await run_in_threadpool(check_target, app.workshop, actor, folio_id)
    async with received(request, app, actor, name) as file:
        taken = await run_in_threadpool(bring_in_received, app.workshop, actor, folio_id, name, file)
    return PictureTaken(
        id=taken.picture_id,
        folio_id=taken.folio_id,
        file_name=taken.file_name,
        size=SizeOut.of(taken.facts.upright),
        format=taken.facts.format,
        byte_count=taken.byte_count,
        notes=list(taken.notes),
    )
