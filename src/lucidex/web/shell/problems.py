"""Errors in plain words: problem details (RFC 9457) for the API, a sentence in the page for people."""

import logging
from collections.abc import Sequence
from typing import Any
from urllib.parse import urlencode, urlsplit

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from sqlalchemy.exc import DBAPIError, SQLAlchemyError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect
from starlette.responses import JSONResponse, RedirectResponse, Response

from lucidex.core import errors
from lucidex.records.database import is_away
from lucidex.web.request.context import NotSignedInError
from lucidex.web.request.security import say_refusal_next
from lucidex.web.shell.templating import page, partial

log = logging.getLogger("lucidex")
RETRY_AFTER_S = "5"
ORDINARY = 422
GONE = 499  # nobody reads it: whoever asked has closed the connection

_STATUS: dict[type[errors.UserError], tuple[int, str]] = {
    NotSignedInError: (401, "Not signed in"),
    errors.NotAllowedError: (403, "Not allowed"),
    errors.TooSlowError: (408, "Too slow"),
    errors.TooManyTriesError: (429, "Too many tries"),
    errors.NotFoundError: (404, "Not found"),
    errors.ChangedMeanwhileError: (409, "Changed meanwhile"),
    errors.TooLargeError: (413, "Too large"),
    errors.UnreadableFileError: (422, "Not readable"),
    errors.OutOfRangeError: (422, "Out of range"),
    errors.NotUnderstoodError: (422, "Not understood"),
    errors.UnavailableError: (503, "Not available at the moment"),
    errors.BusyError: (503, "Busy at the moment"),
    errors.StorageFullError: (503, "No room left"),
    errors.DamagedStoreError: (503, "Damaged"),
    errors.UnforeseenError: (500, "Something went wrong"),
    errors.NoLongerWantedError: (GONE, "Stopped"),
}
_ORDINARY = {
    404: ("Not found", "There is nothing at this address."),
    405: ("Not possible", "This address does not take that kind of request."),
    400: ("Not understood", "The request could not be read."),
}


class Refusal(HTTPException):
    """An answer with a status of its own, a title and a sentence."""

    def __init__(self, status: int, title: str, sentence: str) -> None:
        super().__init__(status, sentence)
        self.title = title


def status_of(error: errors.UserError) -> tuple[int, str]:
    """HTTP status and title of an error."""
    return next((_STATUS[kind] for kind in type(error).__mro__ if kind in _STATUS), (422, "Not possible"))


def answer_said(request: Request, error: errors.UserError) -> Response:
    """An error of the family; whoever is not signed in is led to the sign-in page."""
    if isinstance(error, NotSignedInError) and not _wants_data(request):
        return RedirectResponse(f"/sign-in?{urlencode({'next': request.url.path})}", 303)
    return answer(request, *status_of(error), error.sentence)


def answer(request: Request, status: int, title: str, sentence: str) -> Response:
    """The error in the form that the asker reads: JSON, a notice in the page, or a page."""
    if _takes_data(request):
        body = {"type": "about:blank", "title": title, "status": status, "detail": sentence}
        headers = {"WWW-Authenticate": "Bearer"} if status == 401 else _later(status)
        return JSONResponse(body, status, headers, media_type="application/problem+json")
    if request.headers.get("hx-request") == "true":
        notice = partial(request, "parts/notice.html", status=status, title=title, sentence=sentence)
        # an ordinary refusal is an answer, not a failure of the page: browsers list others as errors of its script
        notice.status_code = 200 if status == ORDINARY else status
        notice.headers["X-Refused"] = str(status)
        notice.headers["HX-Retarget"] = "#notice"
        notice.headers["HX-Reswap"] = "innerHTML"
        return notice
    if (before := _form_before(request)) is not None and status < 500:
        say_refusal_next(request, status, title, sentence)
        return RedirectResponse(before, 303)
    whole = page(request, "error.html", status_code=status, status=status, title=title, sentence=sentence)
    whole.headers.update(_later(status))
    return whole


def _form_before(request: Request) -> str | None:
    """The page of ours whose form was sent without htmx: there it is said what was refused, beside what was typed."""
    if request.method != "POST" or "text/html" not in request.headers.get("accept", ""):
        return None
    came = urlsplit(request.headers.get("referer", ""))
    if came.scheme not in {"http", "https"} or came.netloc != request.headers.get("host"):
        return None
    return "/" + came.path.lstrip("/") + (f"?{came.query}" if came.query else "")


def _later(status: int) -> dict[str, str]:
    return {"Retry-After": RETRY_AFTER_S} if status == 503 else {}


def answer_of_database(request: Request, error: SQLAlchemyError) -> Response:
    """What is said where the database was asked in vain: that it is away, where it is."""
    away = isinstance(error, PoolTimeout) or (isinstance(error, DBAPIError) and is_away(error))
    if not away:
        return answer_unforeseen(request, error)
    log.warning("the database does not answer at %s: %s", request.url.path, type(error).__name__)
    sentence = "The database does not answer at the moment. Nothing was lost; try again in a few seconds."
    return answer(request, 503, "Not available at the moment", sentence)


def answer_unforeseen(request: Request, error: Exception) -> Response:
    """What is said of a fault of ours; the log says more."""
    log.error("unforeseen error at %s", request.url.path, exc_info=error)
    sentence = "Something went wrong on our side. What was stored before is kept; try it again."
    return answer(request, 500, "Something went wrong", sentence)


def first_in_words(errors: Sequence[Any]) -> str:
    """One sentence for the first thing that a schema refused."""
    first = errors[0]
    where = ".".join(str(part) for part in first["loc"] if part not in {"body", "query", "path"})
    return f"{where or 'The request'}: {str(first['msg']).lower()}."


def add_handlers(app: FastAPI) -> None:
    """Say every error in words."""

    @app.exception_handler(errors.UserError)
    async def message(request: Request, error: errors.UserError) -> Response:
        return answer_said(request, error)

    @app.exception_handler(ClientDisconnect)
    async def gone(request: Request, error: ClientDisconnect) -> Response:
        return Response(status_code=GONE)

    @app.exception_handler(SQLAlchemyError)
    async def database(request: Request, error: SQLAlchemyError) -> Response:
        return answer_of_database(request, error)

    @app.exception_handler(OSError)
    async def disk(request: Request, error: OSError) -> Response:
        if error.errno not in errors.DISK_TROUBLE:
            raise error
        log.warning("the disk cannot be written at %s", request.url.path, exc_info=error)
        sentence = "The disk is full or cannot be written. What was stored before is kept."
        return answer(request, 503, "No room left", sentence)

    @app.exception_handler(RequestValidationError)
    async def refused(request: Request, error: RequestValidationError) -> Response:
        if error.errors()[0]["loc"][:1] == ("path",):
            return answer(request, 404, *_ORDINARY[404])
        return answer(request, 422, "Out of range", first_in_words(error.errors()))

    @app.exception_handler(HTTPException)
    async def ordinary(request: Request, error: HTTPException) -> Response:
        if isinstance(said := getattr(error, "said", None), errors.UserError):
            refused = answer_said(request, said)
            refused.headers["Connection"] = "close"  # some of what was sent may not have been read
            return refused
        if isinstance(error, Refusal):
            return answer(request, error.status_code, error.title, error.detail)
        title, sentence = _ORDINARY.get(error.status_code, ("Not possible", str(error.detail)))
        return answer(request, error.status_code, title, sentence)

    @app.exception_handler(Exception)
    async def unforeseen(request: Request, error: Exception) -> Response:
        return answer_unforeseen(request, error)


def _takes_data(request: Request) -> bool:
    """Whether whoever asks reads errors as data: a script, or a protocol (`web.gates.tus`)."""
    is_told = request.url.path.startswith("/api") or "json" in request.headers.get("accept", "")
    return is_told or getattr(request.state, "wants_data", False)


def _wants_data(request: Request) -> bool:
    return _takes_data(request) or request.headers.get("hx-request") == "true"
