"""Logos: chosen for a step, brought in, forgotten."""

from typing import Annotated

from fastapi import APIRouter, Depends, File, Form, Query, UploadFile
from starlette.responses import HTMLResponse, Response

from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.sizes import Size
from lucidex.core.keys import appearance_key
from lucidex.core.source.key import SourceKey
from lucidex.core.steps.base import expect, plain
from lucidex.core.steps.logo import Logo
from lucidex.services.assets import logos
from lucidex.services.assets.logos import KeptLogo
from lucidex.services.pictures import edits
from lucidex.web.pixels.files import FOREVER
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.body_limits import AROUND_A_FILE, takes
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.control import Control
from lucidex.web.views.bench.request import AtBench, Bench

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

SHOWN = Size(168, 112)
CHUNK_BYTES = 1 << 20
MAX_LOGO_BYTES = 32_000_000  # by the page; by script a logo may be as large as any picture


@router.post("/pictures/{picture_id}/steps/{step_id}/logo")
def choose_logo(
    at: Bench, step_id: str, logo: Annotated[int, Form()] = 0, picture: Annotated[int, Form()] = 0
) -> HTMLResponse:
    """Another logo for a step: one of the person's, or a picture."""
    if picture:
        return _with(at, step_id, logos.keep_picture_as_logo(at.app.workshop, at.actor, picture))
    return _with(at, step_id, logos.read_logo(at.app.workshop, at.actor, logo))


@router.post("/pictures/{picture_id}/steps/{step_id}/logo-file", dependencies=[PREVIEWS])
@takes(MAX_LOGO_BYTES + AROUND_A_FILE)
def bring_logo(at: Bench, step_id: str, file: Annotated[UploadFile, File()]) -> HTMLResponse:
    """Another logo for a step, from a file."""
    _logo_step(at, step_id)
    chunks = iter(lambda: file.file.read(CHUNK_BYTES), b"")
    return _with(at, step_id, logos.keep_logo(at.app.workshop, at.actor, file.filename or "logo", chunks))


def _logo_step(at: AtBench, step_id: str) -> Logo:
    return expect(at.step(step_id).step, Logo, "This step takes no logo.")


def _with(at: AtBench, step_id: str, kept: KeptLogo) -> HTMLResponse:
    step = _logo_step(at, step_id).with_asset(kept.file)
    at.change(plain(step.sentence()), edits.replace_step(step_id, step))
    return at.show(at.place, step_id)


@router.get("/logos/{logo_id}/small", dependencies=[PREVIEWS])
def small(app: App, actor: SignedIn, logo_id: int, v: Annotated[str, Query(max_length=64)] = "") -> Response:
    """A logo, reduced to what a list shows."""
    kept = logos.read_logo(app.workshop, actor, logo_id)
    content = logos.reduced(app.workshop, kept, SHOWN)
    same = v == appearance_key(SourceKey.of_file(kept.sha256), ())
    return Response(content, media_type="image/png", headers={"Cache-Control": FOREVER if same else "no-store"})


@router.post("/pictures/{picture_id}/steps/{step_id}/logo-forget")
def forget(at: Bench, step_id: str) -> HTMLResponse:
    """Take the step's logo out of the person's list; steps that use it keep it."""
    file = _logo_step(at, step_id).logo
    kept = next(
        (one for one in logos.read_logos(at.app.workshop, at.actor) if file and one.sha256 == file.sha256), None
    )
    if kept is None:
        raise OutOfRangeError("This logo is not in your list.")
    logos.forget_logo(at.app.workshop, at.actor, kept.id)
    return at.show(at.place, step_id)


CONTROL = Control("logo", values=lambda app, actor: logos.read_logos(app.workshop, actor), routes=router)
