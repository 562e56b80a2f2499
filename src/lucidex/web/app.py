"""The application: routes, headers, sessions, errors."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

import anyio.to_thread
from fastapi import Depends, FastAPI
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.sessions import SessionMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.types import ASGIApp

from lucidex import __version__
from lucidex.web import api
from lucidex.web.gates import health, tus
from lucidex.web.gates.bodies import Bodies
from lucidex.web.gates.fairness import Fairness
from lucidex.web.pixels import faces, files
from lucidex.web.request.body_limits import MAX_FIELDS
from lucidex.web.request.context import AppContext
from lucidex.web.request.security import SecurityHeaders, check_csrf
from lucidex.web.shell import problems
from lucidex.web.shell.static_files import KeyedFiles
from lucidex.web.views import VIEWS

SESSION_SECONDS = 14 * 24 * 3600
THREADS = 24
GZIP_LEVEL = 4  # a page in a quarter of the time of the highest, and hardly heavier


class _Application(FastAPI):
    """With its security headers around everything, also around what no route ever saw."""

    def build_middleware_stack(self) -> ASGIApp:
        """Everything between the server and the routes."""
        return SecurityHeaders(super().build_middleware_stack())


def create_app(context: AppContext, secret: str) -> FastAPI:
    """The application over a context; `secret` signs the session cookies."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        anyio.to_thread.current_default_thread_limiter().total_tokens = THREADS
        yield
        if context.dispatcher is not None:
            context.dispatcher.close()
        context.workshop.close()

    app = _Application(
        title="Lucidex",
        version=__version__,
        summary="One picture, every place it has to fill.",
        openapi_url="/api/openapi.json",
        docs_url=None,
        redoc_url=None,
        lifespan=lifespan,
        form_limits={"max_fields": MAX_FIELDS},
    )
    app.state.context = context
    # those that are asked for while something moves come first: routes are matched in order
    for router in (files.router, *(router for view in VIEWS for router in view.routers)):
        app.include_router(router)
    for router in (health.router, faces.router, api.router):
        app.include_router(router)
    app.include_router(tus.router, dependencies=[Depends(check_csrf)], include_in_schema=False)
    for prefix in ("", "/api"):
        app.include_router(tus.open_router, prefix=prefix, include_in_schema=False)
    app.mount("/static", KeyedFiles(), name="static")
    problems.add_handlers(app)
    app.add_middleware(Bodies, context=context)  # the last one in: it needs the session
    app.add_middleware(Fairness)  # so does this one
    app.add_middleware(tus.Tus)
    app.add_middleware(
        SessionMiddleware,
        secret_key=secret,
        session_cookie="lucidex",
        max_age=SESSION_SECONDS,
        same_site="lax",
    )
    app.add_middleware(GZipMiddleware, minimum_size=1_000, compresslevel=GZIP_LEVEL)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=["127.0.0.1", "localhost"])
    return app
