"""Signing in and out, one's own name and password, where one is signed in, and tokens."""

from typing import Annotated, Any

import anyio
from fastapi import APIRouter, Depends, Form, Query, Request
from starlette.concurrency import run_in_threadpool
from starlette.responses import HTMLResponse, RedirectResponse, Response

from lucidex.core.errors import OutOfRangeError
from lucidex.records.models import Scope
from lucidex.services.people import people, sessions
from lucidex.services.people.events import EventKind, note_alone
from lucidex.web.request.body_limits import SIGN_IN_BYTES, takes
from lucidex.web.request.context import SESSION_KEY, App, AppContext, SignedIn, address_of
from lucidex.web.request.security import check_csrf, message_before, say_next, start_session
from lucidex.web.shell.templating import page

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

_WRONG = "This name and password do not belong together."
_NOBODY = 0  # whose share of the queue strangers have together
Password = Annotated[str, Form(max_length=people.MAX_PASSWORD)]


def _own_path(wanted: str) -> str:
    """A path on this site only."""
    return wanted if wanted.startswith("/") and not wanted.startswith(("//", "/\\")) else "/"


@router.get("/sign-in")
def sign_in_page(request: Request, app: App, next: Annotated[str, Query(max_length=500)] = "/") -> HTMLResponse:
    """The form."""
    return page(request, "account/sign_in.html", next=_own_path(next), demo=app.demo_login, trouble=None, login="")


@router.post("/sign-in")
@takes(SIGN_IN_BYTES)
async def sign_in(
    request: Request,
    app: App,
    login: Annotated[str, Form(max_length=200)] = "",
    password: Password = "",
    next: Annotated[str, Form(max_length=500)] = "/",
) -> Response:
    """Start a session. A try counts before it is checked; many for one account are slowed down, never locked out."""
    address = address_of(request)
    await anyio.sleep(app.limiter.count(address, login))
    async with app.queues.passwords.seat(_NOBODY):
        actor = await run_in_threadpool(people.check_password, app.workshop, login, password)
    if actor is None:
        message = f"Refused for the name “{login.strip()[:60]}”."
        await run_in_threadpool(note_alone, app.workshop, None, EventKind.REFUSED, message, address)
        values = {"next": _own_path(next), "demo": app.demo_login, "trouble": _WRONG, "login": login}
        return page(request, "account/sign_in.html", status_code=401, **values)
    app.limiter.succeeded(address, login)
    browser = request.headers.get("user-agent", "")
    start_session(request, await run_in_threadpool(sessions.begin_session, app.workshop, actor, address, browser))
    return RedirectResponse(_own_path(next), 303)


@router.post("/sign-out")
def sign_out(request: Request, app: App) -> RedirectResponse:
    """End the session, here and in the database."""
    secret = request.session.get(SESSION_KEY)
    if isinstance(secret, str):
        sessions.end_session(app.workshop, secret)
    request.session.clear()
    return RedirectResponse("/sign-in", 303)


def _account(request: Request, app: AppContext, actor: SignedIn, fresh: str | None = None) -> HTMLResponse:
    values: dict[str, Any] = {
        "actor": actor,
        "tokens": sessions.list_tokens(app.workshop, actor),
        "sessions": sessions.list_sessions(app.workshop, actor),
        "here": request.state.session_id,
        "days": sessions.TOKEN_DAYS,
        "fresh": fresh,
        "message": message_before(request),
    }
    return page(request, "account/account.html", **values)


@router.get("/account")
def account(request: Request, app: App, actor: SignedIn) -> HTMLResponse:
    """The person's name, password, sessions and tokens."""
    return _account(request, app, actor)


@router.post("/account/name")
def rename(
    request: Request, app: App, actor: SignedIn, name: Annotated[str, Form(max_length=120)] = ""
) -> RedirectResponse:
    """Another name, as colleagues see it."""
    people.rename_person(app.workshop, actor, actor.id, name)
    return RedirectResponse("/account", 303)


@router.post("/account/password")
def change_password(
    request: Request,
    app: App,
    actor: SignedIn,
    old: Password = "",
    new: Password = "",
    again: Password = "",
    keep_tokens: Annotated[bool, Form()] = False,
) -> RedirectResponse:
    """Another password; every other session ends, and every token that is not to stay."""
    if new != again:
        raise OutOfRangeError("The new password was typed in two ways. Nothing was changed.")
    app.limiter.count(address_of(request), actor.login)
    left = people.change_password(app.workshop, actor, old, new, request.state.session_id, not keep_tokens)
    tokens = f"{left} token{' goes' if left == 1 else 's go'} on counting" if left else "no token counts any more"
    say_next(request, f"The password was changed. All your other sessions were ended, and {tokens}.")
    return RedirectResponse("/account", 303)


@router.post("/account/sessions/{session_id}/end")
def end_session(app: App, actor: SignedIn, session_id: int) -> RedirectResponse:
    """End a session elsewhere."""
    sessions.end_session_of(app.workshop, actor, session_id)
    return RedirectResponse("/account", 303)


@router.post("/account/tokens")
def new_token(
    request: Request,
    app: App,
    actor: SignedIn,
    name: Annotated[str, Form(max_length=120)] = "",
    scope: Annotated[Scope, Form()] = Scope.CHANGE,
    days: Annotated[int, Form(ge=0, le=365)] = 0,
) -> HTMLResponse:
    """Make a token and show it this once."""
    return _account(request, app, actor, sessions.make_token(app.workshop, actor, name, scope, days or None))


@router.post("/account/tokens/{token_id}/revoke")
def drop_token(app: App, actor: SignedIn, token_id: int) -> RedirectResponse:
    """Make a token worthless."""
    sessions.revoke_token(app.workshop, actor, token_id)
    return RedirectResponse("/account", 303)
