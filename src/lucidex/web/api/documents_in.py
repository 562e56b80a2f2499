"""Large documents by script: understood apart from the event loop, one at a time, each step by itself.

Whoever validates holds the interpreter; so what is sent is bounded before it is read, a step that is wrong ends the
reading, and between two steps the others go on.
"""

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi.routing import APIRoute
from pydantic import BaseModel, TypeAdapter, ValidationError
from pydantic_core import from_json
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from lucidex.core.document import MAX_STEPS
from lucidex.core.errors import NotUnderstoodError, OutOfRangeError, UserError
from lucidex.core.steps import StepEntry
from lucidex.web.request.body_limits import RefusedBody
from lucidex.web.request.context import AppContext, signed_in
from lucidex.web.shell.problems import first_in_words

MAX_BRACKETS = 150_000  # of lists and objects: the largest document that is taken has 130 000
_ENTRY = TypeAdapter(StepEntry)
Handler = Callable[[Request], Coroutine[Any, Any, Response]]


class ReadApart(APIRoute):
    """A route whose JSON body is validated in a thread, in a queue with a share for each person."""

    def get_route_handler(self) -> Handler:
        """As the framework's own, over a request that reads its body so."""
        handle = super().get_route_handler()
        model = self.body_field.field_info.annotation if self.body_field else None
        if not (isinstance(model, type) and issubclass(model, BaseModel)):
            return handle

        async def read_apart(request: Request) -> Response:
            return await handle(_Apart(model, request))

        return read_apart


class _Apart(Request):
    """A request whose `json` is the validated model, which the framework takes as it is."""

    def __init__(self, model: type[BaseModel], request: Request) -> None:
        super().__init__(request.scope, request.receive)
        self._model = model

    async def json(self) -> Any:  # noqa: ANN401 - as the framework has it
        """The model. RefusedBody with what is said about it."""
        body = await self.body()
        context: AppContext = self.app.state.context
        try:
            actor = await signed_in(self, context)
            async with context.queues.documents.seat(actor.id):
                return await run_in_threadpool(read_document, self._model, body)
        except UserError as error:
            raise RefusedBody(error) from error


def read_document(model: type[BaseModel], body: bytes) -> BaseModel:
    """A body as a model. NotUnderstoodError where it is no JSON, OutOfRangeError where the schema refuses it."""
    if body.count(b"[") + body.count(b"{") > MAX_BRACKETS:
        raise OutOfRangeError(f"This holds more than {MAX_BRACKETS:,} lists and objects.".replace(",", " "))
    try:
        found = from_json(body)
    except ValueError as error:
        raise NotUnderstoodError("The request is no JSON.") from error
    try:
        _read_steps(found)
        return model.model_validate(found)
    except ValidationError as error:
        raise OutOfRangeError(first_in_words(error.errors(include_url=False, include_input=False))) from error


def _read_steps(found: object) -> None:
    """Puts the steps of a body in its place, one by one: each of them takes a few milliseconds at most."""
    within = found.get("document", found) if isinstance(found, dict) else None
    steps = within.get("steps") if isinstance(within, dict) else None
    if not isinstance(within, dict) or not isinstance(steps, list):
        return
    if len(steps) > MAX_STEPS:
        raise OutOfRangeError(f"A picture holds at most {MAX_STEPS} steps; these are {len(steps)}.")
    within["steps"] = [_read_step(number, step) for number, step in enumerate(steps)]


def _read_step(number: int, step: object) -> StepEntry:
    try:
        return _ENTRY.validate_python(step)
    except ValidationError as error:
        found = error.errors(include_url=False, include_input=False)[0]
        raise OutOfRangeError(first_in_words([{**found, "loc": ("steps", number, *found["loc"])}])) from error
