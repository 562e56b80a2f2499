"""What the stage shows, as numbers for the script that draws on it: one kind of facts for each mode."""

from hashlib import sha256

from lucidex.core.document import Framing, PictureDocument
from lucidex.core.finish.compositing import Stamp
from lucidex.core.geometry.fit import canvas_around, covering_window
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size, Window
from lucidex.core.keys import appearance_key, engine_fingerprint
from lucidex.core.places.demand import Displays
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import FinishStep, GeometryStep
from lucidex.core.steps.colour import Balance
from lucidex.core.steps.crop import Crop, ShapeArea
from lucidex.core.steps.detail import RestorationStep
from lucidex.core.steps.perspective import FourPoints
from lucidex.core.steps.straighten import Straighten
from lucidex.records.models import Place
from lucidex.services.documents import PictureState
from lucidex.services.render_requests import PlacedPicture, up_to
from lucidex.web.bench.step_form import judged_at_full_size

StageValues = dict[str, object]


def preview_key(state: PictureState, document: PictureDocument) -> str:
    """The name of all that decides previews of a picture, whatever their size and part."""
    return appearance_key(state.original_sha256, document.counting_in(None))


def stage_facts(
    state: PictureState,
    place: Place | None,
    placed: PlacedPicture | None,
    open_part: str | None,
    after: StepEntry | None,
) -> StageValues:
    """The stage for what is unfolded, or looked back to, or else for the chosen place."""
    if after is not None:
        return _whole(state, *_just_after(state, after))
    open_step = next((entry for entry in state.document.steps if entry.id == open_part), None)
    if open_step is not None:
        return _step_facts(state, open_step, place, placed)
    if open_part == "focal":
        return _focal_facts(state)
    return _place_facts(state, place, placed)


def _window(window: Window) -> dict[str, float]:
    return {"left": window.left, "top": window.top, "width": window.width, "height": window.height}


def _size(size: Size) -> dict[str, int]:
    return {"width": size.width, "height": size.height}


def _point(point: Point) -> dict[str, float]:
    return {"x": point.x, "y": point.y}


def _just_after(state: PictureState, entry: StepEntry) -> tuple[PictureDocument, str | None]:
    """The document as it stood after a step, and the step before which that is."""
    steps = state.document.steps
    index = steps.index(entry)
    following = steps[index + 1].id if index + 1 < len(steps) else None
    return up_to(state.document, following), following


def _whole(state: PictureState, document: PictureDocument, before: str | None) -> StageValues:
    geometry = document.geometry(state.facts.upright)
    content = [float(number) for number in geometry.transform.inverse.matrix.ravel()]
    return {
        "mode": "whole",
        "picture": _size(geometry.size),
        "judge": judged_at_full_size(document.active_steps),
        "preview": _preview_address(state, document, before),
        "content": content,
    }


def _step_facts(
    state: PictureState, entry: StepEntry, place: Place | None, placed: PlacedPicture | None
) -> StageValues:
    """The picture before or after an unfolded step, with what can be dragged."""
    at_step = f"/pictures/{state.picture_id}/steps/{entry.id}"
    if isinstance(entry.step, Crop):
        return _crop_facts(state, entry, entry.step, at_step)
    if isinstance(entry.step, FourPoints):
        document = up_to(state.document, entry.id)
        quad = entry.step.quad(document.geometry(state.facts.upright))
        points = [_point(point) for point in quad]
        return _whole(state, document, entry.id) | {"mode": "quad", "points": points, "post": f"{at_step}/points"}
    if isinstance(entry.step, Straighten):
        return _whole(state, *_just_after(state, entry)) | {"mode": "level", "post": f"{at_step}/line"}
    if isinstance(entry.step, GeometryStep):
        return _whole(state, *_just_after(state, entry))
    if isinstance(entry.step, FinishStep):
        return _place_facts(state, place, placed)
    facts = _whole(state, state.document, None)
    if isinstance(entry.step, RestorationStep):
        return facts  # computed at full size, which takes seconds: on release, not while it moves
    facts |= {"draft": f"{at_step}/draft"}
    return facts | {"mode": "grey", "post": f"{at_step}/grey"} if isinstance(entry.step, Balance) else facts


def _crop_facts(state: PictureState, entry: StepEntry, crop: Crop, at_step: str) -> StageValues:
    """The picture as it stood before the crop, with the crop's window."""
    document = up_to(state.document, entry.id)
    geometry = document.geometry(state.facts.upright)
    shape = [crop.area.across, crop.area.down] if isinstance(crop.area, ShapeArea) else None
    return _whole(state, document, entry.id) | {
        "mode": "crop",
        "window": _window(crop.area.box(geometry).window),
        "shape": shape,
        "fixed": crop.area.by == "pixels",
        "post": f"{at_step}/window",
    }


def _focal_facts(state: PictureState) -> StageValues:
    """The prepared picture with its focal point, to be put elsewhere."""
    chosen = state.document.focal_point
    point = state.geometry.to_picture(Point(chosen.x, chosen.y) if chosen else Point(0.5, 0.5))
    return _whole(state, state.document, None) | {
        "mode": "focal",
        "focal": _point(point),
        "post": f"/pictures/{state.picture_id}/focal-point",
    }


def _place_facts(state: PictureState, place: Place | None, placed: PlacedPicture | None) -> StageValues:
    """The prepared picture, with the chosen place's window where it has one."""
    geometry = state.geometry
    facts = _whole(state, state.document, None)
    if place is None or placed is None:
        return facts
    facts |= {"output": _size(placed.size), "enlargement": placed.placement.enlargement}
    facts["shown"] = shown_in_place(state, place, placed)
    facts["stamps"] = _stamps(state, place, placed)
    if not placed.placement.covers_canvas:
        facts["canvas"] = _window(canvas_around(placed.placement))
    if placed.demand.is_cropped:
        width, height = covering_window(geometry.size, placed.size)
        facts |= {
            "mode": "framing",
            "window": _window(placed.placement.window),
            "largest": {"width": width, "height": height},
            "shape": [placed.size.width, placed.size.height],
            "post": f"/pictures/{state.picture_id}/places/{place.id}/framing",
            "focal": _focal(state, geometry, place),
        }
    return facts


def _stamps(state: PictureState, place: Place, placed: PlacedPicture) -> list[StageValues]:
    """What is laid over the finished size: its seat as fractions of that size, and its pixels."""
    entries = [e for e in state.document.counting_in(str(place.id)) if getattr(e.step, "logo_sha256", None)]
    size = placed.size
    return [
        {
            "left": stamp.box.left / size.width,
            "top": stamp.box.top / size.height,
            "width": stamp.box.size.width / size.width,
            "height": stamp.box.size.height / size.height,
            "address": f"/pictures/{state.picture_id}/steps/{entry.id}/logo?place={place.id}&v={stamp_name(stamp)}",
        }
        for entry, stamp in zip(entries, placed.rendering.chosen.stamps, strict=True)
    ]


def stamp_name(stamp: Stamp) -> str:
    """The name of all that decides how a logo looks where it lies."""
    return sha256(f"{engine_fingerprint()} {stamp!r}".encode()).hexdigest()[:16]


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
        return _point(geometry.to_picture(Point(chosen.focal_x, chosen.focal_y)))
    focal = document.focal_point
    return _point(geometry.to_picture(Point(focal.x, focal.y))) if focal else None


def _preview_address(state: PictureState, document: PictureDocument, before: str | None) -> str:
    digest = preview_key(state, document)
    return f"/pictures/{state.picture_id}/preview?v={digest}" + (f"&before={before}" if before else "")
