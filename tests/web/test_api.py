"""The API as a script uses it."""

import hashlib
import io

import pytest
from PIL import Image

from tests.conftest import encoded, smooth_picture
from tests.core.reading import said
from tests.web.conftest import Work


def test_from_a_file_to_a_finished_picture(work: Work) -> None:
    client, headers = work.visitor.client, work.visitor.bearer
    folio = client.post("/api/folios", json={"name": "By script"}, headers=headers).json()
    content = encoded(smooth_picture(600, 450), ".jpg", Q=90)
    taken = client.post(
        f"/api/folios/{folio['id']}/pictures", params={"name": "a.jpg"}, content=content, headers=headers
    )
    assert taken.status_code == 201
    picture = taken.json()
    assert picture["size"] == {"width": 600, "height": 450}
    original = client.get(f"/api/pictures/{picture['id']}/original", headers=headers)
    assert original.content == content

    read = client.get(f"/api/pictures/{picture['id']}", headers=headers).json()
    read["document"]["steps"] = [{"id": "t", "step": {"kind": "turn", "direction": "right"}}]
    body = {"version": read["version"], "document": read["document"]}
    changed = client.put(f"/api/pictures/{picture['id']}/document", json=body, headers=headers).json()
    assert changed["size"] == {"width": 450, "height": 600}

    place = client.post(
        f"/api/folios/{folio['id']}/places", json={"typed": "200x300 as webp"}, headers=headers
    ).json()
    file = client.get(f"/api/pictures/{picture['id']}/places/{place['id']}/file", headers=headers)
    assert file.headers["content-type"] == "image/webp"
    assert (file.headers["x-result-width"], file.headers["x-result-height"]) == ("200", "300")
    assert int(file.headers["x-result-bytes"]) == len(file.content)
    assert Image.open(io.BytesIO(file.content)).size == (200, 300)
    assert len(file.headers["x-result-key"]) == 64


def test_the_walls_bytes_are_the_downloads_and_the_apis(work: Work) -> None:
    client = work.visitor.client
    path = f"/pictures/{work.picture_id}/places/{work.place_id}/file"
    wall = client.get(path)
    download = client.get(path, params={"download": True})
    api = client.get("/api" + path, headers=work.visitor.bearer)
    assert wall.content == download.content == api.content
    assert 'filename="dome-320x128.jpg"' in download.headers["content-disposition"]
    assert wall.headers["x-result-key"] == api.headers["x-result-key"]


def test_texts_go_into_a_file_where_they_are_asked_for(work: Work) -> None:
    client, headers = work.visitor.client, work.visitor.bearer
    document = client.get(f"/api/pictures/{work.picture_id}", headers=headers).json()["document"]
    document["texts"] = {"caption": "The dome at dusk", "credit": "Mara Lind"}
    body = {"version": 1, "document": document}
    assert client.put(f"/api/pictures/{work.picture_id}/document", json=body, headers=headers).status_code == 200
    path = f"/api/pictures/{work.picture_id}/places/{work.place_id}/file"
    plain = client.get(path, headers=headers).content
    with_texts = client.get(path, params={"texts": True}, headers=headers)
    assert b"The dome at dusk" not in plain
    assert b"The dome at dusk" in Image.open(io.BytesIO(with_texts.content)).info["xmp"]
    asked = {"typed": "60x40 as avif", "texts": True}
    light = client.post(f"/api/pictures/{work.picture_id}/render", json=asked, headers=headers)
    assert said(light.content)["XMP-dc:Description"] == "The dome at dusk"


def test_rendering_leaves_nothing_behind(work: Work) -> None:
    client, headers = work.visitor.client, work.visitor.bearer
    body = {
        "demand": {"measure": {"by": "longest", "longest_px": 77}, "format": "png"},
        "steps": [{"id": "c", "step": {"kind": "crop", "area": {"by": "shape", "across": 1, "down": 1}}}],
    }
    file = client.post(f"/api/pictures/{work.picture_id}/render", json=body, headers=headers)
    assert Image.open(io.BytesIO(file.content)).size == (77, 77)
    again = client.post(f"/api/pictures/{work.picture_id}/render", json=body, headers=headers)
    assert hashlib.sha256(again.content).digest() == hashlib.sha256(file.content).digest()
    assert client.get(f"/api/pictures/{work.picture_id}", headers=headers).json()["version"] == 1


def test_a_conflict_answers_409_and_loses_nothing(work: Work) -> None:
    client, headers = work.visitor.client, work.visitor.bearer
    path = f"/api/pictures/{work.picture_id}"
    document = client.get(path, headers=headers).json()["document"]
    turned = {**document, "steps": [{"id": "t", "step": {"kind": "turn", "direction": "left"}}]}
    assert client.put(f"{path}/document", json={"version": 1, "document": turned}, headers=headers).status_code == 200
    refused = client.put(f"{path}/document", json={"version": 1, "document": document}, headers=headers)
    assert refused.status_code == 409
    assert refused.headers["content-type"] == "application/problem+json"
    assert "Nothing was lost" in refused.json()["detail"]
    assert len(client.get(path, headers=headers).json()["document"]["steps"]) == 1


def test_places_are_changed_with_their_version_and_taken_down(work: Work) -> None:
    client, headers = work.visitor.client, work.visitor.bearer
    path = f"/api/places/{work.place_id}"
    changed = client.put(path, json={"version": 1, "typed": "90x90", "name": "Small"}, headers=headers).json()
    assert (changed["version"], changed["name"], changed["demand"]["measure"]["width_px"]) == (2, "Small", 90)
    assert client.put(path, json={"version": 1, "typed": "91x90"}, headers=headers).status_code == 409
    assert client.delete(path, headers=headers).status_code == 204
    assert client.get(f"/api/folios/{work.folio_id}/places", headers=headers).json() == []


@pytest.mark.parametrize("size", ["0", "-1", "1e9", "abc", "0x0", "99999x99999", "32000x32000"])
def test_impossible_sizes_are_problem_details_in_words(work: Work, size: str) -> None:
    answer = work.visitor.client.post(
        f"/api/folios/{work.folio_id}/places", json={"typed": size}, headers=work.visitor.bearer
    )
    problem = answer.json()
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    assert {"type", "title", "status", "detail"} <= problem.keys()
    assert problem["detail"].endswith(".")
    assert "Traceback" not in answer.text


@pytest.mark.parametrize(
    ("content", "status", "why"),
    [(b"", 422, "empty"), (b"not a picture at all", 422, "inside is text"), (b"\xff\xd8\xff\xe0", 422, "JPEG")],
)
def test_bad_files_are_problem_details_in_words(work: Work, content: bytes, status: int, why: str) -> None:
    path = f"/api/folios/{work.folio_id}/pictures"
    answer = work.visitor.client.post(path, params={"name": "x.jpg"}, content=content, headers=work.visitor.bearer)
    assert answer.status_code == status
    assert why in answer.json()["detail"]
    assert "“x.jpg” was not taken" in answer.json()["detail"]


def test_an_upload_announced_too_large_is_refused(work: Work) -> None:
    path = f"/api/folios/{work.folio_id}/pictures"
    answer = work.visitor.client.post(
        path, params={"name": "big.tif"}, content=iter([bytes(1_000_000)] * 205), headers=work.visitor.bearer
    )
    assert answer.status_code == 413
    assert "200 MB" in answer.json()["detail"]


def test_nonsense_is_answered_in_words(work: Work) -> None:
    client, headers = work.visitor.client, work.visitor.bearer
    for body in (
        {"typed": "9x9", "demand": {"measure": {"by": "percent", "percent": 5}}},
        {},
        {"demand": {"measure": {}}},
    ):
        answer = client.post(f"/api/folios/{work.folio_id}/places", json=body, headers=headers)
        assert answer.status_code == 422
        assert answer.json()["detail"]
    assert client.get("/api/nothing", headers=headers).json()["title"] == "Not found"


@pytest.mark.parametrize(
    "document",
    [
        {"schema_revision": 9},
        {"steps": [{"id": "a", "step": {"kind": "turn", "direction": "left"}}] * 2},
        {"steps": [{"id": f"a{i}", "step": {"kind": "turn", "direction": "left"}} for i in range(201)]},
        {"framings": {"abc": {}}},
        {"steps": [{"id": "a", "step": {"kind": "straighten", "angle_degrees": 400}}]},
    ],
)
def test_a_document_that_could_not_be_read_again_is_not_written(work: Work, document: dict[str, object]) -> None:
    client, headers = work.visitor.client, work.visitor.bearer
    path = f"/api/pictures/{work.picture_id}"
    answer = client.put(f"{path}/document", json={"version": 1, "document": document}, headers=headers)
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    assert client.get(path, headers=headers).json()["version"] == 1


@pytest.mark.parametrize("odd", ["9" * 26, "0", "-1", "abc", "%00", "1e3"])
def test_odd_addresses_are_not_found(work: Work, odd: str) -> None:
    client = work.visitor.client
    assert client.get(f"/pictures/{odd}").status_code == 404
    assert client.get(f"/api/pictures/{odd}", headers=work.visitor.bearer).status_code == 404


def test_the_description_names_every_address(work: Work) -> None:
    description = work.visitor.client.get("/api/openapi.json").json()
    assert "/api/pictures/{picture_id}/render" in description["paths"]
    assert all(path.startswith("/api") for path in description["paths"])
    assert "Crop" in description["components"]["schemas"]


def test_the_book_of_places_by_script(work: Work) -> None:
    client, headers = work.visitor.client, work.visitor.bearer
    place = {
        "purpose": "post",
        "name": "Door",
        "demand": {"measure": {"by": "size", "width_px": 30, "height_px": 20}},
    }
    assert client.post("/api/book/places", json=place, headers=headers).status_code == 201
    mine = client.get("/api/book?shipped=false", headers=headers).json()
    assert [entry["name"] for entry in mine["places"]] == ["Mine", "Door"]
    assert client.post("/api/book", json=mine, headers=headers).json() == {"added": 0, "known": 2}
    wrong = {"schema_revision": 1, "places": [{**place, "purpose": "moon"}]}
    assert client.post("/api/book", json=wrong, headers=headers).status_code == 422
