"""Which service a page speaks to: the one that was asked for, or the first of its kind."""

from dataclasses import dataclass

from starlette.concurrency import run_in_threadpool

from lucidex.services.folios.folios import FolioView, read_folio
from lucidex.services.outside.service import Service
from lucidex.services.outside.settings import read_services
from lucidex.services.people.people import Actor
from lucidex.web.request.context import AppContext


@dataclass(frozen=True)
class Choice:
    """The folio, all services of a kind, and the one that is meant; None where none is set up."""

    folio: FolioView
    services: list[Service]
    service: Service | None


async def chosen_service(app: AppContext, actor: Actor, folio_id: int, kind: str, which: int | None) -> Choice:
    """NotFoundError where the folio is not the actor's to see."""
    folio = await run_in_threadpool(read_folio, app.workshop, actor, folio_id)
    services = await run_in_threadpool(read_services, app.workshop, kind)
    return Choice(folio, services, next((one for one in services if which in {None, one.id}), None))
