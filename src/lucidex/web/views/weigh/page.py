"""Weigh: the page of one picture in one place, the points of its curves, and the loupes."""

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, Path, Query, Request
from pydantic import BaseModel
from starlette.responses import HTMLResponse, JSONResponse, Response

from lucidex.core.encode import FormatName
from lucidex.core.encode.likeness import WORDS
from lucidex.core.encode.waiting import CONNECTIONS
from lucidex.core.encode.weighing import Point
from lucidex.core.errors import OutOfRangeError
from lucidex.core.places.output_id import OutputId
from lucidex.core.units import format_weight
from lucidex.services.folios.folios import read_folio
from lucidex.services.proof import weigh
from lucidex.services.proof.output_choices import Scope
from lucidex.services.proof.proof_sheet import find_cell
from lucidex.services.proof.weigh import Weighing
from lucidex.web.pixels.files import FOREVER
from lucidex.web.request.admission import FILES, PREVIEWS
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import lead_to, page

router = APIRouter(
    prefix="/pictures/{picture_id}/outputs/{output}/weigh",
    dependencies=[Depends(check_csrf)],
    include_in_schema=False,
)

MAX_PART = 1_600  # pixels along a side of a loupe
Quality = Annotated[int, Query(ge=1, le=100)]
Side = Annotated[int, Query(ge=1, le=MAX_PART)]
Start = Annotated[int, Query(ge=0, le=100_000)]


def weighing(app: App, actor: SignedIn, picture_id: int, output: OutputId) -> Weighing:
    """What is weighed. NotFoundError where picture and place do not belong together."""
    return Weighing(app.renderer, app.workshop, find_cell(app.workshop, actor, picture_id, output))


At = Annotated[Weighing, Depends(weighing)]


class Told(BaseModel):
    """A point as the page draws it."""

    format: str
    label: str
    quality: int
    bytes: int
    weight: str
    likeness: float
    words: str
    waits: list[str]

    @classmethod
    def of(cls, point: Point) -> "Told":
        """With its words."""
        return cls(
            format=point.format,
            label=point.format.label,
            quality=point.quality,
            bytes=point.byte_count,
            weight=format_weight(point.byte_count),
            likeness=round(point.likeness, 2),
            words=point.words,
            waits=[waits(one.seconds(point.byte_count)) for one in CONNECTIONS],
        )


def waits(seconds: float) -> str:
    """Seconds as they are felt: tenths below ten.

    >>> waits(0.04), waits(2.31), waits(14.2)
    ('under 0.1 s', '2.3 s', '14 s')
    """
    if seconds < 0.1:
        return "under 0.1 s"
    return f"{seconds:.1f} s" if seconds < 10 else f"{seconds:.0f} s"


@router.get("", dependencies=[FILES])
def look(request: Request, actor: SignedIn, at: At, back: Annotated[str, Query(max_length=10)] = "") -> HTMLResponse:
    """The page: everything that is measured already, and what the page asks for after that."""
    placed, cell = at.placed, at.cell
    current = at.current
    ceiling, known = placed.demand.max_bytes, at.known()
    file = at.renderer.files.render_file(placed.rendering)
    now = f"{format_weight(file.byte_count)}, {placed.rendering.format.label}"
    if placed.rendering.passage is not None:
        now += f", {placed.rendering.passage.short_words}"
    values: dict[str, Any] = {
        "formats": [
            {
                "name": name,
                "label": name.output.label,
                "ladder": at.ladder(name),
                "qualities": name.output.qualities,
            }
            for name in at.names
            if cell.output.format in {None, name}
        ],
        "known": [Told.of(point).model_dump() for point in known],
        "knees": _knees(known),
        "current": Told.of(current).model_dump() if current else None,
        "ceiling": ceiling,
        "borders": [(least, words) for least, words in WORDS],
        "size": [placed.size.width, placed.size.height],
        "key": placed.rendering.key[:24],
    }
    folio = read_folio(at.workshop, actor, cell.state.folio_id)
    return page(
        request,
        "weigh/weigh.html",
        actor=actor,
        folio=folio,
        cell=cell,
        placed=placed,
        current=current,
        told=Told.of(current) if current else None,
        now=now,
        facts=values,
        content=at.content,
        bits=at.bits_words,
        connections=CONNECTIONS,
        back="proof" if back == "proof" else "bench",
        before=cell.state.byte_count,
        waits=waits,
    )


@router.get("/points/{name}/{quality}", dependencies=[FILES])
def measure(at: At, name: FormatName, quality: Annotated[int, Path(ge=1, le=100)]) -> JSONResponse:
    """One point of a curve, and where less begins to show on it as far as it is known."""
    return _answer(at, at.point(name, quality))


@router.get("/lightest/{name}", dependencies=[FILES])
def lightest(at: At, name: FormatName) -> JSONResponse:
    """The lightest file of a format that looks the same."""
    return _answer(at, at.lightest(name))


@router.get("/best/{name}", dependencies=[FILES])
def best(at: At, name: FormatName) -> JSONResponse:
    """The best file of a format under the place's ceiling."""
    return _answer(at, at.best_under_ceiling(name))


def _answer(at: Weighing, point: Point | None) -> JSONResponse:
    known = at.known()
    body = {
        "point": Told.of(point).model_dump() if point else None,
        "knees": _knees([*known, point] if point else known),
    }
    return JSONResponse(body, headers={"Cache-Control": "no-store"})


def _knees(points: list[Point]) -> dict[str, dict[str, float]]:
    return {name: {"bytes": there[0], "likeness": there[1]} for name, there in weigh.knees(points).items()}


@router.get("/spots", dependencies=[PREVIEWS])
def spots(at: At, name: FormatName, quality: Quality, width: Side, height: Side) -> JSONResponse:
    """Where the file of a point differs most: left and top of spots of this size."""
    size = at.placed.size
    width, height = min(width, size.width), min(height, size.height)
    found = at.spots(name, quality, (width, height))
    corners = [
        (
            min(max(x - width // 2, 0), size.width - width),
            min(max(y - height // 2, 0), size.height - height),
        )
        for x, y in found
    ]
    return JSONResponse({"spots": corners}, headers={"Cache-Control": "no-store"})


@router.get("/part", dependencies=[PREVIEWS])
def part(
    at: At,
    left: Start,
    top: Start,
    width: Side,
    height: Side,
    name: FormatName | None = None,
    quality: Quality = 100,
    v: Annotated[str, Query(max_length=64)] = "",
) -> Response:
    """A part at actual pixels, as PNG: of the picture before it is encoded, or of the file of a point."""
    rendering = at.placed.rendering if name is None else at.rendering(name, quality)
    renderer = at.renderer
    if name is None:
        pixels = renderer.judge.pixels_before(rendering)
    else:
        pixels = renderer.judge.pixels_of(renderer.files.render_file(rendering), rendering)
    cut = pixels[top : top + height, left : left + width]
    if not cut.size:
        raise OutOfRangeError("This part lies outside the picture.")
    content = renderer.screen.part_of(cut)
    kept = FOREVER if v and v == at.placed.rendering.key[:24] else "no-store"
    return Response(content, media_type="image/png", headers={"Cache-Control": kept})


@router.post("/take")
def take(
    request: Request,
    app: App,
    actor: SignedIn,
    at: At,
    name: Annotated[FormatName, Form()],
    quality: Annotated[int, Form(ge=1, le=100)],
    scope: Annotated[Scope, Form()] = Scope.CELL,
    back: Annotated[str, Form(max_length=10)] = "",
) -> Response:
    """Write the picture so from now on, here or in every place; on to where one came from."""
    cell = at.cell
    weigh.take(app.workshop, actor, cell, name, quality, scope)
    if back == "proof":
        return lead_to(request, f"/folios/{cell.state.folio_id}/proof")
    return lead_to(request, f"/pictures/{cell.state.picture_id}?place={cell.place.id}")
