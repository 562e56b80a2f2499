"""Weigh over HTTP: a page that knows what was measured, points, loupes, and what is taken."""

import io
import json
import re
from html import unescape

import numpy as np
import pytest
from PIL import Image

from tests.web.conftest import Work


def facts_of(text: str) -> dict:
    found = re.search(r'id="weigh-facts">(.*?)</script>', text, re.S)
    assert found is not None
    return json.loads(unescape(found[1]))


@pytest.fixture
def at(work: Work) -> str:
    return f"/pictures/{work.picture_id}/outputs/{work.place_id}/weigh"


def test_the_page_opens_with_what_is_known_and_says_the_file_in_words(work: Work, at: str) -> None:
    get = work.visitor.client.get
    first = get(at)
    assert first.status_code == 200
    facts = facts_of(first.text)
    assert {one["name"] for one in facts["formats"]} >= {"jpeg", "webp", "avif", "png"}
    assert facts["current"]["words"] in first.text
    assert all(set(one["ladder"]) <= set(one["qualities"]) for one in facts["formats"])
    point = get(f"{at}/points/webp/45").json()["point"]
    assert point["format"] == "webp"
    assert 0 < point["likeness"] <= 100
    assert point in facts_of(get(at).text)["known"], "whoever comes later waits for nothing twice"


def test_a_point_is_what_is_taken_and_fetched(work: Work, at: str) -> None:
    point = work.visitor.client.get(f"{at}/points/webp/31").json()["point"]
    answer = work.visitor.post(f"{at}/take", {"name": "webp", "quality": 31})
    assert answer.headers["hx-redirect"] == f"/pictures/{work.picture_id}?place={work.place_id}"
    file = work.visitor.client.get(f"/pictures/{work.picture_id}/places/{work.place_id}/file")
    assert len(file.content) == point["bytes"]
    assert file.headers["content-type"] == "image/webp"
    back = work.visitor.post(f"{at}/take", {"name": "jpeg", "quality": 77, "back": "proof"})
    assert back.headers["hx-redirect"].endswith("/proof")


def test_the_loupes_show_the_same_spot_pixel_by_pixel(work: Work, at: str) -> None:
    client = work.visitor.client
    size = facts_of(client.get(at).text)["size"]
    spot = f"left=3&top=2&width={size[0] - 5}&height={size[1] - 4}"

    def shown(query: str) -> np.ndarray:
        answer = client.get(f"{at}/part?{query}")
        assert answer.headers["content-type"] == "image/png"
        return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB")).astype(int)

    before, exact, poor = (shown(spot + end) for end in ("", "&name=png&quality=100", "&name=jpeg&quality=5"))
    assert before.shape == (size[1] - 4, size[0] - 5, 3)
    assert np.array_equal(before, exact)
    assert np.abs(before - poor).max() > 3
    assert client.get(f"{at}/part?left=90000&top=0&width=5&height=5").status_code == 422


def test_a_part_is_kept_for_ever_only_under_the_name_of_what_decides_it(work: Work, at: str) -> None:
    client = work.visitor.client
    key = facts_of(client.get(at).text)["key"]
    right, wrong = (client.get(f"{at}/part?left=0&top=0&width=5&height=5&v={v}") for v in (key, "0" * 24))
    assert "immutable" in right.headers["cache-control"]
    assert wrong.headers["cache-control"] == "no-store"


@pytest.mark.parametrize("path", ["points/jpeg/0", "points/jpeg/101", "points/tiff/80", "points/bmp/80"])
def test_what_is_no_point_is_refused(work: Work, at: str, path: str) -> None:
    assert work.visitor.client.get(f"{at}/{path}").status_code in {404, 422}


def test_spots_lie_wholly_inside(work: Work, at: str) -> None:
    width, height = facts_of(work.visitor.client.get(at).text)["size"]
    found = work.visitor.client.get(f"{at}/spots?name=jpeg&quality=5&width=20&height=9999").status_code
    assert found == 422, "a loupe has a largest size"
    spots = work.visitor.client.get(f"{at}/spots?name=jpeg&quality=5&width=20&height=16").json()["spots"]
    across, down = min(20, width), min(16, height)
    assert spots
    assert all(0 <= x <= width - across and 0 <= y <= height - down for x, y in spots)


def test_files_that_browsers_cannot_show_are_shown_otherwise_and_fetched_as_they_are(work: Work) -> None:
    path = f"/pictures/{work.picture_id}/places/{work.place_id}"
    work.visitor.post(f"{path}/output", {"format": "tiff"})
    client = work.visitor.client
    assert client.get(f"{path}/file").headers["content-type"] == "image/png"
    fetched = client.get(f"{path}/file?download=true")
    assert fetched.headers["content-type"] == "image/tiff"
    assert fetched.content[:4] in {b"II*\0", b"MM\0*"}


def test_totals_and_pace_stand_together(work: Work) -> None:
    client, folio = work.visitor.client, work.folio_id
    sheet = client.get(f"/folios/{folio}/proof/weights")
    assert "Originals" in sheet.text
    assert "thoroughly" in sheet.text
    work.visitor.post(f"/folios/{folio}/proof/pace", {"pace": "quick"})
    assert re.search(r'value="quick" checked', client.get(f"/folios/{folio}/proof/weights").text)
    assert work.visitor.post(f"/folios/{folio}/proof/pace", {"pace": "sluggish"}).headers["x-refused"] == "422"


def test_a_ceiling_for_all_is_asked_for_until_it_is_over(work: Work) -> None:
    for _ in range(200):
        answer = work.visitor.post(f"/folios/{work.folio_id}/proof/share", {"ceiling": "40 MB"}).json()
        if answer["is_over"]:
            break
    assert answer["is_over"]
    assert answer["sentence"].startswith("Shared out")
    refused = work.visitor.post(f"/folios/{work.folio_id}/proof/share", {"ceiling": "plenty"})
    assert refused.headers["x-refused"] == "422"


def test_a_poor_file_may_be_as_heavy_as_it_must_be_and_that_is_measured(work: Work) -> None:
    """Under a ceiling that makes it poor, the ways out say what would be enough; taken, the file looks so."""
    client, path = work.visitor.client, f"/pictures/{work.picture_id}/outputs/{work.place_id}"
    said = client.get(f"{path}/enough?looks=the same").text
    assert re.search(r"B, looks the same", said)
    answer = work.visitor.post(f"{path}/enough", {"looks": "slightly different"})
    assert "allowed for" in answer.text
    assert work.visitor.post(f"{path}/enough", {"looks": "wonderful"}).headers["x-refused"] == "422"
