"""For administrators: which devices and services outside are set up."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from starlette.responses import HTMLResponse, RedirectResponse

from lucidex.core.errors import UserError
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside import settings
from lucidex.services.outside.adapters import ADAPTERS, adapter_of
from lucidex.services.outside.service import Service
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.security import check_csrf, message_before, say_next
from lucidex.web.shell.templating import page

router = APIRouter(prefix="/outside", dependencies=[Depends(check_csrf)], include_in_schema=False)

Name = Annotated[str, Form(max_length=120)]
Address = Annotated[str, Form(max_length=400)]
Further = Annotated[str, Form(max_length=4_000)]
Token = Annotated[str, Form(max_length=400)]


@router.get("")
def outside_page(request: Request, app: App, actor: SignedIn) -> HTMLResponse:
    """All that are set up."""
    services = settings.read_all_services(app.workshop, actor)
    return page(
        request,
        "outside/settings.html",
        actor=actor,
        kinds=[(adapter, [one for one in services if one.kind == adapter.kind]) for adapter in ADAPTERS],
        message=message_before(request),
    )


def _tried(workshop: Workshop, service: Service) -> tuple[bool, str]:
    """Whether it can be read; what it says of itself, or why it does not."""
    try:
        return True, adapter_of(service.kind).describe(workshop, service)
    except UserError as error:
        return False, error.sentence


def _back(request: Request, words: str) -> RedirectResponse:
    say_next(request, words)
    return RedirectResponse("/outside", 303)


@router.post("")
def add(
    request: Request,
    app: App,
    actor: SignedIn,
    kind: Annotated[str, Form(max_length=20)],
    address: Address = "",
    name: Name = "",
    further: Further = "",
    token: Token = "",
) -> RedirectResponse:
    """Set one up."""
    added = settings.add_service(app.workshop, actor, kind, name, address, further.split(), token)
    is_read, words = _tried(app.workshop, added)
    if is_read:
        return _back(request, f"“{added.name}” is set up. {words}")
    settings.switch_service(app.workshop, actor, added.id, False)
    return _back(request, f"“{added.name}” is kept, but not in use: {words} Mend it, then choose “Use it”.")


@router.post("/{service_id}")
def change(
    request: Request,
    app: App,
    actor: SignedIn,
    service_id: int,
    address: Address = "",
    name: Name = "",
    further: Further = "",
    token: Token = "",
) -> RedirectResponse:
    """Another name, address or token; an empty token keeps the one that is there."""
    changed = settings.change_service(app.workshop, actor, service_id, name, address, further.split(), token or None)
    is_read, words = _tried(app.workshop, changed)
    return _back(request, f"“{changed.name}” was changed{'.' if is_read else ', and cannot be read:'} {words}")


@router.post("/{service_id}/switch")
def switch(
    request: Request, app: App, actor: SignedIn, service_id: int, on: Annotated[bool, Form()] = False
) -> RedirectResponse:
    """Use one, or do not."""
    switched = settings.switch_service(app.workshop, actor, service_id, on)
    if not on:
        return RedirectResponse("/outside", 303)
    is_read, words = _tried(app.workshop, switched)
    return _back(request, f"“{switched.name}” is in use{'.' if is_read else ', and cannot be read:'} {words}")


@router.post("/{service_id}/remove")
def remove(app: App, actor: SignedIn, service_id: int) -> RedirectResponse:
    """Forget one."""
    settings.remove_service(app.workshop, actor, service_id)
    return RedirectResponse("/outside", 303)
