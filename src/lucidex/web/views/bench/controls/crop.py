"""The crop: its window on the stage, its shapes and numbers, and what to do where it asks for more than there is."""

from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, Depends, Form
from starlette.responses import HTMLResponse

from lucidex.core.document import Framing
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remedy
from lucidex.core.geometry.sizes import Box, Size, Window
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import expect, plain
from lucidex.core.steps.crop import Area, Crop, SidePixels, SidesArea, free_area, moved_area, sides_area
from lucidex.services.bench.steps import remedied
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState
from lucidex.services.rendering.render_requests import up_to
from lucidex.services.typed.deeds import enlarge_as_place
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import partial
from lucidex.web.views.bench.control import Control
from lucidex.web.views.bench.request import AtBench, Bench, Pixels
from lucidex.web.views.bench.stage import StageValues, whole, window_values

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)

_BY_HAND: dict[str, Callable[[PictureGeometry, Box], Area]] = {"free": free_area, "sides": sides_area}


def _crop(at: AtBench, step_id: str) -> Crop:
    return expect(at.step(step_id).step, Crop, "This step has no window.")


def _stage(state: PictureState, entry: StepEntry) -> StageValues:
    """The picture as it stood before the crop, with the crop's window."""
    crop = expect(entry.step, Crop, "This step has no window.")
    document = up_to(state.document, entry.id)
    geometry = document.geometry(state.facts.upright)
    return whole(state, document, entry.id) | {
        "mode": "crop",
        "window": window_values(crop.area.box(geometry).window),
        "shape": crop.area.kept_shape,
        "fixed": crop.area.by == "pixels",
        "post": f"/pictures/{state.picture_id}/steps/{entry.id}/window",
    }


@router.post("/window")
def move_crop(at: Bench, step_id: str, left: Pixels, top: Pixels, width: Pixels, height: Pixels) -> HTMLResponse:
    """The crop's window, dragged or typed, in pixels of the picture before the crop."""
    crop, geometry = _crop(at, step_id), at.geometry_before(step_id)
    asked = Window(left, top, width, height)
    box = _box_inside(asked, geometry.size)
    at.change(f"Cropped to {box.size}", edits.replace_step(step_id, Crop(area=moved_area(crop.area, geometry, box))))
    shown = at.show(at.place, step_id)
    if not _differs(asked, box):
        return shown
    sentence = f"The picture is only {geometry.size} here, so it was cropped to {box.size}, {box.left} from the left"
    message = partial(at.request, "bench/told.html", sentence=f"{sentence} and {box.top} from the top.")
    return HTMLResponse(bytes(shown.body) + bytes(message.body))


def _differs(asked: Window, box: Box) -> bool:
    """Whether more than a rounding lies between what was asked for and what there is."""
    got = (box.left, box.top, box.size.width, box.size.height)
    return any(abs(a - b) > 1 for a, b in zip((asked.left, asked.top, asked.width, asked.height), got, strict=True))


def _box_inside(window: Window, bounds: Size) -> Box:
    if window.width < 1 or window.height < 1:
        raise OutOfRangeError("A crop must be at least 1 pixel wide and high.")
    size = Size(min(round(window.width), bounds.width), min(round(window.height), bounds.height))
    left = min(max(round(window.left), 0), bounds.width - size.width)
    top = min(max(round(window.top), 0), bounds.height - size.height)
    return Box(left, top, size)


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
    framing = Framing(focal_x=crop.area.centre_x, focal_y=crop.area.centre_y)
    at.expect_version()
    state, place_id = enlarge_as_place(at.app.workshop, at.actor, at.state, demand, framing, step_id)
    at.moved(state)
    return at.show(place_id)


CONTROL = Control("crop", stage=_stage, routes=router)
