"""Faces by API."""

from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from lucidex.core.finish.assets import AssetFile
from lucidex.core.finish.text.own_faces import FontFacts
from lucidex.services.assets import fonts
from lucidex.services.assets.fonts import KeptFont
from lucidex.web.request.body_limits import takes_file
from lucidex.web.request.context import App, Bearer
from lucidex.web.request.incoming import received

router = APIRouter(tags=["faces"])


class FontOut(BaseModel):
    """A face of yours; `font` is what a step of the kind `text` takes."""

    id: int
    facts: FontFacts
    font: AssetFile

    @classmethod
    def of(cls, kept: KeptFont) -> "FontOut":
        """From the service's row."""
        return cls(id=kept.id, facts=kept.facts, font=kept.file)


@router.get("/fonts")
def list_fonts(app: App, actor: Bearer) -> list[FontOut]:
    """Your faces, the newest first."""
    return [FontOut.of(kept) for kept in fonts.read_fonts(app.workshop, actor)]


@router.post(
    "/fonts",
    status_code=201,
    openapi_extra={"requestBody": {"content": {"font/*": {"schema": {"type": "string", "format": "binary"}}}}},
)
@takes_file
async def take_font(
    request: Request,
    app: App,
    actor: Bearer,
    name: Annotated[str, Query(max_length=2_000, description="The file's name")] = "font",
) -> FontOut:
    """Bring in a face, TTF or OTF: the request's body is the file itself."""
    async with received(request, app, actor, name) as file:
        return FontOut.of(await run_in_threadpool(fonts.keep_received_font, app.workshop, actor, name, file))
