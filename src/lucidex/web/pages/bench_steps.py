"""The ledger's actions: switch, move, remove and change a step; a crop's window and shape."""

from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from starlette.responses import HTMLResponse

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.frame import Frame
from lucidex.core.geometry import Box, Point, Size, Window
from lucidex.core.reading import ReadStep, read_line
from lucidex.core.steps.base import plain
from lucidex.core.steps.crop import Area, Crop, SidePixels, SidesArea, free_area, moved_area, sides_area
from lucidex.core.steps.straighten import MAX_ANGLE, Straighten, level_angle
from lucidex.services import changes
from lucidex.services.prepare import Alter
from lucidex.web.pages.at_bench import AtBench, Bench
from lucidex.web.security import TOKEN_FIELD, check_csrf

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)

Pixels = Annotated[float, Form(ge=-100_000, le=100_000, allow_inf_nan=False)]


_BY_HAND: dict[str, Callable[[Frame, Box], Area]] = {"free": free_area, "sides": sides_area}


async def form_values(request: Request) -> dict[str, str]:
    """The fields of a step's plain form, whatever the step declares; without the protection's own field."""
    return {key: str(value) for key, value in (await request.form()).items() if key != TOKEN_FIELD}


def _alter(at: AtBench, step_id: str, did: str, alter: Alter) -> None:
    at.change(f"{did}: {plain(at.step(step_id).step.sentence())}", alter)


def _crop(at: AtBench, step_id: str) -> Crop:
    step = at.step(step_id).step
    if not isinstance(step, Crop):
        raise OutOfRangeError("This step has no window.")
    return step


@router.post("/switch")
def switch(at: Bench, step_id: str, active: Annotated[bool, Form()] = False) -> HTMLResponse:
    """Let a step count or not."""
    _alter(at, step_id, "Switched on" if active else "Switched off", changes.switch_step(step_id, active))
    return at.show(at.place, at.open)


@router.post("/remove")
def remove_step(at: Bench, step_id: str) -> HTMLResponse:
    """Take a step out of the list."""
    _alter(at, step_id, "Removed", changes.remove_step(step_id))
    return at.show(at.place)


@router.post("/move")
def move_step(at: Bench, step_id: str, by: Annotated[int, Form(ge=-200, le=200)]) -> HTMLResponse:
    """Move a step up or down."""
    _alter(at, step_id, "Moved", changes.move_step(step_id, by))
    return at.show(at.place, step_id)


@router.post("/change")
def change_step(at: Bench, step_id: str, form: Annotated[dict[str, str], Depends(form_values)]) -> HTMLResponse:
    """Give a step other parameters, from its plain form."""
    _alter(at, step_id, "Changed", changes.change_step(step_id, dict(form)))
    return at.show(at.place, step_id)


@router.post("/window")
def move_crop(at: Bench, step_id: str, left: Pixels, top: Pixels, width: Pixels, height: Pixels) -> HTMLResponse:
    """The crop's window, dragged or typed, in pixels of the picture before the crop."""
    crop, frame = _crop(at, step_id), at.frame_before(step_id)
    box = _box_inside(Window(left, top, width, height), frame.size)
    at.change(f"Cropped to {box.size}", changes.replace_step(step_id, Crop(area=moved_area(crop.area, frame, box))))
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
    at.change(plain(levelled.sentence()), changes.replace_step(step_id, levelled))
    return at.show(at.place, step_id)


@router.post("/shape")
def shape_crop(at: Bench, step_id: str, shape: Annotated[str, Form(max_length=40)]) -> HTMLResponse:
    """Give a crop a shape such as 16:9, exact pixels such as 1600x900, count it from the sides, or set it free."""
    crop, frame = _crop(at, step_id), at.frame_before(step_id)
    by_hand = _BY_HAND.get(shape)
    shaped = Crop(area=by_hand(frame, crop.area.box(frame))) if by_hand else _shaped(shape, crop)
    at.change(plain(shaped.sentence()), changes.replace_step(step_id, shaped))
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
    at.change(plain(cropped.sentence()), changes.replace_step(step_id, cropped))
    return at.show(at.place, step_id)


def _shaped(shape: str, crop: Crop) -> Crop:
    read = read_line(shape if ":" in shape else f"crop {shape}")
    if not isinstance(read, ReadStep) or not isinstance(read.step, Crop):
        raise NotUnderstoodError("Write a shape such as 16:9, or pixels such as 1600x900.")
    centre = {"centre_x": crop.area.centre_x, "centre_y": crop.area.centre_y}
    return Crop(area=read.step.area.model_copy(update=centre))
