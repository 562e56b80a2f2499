"""Pixels for the screen and finished files; every one only after the check of its folio."""

from typing import Annotated

from fastapi import APIRouter, Query, Request
from starlette.responses import HTMLResponse, Response, StreamingResponse

from lucidex.core.encode import FORMATS, ColourModel, FormatName
from lucidex.core.errors import NotFoundError
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.places.output_id import OutputId
from lucidex.services.people.events import EventKind, note_alone
from lucidex.services.pictures.documents import read_picture, with_document
from lucidex.services.places.places import demand_of, find_place
from lucidex.services.rendering.render_requests import PlacedPicture, in_place, on_screen, preview_key, up_to
from lucidex.services.rendering.results import result_words
from lucidex.services.runs.picture_archive import archive_of_picture
from lucidex.web.request.admission import FILES, PREVIEWS
from lucidex.web.request.context import App, AppContext, SignedIn
from lucidex.web.request.stored import stored_file
from lucidex.web.shell.templating import partial

router = APIRouter(include_in_schema=False)

SHOWN = frozenset(one.media_type for one in FORMATS if one.shown_by_browsers)
FOREVER = "private, max-age=31536000, immutable"
Edge = Annotated[int, Query(ge=1, le=4_000)]
Part = Annotated[str | None, Query(pattern=r"^-?\d{1,6}(\.\d{1,4})?(,-?\d{1,6}(\.\d{1,4})?){3}$")]


@router.get("/pictures/{picture_id}/preview", dependencies=[PREVIEWS])
def preview(
    request: Request,
    app: App,
    actor: SignedIn,
    picture_id: int,
    w: Edge = 320,
    h: Edge = 320,
    v: Annotated[str | None, Query(max_length=64)] = None,
    before: Annotated[str | None, Query(max_length=30)] = None,
    original: bool = False,
    part: Part = None,
    mark: bool = False,
) -> Response:
    """The prepared picture, no larger than w × h; as it stood before a step, or as it came in.

    `part` is a window of it (left, top, width and height in its pixels), drawn to exactly w × h. `mark` shows what
    is clipped.
    """
    state = read_picture(app.workshop, actor, picture_id)
    document = up_to(state.document, before)
    if original:
        document = document.model_copy(update={"steps": ()})
    rendering = on_screen(app.workshop, state, document, Size(w, h), window_of(part))
    # for ever only under the name of all that decides it; any other name is asked for again
    kept = FOREVER if v == preview_key(state, document) else "private, no-cache"
    headers = {"Cache-Control": kept, "ETag": f'"{rendering.key}{"-marked" * mark}"'}
    if request.headers.get("if-none-match") == headers["ETag"]:
        return Response(status_code=304, headers=headers)
    if mark:
        return Response(app.renderer.screen.marked_preview(rendering), media_type="image/png", headers=headers)
    content = app.renderer.screen.preview(rendering)
    return Response(content, media_type=rendering.format.output.media_type, headers=headers)


def window_of(part: str | None) -> Window | None:
    """The window that a request names."""
    return Window(*(float(number) for number in part.split(","))) if part else None


def _placed(
    app: AppContext,
    actor: SignedIn,
    picture_id: int,
    place_id: int,
    as_format: FormatName | None = None,
    without_steps: bool = False,
) -> PlacedPicture:
    state = read_picture(app.workshop, actor, picture_id)
    if without_steps:
        state = with_document(state, state.document.model_copy(update={"steps": ()}))
    row = find_place(app.workshop, actor, place_id)
    if row.folio_id != state.folio_id:
        raise NotFoundError("This place hangs in another folio.")
    return in_place(app.workshop, state, OutputId.of(str(place_id), as_format), demand_of(row), row.name)


@router.get("/pictures/{picture_id}/places/{place_id}/file", dependencies=[FILES])
def finished_file(
    app: App,
    actor: SignedIn,
    picture_id: int,
    place_id: int,
    key: Annotated[str | None, Query(max_length=64)] = None,
    download: bool = False,
) -> Response:
    """The finished file; what hangs on the wall is this very file, or what is seen of it where browsers show none."""
    just_made = app.frames.get((actor.id, picture_id, place_id, key)) if key and not download else None
    if just_made is not None and just_made[1] in SHOWN:
        sha256, media_type = just_made
        headers = {"Cache-Control": FOREVER, "X-Result-Key": str(key)}
        return stored_file(app.workshop.results, sha256, media_type, headers=headers)
    placed = _placed(app, actor, picture_id, place_id)
    result = app.renderer.files.render_file(placed.rendering)
    same = key is None or key == result.key
    if download:
        note_alone(app.workshop, actor.id, EventKind.DOWNLOAD, f"Fetched “{placed.file_name}”.")
    headers = {"Cache-Control": FOREVER if key and same else "no-store", "X-Result-Key": result.key}
    name, output = placed.file_name if download else None, placed.rendering.format.output
    if not download and not (output.shown_by_browsers and placed.rendering.encoding.colour is not ColourModel.CMYK):
        shown = app.renderer.screen.shown(result, placed.rendering.format)
        return Response(shown, media_type="image/png", headers=headers)
    media_type = output.media_type
    return stored_file(app.workshop.results, result.blob_sha256, media_type, name, headers)


@router.get("/pictures/{picture_id}/places/{place_id}/draft", dependencies=[PREVIEWS])
def draft(
    request: Request,
    app: App,
    actor: SignedIn,
    picture_id: int,
    place_id: int,
    v: Annotated[str | None, Query(max_length=64)] = None,
    longest: Edge = 4_000,
) -> Response:
    """What a file will show, until it is made; only to look at. `v` is the key of that file."""
    rendering = _placed(app, actor, picture_id, place_id).rendering
    headers = {
        "Cache-Control": FOREVER if v == rendering.key else "private, no-cache",
        "ETag": f'"draft-{rendering.key}-{longest}"',
    }
    if request.headers.get("if-none-match") == headers["ETag"]:
        return Response(status_code=304, headers=headers)
    content, media_type = app.renderer.screen.finished_draft(rendering, longest)
    return Response(content, media_type=media_type, headers=headers)


@router.get("/pictures/{picture_id}/places/{place_id}/file-again", dependencies=[FILES])
def compressed_again(app: App, actor: SignedIn, picture_id: int, place_id: int) -> Response:
    """The finished file as a place shows it that compresses everything once more; only to look at."""
    placed = _placed(app, actor, picture_id, place_id)
    content = app.renderer.screen.compressed_again(placed.rendering)
    return Response(content, media_type="image/jpeg", headers={"Cache-Control": "no-store"})


@router.get("/pictures/{picture_id}/places/{place_id}/file-plain", dependencies=[FILES])
def before_compression(
    app: App,
    actor: SignedIn,
    picture_id: int,
    place_id: int,
    original: bool = False,
    v: Annotated[str | None, Query(max_length=64)] = None,
) -> Response:
    """The very pixels of the file before they were compressed, as PNG; or those of the picture without its steps."""
    placed = _placed(app, actor, picture_id, place_id, without_steps=original)
    content = app.renderer.screen.uncompressed(placed.rendering)
    kept = FOREVER if v and v == _placed(app, actor, picture_id, place_id).rendering.key else "no-store"
    return Response(content, media_type="image/png", headers={"Cache-Control": kept})


@router.get("/pictures/{picture_id}/files", dependencies=[FILES])
def all_files(app: App, actor: SignedIn, picture_id: int) -> StreamingResponse:
    """The files of a picture for all places, as one archive."""
    name, pieces = archive_of_picture(app.renderer, app.workshop, actor, picture_id)
    headers = {"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"}
    return StreamingResponse(pieces, media_type="application/zip", headers=headers)


@router.get("/pictures/{picture_id}/places/{place_id}/weight", dependencies=[FILES])
def weight_as(
    request: Request,
    app: App,
    actor: SignedIn,
    picture_id: int,
    place_id: int,
    format: FormatName,
) -> HTMLResponse:
    """The real weight in one format, by encoding it."""
    placed = _placed(app, actor, picture_id, place_id, format)
    result = app.renderer.files.render_file(placed.rendering)
    over = placed.demand.max_bytes is not None and result.byte_count > placed.demand.max_bytes
    return partial(request, "bench/weight.html", words=result_words(result), over=over)
