"""Sheets over the bench: values tried side by side, and steps put on other pictures."""

from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Form, Query
from starlette.responses import HTMLResponse, Response

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError, UserError
from lucidex.core.geometry.sizes import Size
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import Step, plain
from lucidex.services.bench.steps import LANDS, PutStep, carried_steps, put_on_pictures, varied
from lucidex.services.folios.folios import read_folio
from lucidex.services.intake.intake import copy_picture
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import read_picture
from lucidex.services.rendering.render_requests import PlacedPicture, for_screen, in_place
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import partial
from lucidex.web.views.bench.request import AtBench, Bench

router = APIRouter(prefix="/pictures/{picture_id}", dependencies=[Depends(check_csrf)], include_in_schema=False)

MAX_VALUES = 9
VARIANT_EDGE = 640
ALL_STEPS_ID = "all"

Value = Annotated[str, Query(max_length=40)]


def split_values(text: str) -> list[str]:
    """The values of a typed list, divided by semicolons.

    >>> split_values(" 1; 2,5 ;; 3")
    ['1', '2,5', '3']
    """
    values = [part.strip() for part in text.split(";") if part.strip()]
    if not values:
        raise NotUnderstoodError("Write the values to try, divided by semicolons.")
    if len(values) > MAX_VALUES:
        raise OutOfRangeError(f"At most {MAX_VALUES} values side by side; these are {len(values)}.")
    return values


@router.get("/steps/{step_id}/variants")
def variants(at: Bench, step_id: str, values: Annotated[str, Query(max_length=200)] = "") -> HTMLResponse:
    """The picture with several values of a step, side by side."""
    entry = at.step(step_id)
    step: Step = entry.step
    tried: list[tuple[str, str, str | None]] = []
    for value in split_values(values or step.variants):
        try:
            tried.append((value, plain(step.varied(value).sentence()), None))
        except UserError as error:
            tried.append((value, "", error.sentence))
    return partial(
        at.request,
        "bench/variants.html",
        picture_id=at.picture_id,
        entry=entry,
        tried=tried,
        values=values or step.variants,
        place=at.place,
        version=at.state.version,
    )


@router.get("/steps/{step_id}/variant", dependencies=[PREVIEWS])
def variant_preview(at: Bench, step_id: str, value: Value) -> Response:
    """One of them, no larger than the sheet needs."""
    state = at.state
    document = varied(at.app.renderer, state, step_id, value)
    rendering = for_screen(at.app.workshop, state, Size(VARIANT_EDGE, VARIANT_EDGE), document)
    content = at.app.renderer.screen.preview(rendering)
    return Response(content, media_type=rendering.format.output.media_type, headers={"Cache-Control": "no-store"})


@router.post("/steps/{step_id}/variant", dependencies=[PREVIEWS])
def keep_variant(
    at: Bench, step_id: str, value: Annotated[str, Form(max_length=40)], apart: Annotated[bool, Form()] = False
) -> HTMLResponse:
    """Go on with one of the values; or keep it apart, as a picture of its own with its own steps."""
    document = varied(at.app.renderer, at.state, step_id, value)
    entry = next(one for one in document.steps if one.id == step_id)
    if apart:
        made = copy_picture(at.app.workshop, at.actor, at.picture_id, document, value, plain(entry.step.sentence()))
        name = read_picture(at.app.workshop, at.actor, made).file_name
        message = partial(at.request, "bench/part_made.html", made=made, name=name)
        return HTMLResponse(bytes(at.show(at.place, step_id).body) + bytes(message.body))
    at.change(f"Chosen from several: {plain(entry.step.sentence())}", edits.replace_step(step_id, entry.step))
    return at.show(at.place, step_id)


@router.get("/steps/{step_id}/copy")
def choose_pictures(at: Bench, step_id: str) -> HTMLResponse:
    """The other pictures of the folio, to put a step (or all steps) on."""
    goes, stays = _copied(at, step_id)
    folio = read_folio(at.app.workshop, at.actor, at.state.folio_id)
    return partial(
        at.request,
        "bench/copy.html",
        pictures=[picture for picture in folio.pictures if picture.id != at.picture_id],
        picture_id=at.picture_id,
        step_id=step_id,
        place=at.place,
        goes=[plain(entry.step.sentence()) for entry in goes],
        lands=LANDS if any(entry.step.lies_where_drawn for entry in goes) else "",
        stays=[plain(entry.step.sentence()) for entry in stays],
    )


@router.post("/steps/{step_id}/copy", dependencies=[PREVIEWS])
def put_on_others(at: Bench, step_id: str, on: Annotated[list[int], Form()] = []) -> HTMLResponse:  # noqa: B006
    """Put a step, or all steps, on chosen pictures of the folio; each can take it back for itself."""
    goes, _ = _copied(at, step_id)
    if not goes:
        raise OutOfRangeError("There is no step here that could go to other pictures.")
    if not on:
        raise OutOfRangeError("Choose the pictures first.")
    here = {picture.id for picture in read_folio(at.app.workshop, at.actor, at.state.folio_id).pictures}
    chosen = [picture for picture in dict.fromkeys(on) if picture in here and picture != at.picture_id]
    steps = [PutStep(entry.step, entry.only_in) for entry in goes]
    done = put_on_pictures(at.app.renderer, at.app.workshop, at.actor, steps, at.state.folio_id, chosen)
    return partial(at.request, "bench/copied.html", folio_id=at.state.folio_id, done=done)


def _copied(at: AtBench, step_id: str) -> tuple[list[StepEntry], list[StepEntry]]:
    if step_id != ALL_STEPS_ID:
        entry = at.step(step_id)
        return [entry.model_copy(update={"step": entry.step.for_others})], []
    return carried_steps(at.state.document)


@router.get("/places/{place_id}/enlargement")
def compare_enlargement(at: Bench, place_id: int) -> HTMLResponse:
    """An enlarged result beside a plain enlargement, at actual pixels."""
    placed = _placed(at, place_id)
    factor = placed.placement.enlargement
    return partial(
        at.request,
        "bench/enlargement.html",
        picture_id=at.picture_id,
        place_id=place_id,
        factor=factor,
        flags=placed.flags,
    )


@router.get("/places/{place_id}/enlargement/{way}", dependencies=[PREVIEWS])
def enlargement(at: Bench, place_id: int, way: Literal["plain", "ours"]) -> Response:
    """One of the two."""
    content = at.app.renderer.screen.enlargement(_placed(at, place_id).rendering, plainly=way == "plain")
    return Response(content, media_type="image/png", headers={"Cache-Control": "no-store"})


def _placed(at: AtBench, place_id: int) -> PlacedPicture:
    row, demand = at.hung(place_id)
    return in_place(at.app.workshop, at.state, OutputId.of(str(place_id)), demand, row.name)
