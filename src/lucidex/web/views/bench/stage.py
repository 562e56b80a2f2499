"""What the stage shows, as numbers for the script that draws on it: one kind of facts for each mode."""

from lucidex.core.document import Framing, PictureDocument
from lucidex.core.framing.window import box_in_picture
from lucidex.core.geometry.fit import canvas_around, covering_window
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size, Window
from lucidex.core.places.demand import Displays
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import Stage
from lucidex.records.models import Place
from lucidex.services.pictures.documents import PictureState
from lucidex.services.rendering.render_requests import PlacedPicture, preview_key, up_to
from lucidex.web.views.bench.step_form import judged_at_full_size

StageValues = dict[str, object]


def window_values(window: Window) -> dict[str, float]:
    return {"left": window.left, "top": window.top, "width": window.width, "height": window.height}


def size_values(size: Size) -> dict[str, int]:
    return {"width": size.width, "height": size.height}


def point_values(point: Point) -> dict[str, float]:
    return {"x": point.x, "y": point.y}


def just_after(state: PictureState, entry: StepEntry) -> tuple[PictureDocument, str | None]:
    """The document as it stood after a step, and the step before which that is."""
    steps = state.document.steps
    index = steps.index(entry)
    following = steps[index + 1].id if index + 1 < len(steps) else None
    return up_to(state.document, following), following


def whole(state: PictureState, document: PictureDocument, before: str | None) -> StageValues:
    geometry = document.geometry(state.facts.upright)
    content = [float(number) for number in geometry.transform.inverse.matrix.ravel()]
    return {
        "mode": "whole",
        "picture": size_values(geometry.size),
        "judge": judged_at_full_size(document.active_steps),
        "preview": _preview_address(state, document, before),
        "content": content,
    }


def step_values(
    state: PictureState, entry: StepEntry, place: Place | None, placed: PlacedPicture | None
) -> StageValues:
    """The picture while a step without a control of its own is unfolded."""
    stage = entry.step.stage
    if stage is Stage.GEOMETRY:
        return whole(state, *just_after(state, entry))
    if stage is Stage.FINISH:
        return place_values(state, place, placed)
    if stage is Stage.RESTORATION:
        return whole(state, state.document, None)  # at full size, which takes seconds: on release, not while it moves
    return with_draft(state, entry)


def with_draft(state: PictureState, entry: StepEntry) -> StageValues:
    """The prepared picture, with the address of drafts while a control moves."""
    draft = f"/pictures/{state.picture_id}/steps/{entry.id}/draft"
    return whole(state, state.document, None) | {"draft": draft}


def focal_values(state: PictureState) -> StageValues:
    """The prepared picture with its focal point, to be put elsewhere."""
    chosen = state.document.focal_point
    point = state.geometry.to_picture(Point(chosen.x, chosen.y) if chosen else Point(0.5, 0.5))
    return whole(state, state.document, None) | {
        "mode": "focal",
        "focal": point_values(point),
        "found": _found(state),
        "post": f"/pictures/{state.picture_id}/focal-point",
    }


def _found(state: PictureState) -> list[dict[str, float]]:
    """The boxes that should stay whole, in pixels of the prepared picture."""
    subject = None if state.document.hides else state.facts.subject
    seen = [box_in_picture(state.geometry, box) for box in subject.boxes] if subject is not None else []
    return [window_values(box) for box in seen if box.width > 0 and box.height > 0]


def place_values(state: PictureState, place: Place | None, placed: PlacedPicture | None) -> StageValues:
    """The prepared picture, with the chosen place's window where it has one."""
    geometry = state.geometry
    facts = whole(state, state.document, None)
    if place is None or placed is None:
        return facts
    facts |= {"output": size_values(placed.size), "enlargement": placed.placement.enlargement}
    facts["shown"] = shown_in_place(state, place, placed)
    facts["overlay"] = _overlay(state, place, placed)
    if not placed.placement.covers_canvas:
        facts["canvas"] = window_values(canvas_around(placed.placement))
    if placed.demand.is_cropped:
        width, height = covering_window(geometry.size, placed.placement.drawn)
        facts |= {
            "mode": "framing",
            "window": window_values(placed.placement.window),
            "largest": {"width": width, "height": height},
            "shape": [placed.placement.drawn.width, placed.placement.drawn.height],
            "post": f"/pictures/{state.picture_id}/places/{place.id}/framing",
            "focal": _focal(state, geometry, place),
        }
    return facts


def _overlay(state: PictureState, place: Place, placed: PlacedPicture) -> StageValues | None:
    """What is drawn onto the finished size: its address, and the canvas as fractions of the part that is shown."""
    placement, plan = placed.placement, placed.rendering.chosen
    if not plan.finish:
        return None
    drawn, canvas = placement.drawn, placement.canvas
    return {
        "left": -placement.left / drawn.width,
        "top": -placement.top / drawn.height,
        "width": canvas.width / drawn.width,
        "height": canvas.height / drawn.height,
        "address": f"/pictures/{state.picture_id}/places/{place.id}/overlay?v={placed.rendering.overlay_key}",
    }


def shown_in_place(state: PictureState, place: Place, placed: PlacedPicture) -> StageValues:
    """How the place shows the file: how wide, from which address, and a sentence about it."""
    demand, size = placed.demand, placed.size
    address = f"/pictures/{state.picture_id}/places/{place.id}/file"
    width, message = size.width, "at its true size"
    if demand.displays is Displays.ONE_SIZE and demand.displayed_width_px:
        width, message = demand.displayed_width_px, f"always {demand.displayed_width_px} px wide"
    if demand.displays is Displays.COMPRESSES:
        address, message = address + "-again", "after the place has compressed it again"
    return {"width": width, "height": size.height * width / size.width, "address": address, "said": message}


def _focal(state: PictureState, geometry: PictureGeometry, place: Place) -> dict[str, float] | None:
    document = state.document
    chosen: Framing | None = document.framings.get(str(place.id))
    if chosen is not None:
        return point_values(geometry.to_picture(Point(chosen.focal_x, chosen.focal_y)))
    focal = document.focal_point
    return point_values(geometry.to_picture(Point(focal.x, focal.y))) if focal else None


def _preview_address(state: PictureState, document: PictureDocument, before: str | None) -> str:
    digest = preview_key(state, document)
    return f"/pictures/{state.picture_id}/preview?v={digest}" + (f"&before={before}" if before else "")
