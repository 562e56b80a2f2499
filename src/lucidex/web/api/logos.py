"""Logos by API."""

from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from lucidex.core.finish.assets import AssetFile
from lucidex.services.assets import logos
from lucidex.services.assets.logos import KeptLogo
from lucidex.web.api.shapes import SizeOut
from lucidex.web.request.body_limits import takes_file
from lucidex.web.request.context import App, Bearer
from lucidex.web.request.incoming import received

router = APIRouter(tags=["logos"])


class LogoOut(BaseModel):
    """A logo of yours; `logo` is what a step of the kind `logo` takes."""

    id: int
    size: SizeOut
    has_clear_areas: bool
    logo: AssetFile

    @classmethod
    def of(cls, kept: KeptLogo) -> "LogoOut":
        """From the service's row."""
        return cls(id=kept.id, size=SizeOut.of(kept.size), has_clear_areas=kept.has_clear_areas, logo=kept.file)


@router.get("/logos")
def list_logos(app: App, actor: Bearer) -> list[LogoOut]:
    """Your logos, the newest first."""
    return [LogoOut.of(kept) for kept in logos.read_logos(app.workshop, actor)]


@router.post(
    "/logos",
    status_code=201,
    openapi_extra={"requestBody": {"content": {"image/*": {"schema": {"type": "string", "format": "binary"}}}}},
)
@takes_file
async def take_logo(
    request: Request,
    app: App,
    actor: Bearer,
    name: Annotated[str, Query(max_length=2_000, description="The file's name")] = "logo",
) -> LogoOut:
    """Bring in a logo: the request's body is the file itself."""
    async with received(request, app, actor, name) as file:
        return LogoOut.of(await run_in_threadpool(logos.keep_received_logo, app.workshop, actor, name, file))
