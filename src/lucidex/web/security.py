"""Headers, sessions and the protection of every change."""

import secrets
from collections.abc import Awaitable, Callable

from fastapi import Request
from starlette.responses import Response

from lucidex.core.errors import NotAllowedError

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
}
SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}
TOKEN_FIELD = "csrf"  # noqa: S105
TOKEN_HEADER = "x-csrf-token"  # noqa: S105


async def add_headers(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
    """Security headers on every answer."""
    response = await call_next(request)
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    # what ships with the product is asked for again by its ETag; everything else belongs to somebody
    is_static = request.url.path.startswith("/static/")
    response.headers.setdefault("Cache-Control", "no-cache" if is_static else "no-store")
    return response


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
    if given is None and "form" in request.headers.get("content-type", ""):
        given = (await request.form()).get(TOKEN_FIELD)
    if not isinstance(given, str) or not secrets.compare_digest(given.encode(), csrf_token(request).encode()):
        raise NotAllowedError("This page is too old to change anything. Load it again, then repeat the change.")


def start_session(request: Request, person_id: int) -> None:
    """A fresh session for a person; nothing of the old one is kept."""
    request.session.clear()
    request.session["person_id"] = person_id
    csrf_token(request)
