"""What a supervisor asks: whether the application lives, and whether it can serve people."""

from fastapi import APIRouter
from starlette.concurrency import run_in_threadpool
from starlette.responses import JSONResponse

from lucidex.services.keeping.retention import is_short_of_disk
from lucidex.web.request.context import App, AppContext

router = APIRouter(include_in_schema=False)


@router.get("/healthz")
async def healthz() -> JSONResponse:
    """Whether it answers at all."""
    return JSONResponse({"alive": True}, headers={"Cache-Control": "no-store"})


@router.get("/readyz")
async def readyz(app: App) -> JSONResponse:
    """Whether people can be served: 503 where they cannot, with what is missing."""
    found = await run_in_threadpool(_ready, app)
    needed = found["database"] and found["disk writable"]
    return JSONResponse(found, 200 if needed else 503, headers={"Cache-Control": "no-store"})


def _ready(app: AppContext) -> dict[str, bool]:
    workers = app.dispatcher.is_watching() if app.dispatcher is not None else True
    return {
        "database": app.workshop.database.answers(),
        "disk writable": app.workshop.can_write(),
        "disk has room": not is_short_of_disk(app.workshop),
        "workers are started": workers,
    }
