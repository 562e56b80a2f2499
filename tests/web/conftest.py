"""The application in this process, and people who use it."""

import re
import secrets
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import pytest
from starlette.testclient import TestClient

from lucidex.core.finish.marks import Mark, MarkKind
from lucidex.core.finish.text.faces import Family, shipped_face
from lucidex.core.line.places import read_demand
from lucidex.core.places.book import BookPlace
from lucidex.core.proof.file_list import USUAL_PATTERN
from lucidex.core.routine import Routine, RoutineStep
from lucidex.core.steps.tone import Exposure
from lucidex.services.assets import fonts, logos
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people import sessions
from lucidex.services.people.people import Actor
from lucidex.services.pictures import notes
from lucidex.services.places.book import add_own
from lucidex.services.places.places import hang_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.routines.routines import keep_routine
from lucidex.services.runs import runs
from lucidex.web.app import create_app
from lucidex.web.request.context import AppContext
from tests.conftest import PASSWORD, encoded, smooth_picture


@pytest.fixture(scope="session")
def application(shared_workshop: Workshop):  # noqa: ANN201
    return create_app(AppContext(shared_workshop, Renderer(shared_workshop)), "a-secret-for-tests")


@dataclass
class Visitor:
    """Somebody with a browser and a token."""

    actor: Actor
    client: TestClient
    token: str

    @property
    def bearer(self) -> dict[str, str]:
        return {"Authorization": f"Bearer {self.token}"}

    @property
    def csrf(self) -> str:
        found = re.search(r'name="csrf" content="([^"]+)"', self.client.get("/account").text)
        assert found
        return found[1]

    def post(self, path: str, data: dict[str, object] | None = None, version: int = 1, **headers: str):  # noqa: ANN201
        """A change as the page sends it."""
        sent = {"X-CSRF-Token": self.csrf, "X-Version": str(version), "HX-Request": "true", **headers}
        return self.client.post(path, data=data or {}, headers=sent)


@pytest.fixture
def visit(application, workshop: Workshop, new_person: Callable[[], Actor]) -> Iterator[Callable[[], Visitor]]:  # noqa: ANN001
    """Signs somebody new in."""

    def enter() -> Visitor:
        actor = new_person()
        client = TestClient(application, base_url="http://127.0.0.1", raise_server_exceptions=False)
        client.headers["X-Forwarded-For"] = secrets.token_hex(4)
        visitor = Visitor(actor, client, sessions.make_token(workshop, actor, "test"))
        found = re.search(r'name="csrf" value="([^"]+)"', client.get("/sign-in").text)
        assert found
        answer = client.post(
            "/sign-in", data={"login": actor.login, "password": PASSWORD, "csrf": found[1]}, follow_redirects=False
        )
        assert answer.status_code == 303
        return visitor

    return enter


@dataclass
class Work:
    """A folio with one picture and one place."""

    visitor: Visitor
    folio_id: int
    picture_id: int
    place_id: int
    own_id: int
    run_id: int
    cell_id: int
    routine_id: int
    logo_id: int
    note_id: int
    font_id: int


@pytest.fixture
def work(workshop: Workshop, visit: Callable[[], Visitor]) -> Work:
    visitor = visit()
    content = encoded(smooth_picture(640, 400), ".jpg", Q=90)
    taken = bring_in(workshop, visitor.actor, NewFolio("Evenings"), "dome.jpg", [content])
    place = hang_place(workshop, visitor.actor, taken.folio_id, read_demand("320x128").demand(), "Banner")
    known = BookPlace(purpose="site", name="Mine", demand=read_demand("320x128").demand())
    own_id = add_own(workshop, visitor.actor, known)
    run_id = runs.begin_run(workshop, visitor.actor, taken.folio_id, USUAL_PATTERN)
    runs.stop_run(workshop, visitor.actor, run_id)
    cell_id = runs.read_cells(workshop, visitor.actor, run_id)[0].id
    routine_id = keep_routine(
        workshop, visitor.actor, Routine(name="Mine", steps=(RoutineStep(step=Exposure(stops=0.5)),))
    )
    logo_id = logos.keep_picture_as_logo(workshop, visitor.actor, taken.picture_id).id
    mark = Mark(kind=MarkKind.ARROW, points=((0.2, 0.2), (0.6, 0.6)))
    note_id = notes.add_note(workshop, visitor.actor, taken.picture_id, "Lighter?", [mark])
    face = shipped_face(Family.HAND).path.read_bytes()
    font_id = fonts.keep_font(workshop, visitor.actor, "hand.ttf", [face]).id
    ids = (taken.folio_id, taken.picture_id, place.id, own_id, run_id, cell_id, routine_id, logo_id, note_id, font_id)
    return Work(visitor, *ids)
