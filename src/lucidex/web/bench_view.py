"""What the bench shows, worked out from the services: ledger, stage and wall."""

import json
from dataclasses import dataclass
from hashlib import sha256

from lucidex.core.document import Framing, PictureDocument
from lucidex.core.encode import FormatName
from lucidex.core.errors import SaidError
from lucidex.core.frame import Frame, Note
from lucidex.core.geometry import Point, Size, Window, canvas_around, covering_window
from lucidex.core.places import PlaceDemand
from lucidex.core.steps import StepEntry
from lucidex.core.steps.crop import Crop, ShapeArea
from lucidex.core.steps.straighten import Straighten
from lucidex.records.models import Place
from lucidex.services.folios import FolioView, read_folio
from lucidex.services.people import Who
from lucidex.services.places import demand_of
from lucidex.services.prepare import PictureState, read_picture
from lucidex.services.results import Finished, PlacedPicture, in_place, up_to
from lucidex.web.context import AppContext
from lucidex.web.wall import Hanging, Seat, hang

OPEN_FRAMING, OPEN_OUTPUT, OPEN_RULE = "framing", "output", "rule"


@dataclass(frozen=True)
class PlaceView:
    """A place with this picture in it. `trouble` is a sentence where it cannot be made."""

    place: Place
    demand: PlaceDemand
    placed: PlacedPicture | None
    finished: Finished | None
    trouble: str | None

    @property
    def size(self) -> Size:
        """The size that comes out, or the nearest thing to draw where it cannot."""
        return self.placed.size if self.placed else Size(400, 300)


@dataclass(frozen=True)
class BenchView:
    """Everything on the bench."""

    folio: FolioView
    state: PictureState
    frame: Frame
    places: list[PlaceView]
    chosen: PlaceView | None
    open: str | None
    wall: Hanging
    stage: dict[str, object]
    notes: tuple[Note, ...]

    @property
    def place_id(self) -> int | None:
        """The chosen place."""
        return self.chosen.place.id if self.chosen else None

    @property
    def open_step(self) -> StepEntry | None:
        """The step whose control is unfolded."""
        return next((entry for entry in self.state.document.steps if entry.id == self.open), None)

    @property
    def stage_json(self) -> str:
        """The stage's numbers for the script that draws on it."""
        return json.dumps(self.stage)

    @property
    def framing(self) -> Framing | None:
        """The chosen place's framing by hand."""
        return self.state.document.framings.get(str(self.place_id))

    def seat_view(self, seat: Seat) -> PlaceView:
        """The place that hangs in a seat."""
        return self.places[seat.index]


def steps_digest(state: PictureState, document: PictureDocument) -> str:
    """Changes whenever a preview of the picture would."""
    steps = json.dumps([entry.model_dump(mode="json") for entry in document.steps if entry.active])
    return sha256(f"{state.original_sha256}{steps}".encode()).hexdigest()[:16]


def place_view(app: AppContext, state: PictureState, place: Place) -> PlaceView:
    """One place on the wall; its file where it is finished already."""
    demand = demand_of(place)
    try:
        placed = in_place(app.workshop, state, str(place.id), demand)
    except SaidError as error:
        return PlaceView(place, demand, None, None, error.sentence)
    return PlaceView(place, demand, placed, app.renderer.known(placed.wanted), None)


def bench_view(app: AppContext, who: Who, picture_id: int, place_id: int | None, open_part: str | None) -> BenchView:
    """The bench of a picture with a place chosen and a control unfolded."""
    state = read_picture(app.workshop, who, picture_id)
    folio = read_folio(app.workshop, who, state.folio_id)
    places = [place_view(app, state, place) for place in folio.places]
    chosen = next((view for view in places if view.place.id == place_id), places[0] if places else None)
    frame = state.frame
    open_step = next((entry for entry in state.document.steps if entry.id == open_part), None)
    stage = _step_stage(state, open_step) if open_step else None
    return BenchView(
        folio=folio,
        state=state,
        frame=frame,
        places=places,
        chosen=chosen,
        open=open_part if open_step or open_part in {OPEN_FRAMING, OPEN_OUTPUT, OPEN_RULE} else None,
        wall=hang([view.size for view in places]),
        stage=stage or _place_stage(state, frame, chosen),
        notes=frame.notes,
    )


def _window(window: Window) -> dict[str, float]:
    return {"left": window.left, "top": window.top, "width": window.width, "height": window.height}


def _size(size: Size) -> dict[str, int]:
    return {"width": size.width, "height": size.height}


def _step_stage(state: PictureState, entry: StepEntry) -> dict[str, object] | None:
    """The stage for a step that is handled on the picture itself; None for all others."""
    if isinstance(entry.step, Crop):
        return _crop_stage(state, entry)
    return _level_stage(state, entry) if isinstance(entry.step, Straighten) else None


def _level_stage(state: PictureState, entry: StepEntry) -> dict[str, object]:
    """The picture as it stands after the straightening, to draw a line on."""
    steps = state.document.steps
    index = steps.index(entry)
    after = steps[index + 1].id if index + 1 < len(steps) else None
    document = up_to(state.document, after)
    return {
        "mode": "level",
        "picture": _size(document.frame(state.facts.upright).size),
        "preview": _preview_address(state, document, after),
        "post": f"/pictures/{state.picture_id}/steps/{entry.id}/line",
    }


def _crop_stage(state: PictureState, entry: StepEntry) -> dict[str, object]:
    """The picture as it stood before the crop, with the crop's window."""
    crop = entry.step
    if not isinstance(crop, Crop):
        raise TypeError(entry.step)
    document = up_to(state.document, entry.id)
    frame = document.frame(state.facts.upright)
    box = crop.area.box(frame)
    shape = [crop.area.across, crop.area.down] if isinstance(crop.area, ShapeArea) else None
    return {
        "mode": "crop",
        "picture": _size(frame.size),
        "window": _window(box.window),
        "shape": shape,
        "fixed": crop.area.by == "pixels",
        "preview": _preview_address(state, document, entry.id),
        "post": f"/pictures/{state.picture_id}/steps/{entry.id}/window",
    }


def _place_stage(state: PictureState, frame: Frame, chosen: PlaceView | None) -> dict[str, object]:
    """The prepared picture, with the chosen place's window where it has one."""
    stage: dict[str, object] = {
        "mode": "whole",
        "picture": _size(frame.size),
        "preview": _preview_address(state, state.document, None),
    }
    if chosen is None or chosen.placed is None:
        return stage
    stage["output"] = _size(chosen.placed.size)
    placement = chosen.placed.placement
    if not placement.covers_canvas:
        stage["canvas"] = _window(canvas_around(placement))
    if chosen.demand.is_framed:
        width, height = covering_window(frame.size, chosen.placed.size)
        stage |= {
            "mode": "framing",
            "window": _window(chosen.placed.placement.window),
            "largest": {"width": width, "height": height},
            "shape": [chosen.placed.size.width, chosen.placed.size.height],
            "post": f"/pictures/{state.picture_id}/places/{chosen.place.id}/framing",
            "focal": _focal(state, frame, chosen),
        }
    return stage


def _focal(state: PictureState, frame: Frame, chosen: PlaceView) -> dict[str, float] | None:
    framing = state.document.framings.get(str(chosen.place.id))
    if framing is None:
        return None
    point = frame.to_picture(Point(framing.focal_x, framing.focal_y))
    return {"x": point.x, "y": point.y}


def _preview_address(state: PictureState, document: PictureDocument, before: str | None) -> str:
    digest = steps_digest(state, document)
    return f"/pictures/{state.picture_id}/preview?v={digest}" + (f"&before={before}" if before else "")


def format_choices() -> list[tuple[str, str, str]]:
    """Value, label and strength of every format that is written."""
    return [(name.value, name.label, name.output.strength) for name in FormatName]
