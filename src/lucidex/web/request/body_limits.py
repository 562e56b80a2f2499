"""What the body of a request may be, declared beside the address of its route.

A route that says nothing takes a form or a small document; one that takes more says so (`takes`), and one that takes
a file streams it and counts itself (`takes_file`, `web.request.incoming`).
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

from fastapi import Request
from starlette.datastructures import FormData
from starlette.exceptions import HTTPException
from starlette.types import Scope

from lucidex.core.errors import UserError

USUAL_BYTES = 300_000
DOCUMENT_BYTES = 2_000_000
SIGN_IN_BYTES = 8_000
AROUND_A_FILE = 20_000  # bytes of a form around the file in it
MAX_FIELDS = 2_100  # of a form: so many pictures at once, and what is done to them
_DECLARED = "__takes__"

Endpoint = TypeVar("Endpoint", bound=Callable[..., object])


@dataclass(frozen=True)
class BodyLimit:
    """The most bytes of a body; None where the route streams it and counts itself."""

    most_bytes: int | None = USUAL_BYTES


def takes(most_bytes: int) -> Callable[[Endpoint], Endpoint]:
    """Declares how many bytes the body of a route may have, where it is not the usual."""

    def declare(endpoint: Endpoint) -> Endpoint:
        setattr(endpoint, _DECLARED, BodyLimit(most_bytes))
        return endpoint

    return declare


def takes_file(endpoint: Endpoint) -> Endpoint:
    """Declares that the body of a route is a file, which it streams and bounds itself."""
    setattr(endpoint, _DECLARED, BodyLimit(None))
    return endpoint


def limit_of(scope: Scope) -> BodyLimit:
    """What the route that a request has come to has declared."""
    limit: BodyLimit = getattr(scope.get("endpoint"), _DECLARED, BodyLimit())
    return limit


def is_streamed(scope: Scope) -> bool:
    """Whether a request's body is a file, whatever it calls itself."""
    return limit_of(scope).most_bytes is None


async def read_form(request: Request) -> FormData:
    """The fields of a form, whatever they are called."""
    return await request.form(max_fields=MAX_FIELDS)


class RefusedBody(HTTPException):
    """A body that is not read any further, with what is said about it; frameworks pass this kind of error on."""

    def __init__(self, error: UserError) -> None:
        super().__init__(400, error.sentence)
        self.said = error
