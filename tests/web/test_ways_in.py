"""The ways in by the application's own addresses: parts, archives, addresses, and one picture however it came."""

import base64
import io
import zipfile
from collections.abc import Callable

from tests.conftest import encoded, picture
from tests.web.conftest import Visitor, Work


def sent(visitor: Visitor, content: bytes, name: str, piece: int = 700) -> str:
    """A file sent in parts; its address."""
    csrf = {"X-CSRF-Token": visitor.csrf, "Tus-Resumable": "1.0.0"}
    named = "filename " + base64.b64encode(name.encode()).decode()
    begun = visitor.client.post(
        "/uploads", headers={**csrf, "Upload-Length": str(len(content)), "Upload-Metadata": named}
    )
    assert begun.status_code == 201
    address, at = begun.headers["location"], 0
    while at < len(content):
        headers = {**csrf, "Upload-Offset": str(at), "Content-Type": "application/offset+octet-stream"}
        answer = visitor.client.patch(address, content=content[at : at + piece], headers=headers)
        assert answer.status_code == 204
        at = int(answer.headers["upload-offset"])
        asked = visitor.client.head(address, headers=csrf)
        assert (asked.headers["upload-offset"], asked.headers["upload-length"]) == (str(at), str(len(content)))
        assert asked.headers["cache-control"] == "no-store"
    return address


def scripted(visitor: Visitor) -> dict[str, str]:
    return {"X-CSRF-Token": visitor.csrf, "Accept": "application/json"}


def take(visitor: Visitor, address: str, **body: object):  # noqa: ANN201
    return visitor.client.post(f"{address}/take", json=body, headers=scripted(visitor))


def test_a_file_in_parts_becomes_a_picture_once(work: Work) -> None:
    visitor = work.visitor
    address = sent(visitor, encoded(picture(40, 30)), "fern.png")
    first = take(visitor, address, folio_id=work.folio_id, group="phone/August")
    assert first.status_code == 200, first.text
    assert "phone / August" in visitor.client.get(f"/folios/{work.folio_id}/gather").text
    assert take(visitor, address, folio_id=work.folio_id).status_code == 404  # it is no longer on its way
    assert visitor.client.get("/uploads").json() == []


def test_an_archive_comes_in_one_by_one(work: Work) -> None:
    visitor, out = work.visitor, io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("phone/a.png", encoded(picture(40, 30)))
        archive.writestr("notes.txt", "no picture")
        archive.writestr("phone/b.png", encoded(picture(30, 40, seed=2)))
    address = sent(visitor, out.getvalue(), "all.zip", piece=5_000)
    held = take(visitor, address, folio_id=work.folio_id).json()
    assert [(one["name"], one["group"]) for one in held["entries"]] == [
        ("a.png", "phone"),
        ("notes.txt", ""),
        ("b.png", "phone"),
    ]
    answers = [take(visitor, address, folio_id=work.folio_id, entry=one["number"]) for one in held["entries"]]
    assert [answer.status_code for answer in answers] == [200, 422, 200]
    assert answers[1].json()["detail"].startswith("“notes.txt” was not taken. It is no picture")
    again = take(visitor, address, folio_id=work.folio_id, entry=0)
    assert again.json()["picture_id"] == answers[0].json()["picture_id"]


def test_the_first_of_an_archive_makes_the_folio_with_its_places(visit: Callable[[], Visitor]) -> None:
    visitor = visit()
    address = sent(visitor, encoded(picture(40, 30)), "fern.png")
    taken = take(visitor, address, size=["16x9 px"], said=[""])
    assert taken.status_code == 200, taken.text
    taken = taken.json()
    assert "16 × 9" in visitor.client.get(f"/folios/{taken['folio_id']}/proof").text


def test_another_ones_file_stays_out_of_reach(work: Work, visit: Callable[[], Visitor]) -> None:
    address, other = sent(work.visitor, encoded(picture(40, 30)), "fern.png"), visit()
    assert take(other, address).status_code == 404
    assert other.client.head(address, headers={"Tus-Resumable": "1.0.0"}).status_code == 404


def test_an_address_within_this_network_is_refused_in_words(work: Work) -> None:
    visitor = work.visitor
    body = {"address": "http://127.0.0.1:8080/a.jpg", "folio_id": work.folio_id}
    answer = visitor.client.post("/addresses", json=body, headers=scripted(visitor))
    assert answer.status_code == 403
    assert "private network" in answer.json()["detail"]
