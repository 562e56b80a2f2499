"""For administrators: accounts, and the log of events."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query, Request
from starlette.responses import HTMLResponse, RedirectResponse

from lucidex.services.people import people
from lucidex.services.people.events import AT_ONCE, EventKind, read_events
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.security import check_csrf, message_before, say_next
from lucidex.web.shell.templating import page

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

Name = Annotated[str, Form(max_length=120)]


@router.get("/people")
def people_page(request: Request, app: App, actor: SignedIn) -> HTMLResponse:
    """All accounts."""
    found = people.read_people(app.workshop, actor)
    return page(request, "people/people.html", actor=actor, people=found, fresh=None, message=message_before(request))


@router.post("/people")
def add(request: Request, app: App, actor: SignedIn, login: Name = "", name: Name = "") -> HTMLResponse:
    """Open an account; its first password is shown this once."""
    added, password = people.invite_person(app.workshop, actor, login, name)
    found = people.read_people(app.workshop, actor)
    return page(request, "people/people.html", actor=actor, people=found, fresh=(added.login, password), message="")


@router.post("/people/{person_id}/name")
def rename(app: App, actor: SignedIn, person_id: int, name: Name = "") -> RedirectResponse:
    """Another name."""
    people.rename_person(app.workshop, actor, person_id, name)
    return RedirectResponse("/people", 303)


@router.post("/people/{person_id}/password")
def reset(request: Request, app: App, actor: SignedIn, person_id: int) -> HTMLResponse:
    """A fresh password, shown this once."""
    password = people.reset_password(app.workshop, actor, person_id)
    found = people.read_people(app.workshop, actor)
    login = next(person.login for person in found if person.id == person_id)
    return page(request, "people/people.html", actor=actor, people=found, fresh=(login, password), message="")


@router.post("/people/{person_id}/close")
def close(request: Request, app: App, actor: SignedIn, person_id: int) -> RedirectResponse:
    """Close an account; what it owns stays."""
    people.disable_person(app.workshop, actor, person_id)
    say_next(request, "The account was closed; its sessions and tokens ended at once. Its folios are still there.")
    return RedirectResponse("/people", 303)


@router.post("/people/{person_id}/open")
def open_again(app: App, actor: SignedIn, person_id: int) -> RedirectResponse:
    """Open a closed account again."""
    people.enable_person(app.workshop, actor, person_id)
    return RedirectResponse("/people", 303)


@router.post("/people/{person_id}/admin")
def administer(app: App, actor: SignedIn, person_id: int, admin: Annotated[bool, Form()] = False) -> RedirectResponse:
    """Make somebody an administrator, or no longer."""
    people.make_admin(app.workshop, actor, person_id, admin)
    return RedirectResponse("/people", 303)


@router.get("/log")
def log(
    request: Request,
    app: App,
    actor: SignedIn,
    kind: EventKind | None = None,
    before: Annotated[int | None, Query(ge=1)] = None,
) -> HTMLResponse:
    """What happened, the newest first."""
    found = read_events(app.workshop, actor.is_admin, kind, before)
    earlier = found[-1].id if len(found) == AT_ONCE else None
    return page(
        request, "people/log.html", actor=actor, events=found, kind=kind, kinds=list(EventKind), earlier=earlier
    )
