"""Pictures by API: facts, documents, renderings."""

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response
from starlette.responses import FileResponse

from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.line.places import read_demand
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.output_id import OutputId
from lucidex.core.stamp.texts import NO_TEXTS, Texts
from lucidex.services.assets.assets import check_steps
from lucidex.services.intake.intake import take_page
from lucidex.services.intake.sources import original_file
from lucidex.services.people.events import EventKind, note_alone
from lucidex.services.pictures import documents
from lucidex.services.places.places import demand_of, find_place
from lucidex.services.rendering import render_requests
from lucidex.web.api.documents_in import ReadApart
from lucidex.web.api.shapes import DocumentIn, DocumentOut, RenderIn, VersionIn
from lucidex.web.request.admission import FILES
from lucidex.web.request.body_limits import DOCUMENT_BYTES, takes
from lucidex.web.request.context import App, AppContext, Bearer
from lucidex.web.request.stored import stored_file

router = APIRouter(tags=["pictures"], route_class=ReadApart)

_PASSING_PLACE = OutputId("0")  # the key of a place that hangs nowhere


@router.get("/pictures/{picture_id}")
def read_picture(app: App, actor: Bearer, picture_id: int) -> DocumentOut:
    """The picture's document with its version."""
    return DocumentOut.of(documents.read_picture(app.workshop, actor, picture_id))


@router.get("/pictures/{picture_id}/original", response_class=FileResponse, dependencies=[FILES])
def read_original(app: App, actor: Bearer, picture_id: int) -> Response:
    """The original, byte for byte."""
    sha256, name, facts = original_file(app.workshop, actor, picture_id)
    return stored_file(app.workshop.originals, sha256, facts.media_type, name)


@router.post("/pictures/{picture_id}/pages/{page}", status_code=201, dependencies=[FILES])
def take_another_page(
    app: App,
    actor: Bearer,
    picture_id: int,
    page: Annotated[int, Path(ge=1, le=10_000)],
    density: Annotated[int | None, Query(ge=1, le=20_000, description="of what has no pixels of its own")] = None,
) -> DocumentOut:
    """Another page of the picture's file, or the same drawn more densely, as a picture of its own: its document."""
    taken = take_page(app.workshop, actor, picture_id, page, density)
    return DocumentOut.of(documents.read_picture(app.workshop, actor, taken))


@router.put("/pictures/{picture_id}/document")
@takes(DOCUMENT_BYTES)
def change_document(app: App, actor: Bearer, picture_id: int, body: DocumentIn) -> DocumentOut:
    """Put a changed document in place; 409 where somebody else was faster, and nothing is lost."""
    state = documents.change(
        app.workshop, actor, picture_id, body.version, body.message, lambda before, facts: body.document
    )
    return DocumentOut.of(state)


@router.post("/pictures/{picture_id}/undo")
def undo(app: App, actor: Bearer, picture_id: int, body: VersionIn) -> DocumentOut:
    """Take the last change back."""
    return DocumentOut.of(documents.undo(app.workshop, actor, picture_id, body.version))


@router.post("/pictures/{picture_id}/redo")
def redo(app: App, actor: Bearer, picture_id: int, body: VersionIn) -> DocumentOut:
    """Make it again."""
    return DocumentOut.of(documents.redo(app.workshop, actor, picture_id, body.version))


@router.get("/pictures/{picture_id}/places/{place_id}/file", response_class=FileResponse, dependencies=[FILES])
def finished_file(app: App, actor: Bearer, picture_id: int, place_id: int, texts: bool = False) -> Response:
    """The finished file for a hung place: the bytes of the wall, or with the picture's texts put in as XMP."""
    state = documents.read_picture(app.workshop, actor, picture_id)
    place = find_place(app.workshop, actor, place_id)
    if place.folio_id != state.folio_id:
        raise NotFoundError("This place hangs in another folio.")
    output = OutputId.of(str(place_id))
    placed = render_requests.in_place(app.workshop, state, output, demand_of(place), place.name)
    note_alone(app.workshop, actor.id, EventKind.DOWNLOAD, f"Fetched “{placed.file_name}” by a script.")
    return _file(app, placed, state.document.texts if texts else NO_TEXTS)


@router.post("/pictures/{picture_id}/render", response_class=FileResponse, dependencies=[FILES])
@takes(DOCUMENT_BYTES)
def render(app: App, actor: Bearer, picture_id: int, body: RenderIn) -> Response:
    """Render for any demand, with given steps and framing or the document's; nothing is recorded."""
    state = documents.read_picture(app.workshop, actor, picture_id)
    parts: dict[str, object] = {"framings": {_PASSING_PLACE: body.framing} if body.framing else {}}
    if body.steps is not None:
        check_steps(app.workshop, actor, body.steps)
        parts["steps"] = body.steps
    passing = documents.with_document(state, state.document.model_copy(update=parts))
    demand = wanted_demand(body.typed, body.demand)
    placed = render_requests.in_place(app.workshop, passing, _PASSING_PLACE, demand)
    return _file(app, placed, state.document.texts if body.texts else NO_TEXTS)


def wanted_demand(typed: str | None, demand: PlaceDemand | None) -> PlaceDemand:
    """The demand given in words or as a whole; exactly one of them."""
    if (typed is None) == (demand is None):
        raise OutOfRangeError("Send either “typed” (for example 1600x640) or a whole “demand”.")
    return demand if demand is not None else read_demand(typed or "").demand()


def _file(app: AppContext, placed: render_requests.PlacedPicture, texts: Texts) -> Response:
    stamp = placed.rendering.stamp.model_copy(update={"texts": texts}) if texts.are_there else placed.rendering.stamp
    result = app.renderer.files.render_file(placed.rendering.carrying(stamp))
    headers = {
        "X-Result-Width": str(placed.size.width),
        "X-Result-Height": str(placed.size.height),
        "X-Result-Bytes": str(result.byte_count),
        "X-Result-Key": result.key,
        "X-Result-Flags": ", ".join(flag.kind for flag in placed.flags_at(result.byte_count, result.statistics)),
    }
    media_type = placed.rendering.format.output.media_type
    return stored_file(app.workshop.results, result.blob_sha256, media_type, placed.file_name, headers)
