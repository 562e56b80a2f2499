"""Runs from the sheet's foot: begun, paused, gone on with, stopped, followed, and fetched as one archive."""

import contextlib
import json
from collections.abc import AsyncIterator
from typing import Annotated, Any

import anyio
from fastapi import APIRouter, Depends, Form, Request
from sqlalchemy.exc import SQLAlchemyError
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool
from starlette.responses import HTMLResponse, StreamingResponse

from lucidex.core.proof.names import web_stem
from lucidex.core.units import format_weight
from lucidex.services.runs import runs
from lucidex.services.runs.archives import archive
from lucidex.web.request.context import App, AppContext, SignedIn
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import partial

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

LOOK_EVERY_S, PING_SECONDS = 0.5, 20


@router.post("/folios/{folio_id}/runs")
def begin(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    pattern: Annotated[str | None, Form(max_length=300)] = None,
) -> HTMLResponse:
    """Finish everything on the sheet, under names as last time where nothing else is asked."""
    pattern = runs.latest_pattern(app.workshop, actor, folio_id) if pattern is None else pattern
    run_id = runs.begin_run(app.workshop, actor, folio_id, pattern)
    return _foot(request, app, actor, run_id)


@router.post("/runs/{run_id}/pause")
def pause(request: Request, app: App, actor: SignedIn, run_id: int) -> HTMLResponse:
    """Take no more cells."""
    runs.pause_run(app.workshop, actor, run_id)
    return _foot(request, app, actor, run_id)


@router.post("/runs/{run_id}/go-on")
def go_on(request: Request, app: App, actor: SignedIn, run_id: int) -> HTMLResponse:
    """Go on with a paused run."""
    runs.go_on(app.workshop, actor, run_id)
    return _foot(request, app, actor, run_id)


@router.post("/runs/{run_id}/stop")
def stop(request: Request, app: App, actor: SignedIn, run_id: int) -> HTMLResponse:
    """End a run."""
    runs.stop_run(app.workshop, actor, run_id)
    return _foot(request, app, actor, run_id)


@router.post("/cells/{cell_id}/again")
def again(request: Request, app: App, actor: SignedIn, cell_id: int) -> HTMLResponse:
    """Try one failed cell again."""
    return _foot(request, app, actor, runs.try_again(app.workshop, actor, cell_id))


@router.get("/runs/{run_id}/foot")
def foot(request: Request, app: App, actor: SignedIn, run_id: int) -> HTMLResponse:
    """The sheet's foot as it is now."""
    return _foot(request, app, actor, run_id)


def _foot(request: Request, app: AppContext, actor: SignedIn, run_id: int) -> HTMLResponse:
    if app.dispatcher is not None:
        app.dispatcher.wake()
    return partial(request, "proof/run.html", **foot_of(app, actor, runs.read_progress(app.workshop, actor, run_id)))


def foot_of(app: AppContext, actor: SignedIn, run: runs.Progress) -> dict[str, Any]:
    """What the foot says of a run."""
    failed = runs.read_failed(app.workshop, actor, run.run_id) if run.failed else []
    changed = 0 if run.is_open else runs.changed_since(app.workshop, actor, run.run_id)
    return {"run": run, "failed": failed, "folio_id": run.folio_id, "total": run.total, "changed": changed}


@router.get("/runs/{run_id}/events")
async def events(request: Request, app: App, actor: SignedIn, run_id: int) -> EventSourceResponse:
    """Progress as server-sent events (HTML Living Standard), until the run is over or the page is gone."""
    await run_in_threadpool(runs.read_progress, app.workshop, actor, run_id)  # refuses before the stream begins

    async def stream() -> AsyncIterator[ServerSentEvent]:
        latest = ""
        while True:
            # a database that is away for a moment: the page keeps what it shows
            with contextlib.suppress(SQLAlchemyError):
                progress = await run_in_threadpool(runs.follow_progress, app.workshop, actor, run_id)
                if (message := json.dumps(_message(progress))) != latest:
                    latest = message
                    yield ServerSentEvent(data=message)
                if not progress.is_open:
                    return
            await anyio.sleep(LOOK_EVERY_S)

    return EventSourceResponse(stream(), ping=PING_SECONDS)


def _message(progress: runs.Progress) -> dict[str, object]:
    return {
        "state": progress.state,
        "total": progress.total,
        "done": progress.done,
        "failed": progress.failed,
        "left": left_words(progress.seconds_left),
        "weights": f"{format_weight(progress.bytes_before)} → {format_weight(progress.bytes_after)}",
    }


def left_words(seconds: float | None) -> str:
    """Time left as people say it.

    >>> left_words(8), left_words(47), left_words(400), left_words(None)
    ('a few seconds left', 'about 50 s left', 'about 7 min left', '')
    """
    if seconds is None:
        return ""
    if seconds < 10:
        return "a few seconds left"
    if seconds < 90:
        return f"about {round(seconds / 10) * 10} s left"
    return f"about {round(seconds / 60)} min left"


@router.get("/runs/{run_id}/archive")
def fetch_archive(app: App, actor: SignedIn, run_id: int) -> StreamingResponse:
    """All finished files with their folders, streamed."""
    content = archive(app.renderer, app.workshop, actor, run_id)
    name = web_stem(runs.folio_name(app.workshop, actor, run_id) + ".")
    headers = {"Content-Disposition": f'attachment; filename="{name}.zip"'}
    return StreamingResponse(content, media_type="application/zip", headers=headers)
