"""Areas through their addresses: drawn and changed by numbers, taken back stroke by stroke, bad ones refused."""

import io
import re
import zipfile

import numpy as np
import pytest
from PIL import Image

from lucidex.services.house.workshop import Workshop
from lucidex.services.pictures.documents import PictureState, read_picture
from tests.web.conftest import Work


class Areas:
    """The areas of one step on the picture of `work` (640 × 400), over one page."""

    def __init__(self, work: Work, workshop: Workshop, typed: str) -> None:
        self._work, self._workshop = work, workshop
        self.version = 1
        answer = self._post(f"/pictures/{work.picture_id}/line", {"line": typed})
        found = re.search(r'id="step-(\w+)"', answer.text)
        assert found, answer.text[:300]
        self.step_id = found[1]

    def _post(self, path: str, values: dict[str, object]):  # noqa: ANN202
        answer = self._work.visitor.post(path, values, self.version)
        self.version = self.state.version
        return answer

    @property
    def state(self) -> PictureState:
        return read_picture(self._workshop, self._work.visitor.actor, self._work.picture_id)

    @property
    def shapes(self):  # noqa: ANN201
        return self.state.document.steps[0].step.shapes

    def post(self, path: str, **values: object):  # noqa: ANN201
        return self._post(f"/pictures/{self._work.picture_id}/steps/{self.step_id}/area/{path}", values)

    def seen(self) -> np.ndarray:
        answer = self._work.visitor.client.get(f"/pictures/{self._work.picture_id}/preview?w=640&h=400")
        return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), int)


@pytest.fixture
def hide(work: Work, workshop: Workshop) -> Areas:
    return Areas(work, workshop, "hide plate")


def test_a_drawn_area_is_hidden_there_and_nowhere_else(hide: Areas) -> None:
    before = hide.seen()
    hide.post("draw", tool="box", way="90 80 220 160")
    hide.post("0/put", x=160, y=130, width=120, height=60)
    after = hide.seen()
    moved = np.abs(after - before).max(axis=2) > 12
    rows, columns = np.nonzero(moved)
    assert 95 <= rows.min() <= rows.max() <= 166
    assert 95 <= columns.min() <= columns.max() <= 226


def test_shapes_are_drawn_moved_pulled_and_dropped_by_numbers(hide: Areas) -> None:
    hide.post("draw", tool="oval", way="100 100 220 160")
    hide.post("draw", tool="outline", way="300 100 400 100 400 200 300 200")
    hide.post("draw", tool="brush", way="50 300 150 320", radius=12)
    hide.post("draw", tool="box", way="120 110 140 130", away=True)
    assert [one.kind for one in hide.shapes] == ["ellipse", "outline", "stroke", "rectangle"]
    assert hide.shapes[3].takes_away
    hide.post("0/put", x=200, y=140, width=90, height=50, angle=30)
    hide.post("2/move", dx=64, dy=0)
    hide.post("1/reshape", way="300 100 400 100 350 220", sharp="0 2")
    ellipse, outline, stroke, _ = hide.shapes
    assert (ellipse.x, ellipse.y, ellipse.angle_degrees) == (pytest.approx(200 / 640), pytest.approx(0.35), 30)
    assert (ellipse.width, ellipse.height) == (pytest.approx(90 / 400), pytest.approx(50 / 400))
    assert stroke.path[0][0] == pytest.approx(114 / 640, abs=1e-4)
    assert (len(outline.points), outline.sharp, outline.smooth) == (3, (0, 2), True)
    hide.post("1/drop")
    assert len(hide.shapes) == 3
    hide.post("drop-all")
    assert hide.shapes == ()


@pytest.mark.parametrize("tool", ["oval", "box", "outline", "brush"])
def test_every_area_can_be_added_without_drawing(hide: Areas, tool: str) -> None:
    hide.post("add", tool=tool)
    (shape,) = hide.shapes
    answer = hide.seen()
    assert answer.shape == (400, 640, 3)
    assert shape.kind in {"ellipse", "rectangle", "outline", "stroke"}


@pytest.mark.parametrize(
    ("path", "values", "message"),
    [
        ("draw", {"tool": "oval", "way": "1 1 1 1"}, "at least 1 pixel"),
        ("draw", {"tool": "oval", "way": "1 x"}, "not made of numbers"),
        ("draw", {"tool": "oval", "way": "1 nan 4 4"}, "each of two numbers"),
        ("draw", {"tool": "oval", "way": "1e9 1 2 2"}, "each of two numbers"),
        ("draw", {"tool": "brush", "way": " ".join("1 1" for _ in range(4_001)), "radius": 3}, "at most 4000 points"),
        ("draw", {"tool": "outline", "way": "1 1 9 9"}, "at least three points"),
        ("draw", {"tool": "point", "way": "1 1"}, "not drawn like that"),
        ("0/put", {"x": 1, "y": 1, "width": 9, "height": 9}, "no longer there"),
        ("7/drop", {}, "no longer there"),
        ("accept", {}, "Nothing is proposed here"),
        ("source", {"x": 1, "y": 1}, "copies nothing"),
    ],
)
def test_what_is_no_area_is_refused_in_words_and_changes_nothing(
    hide: Areas, path: str, values: dict[str, object], message: str
) -> None:
    before = hide.state
    answer = hide.post(path, **values)
    assert message in answer.text
    assert hide.state == before


def test_a_step_holds_two_hundred_areas_and_says_so(hide: Areas, work: Work, workshop: Workshop) -> None:
    spots = Areas.__new__(Areas)
    spots.__dict__ = {**hide.__dict__}
    for _ in range(3):
        hide.post("draw", tool="brush", way="5 5", radius=2)
    shapes = [shape.model_dump(mode="json") for shape in hide.shapes]
    document = hide.state.document.model_dump(mode="json")
    document["steps"][0]["step"]["shapes"] = (shapes * 67)[:200]
    answer = work.visitor.client.put(
        f"/api/pictures/{work.picture_id}/document",
        headers=work.visitor.bearer,
        json={"version": hide.version, "document": document},
    )
    assert answer.status_code == 200, answer.text[:300]
    hide.version = hide.state.version
    assert "at most 200 areas" in hide.post("draw", tool="brush", way="5 5", radius=2).text


def test_strokes_are_taken_back_and_made_again_one_by_one(work: Work, workshop: Workshop) -> None:
    mend = Areas(work, workshop, "remove spot")
    for number in range(12):
        mend.post("draw", tool="brush", way=f"{40 + 40 * number} 200", radius=8)
    after = mend.seen()
    assert len(mend.shapes) == 12
    for left in range(11, -1, -1):
        work.visitor.post(f"/pictures/{work.picture_id}/undo", {}, mend.state.version)
        assert len(mend.shapes) == left
    for left in range(1, 13):
        work.visitor.post(f"/pictures/{work.picture_id}/redo", {}, mend.state.version)
        assert len(mend.shapes) == left
    assert np.array_equal(mend.seen(), after)


def test_copying_needs_a_mark_and_then_a_stroke(work: Work, workshop: Workshop) -> None:
    copy = Areas(work, workshop, "copy spot")
    assert "Mark first what is to be copied" in copy.post("draw", tool="brush", way="300 200", radius=20).text
    copy.post("source", x=100, y=100)
    copy.post("draw", tool="brush", way="300 200", radius=20)
    (stroke,) = copy.shapes
    assert (stroke.from_x, stroke.from_y) == (pytest.approx(100 / 640, abs=1e-4), 0.25)


def test_a_brush_that_shifts_does_what_it_was_told(work: Work, workshop: Workshop) -> None:
    distort = Areas(work, workshop, "distort by hand")
    for way in ("push", "swell", "swirl left"):
        distort.post("draw", tool="brush", way="300 200 340 210", radius=60, does=way)
    assert [one.shift.value for one in distort.shapes] == ["push", "swell", "swirl left"]
    assert "This brush can shift" in distort.post("draw", tool="brush", way="300 200", radius=60, does="melt").text
    assert len(distort.shapes) == 3
    assert distort.seen().shape == (400, 640, 3)


def test_on_a_turned_and_cropped_picture_an_area_lies_where_it_was_drawn(work: Work, workshop: Workshop) -> None:
    hide = Areas(work, workshop, "cover a part")
    visitor, picture = work.visitor, f"/pictures/{work.picture_id}"
    visitor.post(f"{picture}/line", {"line": "turn left"}, hide.state.version)
    hide.version = hide.state.version
    before = hide.seen()
    hide.post("draw", tool="box", way="50 400 150 500")
    scale = before.shape[0] / 640
    moved = np.abs(hide.seen() - before).max(axis=2) > 12
    rows, columns = np.nonzero(moved)
    assert rows.min() == pytest.approx(400 * scale, abs=4)
    assert columns.min() == pytest.approx(50 * scale, abs=4)


def test_names_of_files_say_that_parts_are_hidden(hide: Areas, work: Work) -> None:
    client, picture = work.visitor.client, f"/pictures/{work.picture_id}"

    def named() -> list[str]:
        with zipfile.ZipFile(io.BytesIO(client.get(f"{picture}/files").content)) as archive:
            return archive.namelist()

    assert not any("-hidden" in name for name in named())
    hide.post("draw", tool="oval", way="100 100 220 160")
    assert all("-hidden." in name for name in named())
    answer = client.get(f"{picture}/places/{work.place_id}/file?download=true")
    assert "-hidden." in answer.headers["content-disposition"]
    assert "parts hidden" in client.get(f"/folios/{work.folio_id}/proof").text


def test_a_weak_hiding_is_said_on_the_bench_and_on_the_sheet(hide: Areas, work: Work) -> None:
    hide.post("draw", tool="oval", way="100 100 220 160")
    picture = f"/pictures/{work.picture_id}"
    answer = work.visitor.post(f"{picture}/steps/{hide.step_id}/change", {"strength": 30}, hide.state.version)
    assert "may still work letters back" in answer.text
    rows = work.visitor.client.get(f"/folios/{work.folio_id}/proof/rows?on={work.picture_id}").text
    sheet = rows + work.visitor.client.get(f"/folios/{work.folio_id}/proof").text
    assert "hidden weakly" in sheet or "parts hidden" in sheet


def test_a_picture_holds_a_thousand_areas_and_says_so(hide: Areas, work: Work) -> None:
    hide.post("draw", tool="brush", way="5 5", radius=2)
    shape = hide.shapes[0].model_dump(mode="json")
    document = hide.state.document.model_dump(mode="json")
    (entry,) = document["steps"]
    entry["step"]["shapes"] = [shape] * 200
    document["steps"] = [{**entry, "id": f"{hide.step_id[:10]}{number}"} for number in range(5)]
    client, headers = work.visitor.client, work.visitor.bearer
    path = f"/api/pictures/{work.picture_id}/document"
    body = {"version": hide.version, "document": {**document, "steps": [*document["steps"], {**entry, "id": "zz"}]}}
    assert "at most 1000 areas" in client.put(path, headers=headers, json=body).text
    assert client.put(path, headers=headers, json={**body, "document": document}).status_code == 200
    added = work.visitor.post(
        f"/pictures/{work.picture_id}/steps/{document['steps'][0]['id']}/duplicate", {}, hide.state.version
    )
    assert "at most 1000 areas" in added.text


def test_a_brush_that_is_too_large_for_mending_is_refused_in_words(work: Work, workshop: Workshop) -> None:
    mend = Areas(work, workshop, "remove spot")
    assert "too large for mending" in mend.post("draw", tool="brush", way="300 200", radius=60).text
    assert mend.shapes == ()


def test_a_box_cuts_out_what_it_holds_and_a_stroke_is_looked_at_again(work: Work, workshop: Workshop) -> None:
    cut = Areas(work, workshop, "cut out")
    assert "one drag is enough" in work.visitor.client.get(f"/pictures/{work.picture_id}").text
    cut.post("draw", tool="box", way="120 80 520 320")
    boxed = cut.state.document.steps[0].step
    assert boxed.seen == "pointed"
    cut.post("draw", tool="brush", way="200 200 440 200", radius=30, away=True)
    brushed = cut.state.document.steps[0].step
    assert brushed.rings != boxed.rings
    cut.post("1/drop")
    assert cut.state.document.steps[0].step == boxed
    cut.post("drop-all")
    assert cut.state.document.steps[0].step.rings == ()
