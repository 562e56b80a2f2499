"""Drafts, histograms, samples and looks: they show, and change nothing unless they are asked to."""

import io
import json
import re

import numpy as np
import pytest
from PIL import Image

from lucidex.services.house.workshop import Workshop
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change, read_picture
from tests.web.conftest import Work


@pytest.fixture
def lighter(work: Work) -> str:
    """The address of a light step on the picture of `work`."""
    answer = work.visitor.post(f"/pictures/{work.picture_id}/line", {"line": "brightness 0"})
    found = re.search(r'id="step-(\w+)"', answer.text)
    assert found
    return f"/pictures/{work.picture_id}/steps/{found[1]}"


def mean(content: bytes) -> float:
    return float(np.asarray(Image.open(io.BytesIO(content)).convert("RGB")).mean())


def test_a_draft_shows_other_values_and_changes_nothing(work: Work, lighter: str, workshop: Workshop) -> None:
    before = read_picture(workshop, work.visitor.actor, work.picture_id)
    answers = [work.visitor.client.get(f"{lighter}/draft?brightness={b}&w=320&h=320") for b in (-60, 0, 60)]
    dark, rest, light = (mean(answer.content) for answer in answers)
    assert dark + 10 < rest < light - 10
    with Image.open(io.BytesIO(answers[0].content)) as seen:
        assert seen.size == (320, 200)
    found = json.loads(answers[0].headers["X-Histogram"])
    assert len(found["luma"]) == 128
    assert read_picture(workshop, work.visitor.actor, work.picture_id) == before


def test_a_draft_of_a_part_is_drawn_to_what_was_asked(work: Work, lighter: str) -> None:
    answer = work.visitor.client.get(f"{lighter}/draft?brightness=5&w=90&h=60&part=100,100,180,120")
    with Image.open(io.BytesIO(answer.content)) as seen:
        assert seen.size == (90, 60)


@pytest.mark.parametrize(
    ("query", "message"),
    [
        ("brightness=101", "at most 100"),
        ("brightness=bright", "The brightness cannot be “bright”"),
        ("brightnes=1", "not permitted"),
    ],
)
def test_a_draft_of_nonsense_is_a_sentence(work: Work, lighter: str, query: str, message: str) -> None:
    answer = work.visitor.client.get(f"{lighter}/draft?{query}&w=50&h=50")
    assert answer.status_code == 422
    assert message in answer.text


def test_histogram_and_sample_follow_the_steps(work: Work, lighter: str) -> None:
    client, picture = work.visitor.client, f"/pictures/{work.picture_id}"
    work.visitor.post(f"{lighter}/change", {"brightness": 70}, version=2)
    shown = client.get(f"{picture}/histogram?without={lighter.rsplit('/', 1)[1]}").json()
    middle = [np.average(np.arange(128), weights=shown[when]["luma"]) for when in ("before", "now")]
    assert middle[1] > middle[0] + 8
    for query in ("x=320&y=200&w=400&h=400", "x=320&y=200"):
        found = client.get(f"{picture}/sample?{query}").json()
        assert sum(found["now"]) > sum(found["before"]) + 20
    assert client.get(f"{picture}/sample?x=-5&y=200").json()["now"] is None
    assert client.get(f"{picture}/sample?x=nan&y=200").status_code == 422


def test_marks_are_seen_and_never_in_the_file(work: Work, lighter: str) -> None:
    work.visitor.post(f"{lighter}/change", {"brightness": 0, "contrast": 100}, version=2)
    work.visitor.post(f"/pictures/{work.picture_id}/line", {"line": "exposure 3"}, version=3)
    client = work.visitor.client
    plain, marked = (client.get(f"/pictures/{work.picture_id}/preview?mark={m}") for m in ("false", "true"))
    assert marked.headers["content-type"] == "image/png"
    seen = np.asarray(Image.open(io.BytesIO(marked.content)).convert("RGB"))
    assert (seen == (165, 42, 28)).all(axis=-1).mean() > 0.05
    assert plain.headers["etag"] != marked.headers["etag"]
    file = client.get(f"/pictures/{work.picture_id}/places/{work.place_id}/file").content
    assert (np.asarray(Image.open(io.BytesIO(file)).convert("RGB")) == (165, 42, 28)).all(axis=-1).mean() < 0.001


def test_what_a_step_cannot_become_is_refused_in_words(work: Work, lighter: str) -> None:
    post = work.visitor.post
    assert "cannot be carried on" in post(f"{lighter}/carry-on", {"way": "levels"}, version=2).text
    assert "Only a white balance" in post(f"{lighter}/grey", {"x": 1, "y": 1}, version=2).text
    assert "is no look" in post(f"{lighter}/look", {"name": "Moss"}, version=2).text
    looked = post(f"/pictures/{work.picture_id}/line", {"line": "moss"}, version=2)
    step = re.findall(r'id="step-(\w+)"', looked.text)[-1]
    answer = post(f"/pictures/{work.picture_id}/steps/{step}/look", {"name": "Nobody's"}, version=3)
    assert "No look is called" in answer.text


def test_a_threshold_set_by_hand_stays_when_something_else_changes(work: Work, workshop: Workshop) -> None:
    actor, post = work.visitor.actor, work.visitor.post
    looked = post(f"/pictures/{work.picture_id}/line", {"line": "two tones"})
    step_id = re.findall(r'id="step-(\w+)"', looked.text)[-1]
    step = f"/pictures/{work.picture_id}/steps/{step_id}"
    post(f"{step}/change", {"threshold_percent": 71}, version=2)
    post(f"{step}/change", {"threshold_percent": 71, "ink": "its own"}, version=3)
    now = read_picture(workshop, actor, work.picture_id).document.steps[0].step
    assert (now.threshold_percent, now.automatic) == (71, False)
    post(f"{step}/find", version=4)
    again = read_picture(workshop, actor, work.picture_id).document.steps[0].step
    assert again.automatic
    assert again.threshold_percent != 71


def test_changing_a_step_that_was_left_out_lets_it_count_again(work: Work, lighter: str, workshop: Workshop) -> None:
    step_id = lighter.rsplit("/", 1)[1]
    change(workshop, work.visitor.actor, work.picture_id, 2, "off", edits.switch_step(step_id, False))
    light, dark = (work.visitor.client.get(f"{lighter}/draft?brightness={b}&w=90&h=90") for b in (60, -60))
    assert mean(light.content) > mean(dark.content), "what is seen while it moves is what comes"
    work.visitor.post(f"{lighter}/change", {"brightness": 60}, version=3)
    assert read_picture(workshop, work.visitor.actor, work.picture_id).document.steps[0].active
