"""Somebody who may only look: pictures as they stand, and nothing of what lies below."""

import io
import secrets
import zipfile
from collections.abc import Callable

import numpy as np
import pytest
from PIL import Image, UnidentifiedImageError

from lucidex.core.areas.shapes import Rectangle
from lucidex.core.proof.file_list import USUAL_PATTERN
from lucidex.core.source.local.hiding import Hidden
from lucidex.core.steps import StepEntry
from lucidex.core.steps.hide import Hide
from lucidex.core.steps.tone import Exposure
from lucidex.records.models import Scope
from lucidex.services.folios.folios import make_folio, share_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import bring_in
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change, read_picture
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.runs import runs
from lucidex.services.runs.worker import render_cell, take_cell
from tests.conftest import encoded, smooth_picture
from tests.web.conftest import Visitor, Work
from tests.web.test_access import QUERIES, WHOLE_QUERIES, addressed, all_routes

SECRET = Rectangle(x=0.5, y=0.5, width=0.5, height=0.4)
HIDE = StepEntry(
    id="h1", step=Hide(shapes=(SECRET.model_copy(update={"width": 0.7, "height": 0.6}),), hidden=Hidden.COVERED)
)


@pytest.fixture
def shared(workshop: Workshop, work: Work, visit: Callable[[], Visitor]) -> tuple[Work, Visitor]:
    """A picture on which something magenta is hidden; a run that was made before; and somebody who may only look."""
    pixels = smooth_picture(640, 400)
    pixels[..., 1] = np.maximum(pixels[..., 1], 90)
    pixels[120:280, 220:420] = (255, 0, 255)
    actor = work.visitor.actor
    picture = bring_in(workshop, actor, work.folio_id, f"KX4471-{secrets.token_hex(4)}.png", [encoded(pixels)])
    work.picture_id = picture.picture_id
    run_id = runs.begin_run(workshop, actor, work.folio_id, USUAL_PATTERN)
    while (taken := take_cell(workshop, workshop.new_holder())) is not None:
        render_cell(Renderer(workshop), workshop, taken)
    work.run_id = run_id
    state = read_picture(workshop, actor, work.picture_id)

    def hide(document, facts):  # noqa: ANN001, ANN202
        steps = (HIDE, StepEntry(id="a1", step=Exposure(stops=0.1)))
        return document.model_copy(update={"steps": steps, "file_name": "yard.png"})

    change(workshop, actor, work.picture_id, state.version, "Hidden", hide)
    looker = visit()
    share_folio(workshop, actor, work.folio_id, looker.actor.login, Scope.LOOK)
    return work, looker


def shows_secret(content: bytes) -> bool:
    """Whether somewhere in it something magenta is seen."""
    if content.startswith(b"PK"):
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            return any(shows_secret(packed.read(name)) for name in packed.namelist())
    try:
        pixels = np.asarray(Image.open(io.BytesIO(content)).convert("RGB")).astype(int)
    except (UnidentifiedImageError, OSError):
        return False
    seen = (pixels[..., 0] > 170) & (pixels[..., 1] < 60) & (pixels[..., 2] > 170)
    return bool(seen.mean() > 0.002)


MORE = (
    "/pictures/{picture_id}/preview?original=true&w=400&h=300",
    "/pictures/{picture_id}/preview?before=h1&w=400&h=300",
    "/pictures/{picture_id}/preview?before=h1&part=200,100,200,200&w=200&h=200",
    "/pictures/{picture_id}/places/{place_id}/file-plain?original=true",
    "/pictures/{picture_id}/steps/h1/variant?value=0",
    "/pictures/{picture_id}/steps/a1/variant?value=0",
    "/pictures/{picture_id}/steps/h1/draft?w=400&h=300&strength=0",
    "/pictures/{picture_id}/steps/h1/below?w=400&h=300&place={place_id}",
    "/pictures/{picture_id}/original",
    "/api/pictures/{picture_id}/original",
)


def test_no_route_shows_a_looker_what_is_hidden(application, shared: tuple[Work, Visitor]) -> None:  # noqa: ANN001
    work, looker = shared
    assert shows_secret(work.visitor.client.get(addressed(MORE[0], work)).content), "its owner sees it"
    asked = [
        addressed(path, work) + (WHOLE_QUERIES.get(path) or QUERIES.get(path.rstrip("/").rpartition("/")[2], ""))
        for method, path in all_routes(application)
        if method == "GET" and "events" not in path and "follow" not in path
    ]
    pictures = 0
    for address in (*asked, *(addressed(one, work) for one in MORE)):
        headers = looker.bearer if address.startswith("/api") else {}
        answer = looker.client.get(address, headers=headers)
        assert answer.status_code < 500, address
        assert not shows_secret(answer.content), address
        assert b"kx4471" not in answer.content.lower(), address
        assert "kx4471" not in str(answer.headers).lower(), address
        pictures += answer.headers.get("content-type", "").startswith("image/")
    assert pictures >= 3, "previews and finished places are shown"


def test_nor_does_a_rendering_without_steps_or_a_logo(workshop: Workshop, shared: tuple[Work, Visitor]) -> None:
    work, looker = shared
    address = f"/api/pictures/{work.picture_id}/render"
    for steps in ([], [{"id": "x", "step": {"kind": "exposure", "stops": 0.1}}]):
        answer = looker.client.post(address, json={"typed": "320x200", "steps": steps}, headers=looker.bearer)
        assert answer.status_code == 403
        assert "shared with you to look at" in answer.json()["detail"]
    plain = looker.client.post(address, json={"typed": "320x200"}, headers=looker.bearer)
    assert plain.status_code == 200
    assert not shows_secret(plain.content)
    own = bring_in(workshop, looker.actor, _own_folio(workshop, looker), "own.png", [encoded(smooth_picture(90, 60))])
    taken = looker.post(f"/pictures/{own.picture_id}/steps/l1/logo", {"picture": str(work.picture_id)})
    assert taken.status_code in {200, 403, 404}
    sha256 = read_picture(workshop, work.visitor.actor, work.picture_id).source_key.original
    logo = {"id": "l1", "step": {"kind": "logo", "logo": {"sha256": sha256, "name": "x"}}}
    document = {"version": 1, "document": {"steps": [logo]}}
    answer = looker.client.put(f"/api/pictures/{own.picture_id}/document", json=document, headers=looker.bearer)
    assert answer.status_code == 404
    assert "not among yours" in answer.json()["detail"]


def _own_folio(workshop: Workshop, looker: Visitor) -> int:
    return make_folio(workshop, looker.actor, "Own")


def test_originals_are_given_where_the_owner_said_so_and_nothing_is_hidden(
    workshop: Workshop, shared: tuple[Work, Visitor]
) -> None:
    work, looker = shared
    actor = work.visitor.actor
    address = f"/api/pictures/{work.picture_id}/original"
    refused = looker.client.get(address, headers=looker.bearer)
    assert (refused.status_code, "without originals" in refused.json()["detail"]) == (403, True)
    path = f"/folios/{work.folio_id}/shares"
    work.visitor.post(path, {"login": looker.actor.login, "scope": "look", "originals": "true"})
    hidden = looker.client.get(address, headers=looker.bearer)
    assert (hidden.status_code, "Something is hidden" in hidden.json()["detail"]) == (403, True)
    assert not shows_secret(looker.client.get(addressed(MORE[0], work)).content)
    state = read_picture(workshop, actor, work.picture_id)
    change(workshop, actor, work.picture_id, state.version, "Shown again", edits.remove_step("h1"))
    assert shows_secret(looker.client.get(address, headers=looker.bearer).content)
    assert looker.client.get(addressed(MORE[0], work)).status_code == 200
    assert "originals too" in work.visitor.client.get(f"/folios/{work.folio_id}/gather").text


def test_nothing_is_offered_that_would_be_refused(shared: tuple[Work, Visitor]) -> None:
    work, looker = shared
    address = f"/pictures/{work.picture_id}"
    own, theirs = (one.client.get(address).text for one in (work.visitor, looker))
    for offered in ("data-hold-original", 'data-view="beside"', "as it stood after this step", "original=true"):
        assert offered in own
        assert offered not in theirs
