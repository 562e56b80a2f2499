"""Queues as dependencies of routes: a route that renders says in which one it waits."""

from collections.abc import AsyncIterator, Callable
from typing import Any

from fastapi import Depends, Request

from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.queues import Queue, Queues, while_wanted


def _waiting_in(choose: Callable[[Queues], Queue]) -> Any:  # noqa: ANN401 - FastAPI's own type for it
    async def wait(request: Request, app: App, actor: SignedIn) -> AsyncIterator[None]:
        async with choose(app.queues).seat(actor.id), while_wanted(request):
            yield

    return Depends(wait)


PREVIEWS = _waiting_in(lambda queues: queues.previews)
FILES = _waiting_in(lambda queues: queues.files)
