"""Words and notes through their addresses: typed, moved, filled in, in a face of one's own; drawn, refused."""

import io
import json
import re
from html import unescape

import numpy as np
import pytest
from PIL import Image

from lucidex.core.finish.marks import MarkKind
from lucidex.core.finish.text.faces import Family, shipped_face
from lucidex.core.steps.text import Text
from lucidex.services.house.workshop import Workshop
from lucidex.services.pictures.documents import PictureState, read_picture
from lucidex.services.pictures.notes import read_notes
from tests.web.conftest import Work

STAGE = re.compile(r'data-stage="([^"]+)"')


class Bench:
    """The bench of the picture of `work` (640 × 400) with its place of 320 × 128 chosen."""

    def __init__(self, work: Work, workshop: Workshop) -> None:
        self.work, self.workshop = work, workshop

    @property
    def state(self) -> PictureState:
        return read_picture(self.workshop, self.work.visitor.actor, self.work.picture_id)

    def post(self, path: str, **values: object):  # noqa: ANN201
        address = f"/pictures/{self.work.picture_id}/{path}?place={self.work.place_id}"
        return self.work.visitor.post(address, values, self.state.version)

    def line(self, typed: str):  # noqa: ANN201
        return self.post("line", line=typed)

    def stage(self, step_id: str) -> dict[str, object]:
        answer = self.work.visitor.client.get(
            f"/pictures/{self.work.picture_id}?place={self.work.place_id}&open={step_id}"
        )
        found = STAGE.search(answer.text)
        assert found
        return dict(json.loads(unescape(found[1])))

    @property
    def step_id(self) -> str:
        return self.state.document.steps[-1].id

    @property
    def text(self) -> Text:
        step = self.state.document.steps[-1].step
        assert isinstance(step, Text)
        return step


@pytest.fixture
def bench(work: Work, workshop: Workshop) -> Bench:
    return Bench(work, workshop)


def test_words_are_typed_on_the_line_as_they_are(bench: Bench) -> None:
    bench.line('text "Seed swap, Saturday" top right white 9 %')
    assert (bench.text.text, bench.text.anchor.value, bench.text.size_percent) == (
        "Seed swap, Saturday",
        "top right",
        9,
    )
    bench.line("text Under the Dome")
    assert bench.text.text == "Under the Dome"


def test_words_are_typed_and_moved_on_the_place(bench: Bench) -> None:
    bench.line('text "Seed swap"')
    answer = bench.post(f"steps/{bench.step_id}/text/typed", text="Seed swap\r\nfrom ten ")
    assert answer.status_code == 200
    assert bench.text.text == "Seed swap\nfrom ten"
    bench.post(f"steps/{bench.step_id}/text/at", x=160, y=64)
    assert bench.text.at == (0.5, 0.5)
    words = bench.stage(bench.step_id)["words"]
    assert isinstance(words, dict)
    assert abs(words["x"] + words["wide"] / 2 - 160) <= 1
    assert abs(words["y"] + words["high"] / 2 - 64) <= 1
    bench.post(f"steps/{bench.step_id}/text/at", x=9_000, y=-9_000)
    words = bench.stage(bench.step_id)["words"]
    assert isinstance(words, dict)
    assert (words["x"] + words["wide"], words["y"]) == (320, 0), "held inside of the place"
    bench.post(f"steps/{bench.step_id}/text/anchor", anchor="top")
    assert (bench.text.at, bench.text.anchor.value) == (None, "top")


def test_what_the_stage_shows_apart_is_the_file_when_it_is_put_together(bench: Bench) -> None:
    bench.line("border 4 dark green")
    bench.line('text "Seed swap"')
    stage, client = bench.stage(bench.step_id), bench.work.visitor.client
    words = stage["words"]
    assert isinstance(words, dict)
    below = client.get(f"{stage['preview']}&w=320&h=128")
    alone = client.get(words["address"])
    assert "immutable" in below.headers["cache-control"]
    assert "immutable" in alone.headers["cache-control"]
    canvas = np.asarray(Image.open(io.BytesIO(below.content)).convert("RGB"), float).copy()
    over = np.asarray(Image.open(io.BytesIO(alone.content)), float)
    rows = slice(words["top"], words["top"] + words["height"])
    columns = slice(words["left"], words["left"] + words["width"])
    share = over[..., 3:] / 255
    canvas[rows, columns] = canvas[rows, columns] * (1 - share) + over[..., :3] * share
    address = f"/pictures/{bench.work.picture_id}/places/{bench.work.place_id}/file"
    whole = np.asarray(Image.open(io.BytesIO(client.get(address).content)).convert("RGB"), float)
    assert np.abs(canvas - whole).mean() < 4, "but for the compression of both"
    bench.post(f"steps/{bench.step_id}/text/typed", text="Other words")
    assert client.get(words["address"]).headers["cache-control"] == "no-store", (
        "an address of what was is kept by nobody"
    )
    part = client.get(f"{stage['preview']}&w=60&h=40&part=10,10,60,40")
    assert Image.open(io.BytesIO(part.content)).size == (60, 40)


def test_what_lies_over_the_stage_is_asked_for_anew_when_the_picture_below_changes(bench: Bench) -> None:
    bench.line('text "Seed swap"')
    addresses = []
    for typed in ("exposure -2", "exposure 3"):
        bench.line(typed)
        over = bench.stage("")["overlay"]
        assert isinstance(over, dict)
        addresses.append(over["address"])
    client = bench.work.visitor.client
    assert addresses[0] != addresses[1], "letters are light or dark by what lies below them"
    assert "immutable" in client.get(addresses[1]).headers["cache-control"]
    assert client.get(addresses[0]).headers["cache-control"] == "no-store"


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("x" * 10_000, "at most 4000 letters"),
        ("x" * 3_000, "Up to 2000 letters"),
        ("a\x08b", "control character"),
        ("a" + "\u0301" * 40, "piled"),
    ],
)
def test_hostile_words_get_a_sentence_and_leave_what_was(bench: Bench, typed: str, says: str) -> None:
    bench.line('text "Seed swap"')
    answer = bench.post(f"steps/{bench.step_id}/text/typed", text=typed)
    assert 'class="notice"' in answer.text
    assert says in unescape(answer.text)
    assert bench.text.text == "Seed swap"


def test_a_field_of_ones_own_is_asked_for_and_kept_with_the_picture(bench: Bench) -> None:
    bench.line('text "{Price} at the door"')
    answer = bench.post(f"steps/{bench.step_id}/text/field", name="Price", words="Free")
    assert 'name="words" maxlength="1000" value="Free"' in answer.text
    assert bench.state.document.words == {"price": "Free"}
    refused = bench.post(f"steps/{bench.step_id}/text/field", name="caption", words="x")
    assert "{caption} is filled in by itself" in refused.text
    bench.post(f"steps/{bench.step_id}/text/field", name="price", words=" ")
    assert bench.state.document.words == {}


def test_a_face_is_chosen_brought_in_and_forgotten(bench: Bench) -> None:
    bench.line('text "Seed swap"')
    bench.post(f"steps/{bench.step_id}/text/face", family="hand")
    assert bench.text.family is Family.HAND
    address = f"/pictures/{bench.work.picture_id}/steps/{bench.step_id}/text/font-file?place={bench.work.place_id}"
    headers = {"X-CSRF-Token": bench.work.visitor.csrf, "X-Version": str(bench.state.version), "HX-Request": "true"}
    content = shipped_face(Family.DISPLAY).path.read_bytes()
    client = bench.work.visitor.client
    answer = client.post(address, headers=headers, files={"file": ("titles.ttf", content)})
    assert answer.status_code == 200
    assert bench.text.font
    assert bench.text.font.name == "titles.ttf"
    listed = client.get("/api/fonts", headers=bench.work.visitor.bearer).json()
    assert listed[0]["font"]["sha256"] == bench.text.font.sha256
    sample = client.get(f"/fonts/{listed[0]['id']}/sample?v={bench.text.font.sha256[:16]}")
    assert np.asarray(Image.open(io.BytesIO(sample.content)))[..., 3].max() == 255
    bad = client.post(
        address, headers=headers | {"X-Version": str(bench.state.version)}, files={"file": ("x.ttf", b"no")}
    )
    assert "neither TTF nor OTF" in bad.text
    bench.post(f"steps/{bench.step_id}/text/font-forget")
    assert bench.text.font, "words that are set in it stay so"
    assert "not in your list" in bench.post(f"steps/{bench.step_id}/text/font-forget").text


def test_a_face_comes_in_by_api_and_a_step_uses_it(bench: Bench) -> None:
    client, bearer = bench.work.visitor.client, bench.work.visitor.bearer
    content = shipped_face(Family.SLAB).path.read_bytes()
    made = client.post("/api/fonts?name=slab.ttf", headers=bearer, content=content)
    assert made.status_code == 201
    assert made.json()["facts"]["rights"] == "may be embedded"
    bad = client.post("/api/fonts?name=x.ttf", headers=bearer, content=b"no font")
    assert bad.status_code == 422
    assert "x.ttf" in bad.json()["detail"]


@pytest.mark.parametrize("way", ["on a plate", "other colour"])
def test_what_is_hard_to_read_has_ways_out_on_the_sheet(bench: Bench, way: str) -> None:
    bench.line('text "Seed swap"')
    before = bench.text
    path = f"outputs/{bench.work.place_id}/words"
    answer = bench.post(path, way=way)
    assert answer.status_code == 200
    assert bench.text != before
    assert "on a plate, or in the other colour" in bench.post(path, way="frame it").text


def test_the_bench_says_which_format_keeps_clear_areas(bench: Bench) -> None:
    bench.post(f"places/{bench.work.place_id}/output", format="jpeg")
    answer = bench.line("oval")
    assert "JPEG has no clear areas: they turn white" in unescape(answer.text)
    bench.post(f"places/{bench.work.place_id}/output", format="png")
    opened = bench.work.visitor.client.get(
        f"/pictures/{bench.work.picture_id}?place={bench.work.place_id}&open={bench.step_id}"
    )
    assert "has no clear areas" not in opened.text


def test_marks_are_drawn_into_ones_own_note_and_kept_small(bench: Bench, workshop: Workshop) -> None:
    way = " ".join(f"{100 + step / 20:.2f} {100 + (step % 40) / 10:.2f}" for step in range(3_000))
    assert bench.post("notes/draw", kind="pen", way=way, colour="blue", width=4).status_code == 200
    notes = read_notes(workshop, bench.work.visitor.actor, bench.work.picture_id)
    mine = notes[-1]
    assert len(mine.marks[0].points) <= 400
    pressed = " ".join(["0.2", "0.9", "0.5"])
    bench.post("notes/draw", kind="pen", way="10 10 60 60 90 20", width=4, pressed=pressed, note=mine.id)
    bench.post("notes/draw", kind="words", way="50 50", width=4, words="Look here", note=mine.id)
    marks = read_notes(workshop, bench.work.visitor.actor, bench.work.picture_id)[-1].marks
    assert [mark.kind for mark in marks] == [MarkKind.PEN, MarkKind.PEN, MarkKind.WORDS]
    assert marks[1].pressed == (0.2, 0.9, 0.5)
    assert marks[2].text == "Look here"
    stage = bench.stage("notes")
    assert stage["mode"] == "notes"
    assert [one["kind"] for one in stage["notes"] if one["note"] == mine.id] == ["pen", "pen", "words"]  # type: ignore[attr-defined]
    answer = bench.post(f"notes/{mine.id}/marks/2/move", dx=64, dy=-40)
    assert answer.status_code == 200
    moved = read_notes(workshop, bench.work.visitor.actor, bench.work.picture_id)[-1].marks[2].points[0]
    assert moved == pytest.approx((50 / 640 + 0.1, 50 / 400 - 0.1), abs=1e-4)


@pytest.mark.parametrize(
    ("values", "says"),
    [
        ({"kind": "pen", "way": "1 2 3"}, "points"),
        ({"kind": "pen", "way": "1 x"}, "not made of numbers"),
        ({"kind": "pen", "way": "1 2 3 4", "pressed": "a b"}, "not made of numbers"),
        ({"kind": "words", "way": "1 2"}, "Type the words first"),
        ({"kind": "words", "way": "1 2", "words": "x" * 201}, "up to 200 letters"),
        ({"kind": "brush", "way": "1 2"}, ""),
    ],
)
def test_what_is_no_mark_is_refused_in_words(bench: Bench, values: dict[str, object], says: str) -> None:
    answer = bench.post("notes/draw", **values)
    assert 'class="notice"' in answer.text
    assert says in unescape(answer.text)


def test_a_note_goes_into_the_files_as_a_step(bench: Bench) -> None:
    bench.post(f"notes/{bench.work.note_id}/into-files")
    assert [entry.step.kind for entry in bench.state.document.steps] == ["marks"]
    stale = bench.work.visitor.post(
        f"/pictures/{bench.work.picture_id}/notes/{bench.work.note_id}/into-files", {}, version=1
    )
    assert stale.status_code == 409, "somebody else was faster"
