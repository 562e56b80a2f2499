"""The scanner's answers over HTTP: eSCL under `/eSCL`, and its own page, on which something is laid on the glass."""

import asyncio
import tempfile
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Annotated

import pyvips
from fastapi import FastAPI, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response, StreamingResponse
from starlette.concurrency import iterate_in_threadpool
from starlette.datastructures import UploadFile

from standins.pages import shown
from standins.scanner.escl import (
    MAX_DOCUMENT_BYTES,
    RefusedSettingsError,
    capabilities,
    read_settings,
    status,
)
from standins.scanner.glass import Glass
from standins.scanner.jobs import BusyError, Job, Jobs

XML = "text/xml; charset=utf-8"
UUID = "9c6c2a4e-5b0a-4c53-9d2c-6d617272006c"
MAX_OWN_BYTES = 60_000_000
LOOKED_EVERY_S = 0.2  # whether somebody still waits


def create_app(folder: Path, pictures: Path, pace: float = 1.0) -> FastAPI:
    """A scanner that remembers in `folder` what lies on it; its sheets are files under `pictures`.

    `pace` stretches how long the head moves: 1 as a scanner does, 0 at once.
    """
    app = FastAPI(docs_url=None, redoc_url=None, openapi_url=None)
    glass = Glass(folder, pictures)
    jobs = Jobs(glass, pace)

    @app.get("/eSCL/ScannerCapabilities")
    def say_capabilities(request: Request) -> Response:
        return Response(capabilities(UUID, str(request.base_url)), media_type=XML)

    @app.get("/eSCL/ScannerStatus")
    def say_status() -> Response:
        words = jobs.words()
        is_busy = any(job.state in {"Pending", "Processing"} for job in words)
        return Response(status("Processing" if is_busy else "Idle", words), media_type=XML)

    @app.post("/eSCL/ScanJobs")
    async def begin(request: Request) -> Response:
        document = b""
        async for piece in request.stream():
            document += piece
            if len(document) > MAX_DOCUMENT_BYTES:
                return Response(status_code=413)
        try:
            job = jobs.begin(read_settings(document))
        except RefusedSettingsError as error:
            return Response(str(error), 409, media_type="text/plain")
        except BusyError:
            return Response(status_code=503, headers={"Retry-After": "3"})
        return Response(status_code=201, headers={"Location": f"{str(request.base_url).rstrip('/')}{job.uri}"})

    @app.get("/eSCL/ScanJobs/{job_id}/NextDocument")
    def next_document(request: Request, job_id: str) -> Response:
        job = jobs.find(job_id)
        if job is None:
            return Response(status_code=404)
        if not jobs.take(job):
            return Response(status_code=404 if job.state == "Completed" else 410 if job.is_over else 503)
        return StreamingResponse(
            _closing(request, jobs, job),
            media_type=job.settings.media_type,
            headers={"Content-Location": f"{job.uri}/NextDocument", "Cache-Control": "no-store"},
        )

    @app.delete("/eSCL/ScanJobs/{job_id}")
    def cancel(job_id: str) -> Response:
        job = jobs.find(job_id)
        if job is None:
            return Response(status_code=404)
        jobs.cancel(job)
        return Response(status_code=200)

    @app.get("/")
    def own_page(said: str = "") -> HTMLResponse:
        return shown("scanner.html", sheets=glass.sheets, lying=glass.lying, said=said[:200])

    @app.get("/sheets/{name}.jpg")
    def small(name: str) -> Response:
        sheet = next((one for one in glass.sheets if one.name == name), None)
        if sheet is None:
            return Response(status_code=404)
        image = pyvips.Image.new_from_array(glass.small(sheet, 360))
        kept = {"Cache-Control": "no-cache"}  # one's own is another one tomorrow
        return Response(bytes(image.jpegsave_buffer(Q=86)), media_type="image/jpeg", headers=kept)

    @app.post("/lay")
    def lay(sheet: Annotated[str, Form(max_length=20)]) -> RedirectResponse:
        glass.lay(sheet)
        return RedirectResponse("/", 303)

    @app.post("/lay-own")
    async def lay_own(request: Request) -> RedirectResponse:
        length = request.headers.get("content-length", "")
        if not length.isdecimal() or int(length) > MAX_OWN_BYTES:
            return RedirectResponse("/?said=It weighs more than 60 MB.", 303)
        file = (await request.form(max_files=1, max_fields=4)).get("file")
        if not isinstance(file, UploadFile):
            return RedirectResponse("/?said=Choose a picture first.", 303)
        with tempfile.NamedTemporaryFile() as held:
            held.write(file.file.read())
            held.flush()
            try:
                glass.lay_own(Path(held.name))
            except (OSError, ValueError):
                return RedirectResponse("/?said=This is no picture that can be laid on the glass.", 303)
        return RedirectResponse("/", 303)

    return app


async def _closing(request: Request, jobs: Jobs, job: Job) -> AsyncIterator[bytes]:
    """The pieces of a file; where whoever asked for it is gone, also before the first of them, the scan is over."""

    async def watch() -> None:
        while not await request.is_disconnected():
            await asyncio.sleep(LOOKED_EVERY_S)
        jobs.cancel(job)

    watching = asyncio.create_task(watch())
    try:
        async for piece in iterate_in_threadpool(jobs.file(job)):
            yield piece
    finally:
        watching.cancel()
        jobs.cancel(job)
