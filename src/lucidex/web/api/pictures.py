"""Pictures by API: facts, documents, renderings."""

from fastapi import APIRouter
from starlette.responses import FileResponse

from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.places import PlaceDemand
from lucidex.core.typed_places import read_demand
from lucidex.services import prepare, wanted
from lucidex.services.events import EventKind, note_alone
from lucidex.services.gather import original_file
from lucidex.services.logos import check_steps
from lucidex.services.places import demand_of, find_place
from lucidex.web.api.shapes import DocumentIn, DocumentOut, RenderIn, VersionIn
from lucidex.web.context import App, AppContext, Bearer
from lucidex.web.waiting import FILES

router = APIRouter(tags=["pictures"])

_PASSING_PLACE = "0"  # the key of a place that hangs nowhere


@router.get("/pictures/{picture_id}")
def read_picture(app: App, who: Bearer, picture_id: int) -> DocumentOut:
    """The picture's document with its version."""
    return DocumentOut.of(prepare.read_picture(app.workshop, who, picture_id))


@router.get("/pictures/{picture_id}/original", response_class=FileResponse, dependencies=[FILES])
def read_original(app: App, who: Bearer, picture_id: int) -> FileResponse:
    """The original, byte for byte."""
    path, name, facts = original_file(app.workshop, who, picture_id)
    return FileResponse(path, media_type=facts.media_type, filename=name)


@router.put("/pictures/{picture_id}/document")
def change_document(app: App, who: Bearer, picture_id: int, body: DocumentIn) -> DocumentOut:
    """Put a changed document in place; 409 where somebody else was faster, and nothing is lost."""
    state = prepare.change(
        app.workshop, who, picture_id, body.version, body.said, lambda before, facts: body.document
    )
    return DocumentOut.of(state)


@router.post("/pictures/{picture_id}/undo")
def undo(app: App, who: Bearer, picture_id: int, body: VersionIn) -> DocumentOut:
    """Take the last change back."""
    return DocumentOut.of(prepare.undo(app.workshop, who, picture_id, body.version))


@router.post("/pictures/{picture_id}/redo")
def redo(app: App, who: Bearer, picture_id: int, body: VersionIn) -> DocumentOut:
    """Make it again."""
    return DocumentOut.of(prepare.redo(app.workshop, who, picture_id, body.version))


@router.get("/pictures/{picture_id}/places/{place_id}/file", response_class=FileResponse, dependencies=[FILES])
def finished_file(app: App, who: Bearer, picture_id: int, place_id: int) -> FileResponse:
    """The finished file for a hung place: the same bytes as on the wall."""
    state = prepare.read_picture(app.workshop, who, picture_id)
    place = find_place(app.workshop, who, place_id)
    if place.folio_id != state.folio_id:
        raise NotFoundError("This place hangs in another folio.")
    placed = wanted.in_place(app.workshop, state, str(place_id), demand_of(place))
    note_alone(app.workshop, who.id, EventKind.DOWNLOAD, f"Fetched “{placed.file_name}” by a script.")
    return _file(app, placed)


@router.post("/pictures/{picture_id}/render", response_class=FileResponse, dependencies=[FILES])
def render(app: App, who: Bearer, picture_id: int, body: RenderIn) -> FileResponse:
    """Render for any demand, with given steps and framing or the document's; nothing is recorded."""
    state = prepare.read_picture(app.workshop, who, picture_id)
    parts: dict[str, object] = {"framings": {_PASSING_PLACE: body.framing} if body.framing else {}}
    if body.steps is not None:
        check_steps(app.workshop, who, body.steps)
        parts["steps"] = body.steps
    passing = prepare.with_document(state, state.document.model_copy(update=parts))
    return _file(app, wanted.in_place(app.workshop, passing, _PASSING_PLACE, wanted_demand(body.typed, body.demand)))


def wanted_demand(typed: str | None, demand: PlaceDemand | None) -> PlaceDemand:
    """The demand given in words or as a whole; exactly one of them."""
    if (typed is None) == (demand is None):
        raise OutOfRangeError("Send either “typed” (for example 1600x640) or a whole “demand”.")
    return demand if demand is not None else read_demand(typed or "").demand()


def _file(app: AppContext, placed: wanted.PlacedPicture) -> FileResponse:
    finished = app.renderer.finish(placed.wanted)
    headers = {
        "X-Result-Width": str(placed.size.width),
        "X-Result-Height": str(placed.size.height),
        "X-Result-Bytes": str(finished.byte_count),
        "X-Result-Key": finished.key,
        "X-Result-Flags": ", ".join(flag.kind.value for flag in placed.flags_at(finished.byte_count)),
    }
    return FileResponse(
        finished.path,
        media_type=placed.wanted.format.output.media_type,
        filename=placed.file_name,
        headers=headers,
    )
