"""What the bench shows, worked out from the services: ledger, stage and wall."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlencode

from lucidex.core.document import Framing
from lucidex.core.encode import FORMATS
from lucidex.core.errors import UserError
from lucidex.core.framing.window import PROPOSALS
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Size, largest_within
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.linked_size import LinkedSize
from lucidex.core.places.measures import Percent, Rung, ladder
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.warnings import Framed
from lucidex.core.proof.warnings.enlarged import SOFT_FROM
from lucidex.core.routine import Routine
from lucidex.core.steps import StepEntry
from lucidex.core.steps.bands import rank
from lucidex.core.steps.order import Advice, advice
from lucidex.records.models import Place
from lucidex.services.folios.folios import FolioView
from lucidex.services.intake.origins import Origin
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import PictureState, read_picture
from lucidex.services.pictures.folio_history import Next, read_around
from lucidex.services.pictures.notes import NoteCount, NoteView, read_notes
from lucidex.services.places.places import demand_of
from lucidex.services.rendering.render_requests import PlacedPicture, in_place, preview_key, without_steps
from lucidex.services.rendering.results import StoredResult
from lucidex.services.routines.routine_use import trial_of
from lucidex.services.routines.routines import read_routine
from lucidex.web.request.context import AppContext
from lucidex.web.views.bench.control import control_of
from lucidex.web.views.bench.pens import OPEN_NOTES, notes_stage
from lucidex.web.views.bench.stage import (
    StageValues,
    focal_values,
    just_after,
    place_values,
    step_values,
    whole,
)
from lucidex.web.views.bench.wall import Hanging, Seat, hang
from lucidex.web.views.places.form import SizeFields, size_fields

OPEN_FRAMING, OPEN_OUTPUT, OPEN_RULE, OPEN_FOCAL = "framing", "output", "rule", "focal"
_OPEN_PARTS = {OPEN_FRAMING, OPEN_OUTPUT, OPEN_RULE, OPEN_FOCAL, OPEN_NOTES}


@dataclass(frozen=True)
class PlaceView:
    """A place with this picture in it. `trouble` is a sentence where it cannot be made."""

    place: Place
    demand: PlaceDemand
    placed: PlacedPicture | None
    result: StoredResult | None
    trouble: str | None
    about: int | None = None  # bytes that its file will weigh, by the latest one

    @property
    def is_missing(self) -> bool:
        """Whether its file can be made, and is not there yet."""
        return self.placed is not None and self.result is None

    @property
    def has_moved(self) -> bool:
        """Whether a framing by hand moved with the picture."""
        return self.placed is not None and self.placed.case.framed is Framed.MOVED

    @property
    def is_flagged(self) -> bool:
        """Whether something about it deserves a look."""
        if self.placed is None:
            return True
        return bool(
            self.placed.flags
            if self.result is None
            else self.placed.flags_at(self.result.byte_count, self.result.statistics)
        )

    @property
    def size(self) -> Size:
        """The size that comes out, or the nearest thing to draw where it cannot."""
        return self.placed.size if self.placed else Size(400, 300)


@dataclass(frozen=True)
class Coming:
    """Frames whose files are made in one request: each place with the width and height at which it hangs."""

    seats: tuple[tuple[int, int, int], ...]
    digest: str

    @property
    def query(self) -> str:
        """As it stands in the address."""
        return urlencode([("on", f"{place}:{width}x{height}") for place, width, height in self.seats])


@dataclass(frozen=True)
class Shown:
    """What somebody looks at: the chosen place, the unfolded control, a step to look back to or to insert before."""

    place: int | None = None
    open: str | None = None
    after: str | None = None
    insert: str | None = None


@dataclass(frozen=True)
class BenchView:
    """Everything on the bench."""

    folio: FolioView
    state: PictureState
    geometry: PictureGeometry
    places: list[PlaceView]
    chosen: PlaceView | None
    open: str | None
    wall: Hanging
    stage: dict[str, object]
    advice: dict[str, Advice]
    after: StepEntry | None
    insert: StepEntry | None
    own: Any
    back: Next | None
    again: Next | None
    notes: list[NoteView]
    noted: NoteCount
    origin: Origin | None = None
    trial: Routine | None = None

    @property
    def place_id(self) -> int | None:
        """The chosen place."""
        return self.chosen.place.id if self.chosen else None

    @property
    def open_step(self) -> StepEntry | None:
        """The step whose control is unfolded."""
        return next((entry for entry in self.state.document.steps if entry.id == self.open), None)

    @property
    def everywhere(self) -> list[StepEntry]:
        """The steps that count in every place."""
        return [entry for entry in self.state.document.steps if entry.only_in is None]

    @property
    def only_here(self) -> list[StepEntry]:
        """The steps that count in the chosen place alone."""
        return [entry for entry in self.state.document.steps if entry.only_in == str(self.place_id)]

    @property
    def numbers(self) -> dict[str, int]:
        """The numbers of the steps, as they are counted in the ledger."""
        return {entry.id: index for index, entry in enumerate((*self.everywhere, *self.only_here), 1)}

    @property
    def firsts(self) -> set[str]:
        """The steps that cannot move up."""
        return {next(iter(ids)) for ids in self._by_seat() if ids}

    @property
    def lasts(self) -> set[str]:
        """The steps that cannot move down."""
        return {ids[-1] for ids in self._by_seat() if ids}

    def _by_seat(self) -> list[list[str]]:
        steps = self.state.document.steps
        kinds = sorted({(entry.step.band, rank(entry.step)) for entry in steps})
        return [[one.id for one in steps if (one.step.band, rank(one.step)) == kind] for kind in kinds]

    @property
    def digest(self) -> str:
        """Changes whenever the prepared picture would."""
        return preview_key(self.state, self.state.document)

    @property
    def digest_but_open(self) -> str:
        """Changes whenever the prepared picture without the unfolded step would."""
        return preview_key(self.state, without_steps(self.state.document, {self.open or ""}))

    @property
    def stage_json(self) -> str:
        """The stage's numbers for the script that draws on it."""
        return json.dumps(self.stage)

    @property
    def proposals(self) -> int:
        """How many proposals there are for a place."""
        return PROPOSALS

    @property
    def framing(self) -> Framing | None:
        """The chosen place's own framing."""
        return self.state.document.framings.get(str(self.place_id))

    @property
    def linked(self) -> SizeFields:
        """The linked numbers of the chosen place's size."""
        demand = self.chosen.demand if self.chosen else PlaceDemand(measure=Percent(percent=100))
        return size_fields(LinkedSize.of(demand), demand, self.geometry.size)

    @property
    def ladder(self) -> list[Rung]:
        """The multiples of the chosen place, where it takes multiples."""
        if self.chosen is None:
            return []
        demand = self.chosen.demand
        own = self.state.document.demand_for(OutputId.of(str(self.place_id)), demand).measure
        return ladder(own, self.geometry.size, demand.rule, demand.anchor)

    @property
    def largest_of_shape(self) -> Size | None:
        """The largest size of the chosen place's shape that needs no enlarging, where the place is too large."""
        placed = self.chosen.placed if self.chosen else None
        if placed is None or not placed.demand.is_cropped or placed.placement.enlargement <= SOFT_FROM:
            return None
        return largest_within(placed.placement.drawn, self.geometry.size)

    def remarks_of(self, step_id: str) -> list[Remark]:
        """What is to be said about a step."""
        return [remark for remark in self.geometry.remarks if remark.step_id == step_id]

    @property
    def coming(self) -> list[Coming]:
        """What is still to be made: the light formats together, each slow one apart, so that nobody waits for it."""
        seats = [seat for row in self.wall.rows for seat in row]
        missing = [(seat, self.seat_view(seat)) for seat in seats if self.seat_view(seat).is_missing]
        groups: dict[int, list[tuple[Seat, PlaceView]]] = {}
        for seat, view in missing:
            slow = view.placed is not None and view.placed.rendering.format.output.is_slow
            groups.setdefault(view.place.id if slow else 0, []).append((seat, view))
        return [
            Coming(
                tuple((view.place.id, seat.width, seat.height) for seat, view in group),
                "-".join(view.placed.rendering.key[:12] for _, view in group if view.placed),
            )
            for group in groups.values()
        ]

    def seat_view(self, seat: Seat) -> PlaceView:
        """The place that hangs in a seat."""
        return self.places[seat.index]


def place_views(app: AppContext, state: PictureState, places: Sequence[Place]) -> list[PlaceView]:
    """Places on the wall; their files where they are finished already, asked for together."""
    views = [_worked_out(app, state, place) for place in places]
    known = app.renderer.files.known([view.placed.rendering for view in views if view.placed])
    return [weighed(app, state.picture_id, with_result(view, known)) for view in views]


def weighed(app: AppContext, picture_id: int, view: PlaceView) -> PlaceView:
    """What its file weighs is noted; where it is still to be made, what it is about to weigh, by the one before."""
    if view.placed is None:
        return view
    key, pixels = (picture_id, view.place.id, view.placed.rendering.format), view.placed.size.pixels
    if view.result is not None:
        app.weights.replace(key, view.result.byte_count / pixels)
        return view
    by_pixel = app.weights.get(key)
    most = view.demand.max_bytes
    about = None if by_pixel is None else round(by_pixel * pixels)
    return replace(view, about=about if about is None or most is None else min(about, most))


def with_result(view: PlaceView, results: Mapping[str, StoredResult | UserError]) -> PlaceView:
    """A place with its file, or with what kept it from being made, where that is among the results."""
    found = results.get(view.placed.rendering.key) if view.placed else None
    if isinstance(found, UserError):
        return replace(view, placed=None, trouble=found.sentence)
    return replace(view, result=found)


def _worked_out(app: AppContext, state: PictureState, place: Place) -> PlaceView:
    demand = demand_of(place)
    try:
        placed = in_place(app.workshop, state, OutputId.of(str(place.id)), demand, place.name)
    except UserError as error:
        return PlaceView(place, demand, None, None, error.sentence)
    return PlaceView(place, demand, placed, None, None)


def bench_view(
    app: AppContext, actor: Actor, picture_id: int, shown: Shown, state: PictureState | None = None
) -> BenchView:
    """The bench of a picture, as somebody looks at it; `state` where it was read already."""
    state = state or read_picture(app.workshop, actor, picture_id)
    around = read_around(app.workshop, actor, state)
    folio = around.folio
    places = place_views(app, state, folio.places)
    chosen = next((view for view in places if view.place.id == shown.place), places[0] if places else None)
    geometry = state.geometry
    steps = {entry.id: entry for entry in state.document.steps}
    open_step, after = steps.get(shown.open or ""), steps.get(shown.after or "")
    values = control_of(open_step.step.kind).values if open_step else None
    shows_notes = shown.open == OPEN_NOTES and after is None
    notes = read_notes(app.workshop, actor, picture_id) if shows_notes else []
    given = advice(PictureGeometry.of(state.facts.upright), state.document.steps)
    return BenchView(
        folio=folio,
        state=state,
        geometry=geometry,
        places=places,
        chosen=chosen,
        open=shown.open if open_step or shown.open in _OPEN_PARTS else None,
        wall=hang([view.size for view in places]),
        stage=notes_stage(state, notes) if shows_notes else _stage(app, state, chosen, shown.open, open_step, after),
        notes=notes,
        noted=around.noted,
        origin=around.origin,
        advice={one.step_id: one for one in given},
        after=after,
        insert=steps.get(shown.insert or ""),
        own=values(app, actor) if values is not None else None,
        back=around.back,
        again=around.again,
        trial=_trial(app, actor, state, folio),
    )


def _stage(
    app: AppContext,
    state: PictureState,
    chosen: PlaceView | None,
    open_part: str | None,
    open_step: StepEntry | None,
    after: StepEntry | None,
) -> StageValues:
    """The stage for what is unfolded, or looked back to, or else for the chosen place."""
    place, placed = (chosen.place, chosen.placed) if chosen else (None, None)
    if after is not None:
        return whole(state, *just_after(state, after))
    if open_step is not None:
        control = control_of(open_step.step.kind)
        if control.place_stage is not None and place is not None and placed is not None:
            return control.place_stage(app, state, open_step, place, placed)
        if control.stage is not None:
            return control.stage(state, open_step)
        return step_values(state, open_step, place, placed)
    return focal_values(state) if open_part == OPEN_FOCAL else place_values(state, place, placed)


def _trial(app: AppContext, actor: Actor, state: PictureState, folio: FolioView) -> Routine | None:
    """The routine that is tried, on a picture that stands apart from its folio."""
    if folio.position(state.picture_id) is not None:
        return None
    routine_id = trial_of(app.workshop, actor, state.picture_id)
    return read_routine(app.workshop, actor, routine_id) if routine_id is not None else None


def format_choices(weighed: bool = True) -> list[tuple[str, str, str]]:
    """Value, label and strength of the formats that are weighed against each other, or of the others."""
    return [(one.name, one.label, one.strength) for one in FORMATS if bool(one.ladder) is weighed]
