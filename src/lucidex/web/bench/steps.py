"""The ledger's actions: switch, move, remove and change a step; a crop's window and shape."""

from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from starlette.responses import HTMLResponse

from lucidex.core.document import Framing, PictureDocument
from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remedy
from lucidex.core.geometry.sizes import Box, Point, Size, Window
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize
from lucidex.core.steps.base import FindingStep, plain
from lucidex.core.steps.crop import Area, Crop, SidePixels, SidesArea, free_area, moved_area, sides_area
from lucidex.core.steps.perspective import FourPoints, is_convex
from lucidex.core.steps.room import Room
from lucidex.core.steps.straighten import MAX_ANGLE, Straighten, level_angle
from lucidex.services import edits, steps
from lucidex.services.documents import Alter, read_picture
from lucidex.services.intake import copy_picture
from lucidex.services.places import hang_place
from lucidex.services.steps import changed, remedied
from lucidex.web.admission import PREVIEWS
from lucidex.web.bench.request import AtBench, Bench, Pixels
from lucidex.web.security import TOKEN_FIELD, check_csrf
from lucidex.web.templating import partial

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)

_BY_HAND: dict[str, Callable[[PictureGeometry, Box], Area]] = {"free": free_area, "sides": sides_area}


async def form_values(request: Request) -> dict[str, str]:
    """The fields of a step's plain form, whatever the step declares; without the protection's own field."""
    return {key: str(value) for key, value in (await request.form()).items() if key != TOKEN_FIELD}


def _alter(at: AtBench, step_id: str, summary: str, alter: Alter) -> None:
    at.change(f"{summary}: {plain(at.step(step_id).step.sentence())}", alter)


def _crop(at: AtBench, step_id: str) -> Crop:
    step = at.step(step_id).step
    if not isinstance(step, Crop):
        raise OutOfRangeError("This step has no window.")
    return step


@router.post("/switch")
def switch(at: Bench, step_id: str, active: Annotated[bool, Form()] = False) -> HTMLResponse:
    """Let a step count or not."""
    _alter(at, step_id, "Switched on" if active else "Switched off", edits.switch_step(step_id, active))
    return at.show(at.place, at.open)


@router.post("/remove")
def remove_step(at: Bench, step_id: str) -> HTMLResponse:
    """Take a step out of the list."""
    _alter(at, step_id, "Removed", edits.remove_step(step_id))
    return at.show(at.place)


@router.post("/move")
def move_step(at: Bench, step_id: str, by: Annotated[int, Form(ge=-200, le=200)]) -> HTMLResponse:
    """Move a step up or down."""
    _alter(at, step_id, "Moved", edits.move_step(step_id, by))
    return at.show(at.place, step_id)


@router.post("/change", dependencies=[PREVIEWS])
def change_step(at: Bench, step_id: str, form: Annotated[dict[str, str], Depends(form_values)]) -> HTMLResponse:
    """Give a step other parameters, from its plain form."""
    step = changed(at.app.renderer, at.state, step_id, {**form})
    at.change(f"Changed: {plain(step.sentence())}", edits.replace_step(step_id, step))
    return at.show(at.place, step_id)


@router.post("/find", dependencies=[PREVIEWS])
def find_again(at: Bench, step_id: str) -> HTMLResponse:
    """Let an automatic step look at the picture again, as it is by now."""
    step = at.step(step_id).step
    if not isinstance(step, FindingStep):
        raise OutOfRangeError("This step finds nothing by itself.")
    found = steps.found_again(at.app.renderer, at.state, step_id, step.by_itself)
    at.change(f"Found again: {plain(found.sentence())}", edits.replace_step(step_id, found))
    return at.show(at.place, step_id)


@router.post("/duplicate")
def duplicate_step(at: Bench, step_id: str) -> HTMLResponse:
    """The same step once more."""
    _alter(at, step_id, "Duplicated", edits.duplicate_step(step_id))
    return at.show(at.place, step_id)


@router.post("/before/{other_id}")
def put_before(at: Bench, step_id: str, other_id: str) -> HTMLResponse:
    """Put a step before another one, as the ledger advises."""
    _alter(at, step_id, "Put first", edits.put_before(step_id, other_id))
    return at.show(at.place, at.open)


@router.post("/extent", dependencies=[PREVIEWS])
def set_room(at: Bench, step_id: str, form: Annotated[dict[str, str], Depends(form_values)]) -> HTMLResponse:
    """How much room there is: on each side, to a shape, or to an exact size."""
    step = at.step(step_id).step
    if not isinstance(step, Room):
        raise OutOfRangeError("This step adds no room.")
    extent = room_to(step, at.geometry_before(step_id), form)
    wider = changed(at.app.renderer, at.state, step_id, {"extent": extent})
    at.change(f"Changed: {plain(wider.sentence())}", edits.replace_step(step_id, wider))
    return at.show(at.place, step_id)


@router.post("/points")
def pull_points(
    at: Bench,
    step_id: str,
    x1: Pixels,
    y1: Pixels,
    x2: Pixels,
    y2: Pixels,
    x3: Pixels,
    y3: Pixels,
    x4: Pixels,
    y4: Pixels,
) -> HTMLResponse:
    """Four points, clockwise from the top left, in pixels of the picture before the step."""
    step = at.step(step_id).step
    if not isinstance(step, FourPoints):
        raise OutOfRangeError("This step has no points.")
    points = (Point(x1, y1), Point(x2, y2), Point(x3, y3), Point(x4, y4))
    if not is_convex(points):
        raise OutOfRangeError("The four points must go round a four-sided shape, without crossing.")
    pulled = step.put_on(at.geometry_before(step_id), points)
    at.change(plain(pulled.sentence()), edits.replace_step(step_id, pulled))
    return at.show(at.place, step_id)


@router.post("/shape-known", dependencies=[PREVIEWS])
def know_shape(at: Bench, step_id: str, shape: Annotated[str, Form(max_length=20)] = "") -> HTMLResponse:
    """The true shape of what the four points surround, where somebody knows it; nothing lets it be computed."""
    known = _known_shape(shape)
    step = changed(at.app.renderer, at.state, step_id, known)
    at.change(plain(step.sentence()), edits.replace_step(step_id, step))
    return at.show(at.place, step_id)


def _known_shape(text: str) -> dict[str, object]:
    if not text.strip():
        return {"across": None, "down": None}
    numbers = [part.strip() for part in text.replace("/", ":").split(":")]
    if len(numbers) != 2 or not all(number.isdigit() for number in numbers):
        raise NotUnderstoodError("Write a shape such as 210:297, or leave it empty to have it computed.")
    return {"across": int(numbers[0]), "down": int(numbers[1])}


@router.post("/remedy")
def remedy(at: Bench, step_id: str, which: Annotated[Remedy, Form()]) -> HTMLResponse:
    """What to do where a crop asks for more than there is: the largest of that shape, enlarge, or add room."""
    crop, geometry = _crop(at, step_id), at.geometry_before(step_id)
    wanted = crop.area.wanted(geometry)
    steps = remedied(crop, geometry, which)
    if which is not Remedy.ENLARGE:
        at.change(plain(steps[-1].sentence()), edits.replace_step(step_id, *steps))
        return at.show(at.place, step_id)
    demand = PlaceDemand(measure=ExactSize(width_px=wanted.width, height_px=wanted.height))
    place = hang_place(at.app.workshop, at.actor, at.state.folio_id, demand)
    framing = Framing(focal_x=crop.area.centre_x, focal_y=crop.area.centre_y)
    at.change(
        f"Enlarged to {wanted} as a place",
        edits.several(edits.remove_step(step_id), edits.set_framing(place.id, framing)),
    )
    return at.show(place.id)


@router.post("/part")
def part_as_picture(at: Bench, step_id: str) -> HTMLResponse:
    """The picture up to and with this step becomes a picture of its own in the same folio."""
    state = at.state
    index = state.document.steps.index(at.step(step_id))
    document = PictureDocument(steps=state.document.steps[: index + 1])
    made = copy_picture(at.app.workshop, at.actor, at.picture_id, document, "part", "Made from a part")
    message = partial(
        at.request, "bench/part_made.html", made=made, name=read_picture(at.app.workshop, at.actor, made).file_name
    )
    return HTMLResponse(bytes(at.show(at.place, step_id).body) + bytes(message.body))


@router.post("/window")
def move_crop(at: Bench, step_id: str, left: Pixels, top: Pixels, width: Pixels, height: Pixels) -> HTMLResponse:
    """The crop's window, dragged or typed, in pixels of the picture before the crop."""
    crop, geometry = _crop(at, step_id), at.geometry_before(step_id)
    box = _box_inside(Window(left, top, width, height), geometry.size)
    at.change(f"Cropped to {box.size}", edits.replace_step(step_id, Crop(area=moved_area(crop.area, geometry, box))))
    return at.show(at.place, step_id)


def _box_inside(window: Window, bounds: Size) -> Box:
    if window.width < 1 or window.height < 1:
        raise OutOfRangeError("A crop must be at least 1 pixel wide and high.")
    size = Size(min(round(window.width), bounds.width), min(round(window.height), bounds.height))
    left = min(max(round(window.left), 0), bounds.width - size.width)
    top = min(max(round(window.top), 0), bounds.height - size.height)
    return Box(left, top, size)


@router.post("/line")
def level_by_line(at: Bench, step_id: str, x1: Pixels, y1: Pixels, x2: Pixels, y2: Pixels) -> HTMLResponse:
    """A line drawn on the straightened picture (its pixels): it becomes level or upright, whichever is nearer."""
    step = at.step(step_id).step
    if not isinstance(step, Straighten):
        raise OutOfRangeError("This step takes no line.")
    angle = round(step.angle_degrees + level_angle(Point(x1, y1), Point(x2, y2)), 3)
    if abs(angle) > MAX_ANGLE:
        raise OutOfRangeError(f"That would turn by {angle:.0f}°. Turn by a quarter first, then straighten the rest.")
    levelled = step.model_copy(update={"angle_degrees": angle})
    at.change(plain(levelled.sentence()), edits.replace_step(step_id, levelled))
    return at.show(at.place, step_id)


@router.post("/shape")
def shape_crop(at: Bench, step_id: str, shape: Annotated[str, Form(max_length=40)]) -> HTMLResponse:
    """Give a crop a shape such as 16:9, exact pixels such as 1600x900, count it from the sides, or set it free."""
    crop, geometry = _crop(at, step_id), at.geometry_before(step_id)
    by_hand = _BY_HAND.get(shape)
    shaped = Crop(area=by_hand(geometry, crop.area.box(geometry))) if by_hand else crop.shaped(shape)
    at.change(plain(shaped.sentence()), edits.replace_step(step_id, shaped))
    return at.show(at.place, step_id)


@router.post("/sides")
def crop_sides(
    at: Bench,
    step_id: str,
    left_px: Annotated[SidePixels, Form()] = 0,
    top_px: Annotated[SidePixels, Form()] = 0,
    right_px: Annotated[SidePixels, Form()] = 0,
    bottom_px: Annotated[SidePixels, Form()] = 0,
) -> HTMLResponse:
    """So many pixels off each side."""
    _crop(at, step_id)
    cropped = Crop(area=SidesArea(left_px=left_px, top_px=top_px, right_px=right_px, bottom_px=bottom_px))
    at.change(plain(cropped.sentence()), edits.replace_step(step_id, cropped))
    return at.show(at.place, step_id)


def room_to(step: Room, geometry: PictureGeometry, form: dict[str, str]) -> dict[str, object]:
    """The extent meant by a form: another way to say it begins with what the picture has."""
    by = form.get("by", step.extent.by)
    if by != step.extent.by:
        size = step.extent.wanted(geometry.size)
        starts: dict[str, dict[str, object]] = {
            "sides": {"left_px": 40, "top_px": 40, "right_px": 40, "bottom_px": 40},
            "shape": {"across": 1, "down": 1},
            "size": {"width_px": size.width, "height_px": size.height},
        }
        if by not in starts:
            raise NotUnderstoodError("Room is added on the sides, to a shape, or to a size.")
        return {"by": by, **starts[by]}
    return {"by": by, **{name: value for name, value in form.items() if name != "by"}}
