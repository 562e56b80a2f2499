"""Areas on the stage: drawn, moved, pulled, typed, dropped; one control for all steps that act on one."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form
from starlette.responses import HTMLResponse

from lucidex.core.areas.placing import Placed, kept, kept_outline, kept_path, moved_on_picture
from lucidex.core.areas.shapes import Brushed, Ellipse, Outline, Rectangle, Shape
from lucidex.core.errors import NotFoundError, NotUnderstoodError, OutOfRangeError
from lucidex.core.geometry.sizes import Point
from lucidex.core.steps import ALL_STEPS, StepEntry, finding
from lucidex.core.steps.base import Step, expect, plain
from lucidex.core.steps.mend_spots import CopySpot, RemoveDust
from lucidex.core.steps.on_area import AreaStep, Gesture, Tool
from lucidex.services.bench.steps import found_again
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState
from lucidex.services.rendering.render_requests import up_to
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.area_list import shape_values, spot_values
from lucidex.web.views.bench.control import Control
from lucidex.web.views.bench.request import AtBench, Bench, Pixels
from lucidex.web.views.bench.stage import StageValues, whole

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}/area",
    dependencies=[Depends(check_csrf), PREVIEWS],
    include_in_schema=False,
)

MAX_WAY = 60_000  # letters of a drawn way: some thousands of points
MAX_POINTS_DRAWN = 4_000
NEW_SHARE = 0.25  # of the picture's shorter side: an area that is added without being drawn
_FARTHEST = 100_000.0

Way = Annotated[str, Form(max_length=MAX_WAY)]
Radius = Annotated[float, Form(gt=0, le=20_000, allow_inf_nan=False)]
Angle = Annotated[float, Form(ge=-360, le=360, allow_inf_nan=False)]


def _step(at: AtBench, step_id: str) -> AreaStep:
    return expect(at.step(step_id).step, AreaStep, "This step has no areas.")


def _numbered(step: AreaStep, number: int) -> Shape:
    if not 0 <= number < len(step.shapes):
        raise NotFoundError("This area is no longer there.")
    return step.shapes[number]


def _put(at: AtBench, step_id: str, drawn: AreaStep) -> HTMLResponse:
    step: Step = drawn
    if finding.looks_again(drawn, {"shapes"}):
        step = found_again(at.app.renderer, at.state, step_id, drawn)
    at.change(plain(step.sentence()), edits.replace_step(step_id, step))
    return at.show(at.place, step_id)


def _with(step: AreaStep, number: int, *shapes: Shape) -> AreaStep:
    return step.with_shapes((*step.shapes[:number], *shapes, *step.shapes[number + 1 :]))


def points_of(way: str) -> tuple[Point, ...]:
    """The points of a drawn way: numbers in pairs, divided by blanks.

    >>> points_of("1 2.5 3 4")
    (Point(x=1.0, y=2.5), Point(x=3.0, y=4.0))
    """
    try:
        numbers = [float(number) for number in way.split()]
    except ValueError as error:
        raise NotUnderstoodError("This way is not made of numbers.") from error
    pairs = list(zip(numbers[::2], numbers[1::2], strict=False))
    if not pairs or len(numbers) % 2 or not all(abs(number) <= _FARTHEST for number in numbers):
        raise OutOfRangeError("A way needs points, each of two numbers.")
    if len(pairs) > MAX_POINTS_DRAWN:
        raise OutOfRangeError(f"A stroke has at most {MAX_POINTS_DRAWN} points. Draw it in two.")
    return tuple(Point(x, y) for x, y in pairs)


@router.post("/draw")
def draw(
    at: Bench,
    step_id: str,
    tool: Annotated[Tool, Form()],
    way: Way,
    radius: Radius = 1.0,
    away: Annotated[bool, Form()] = False,
    does: Annotated[str, Form(max_length=20)] = "",
) -> HTMLResponse:
    """What was drawn on the prepared picture, in its pixels."""
    step = _step(at, step_id)
    gesture = Gesture(tool, points_of(way), radius, away and step.takes_away, does)
    if step.looks_first:
        before = up_to(at.state.document, step_id)
        gesture = step.seen_on(gesture, at.app.renderer.finder.raster(at.state, before, step.looked_at_edge))
    return _put(at, step_id, step.drawn(gesture, at.state.geometry))


@router.post("/add")
def add(at: Bench, step_id: str, tool: Annotated[Tool, Form()]) -> HTMLResponse:
    """An area in the middle of the picture, to be moved by numbers and keys."""
    step, geometry = _step(at, step_id), at.state.geometry
    middle, side = geometry.window.centre, NEW_SHARE * geometry.size.shortest
    corners = {
        Tool.OVAL: ((-0.5, -0.5), (0.5, 0.5)),
        Tool.BOX: ((-0.5, -0.5), (0.5, 0.5)),
        Tool.OUTLINE: ((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)),
    }.get(tool, ((0.0, 0.0),))
    points = tuple(Point(middle.x + x * side, middle.y + y * side) for x, y in corners)
    gesture = Gesture(tool, points, step.brush_radius * geometry.size.shortest, way=step.first_way)
    return _put(at, step_id, step.drawn(gesture, geometry))


@router.post("/{number}/put")
def put(
    at: Bench, step_id: str, number: int, x: Pixels, y: Pixels, width: Pixels, height: Pixels, angle: Angle = 0.0
) -> HTMLResponse:
    """An oval or a box elsewhere: its middle, its sides and its angle on the prepared picture."""
    step = _step(at, step_id)
    before = _numbered(step, number)
    if not isinstance(before, Ellipse | Rectangle):
        raise OutOfRangeError("This area has no sides.")
    after = kept(type(before), Placed(Point(x, y), width, height, angle), at.state.geometry, before.takes_away)
    return _put(at, step_id, _with(step, number, after))


@router.post("/{number}/reshape")
def reshape(
    at: Bench, step_id: str, number: int, way: Way, radius: Radius = 1.0, sharp: Annotated[str, Form()] = ""
) -> HTMLResponse:
    """Other points of an outline, or another path or radius of a stroke, on the prepared picture."""
    step, points, geometry = _step(at, step_id), points_of(way), at.state.geometry
    before = _numbered(step, number)
    if isinstance(before, Outline):
        after: Shape = kept_outline(points, geometry, smooth=False, takes_away=before.takes_away).model_copy(
            update={"smooth": before.smooth, "sharp": tuple(int(one) for one in sharp.split() if one.isdigit())}
        )
        return _put(at, step_id, _with(step, number, type(before).model_validate(after.model_dump())))
    if not isinstance(before, Brushed):
        raise OutOfRangeError("This area has no points.")
    paths, kept_radius = kept_path(points, radius, geometry)
    parts = [before.model_copy(update={"path": path, "radius": kept_radius}) for path in paths]
    return _put(at, step_id, _with(step, number, *parts))


@router.post("/{number}/move")
def move(at: Bench, step_id: str, number: int, dx: Pixels, dy: Pixels) -> HTMLResponse:
    """An area moved by so many pixels of the prepared picture."""
    step = _step(at, step_id)
    moved = moved_on_picture(_numbered(step, number), at.state.geometry, dx, dy)
    return _put(at, step_id, _with(step, number, moved.model_copy(update={"found": False})))


@router.post("/{number}/drop")
def drop(at: Bench, step_id: str, number: int) -> HTMLResponse:
    """Without this area."""
    step = _step(at, step_id)
    _numbered(step, number)
    return _put(at, step_id, _with(step, number))


@router.post("/drop-all")
def drop_all(at: Bench, step_id: str) -> HTMLResponse:
    """Without all of them."""
    return _put(at, step_id, _step(at, step_id).with_shapes(()))


@router.post("/accept")
def accept(at: Bench, step_id: str, number: Annotated[int, Form()] = -1) -> HTMLResponse:
    """Mend what was proposed: one place, or all."""
    step = expect(at.step(step_id).step, RemoveDust, "Nothing is proposed here.")
    chosen = {number} if number >= 0 else set(range(len(step.shapes)))
    shapes = [
        spot.model_copy(update={"proposed": spot.proposed and seat not in chosen})
        for seat, spot in enumerate(step.shapes)
    ]
    return _put(at, step_id, step.with_shapes(shapes))


@router.post("/drop-proposed")
def drop_proposed(at: Bench, step_id: str) -> HTMLResponse:
    """Forget what was proposed and not accepted."""
    step = expect(at.step(step_id).step, RemoveDust, "Nothing is proposed here.")
    return _put(at, step_id, step.with_shapes([spot for spot in step.shapes if not spot.proposed]))


@router.post("/source")
def mark_source(at: Bench, step_id: str, x: Pixels, y: Pixels) -> HTMLResponse:
    """The place of the prepared picture from which is copied."""
    step = expect(at.step(step_id).step, CopySpot, "This step copies nothing.")
    return _put(at, step_id, step.with_source(at.state.geometry.held_content(Point(x, y))))


def _stage(state: PictureState, entry: StepEntry) -> StageValues:
    step = expect(entry.step, AreaStep, "This step has no areas.")
    geometry = state.geometry
    source = step.marked
    return whole(state, state.document, None) | {
        "mode": "area",
        "shapes": shape_values(step.shapes, geometry),
        "tools": [tool.value for tool in step.tools],
        "brushed": step.brush_words,
        "ways": list(step.ways),
        "begins": step.first_way,
        "away": step.takes_away,
        "sourced": step.takes_source,
        "source": spot_values(geometry.to_picture(Point(*source))) if source else None,
        "brush": round(step.brush_radius * geometry.size.shortest, 2),
        "step": entry.id,
        "post": f"/pictures/{state.picture_id}/steps/{entry.id}/area",
    }


CONTROLS = tuple(
    Control(kind.model_fields["kind"].default, stage=_stage, partial="areas")
    for kind in ALL_STEPS
    if issubclass(kind, AreaStep)
)
