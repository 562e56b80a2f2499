"""Headers, sessions and the protection of every change."""

import secrets

from fastapi import Request
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lucidex.core.errors import NotAllowedError
from lucidex.web.request.body_limits import is_streamed, read_form
from lucidex.web.request.context import SESSION_KEY

CONTENT_SECURITY_POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "img-src 'self' blob:",
        "font-src 'self'",
        "connect-src 'self'",
        "form-action 'self'",
        "base-uri 'none'",
        "frame-ancestors 'none'",
    )
)
HEADERS = {
    "Content-Security-Policy": CONTENT_SECURITY_POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cache-Control": "no-store",
}
# scripts, styles and fonts are no documents: they open nothing, send nobody on, and are asked for again by their ETag
SHIPPED = {
    "Content-Security-Policy": "default-src 'none'",
    "X-Content-Type-Options": "nosniff",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cache-Control": "no-cache",
}
SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}
TOKEN_FIELD = "csrf"  # noqa: S105
SAID_FIELD = "said"
REFUSED_FIELD = "refused"
TOKEN_HEADER = "x-csrf-token"  # noqa: S105


class SecurityHeaders:
    """Security headers on every answer, streams included."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Passes the request on, and adds what an answer lacks when it starts."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        wanted = SHIPPED if scope["path"].startswith("/static/") else HEADERS

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in wanted.items():
                    headers.setdefault(name, value)
            await send(message)

        await self._app(scope, receive, send_with_headers)


def csrf_token(request: Request) -> str:
    """The session's token, made on first use."""
    token = request.session.get(TOKEN_FIELD)
    if not isinstance(token, str):
        token = secrets.token_urlsafe(24)
        request.session[TOKEN_FIELD] = token
    return token


async def check_csrf(request: Request) -> None:
    """Refuse a change that does not carry the session's token, in a header or a form field."""
    if request.method in SAFE_METHODS:
        return
    given: object = request.headers.get(TOKEN_HEADER)
    # what is streamed is a file, however it calls itself: its token stands in a header
    if given is None and not is_streamed(request.scope) and "form" in request.headers.get("content-type", ""):
        given = (await read_form(request)).get(TOKEN_FIELD)
    if not isinstance(given, str) or not secrets.compare_digest(given.encode(), csrf_token(request).encode()):
        raise NotAllowedError("This page is too old to change anything. Load it again, then repeat the change.")


def start_session(request: Request, secret: str) -> None:
    """A fresh session; nothing of the old one is kept. `secret` is what the database knows it by."""
    request.session.clear()
    request.session[SESSION_KEY] = secret
    csrf_token(request)


def say_next(request: Request, sentence: str) -> None:
    """A sentence for the next page that this person opens; nobody else can put one there."""
    request.session[SAID_FIELD] = sentence[:400].encode("utf-8", "replace").decode()


def say_refusal_next(request: Request, status: int, title: str, sentence: str) -> None:
    """What was refused, for the page that somebody is led back to."""
    request.session[REFUSED_FIELD] = [status, title, sentence[:400].encode("utf-8", "replace").decode()]


def refusal_before(request: Request) -> tuple[int, str, str] | None:
    """What was refused a moment ago; it is said once."""
    told = request.session.pop(REFUSED_FIELD, None)
    return tuple(told) if isinstance(told, list) and len(told) == 3 else None


def message_before(request: Request) -> str:
    """The sentence that was left for this page; it is said once."""
    return str(request.session.pop(SAID_FIELD, ""))
