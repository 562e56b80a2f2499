"""What every route may ask for: the workshop, the renderer, the person."""

from dataclasses import dataclass, field
from typing import Annotated

from fastapi import Depends, Request

from lucidex.core.errors import SaidError
from lucidex.services.people import SignInLimiter, Who, person_by_id, person_by_token
from lucidex.services.results import Renderer
from lucidex.services.workshop import Workshop
from lucidex.work.dispatching import Dispatcher


class NotSignedInError(SaidError):
    """Nobody is signed in; pages lead to the sign-in page, the API answers 401."""


@dataclass
class AppContext:
    """One running application."""

    workshop: Workshop
    renderer: Renderer
    dispatcher: Dispatcher | None = None
    demo_login: tuple[str, str] | None = None
    limiter: SignInLimiter = field(default_factory=SignInLimiter)


async def app_context(request: Request) -> AppContext:
    """The running application."""
    context: AppContext = request.app.state.context
    return context


App = Annotated[AppContext, Depends(app_context)]


def signed_in(request: Request, app: App) -> Who:
    """The person of the session cookie; NotSignedInError where there is none."""
    person_id = request.session.get("person_id")
    who = person_by_id(app.workshop, person_id) if isinstance(person_id, int) else None
    if who is None:
        raise NotSignedInError("Sign in first.")
    return who


def bearer(request: Request, app: App) -> Who:
    """The person whose token stands in the Authorization header (RFC 6750)."""
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    who = person_by_token(app.workshop, token.strip()) if scheme.lower() == "bearer" else None
    if who is None:
        raise NotSignedInError("Send a token of your own as “Authorization: Bearer …”; make one on the account page.")
    return who


SignedIn = Annotated[Who, Depends(signed_in)]
Bearer = Annotated[Who, Depends(bearer)]
