"""Words on a place: typed and moved on the picture, in a shipped face or one's own; fields are filled in."""

from typing import Annotated, Any

from fastapi import APIRouter, Depends, File, Form, Query, UploadFile
from starlette.responses import HTMLResponse, Response

from lucidex.core.document import MAX_FIELDS, PictureDocument
from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.text.faces import Family
from lucidex.core.finish.text.fields import FIELDS, field_name
from lucidex.core.finish.text.letters import settable
from lucidex.core.finish.text.own_faces import MAX_FONT_BYTES
from lucidex.core.geometry.sizes import Box, Size, Window
from lucidex.core.keys import appearance_key
from lucidex.core.proof.warnings import WayOut
from lucidex.core.source.facts import SourceFacts
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import expect, plain
from lucidex.core.steps.text import MAX_TYPED, Text
from lucidex.records.models import Place
from lucidex.services.assets import fonts
from lucidex.services.bench.words_on_pictures import WordsApart, words_apart
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState
from lucidex.services.places.places import demand_of
from lucidex.services.rendering.render_requests import MAX_PREVIEW_EDGE, PlacedPicture
from lucidex.web.pixels.files import FOREVER
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.body_limits import AROUND_A_FILE, takes
from lucidex.web.request.context import AppContext
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.control import Control
from lucidex.web.views.bench.request import AtBench, Bench
from lucidex.web.views.bench.stage import StageValues, size_values

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}/text", dependencies=[Depends(check_csrf)], include_in_schema=False
)
MAX_FONT_CHUNK = 1 << 20
Pixel = Annotated[float, Form(ge=-40_000, le=40_000, allow_inf_nan=False)]
Edge = Annotated[int, Query(ge=1, le=MAX_PREVIEW_EDGE)]


def _step(at: AtBench, step_id: str) -> Text:
    return expect(at.step(step_id).step, Text, "This step has no words.")


def _put(bench: AtBench, step_id: str, **values: object) -> HTMLResponse:
    step = Text.model_validate({**_step(bench, step_id).model_dump(mode="json"), **values})
    return _with(bench, step_id, step)


def _with(at: AtBench, step_id: str, step: Text) -> HTMLResponse:
    at.change(plain(step.sentence()), edits.replace_step(step_id, step))
    return at.show(at.place, step_id)


@router.post("/typed", dependencies=[PREVIEWS])
def typed(at: Bench, step_id: str, text: Annotated[str, Form(max_length=100_000)] = "") -> HTMLResponse:
    """Other words."""
    text = settable(text)
    if len(text) > MAX_TYPED:
        raise OutOfRangeError(f"Up to {MAX_TYPED} letters can be typed on a picture; these are {len(text)}.")
    return _put(at, step_id, text=text)


@router.post("/at", dependencies=[PREVIEWS])
def put_at(at: Bench, step_id: str, x: Pixel, y: Pixel) -> HTMLResponse:
    """Somewhere else: the middle of the words, in pixels of the chosen place."""
    apart = _apart(at, step_id)
    inner = apart.inner
    across = min(max((x - inner.left) / inner.size.width, 0.0), 1.0)
    down = min(max((y - inner.top) / inner.size.height, 0.0), 1.0)
    return _put(at, step_id, at=(round(across, 5), round(down, 5)))


@router.post("/anchor", dependencies=[PREVIEWS])
def keep_to(at: Bench, step_id: str, anchor: Annotated[str, Form(max_length=20)]) -> HTMLResponse:
    """At one of the nine points again."""
    return _put(at, step_id, anchor=anchor, at=None)


@router.post("/face", dependencies=[PREVIEWS])
def choose_face(
    at: Bench, step_id: str, family: Annotated[Family | None, Form()] = None, font: Annotated[int, Form()] = 0
) -> HTMLResponse:
    """Another face: a shipped one, or one of the person's own."""
    if font:
        return _put(at, step_id, font=fonts.read_font(at.app.workshop, at.actor, font).file.model_dump(mode="json"))
    return _put(at, step_id, font=None, family=family or Family.SANS)


@router.post("/font-file", dependencies=[PREVIEWS])
@takes(MAX_FONT_BYTES + AROUND_A_FILE)
def bring_face(at: Bench, step_id: str, file: Annotated[UploadFile, File()]) -> HTMLResponse:
    """Another face, from a TTF or OTF file, which is kept for other words too."""
    _step(at, step_id)
    chunks = iter(lambda: file.file.read(MAX_FONT_CHUNK), b"")
    kept = fonts.keep_font(at.app.workshop, at.actor, file.filename or "font", chunks)
    return _put(at, step_id, font=kept.file.model_dump(mode="json"))


@router.post("/font-forget")
def forget_face(at: Bench, step_id: str) -> HTMLResponse:
    """Take the face out of the person's list; words that are set in it stay so."""
    file = _step(at, step_id).font
    mine = fonts.read_fonts(at.app.workshop, at.actor)
    kept = next((one for one in mine if file and one.sha256 == file.sha256), None)
    if kept is None:
        raise OutOfRangeError("This face is not in your list.")
    fonts.forget_font(at.app.workshop, at.actor, kept.id)
    return at.show(at.place, step_id)


@router.post("/better", dependencies=[PREVIEWS])
def read_better(at: Bench, step_id: str, way: Annotated[WayOut, Form()]) -> HTMLResponse:
    """On a plate, or in the other one of light and dark."""
    return _with(at, step_id, _step(at, step_id).easier_to_read(way is WayOut.PLATE))


@router.post("/field", dependencies=[PREVIEWS])
def fill_field(
    at: Bench,
    step_id: str,
    name: Annotated[str, Form(min_length=1, max_length=40)],
    words: Annotated[str, Form(max_length=1_000)] = "",
) -> HTMLResponse:
    """What a field of one's own becomes on this picture."""
    name, words = field_name(name), settable(words)
    if name in FIELDS:
        raise OutOfRangeError(f"{{{name}}} is filled in by itself.")

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        values = {**document.words, name: words}
        kept = {key: value for key, value in values.items() if value}
        if len(kept) > MAX_FIELDS:
            raise OutOfRangeError(f"A picture has at most {MAX_FIELDS} fields of its own.")
        return document.model_copy(update={"words": kept})

    at.change(f"{{{name}}} is “{words[:60]}”" if words else f"{{{name}}} is empty", alter)
    return at.show(at.place, step_id)


def _apart(at: AtBench, step_id: str) -> WordsApart:
    state = at.state
    if at.place is None:
        raise OutOfRangeError("Choose a place first.")
    row, demand = at.hung(at.place)
    return words_apart(at.app.workshop, state, step_id, row, demand)


@router.get("/below", dependencies=[PREVIEWS])
def below(
    at: Bench,
    step_id: str,
    w: Edge,
    h: Edge,
    v: Annotated[str, Query(max_length=64)] = "",
    part: Annotated[str, Query(max_length=80, pattern=r"^(\d{1,5}(,\d{1,5}){3})?$")] = "",
) -> Response:
    """The finished size without the words."""
    apart = _apart(at, step_id)
    numbers = [float(number) for number in part.split(",")] if part else None
    content = at.app.renderer.screen.finished_part(apart.without, Window(*numbers) if numbers else None, Size(w, h))
    kept = FOREVER if v == _below_key(apart) else "no-store"
    return Response(content, media_type=_media(content), headers={"Cache-Control": kept})


def _media(content: bytes) -> str:
    return "image/png" if content.startswith(b"\x89PNG") else "image/jpeg"


def _below_key(apart: WordsApart) -> str:
    return apart.without.pixels_key[:24]


@router.get("/alone", dependencies=[PREVIEWS])
def alone(at: Bench, step_id: str, v: Annotated[str, Query(max_length=64)] = "") -> Response:
    """The words and what lies behind them, alone on a clear ground."""
    apart = _apart(at, step_id)
    rendering = apart.without
    content = at.app.renderer.screen.thing_alone(apart.step, rendering, apart.part, apart.assets)
    kept = FOREVER if v == _alone_key(apart) else "no-store"
    return Response(content, media_type="image/png", headers={"Cache-Control": kept})


def _alone_key(apart: WordsApart) -> str:
    entry = StepEntry.model_validate({"id": "a", "step": apart.step.model_dump(mode="json")})
    # what lies below the words takes part in how they look
    return appearance_key(apart.without.source_key, (entry,)) + _below_key(apart)


def _stage(
    app: AppContext, state: PictureState, entry: StepEntry, place: Place, placed: PlacedPicture
) -> StageValues:
    """The finished size without the words, and the words over it, to be moved."""
    apart = words_apart(app.workshop, state, entry.id, place, demand_of(place))
    at = f"/pictures/{state.picture_id}/steps/{entry.id}/text"
    facts: StageValues = {
        "mode": "text",
        "step": entry.id,
        "picture": size_values(apart.without.size),
        "judge": [],
        "clear": placed.rendering.format.output.keeps_clear,
        "preview": f"{at}/below?place={place.id}&v={_below_key(apart)}",
        "content": [],
        "post": at,
    }
    step = expect(entry.step, Text, "")
    if apart.placed is not None:
        box, part = apart.placed.box, apart.part
        facts["words"] = _box_values(part) | {
            "address": f"{at}/alone?place={place.id}&v={_alone_key(apart)}",
            "x": box.left,
            "y": box.top,
            "wide": box.size.width,
            "high": box.size.height,
            "angle": step.angle_degrees,
            "text": step.text,
        }
    return facts


def _box_values(box: Box) -> dict[str, Any]:
    return {"left": box.left, "top": box.top, "width": box.size.width, "height": box.size.height}


def _values(app: AppContext, actor: Actor) -> list[fonts.KeptFont]:
    return fonts.read_fonts(app.workshop, actor)


CONTROL = Control("text", place_stage=_stage, values=_values, routes=router)
