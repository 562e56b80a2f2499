"""The open protocol tus 1.0.0, by which files arrive in parts: core, creation, termination, expiration, checksum.

It is spoken twice: to pages under `/uploads`, with the session, and to scripts under `/api/uploads`, with a token.
What is made of a file that has arrived says `web.views.start.uploads`.
"""

import base64
import binascii
import hashlib
import hmac
import re
from collections.abc import Callable
from email.utils import format_datetime
from typing import Annotated, Any

from fastapi import APIRouter, Header, Path, Request
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import ClientDisconnect
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lucidex.services.intake import uploads
from lucidex.services.intake.uploads import Arriving
from lucidex.web.request.body_limits import takes_file
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.incoming import stream_into
from lucidex.web.shell.problems import Refusal

VERSION = "1.0.0"
EXTENSIONS = "creation,termination,expiration,checksum"
PART_TYPE = "application/offset+octet-stream"
SUMS: dict[str, Callable[[], Any]] = {"sha1": hashlib.sha1, "sha256": hashlib.sha256}
MAX_METADATA, MAX_LENGTH_DIGITS = 8_000, 18
OTHERWISE_ARRIVED = 460  # the protocol's own status for a sum that does not match
_ADDRESS = re.compile(r"(?:/api)?/uploads(?:/[^/]+)?")
UploadId = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]

router = APIRouter()
open_router = APIRouter()


class Tus:
    """What holds of every answer of the protocol, whoever gives it: its version, and errors as data."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Passes on what speaks this version of the protocol; 412 for others."""
        is_tus = scope["type"] == "http" and scope["method"] != "GET" and _ADDRESS.fullmatch(scope["path"])
        if not is_tus:
            await self._app(scope, receive, send)
            return
        scope.setdefault("state", {})["wants_data"] = True

        async def send_with_version(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message)["Tus-Resumable"] = VERSION
            await send(message)

        if scope["method"] != "OPTIONS" and Headers(scope=scope).get("tus-resumable") != VERSION:
            refused = Response(status_code=412, headers={"Tus-Version": VERSION})
            await refused(scope, receive, send_with_version)
        else:
            await self._app(scope, receive, send_with_version)


@open_router.options("/uploads")
@open_router.options("/uploads/{upload_id}")
def say_what_is_known(app: App) -> Response:
    """What of the protocol is spoken here, also to those who have not signed in."""
    most = str(app.workshop.limits.archive_bytes)
    return _answer(
        204,
        Tus_Version=VERSION,
        Tus_Max_Size=most,
        Tus_Extension=EXTENSIONS,
        Tus_Checksum_Algorithm=",".join(SUMS),
    )


@router.post("/uploads", status_code=201)
def begin(
    request: Request,
    app: App,
    actor: SignedIn,
    upload_length: Annotated[str, Header()] = "",
    upload_metadata: Annotated[str, Header()] = "",
) -> Response:
    """Begin to send a file by tus 1.0.0; the answer's `Location` is where its parts go."""
    named = _read_metadata(upload_metadata).get("filename", b"picture").decode("utf-8", "replace")
    length = _number("Upload-Length", upload_length)
    arriving = uploads.begin_upload(app.workshop, actor, length, named, upload_metadata)
    place = f"{request.url.path.rstrip('/')}/{arriving.id}"
    return _answer(201, Location=place, Upload_Offset="0", Upload_Expires=_expires(arriving))


@router.head("/uploads/{upload_id}")
def say_how_far(app: App, actor: SignedIn, upload_id: UploadId) -> Response:
    """How many bytes are here."""
    arriving = uploads.read_upload(app.workshop, actor, upload_id)
    said = {"Upload-Metadata": arriving.metadata} if arriving.metadata else {}
    return _answer(
        200,
        Upload_Offset=str(arriving.arrived),
        Upload_Length=str(arriving.byte_count),
        Upload_Expires=_expires(arriving),
        **said,
    )


@router.patch("/uploads/{upload_id}", status_code=204)
@takes_file
async def go_on(
    request: Request,
    app: App,
    actor: SignedIn,
    upload_id: UploadId,
    content_type: Annotated[str, Header()] = "",
    upload_offset: Annotated[str, Header()] = "",
    upload_checksum: Annotated[str | None, Header()] = None,
) -> Response:
    """Further bytes, from the offset on. Where the connection breaks, what arrived stays, but for what was to be
    checked by a sum."""
    if content_type.partition(";")[0].strip().lower() != PART_TYPE:
        raise Refusal(415, "Not understood", f"Parts are sent with the content type {PART_TYPE}.")
    offset, checked = _number("Upload-Offset", upload_offset), _read_sum(upload_checksum)
    async with app.queues.uploads.seat(actor.id):
        context = uploads.further_part(app.workshop, actor, upload_id, offset)
        part = await run_in_threadpool(context.__enter__)
        try:
            await stream_into(request, part if checked is None else checked.beside(part))
            if checked is not None and not checked.is_right:
                await run_in_threadpool(part.take_back)
                sentence = "What arrived is not what was sent. Send this part again."
                raise Refusal(OTHERWISE_ARRIVED, "Arrived otherwise", sentence)
        except ClientDisconnect:
            if checked is not None:
                await run_in_threadpool(part.take_back)
            # nobody hears the answer; the next connection asks how far it came
        except BaseException as error:
            await run_in_threadpool(context.__exit__, type(error), error, error.__traceback__)
            raise
        await run_in_threadpool(context.__exit__, None, None, None)
    return _answer(204, Upload_Offset=str(part.arrived), Upload_Expires=_expires(part.arriving))


@router.delete("/uploads/{upload_id}", status_code=204)
def drop(app: App, actor: SignedIn, upload_id: UploadId) -> Response:
    """Let go of a file."""
    uploads.drop_upload(app.workshop, actor, upload_id)
    return _answer(204)


@router.post("/uploads/{upload_id}", include_in_schema=False)
@takes_file
async def in_the_name_of_another_method(
    request: Request,
    app: App,
    actor: SignedIn,
    upload_id: UploadId,
    x_http_method_override: Annotated[str, Header()] = "",
    content_type: Annotated[str, Header()] = "",
    upload_offset: Annotated[str, Header()] = "",
    upload_checksum: Annotated[str | None, Header()] = None,
) -> Response:
    """What another method asks for, where something on the way lets only this one through."""
    method = x_http_method_override.upper()
    if method == "PATCH":
        return await go_on(request, app, actor, upload_id, content_type, upload_offset, upload_checksum)
    if method in {"DELETE", "HEAD"}:
        return await run_in_threadpool(drop if method == "DELETE" else say_how_far, app, actor, upload_id)
    raise Refusal(405, "Not possible", "This address does not take that kind of request.")


def _answer(status: int, **headers: str) -> Response:
    named = {name.replace("_", "-"): value for name, value in headers.items()}
    return Response(status_code=status, headers={"Cache-Control": "no-store", **named})


def _expires(arriving: Arriving) -> str:
    return format_datetime(arriving.expires_at, usegmt=True)


def _number(name: str, text: str) -> int:
    if not (text.isascii() and text.isdigit() and len(text) <= MAX_LENGTH_DIGITS):
        raise Refusal(400, "Not understood", f"{name} is a whole number of bytes.")
    return int(text)


def _read_metadata(text: str) -> dict[str, bytes]:
    """What is said of a file: names, each with a value in Base64 or none."""
    if len(text) > MAX_METADATA:
        raise Refusal(400, "Not understood", f"Upload-Metadata has at most {MAX_METADATA} letters.")
    found: dict[str, bytes] = {}
    for pair in text.split(",") if text.strip() else ():
        name, _, value = pair.strip().partition(" ")
        try:
            read = base64.b64decode(value.strip(), validate=True)
        except binascii.Error as error:
            raise Refusal(400, "Not understood", "Upload-Metadata holds a value that is no Base64.") from error
        if not name or not name.isascii() or name in found:
            raise Refusal(400, "Not understood", "Upload-Metadata holds a name twice, or none.")
        found[name] = read
    return found


class _Sum:
    """The sum that a part is to have, and the one that it comes to."""

    def __init__(self, algorithm: str, wanted: bytes) -> None:
        self._running, self._wanted = SUMS[algorithm](), wanted
        self._part: uploads.Part

    def beside(self, part: uploads.Part) -> "_Sum":
        """The same, writing on into the part."""
        self._part = part
        return self

    def write(self, chunk: bytes) -> None:
        """Add a piece."""
        self._part.write(chunk)
        self._running.update(chunk)

    @property
    def is_right(self) -> bool:
        """Whether it came to what it was to come to."""
        return hmac.compare_digest(self._running.digest(), self._wanted)


def _read_sum(text: str | None) -> _Sum | None:
    if text is None:
        return None
    algorithm, _, value = text.strip().partition(" ")
    if algorithm not in SUMS:
        raise Refusal(400, "Not understood", f"Sums for checking are taken by {' or '.join(SUMS)}.")
    try:
        return _Sum(algorithm, base64.b64decode(value.strip(), validate=True))
    except binascii.Error as error:
        raise Refusal(400, "Not understood", "Upload-Checksum holds a value that is no Base64.") from error
