"""What every route may ask for: the workshop, the renderer, the person."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Annotated

from fastapi import Depends, Request
from starlette.concurrency import run_in_threadpool

from lucidex.core.errors import NotAllowedError, UserError
from lucidex.services.house.caches import BriefCache, CappedCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.addresses import is_public
from lucidex.services.people import sessions
from lucidex.services.people.people import Actor
from lucidex.services.people.rate_limits import SignInLimiter
from lucidex.services.pictures.gathering import SheetPicture
from lucidex.services.rendering.renderer import Renderer
from lucidex.web.request.queues import Queues
from lucidex.work.dispatcher import Dispatcher

SESSION_KEY = "sid"
FRAME_SECONDS = 30.0
KEPT_SHEETS, SHEET_SECONDS = 16, 5.0
READING = {"GET", "HEAD", "OPTIONS"}


class NotSignedInError(UserError):
    """Nobody is signed in; pages lead to the sign-in page, the API answers 401."""


@dataclass
class AppContext:
    """One running application."""

    workshop: Workshop
    renderer: Renderer
    dispatcher: Dispatcher | None = None
    demo_login: tuple[str, str, str] | None = None  # name, password, and a colleague with the same one
    is_fetched_from: Callable[[str], bool] = is_public  # IP addresses from which pictures are fetched
    limiter: SignInLimiter = field(default_factory=SignInLimiter)
    queues: Queues = field(default_factory=Queues)
    # files of frames that somebody was just given, by person, picture, place and key: fetched at once after that
    frames: BriefCache[tuple[int, int, int, str], tuple[str, str]] = field(
        default_factory=lambda: BriefCache(4_096, FRAME_SECONDS)
    )
    # what a folio shows somebody, by person and folio, while one scrolls on: rights may change, and pictures go
    sheets: BriefCache[tuple[int, int], dict[int, SheetPicture]] = field(
        default_factory=lambda: BriefCache(KEPT_SHEETS, SHEET_SECONDS)
    )
    # bytes a pixel of the latest file, by picture, place and format: what the next one is about to weigh
    weights: CappedCache[tuple[int, int, str], float] = field(default_factory=lambda: CappedCache(4_096))


async def app_context(request: Request) -> AppContext:
    """The running application."""
    context: AppContext = request.app.state.context
    return context


App = Annotated[AppContext, Depends(app_context)]


def is_scripted(path: str) -> bool:
    """Whether an address belongs to the API, where tokens count; everywhere else sessions do."""
    return path == "/api" or path.startswith("/api/")


async def find_visitor(request: Request, app: AppContext) -> Actor | None:
    """The person of the session, or of the token where the API is asked; None where there is none.

    Looked up once a request, before anything of its body is read.
    """
    known: Actor | str | None = getattr(request.state, "visitor", "unknown")
    if known is None or isinstance(known, Actor):
        return known
    found = await run_in_threadpool(_by_token if is_scripted(request.url.path) else _by_session, request, app)
    request.state.visitor = found
    return found


def _by_session(request: Request, app: AppContext) -> Actor | None:
    secret = request.session.get(SESSION_KEY)
    session = sessions.find_session(app.workshop, secret) if isinstance(secret, str) else None
    request.state.session_id = session.id if session else None
    return session.actor if session else None


def _by_token(request: Request, app: AppContext) -> Actor | None:
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    return sessions.person_by_token(app.workshop, token.strip()) if scheme.lower() == "bearer" else None


def not_signed_in(path: str) -> NotSignedInError:
    """What is said to somebody who is not known."""
    if is_scripted(path):
        return NotSignedInError(
            "Send a token of your own as “Authorization: Bearer …”; make one on the account page."
        )
    return NotSignedInError("Sign in first.")


async def signed_in(request: Request, app: App) -> Actor:
    """The person who asks; NotSignedInError where there is none."""
    actor = await find_visitor(request, app)
    if actor is None:
        raise not_signed_in(request.url.path)
    return actor


async def bearer(request: Request, app: App) -> Actor:
    """The person of the token in the Authorization header (RFC 6750); one that only looks changes nothing."""
    actor = await signed_in(request, app)
    leaves_nothing = request.method in READING or request.url.path.endswith("/render")
    if not actor.may_change and not leaves_nothing:
        raise NotAllowedError("This token only looks. Make one that may change things on the account page.")
    return actor


def address_of(request: Request) -> str:
    """Where a request came from; a forwarded address counts only where the start command was told so."""
    return request.client.host if request.client else "unknown"


SignedIn = Annotated[Actor, Depends(signed_in)]
Bearer = Annotated[Actor, Depends(bearer)]
