"""How cells of the sheet are written: format and quality for one, a row or a column; ways out of a weight."""

from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Form, Query
from starlette.responses import HTMLResponse, Response

from lucidex.core.encode import FORMAT_NAMES, FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.proof.warnings import WayOut
from lucidex.core.proof.warnings.poor_quality import POOR_QUALITY
from lucidex.core.units import format_weight
from lucidex.services.bench import words_on_pictures
from lucidex.services.folios.folios import read_folio
from lucidex.services.places.places import change_place, demand_of, write_also
from lucidex.services.proof import output_choices
from lucidex.services.proof.output_choices import Scope, Written
from lucidex.services.proof.weigh import Looks, Weighing
from lucidex.services.rendering.results import result_words
from lucidex.web.request.admission import FILES
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import partial
from lucidex.web.views.bench.view import format_choices
from lucidex.web.views.proof.sheet import At, AtCell

router = APIRouter(
    prefix="/pictures/{picture_id}/outputs/{output}", dependencies=[Depends(check_csrf)], include_in_schema=False
)


@router.get("/written", dependencies=[FILES])
def choices(at: At, scope: Scope = Scope.CELL) -> HTMLResponse:
    """Formats with their real weights, quality, how far the choice goes; ways out where the file is too heavy."""
    cell = at.cell
    result = at.app.renderer.files.render_file(cell.placed.rendering) if cell.placed else None
    demand = demand_of(cell.place)
    flags = cell.flags_at(result.byte_count, result.statistics) if result else ()
    return partial(
        at.request,
        "proof/written.html",
        cell=cell,
        poor=[flag for flag in flags if flag.kind == POOR_QUALITY],
        result=result,
        scope=scope,
        quality=output_choices.chosen_quality(cell),
        smaller=output_choices.smaller_choices(cell),
        formats=format_choices(),
        other_formats=format_choices(weighed=False),
        written_also=demand.also,
        count=len(read_folio(at.app.workshop, at.actor, cell.state.folio_id).pictures),
    )


@router.post("/written")
def choose(
    at: At,
    format: Annotated[str, Form(max_length=8)] = "",
    quality: Annotated[str, Form(pattern=r"^\s*(\d{1,3})?\s*$")] = "",
    scope: Annotated[Scope, Form()] = Scope.CELL,
) -> Response:
    """Write a cell, its row or its column as chosen."""
    number = int(quality) if quality.strip() else None
    if number is not None and not 1 <= number <= 100:
        raise OutOfRangeError("Quality is a whole number from 1 to 100, or nothing to have it found by itself.")
    name = FormatName(format) if format in FORMAT_NAMES else None
    written = Written(name, None if name is not None and name.output.default_quality is None else number)
    message = output_choices.write_as(at.app.workshop, at.actor, at.cell, written, scope)
    return _back(at) if scope is Scope.COLUMN else _message(at, message)


@router.post("/written-also")
def further(at: At, formats: Annotated[list[FormatName], Form()] = []) -> Response:  # noqa: B006
    """Write every picture of this place in further formats too: a column more for each."""
    write_also(at.app.workshop, at.actor, at.cell.place.id, tuple(dict.fromkeys(formats)))
    return _back(at)


@router.get("/smaller", dependencies=[FILES])
def weigh_smaller(at: At, percent: Annotated[int, Query(ge=1, le=99)] = 75) -> HTMLResponse:
    """The real weight in a smaller place of the same shape."""
    placed = output_choices.smaller(at.app.workshop, at.cell, percent)
    result = at.app.renderer.files.render_file(placed.rendering)
    over = placed.demand.max_bytes is not None and result.byte_count > placed.demand.max_bytes
    return partial(at.request, "bench/weight.html", words=result_words(result), over=over)


@router.post("/smaller")
def make_smaller(at: At, percent: Annotated[int, Form(ge=1, le=99)]) -> Response:
    """Make the place itself smaller, for every picture."""
    place = at.cell.place
    demand = output_choices.smaller_demand(at.cell, percent)
    change_place(at.app.workshop, at.actor, place.id, place.version, demand, place.name)
    return _back(at)


@router.post("/words")
def read_better(at: At, way: Annotated[WayOut, Form()]) -> Response:
    """Set the words of this picture on a plate, or in the other one of light and dark."""
    message = words_on_pictures.read_better(at.app.workshop, at.actor, at.cell, way)
    return _message(at, message)


@router.get("/enough", dependencies=[FILES])
def weigh_enough(at: At, looks: Annotated[Looks, Query()] = Looks.SLIGHT) -> HTMLResponse:
    """What a file must weigh, in the format that it has, to look so."""
    point = Weighing(at.app.renderer, at.app.workshop, at.cell).enough(looks)
    words = f"{format_weight(point.byte_count)}, {point.words}" if point else "no weight does"
    return partial(at.request, "bench/weight.html", words=words, over=False)


@router.post("/enough", dependencies=[FILES])
def allow_enough(at: At, looks: Annotated[Looks, Form()]) -> Response:
    """Let this picture be as heavy here as it must be to look so."""
    point = Weighing(at.app.renderer, at.app.workshop, at.cell).enough(looks)
    if point is None:
        raise OutOfRangeError("In this format no file looks so. Choose another one.")
    output_choices.accept_weight(at.app.workshop, at.actor, at.cell, point.byte_count)
    weight = format_weight(point.byte_count)
    return _message(at, f"{weight} allowed for “{at.cell.state.file_name}” in “{at.cell.place.name}”: {point.words}.")


@router.post("/accept-weight", dependencies=[FILES])
def accept_weight(at: At) -> Response:
    """Let this picture be as heavy as it is here."""
    if at.cell.placed is None:
        raise OutOfRangeError("There is no file to accept.")
    byte_count = at.app.renderer.files.render_file(at.cell.placed.rendering).byte_count
    output_choices.accept_weight(at.app.workshop, at.actor, at.cell, byte_count)
    return _message(
        at, f"{format_weight(byte_count)} accepted for “{at.cell.state.file_name}” in “{at.cell.place.name}”."
    )


def _message(at: AtCell, message: str) -> HTMLResponse:
    response = partial(at.request, "proof/said.html", message=message)
    response.headers["HX-Trigger"] = f'{{"row-changed": {{"picture": {at.cell.state.picture_id}}}}}'
    return response


def _back(at: AtCell) -> Response:
    """The whole sheet again: a place has changed."""
    address = f"/folios/{at.cell.state.folio_id}/proof"
    look = "look=true" in at.request.headers.get("hx-current-url", "")
    return Response(headers={"HX-Redirect": address + ("?" + urlencode({"look": "true"}) if look else "")})
