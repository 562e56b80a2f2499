"""The protocol tus 1.0.0 to the letter, for pages and for scripts."""

import base64
import hashlib
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from email.utils import parsedate_to_datetime

import httpx
import pytest
from fastapi.testclient import TestClient

from lucidex.records.models import Scope
from lucidex.services.house.workshop import Workshop
from lucidex.services.people import sessions
from tests.conftest import encoded, picture
from tests.web.conftest import Visitor, Work

SPOKEN = {"Tus-Resumable": "1.0.0"}
PART = {"Content-Type": "application/offset+octet-stream"}


class Speaker:
    """Somebody who speaks it, in one of the two ways."""

    def __init__(self, visitor: Visitor, address: str) -> None:
        self.client, self.address = visitor.client, address
        own = visitor.bearer if address.startswith("/api") else {"X-CSRF-Token": visitor.csrf}
        self.headers = {**own, **SPOKEN}

    def begin(self, length: object, **headers: str) -> httpx.Response:
        return self.client.post(self.address, headers={**self.headers, "Upload-Length": str(length), **headers})

    def send(self, address: str, offset: object, content: bytes, **headers: str) -> httpx.Response:
        said = {**self.headers, **PART, "Upload-Offset": str(offset), **headers}
        return self.client.patch(address, content=content, headers=said)

    def ask(self, address: str) -> httpx.Response:
        return self.client.head(address, headers=self.headers)


@pytest.fixture(params=["/uploads", "/api/uploads"])
def speaker(request: pytest.FixtureRequest, work: Work) -> Speaker:
    return Speaker(work.visitor, request.param)


@pytest.mark.parametrize("address", ["/uploads", "/api/uploads", "/uploads/" + "0" * 32])
def test_what_is_known_is_said_without_signing_in(visit: Callable[[], Visitor], address: str) -> None:
    stranger = TestClient(visit().client.app, base_url="http://localhost")
    answer = stranger.options(address)
    assert answer.status_code == 204
    assert answer.headers["tus-version"] == answer.headers["tus-resumable"] == "1.0.0"
    assert answer.headers["tus-extension"] == "creation,termination,expiration,checksum"
    assert "sha1" in answer.headers["tus-checksum-algorithm"].split(",")
    assert int(answer.headers["tus-max-size"]) > 0


def test_another_version_is_refused_before_anything_is_done(speaker: Speaker) -> None:
    for version in ({}, {"Tus-Resumable": "0.2.2"}):
        headers = {key: value for key, value in speaker.headers.items() if key != "Tus-Resumable"} | version
        answer = speaker.client.post(speaker.address, headers={**headers, "Upload-Length": "5"})
        assert (answer.status_code, answer.headers["tus-version"]) == (412, "1.0.0")
    assert speaker.client.get(speaker.address, headers=speaker.headers).json() == []


def test_errors_are_data_and_name_the_version(speaker: Speaker, visit: Callable[[], Visitor]) -> None:
    begun = speaker.begin(5).headers["location"]
    stranger = TestClient(visit().client.app, base_url="http://localhost")
    answers = {
        401: stranger.post("/api/uploads", headers={**SPOKEN, "Upload-Length": "5"}),
        404: speaker.ask(speaker.address + "/" + "0" * 32),
        409: speaker.send(begun, 3, b"12"),
        413: speaker.send(begun, 0, b"123456"),
        415: speaker.send(begun, 0, b"12", **{"Content-Type": "application/octet-stream"}),
        400: speaker.begin("-1"),
        405: speaker.client.put(begun, headers=speaker.headers),
    }
    for status, answer in answers.items():
        assert answer.status_code == status
        assert answer.headers["tus-resumable"] == "1.0.0"
        if status != 404:  # asked by HEAD
            assert answer.headers["content-type"] == "application/problem+json"
            assert answer.json()["status"] == status
    assert speaker.ask(begun).headers["upload-offset"] == "0"


@pytest.mark.parametrize("length", ["", "five", "1.5", "1e3", "9" * 30, "\u0664"])
def test_a_length_that_is_no_number_is_refused(speaker: Speaker, length: str) -> None:
    headers = [(name, value) for name, value in speaker.headers.items()]
    answer = speaker.client.post(speaker.address, headers=[*headers, ("Upload-Length", length.encode())])
    assert answer.status_code == 400


def test_a_file_of_no_bytes_is_whole_at_once(speaker: Speaker) -> None:
    begun = speaker.begin(0)
    assert begun.status_code == 201
    asked = speaker.ask(begun.headers["location"])
    assert (asked.headers["upload-offset"], asked.headers["upload-length"]) == ("0", "0")
    taken = speaker.client.post(begun.headers["location"] + "/take", json={}, headers=speaker.headers)
    assert taken.status_code == 422
    assert "It is empty" in taken.text


def test_what_was_said_of_a_file_is_said_again_word_for_word(speaker: Speaker) -> None:
    said = "filename " + base64.b64encode(b"dome.png").decode() + ",is_secret,kind aW1hZ2U="
    begun = speaker.begin(4, **{"Upload-Metadata": said}).headers["location"]
    assert speaker.ask(begun).headers["upload-metadata"] == said
    assert "upload-metadata" not in speaker.ask(speaker.begin(4).headers["location"]).headers
    for wrong in ("filename ???", "a aW1h,a aW1h", ",", "x" * 9_000):
        assert speaker.begin(4, **{"Upload-Metadata": wrong}).status_code == 400


def test_until_when_it_is_kept_is_said(speaker: Speaker) -> None:
    begun = speaker.begin(4)
    sent = speaker.send(begun.headers["location"], 0, b"12")
    for answer in (begun, sent, speaker.ask(begun.headers["location"])):
        left = parsedate_to_datetime(answer.headers["upload-expires"]) - datetime.now(UTC)
        assert timedelta(hours=47) < left <= timedelta(hours=48)
        assert answer.headers["upload-expires"].endswith(" GMT")


@pytest.mark.parametrize("algorithm", ["sha1", "sha256"])
def test_a_part_that_arrives_otherwise_is_let_go_of(speaker: Speaker, algorithm: str) -> None:
    begun = speaker.begin(6).headers["location"]
    right = base64.b64encode(hashlib.new(algorithm, b"abc").digest()).decode()
    assert speaker.send(begun, 0, b"abc", **{"Upload-Checksum": f"{algorithm} {right}"}).status_code == 204
    wrong = speaker.send(begun, 3, b"abx", **{"Upload-Checksum": f"{algorithm} {right}"})
    assert wrong.status_code == 460
    assert speaker.ask(begun).headers["upload-offset"] == "3"
    again = speaker.send(begun, 3, b"abc", **{"Upload-Checksum": f"{algorithm} {right}"})
    assert (again.status_code, again.headers["upload-offset"]) == (204, "6")
    for unknown in ("crc32 AAAA", f"{algorithm} ???", algorithm):
        assert speaker.send(begun, 6, b"", **{"Upload-Checksum": unknown}).status_code in {400, 460}


def test_other_methods_may_come_as_a_post(speaker: Speaker) -> None:
    begun = speaker.begin(3).headers["location"]
    headers = {**speaker.headers, **PART, "Upload-Offset": "0", "X-HTTP-Method-Override": "PATCH"}
    sent = speaker.client.post(begun, content=b"abc", headers=headers)
    assert (sent.status_code, sent.headers["upload-offset"]) == (204, "3")
    gone = speaker.client.post(begun, headers={**speaker.headers, "X-HTTP-Method-Override": "DELETE"})
    assert gone.status_code == 204
    assert speaker.ask(begun).status_code == 404


def test_a_script_sends_in_parts_with_its_token_alone(work: Work) -> None:
    visitor, content = work.visitor, encoded(picture(40, 30))
    speaker = Speaker(visitor, "/api/uploads")
    named = {"Upload-Metadata": "filename " + base64.b64encode(b"fern.png").decode()}
    begun = speaker.begin(len(content), **named).headers["location"]
    assert begun.startswith("/api/uploads/")
    for at in range(0, len(content), 900):
        assert speaker.send(begun, at, content[at : at + 900]).status_code == 204
    taken = visitor.client.post(f"{begun}/take", json={"folio_id": work.folio_id}, headers=visitor.bearer)
    assert (taken.status_code, taken.json()["file_name"]) == (200, "fern.png")


def test_a_token_that_only_looks_sends_nothing(workshop: Workshop, work: Work) -> None:
    speaker = Speaker(work.visitor, "/api/uploads")
    token = sessions.make_token(workshop, work.visitor.actor, "reader", Scope.LOOK)
    speaker.headers["Authorization"] = f"Bearer {token}"
    assert speaker.begin(5).status_code == 403
