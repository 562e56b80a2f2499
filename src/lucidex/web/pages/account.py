"""Signing in and out, and one's own tokens."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from starlette.responses import HTMLResponse, RedirectResponse, Response

from lucidex.services.people import check_password, list_tokens, make_token, revoke_token
from lucidex.web.context import App, SignedIn
from lucidex.web.security import check_csrf, start_session
from lucidex.web.templating import page

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

_WRONG = "This name and password do not belong together."


def _own_path(wanted: str) -> str:
    """A path on this site only."""
    return wanted if wanted.startswith("/") and not wanted.startswith(("//", "/\\")) else "/"


@router.get("/sign-in")
def sign_in_page(request: Request, app: App, next: str = "/") -> HTMLResponse:
    """The form."""
    return page(request, "account/sign_in.html", next=_own_path(next), demo=app.demo_login, trouble=None, login="")


@router.post("/sign-in")
def sign_in(
    request: Request,
    app: App,
    login: Annotated[str, Form(max_length=200)] = "",
    password: Annotated[str, Form(max_length=1_000)] = "",
    next: Annotated[str, Form(max_length=500)] = "/",
) -> Response:
    """Start a session."""
    address = request.client.host if request.client else "unknown"
    app.limiter.check(address, login)
    who = check_password(app.workshop, login, password)
    if who is None:
        app.limiter.failed(address, login)
        values = {"next": _own_path(next), "demo": app.demo_login, "trouble": _WRONG, "login": login}
        return page(request, "account/sign_in.html", status_code=401, **values)
    start_session(request, who.id)
    return RedirectResponse(_own_path(next), 303)


@router.post("/sign-out")
def sign_out(request: Request) -> RedirectResponse:
    """End the session."""
    request.session.clear()
    return RedirectResponse("/sign-in", 303)


@router.get("/account")
def account(request: Request, app: App, who: SignedIn) -> HTMLResponse:
    """The person's tokens."""
    return page(request, "account/account.html", who=who, tokens=list_tokens(app.workshop, who), fresh=None)


@router.post("/account/tokens")
def new_token(
    request: Request, app: App, who: SignedIn, name: Annotated[str, Form(max_length=120)] = ""
) -> HTMLResponse:
    """Make a token and show it this once."""
    fresh = make_token(app.workshop, who, name)
    return page(request, "account/account.html", who=who, tokens=list_tokens(app.workshop, who), fresh=fresh)


@router.post("/account/tokens/{token_id}/revoke")
def drop_token(app: App, who: SignedIn, token_id: int) -> RedirectResponse:
    """Make a token worthless."""
    revoke_token(app.workshop, who, token_id)
    return RedirectResponse("/account", 303)
