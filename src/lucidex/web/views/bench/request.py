"""What every action of the bench has in common: whose picture, which place is chosen, which version was seen."""

from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import Depends, Form, Header, Query, Request
from starlette.responses import HTMLResponse

from lucidex.core.document import PictureDocument
from lucidex.core.errors import NotFoundError
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.places.demand import PlaceDemand, demand_words
from lucidex.core.steps import StepEntry, offers_by_group
from lucidex.core.steps.base import plain
from lucidex.records.models import Place
from lucidex.services.bench.steps import step_of
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import Alter, PictureState, change, expect_version, read_picture
from lucidex.services.places import places
from lucidex.services.places.book import by_purpose, read_entries
from lucidex.services.rendering.render_requests import up_to
from lucidex.web.request.context import App, AppContext, SignedIn
from lucidex.web.shell.templating import page, partial
from lucidex.web.views.bench.pens import PENS
from lucidex.web.views.bench.view import Shown, bench_view, format_choices

Pixels = Annotated[float, Form(ge=-100_000, le=100_000, allow_inf_nan=False)]


@dataclass
class AtBench:
    """A request at the bench of one picture.

    `place` is chosen, `open` is the control that is unfolded, `after` the step after which the picture is looked at,
    `insert` the step before which a new one goes.
    """

    request: Request
    app: AppContext
    actor: Actor
    picture_id: int
    version: int
    place: int | None
    open: str | None
    after: str | None = None
    insert: str | None = None
    read: PictureState | None = None

    @property
    def state(self) -> PictureState:
        """The picture as it stands; read once a request, and again after a change."""
        if self.read is None:
            self.read = read_picture(self.app.workshop, self.actor, self.picture_id)
        return self.read

    def change(self, summary: str, alter: Alter) -> None:
        """Make one change on top of the version that was seen."""
        self.read = change(self.app.workshop, self.actor, self.picture_id, self.version, summary, alter)

    def expect_version(self) -> None:
        """ChangedMeanwhileError where the picture stands otherwise than when it was seen."""
        expect_version(self.state, self.version)

    def moved(self, state: PictureState) -> None:
        """The picture stands otherwise by now, by something else than a change of its own."""
        self.read = state

    def step(self, step_id: str) -> StepEntry:
        """A step of the list. NotFoundError where it is gone."""
        return step_of(self.state.document, step_id)

    def geometry_before(self, step_id: str) -> PictureGeometry:
        """The frame as it stood before a step."""
        state = self.state
        before: PictureDocument = up_to(state.document, step_id)
        return before.geometry(state.facts.upright)

    def hung(self, place_id: int) -> tuple[Place, PlaceDemand]:
        """A place of this picture's folio, also one that was taken down."""
        row = places.find_place(self.app.workshop, self.actor, place_id)
        if row.folio_id != self.state.folio_id:
            raise NotFoundError("This place hangs in another folio.")
        return row, places.demand_of(row)

    def show(self, place: int | None = None, open_part: str | None = None) -> HTMLResponse:
        """The bench as it is now, as the part that htmx exchanges, or as a page where a person opens it."""
        values: dict[str, Any] = {
            "actor": self.actor,
            "view": bench_view(
                self.app, self.actor, self.picture_id, Shown(place, open_part, self.after, self.insert)
            ),
            "offers": offers_by_group(),
            "book": by_purpose(read_entries(self.app.workshop, self.actor)),
            "demand_words": demand_words,
            "formats": format_choices(),
            "other_formats": format_choices(weighed=False),
            "plain": plain,
            "pens": PENS,
        }
        if self.request.headers.get("hx-request") == "true":
            return partial(self.request, "bench/bench.html", **values)
        return page(self.request, "bench/page.html", **values)


async def at_bench(
    request: Request,
    app: App,
    actor: SignedIn,
    picture_id: int,
    version: Annotated[int, Header(alias="x-version")] = 0,
    place: Annotated[int | None, Query()] = None,
    open: Annotated[str | None, Query(max_length=30)] = None,
    after: Annotated[str | None, Query(max_length=30)] = None,
    insert: Annotated[str | None, Query(max_length=30)] = None,
) -> AtBench:
    """Collects what an action of the bench needs."""
    return AtBench(request, app, actor, picture_id, version, place, open, after, insert)


Bench = Annotated[AtBench, Depends(at_bench)]
