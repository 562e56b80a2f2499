"""Frames on the wall are asked for and answered together, in few transactions, and still only to who may see them."""

import re
import secrets
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from html import unescape
from io import BytesIO

import numpy as np
import pytest
from PIL import Image

from lucidex.core.line.places import read_demand
from lucidex.records.database import Database
from lucidex.services.house.workshop import Workshop
from lucidex.services.places.places import hang_place
from tests.web.conftest import Visitor, Work

FILES = re.compile(r'data-src="([^"]+/file\?key=[0-9a-f]{64})"')
DRAFTS = re.compile(r'data-draft="([^"]+)"')
ABOUT = re.compile(r"about \d+(\.\d)? kB")
COMING = re.compile(r'hx-get="([^"]+/frames\?[^"]+)"')


def never_made() -> str:
    """A size that no other test has asked for."""
    return f"{secrets.randbelow(90) + 40}x{secrets.randbelow(4_000) + 20}"


@contextmanager
def counted(monkeypatch: pytest.MonkeyPatch) -> Iterator[list[int]]:
    """One entry for each transaction."""
    begun: list[int] = []
    begin = Database.begin

    def counting(self: Database) -> object:
        begun.append(1)
        return begin(self)

    with monkeypatch.context() as counts:
        counts.setattr(Database, "begin", counting)
        yield begun


def test_a_released_control_costs_few_transactions_with_six_places(
    work: Work, workshop: Workshop, monkeypatch: pytest.MonkeyPatch
) -> None:
    for typed in ("300x100", "200x200", "150x90 as png", "90x150", "120x60 as webp"):
        hang_place(workshop, work.visitor.actor, work.folio_id, read_demand(typed).demand())
    client, base = work.visitor.client, f"/pictures/{work.picture_id}"
    answer = work.visitor.post(f"{base}/line", {"line": "exposure 0.3"})
    (step,) = set(re.findall(r"/steps/([0-9a-f]{12})/change", answer.text))
    with counted(monkeypatch) as begun:
        answer = work.visitor.post(f"{base}/steps/{step}/change", {"stops": "0.7"}, version=2)
        (address,) = [unescape(one) for one in COMING.findall(answer.text)]
        made = client.get(address)
        files = FILES.findall(made.text)
        assert len(set(files)) == 6
        for file in files:
            fetched = client.get(file)
            assert fetched.status_code == 200
            assert "immutable" in fetched.headers["cache-control"]
            assert fetched.headers["x-result-key"] == file[-64:]
        client.get(f"{base}/preview?w=300&h=200")
        client.get(f"{base}/histogram")
    assert len(begun) <= 17  # fifteen, and who asks is looked up again where that takes long
    assert not COMING.search(client.get(base).text), "all of them are there by now"


def test_a_slow_format_holds_up_no_other(work: Work, workshop: Workshop) -> None:
    for typed in (f"{never_made()} as avif", never_made(), never_made()):
        hang_place(workshop, work.visitor.actor, work.folio_id, read_demand(typed).demand())
    work.visitor.client.get(f"/pictures/{work.picture_id}/places/{work.place_id}/file")
    asked = [unescape(one) for one in COMING.findall(work.visitor.client.get(f"/pictures/{work.picture_id}").text)]
    assert sorted(address.count("on=") for address in asked) == [1, 2]


def test_what_was_just_made_is_fetched_by_nobody_else(
    work: Work, workshop: Workshop, visit: Callable[[], Visitor]
) -> None:
    client = work.visitor.client
    client.get(f"/pictures/{work.picture_id}/places/{work.place_id}/file")
    hang_place(workshop, work.visitor.actor, work.folio_id, read_demand(never_made()).demand())
    (address,) = [unescape(one) for one in COMING.findall(client.get(f"/pictures/{work.picture_id}").text)]
    (file,) = set(FILES.findall(client.get(address).text))
    stranger = visit().client
    assert stranger.get(file).status_code == 404
    assert stranger.get(address).status_code == 404
    assert client.get(file).status_code == 200
    assert client.get(file[:-64] + "0" * 64).headers["cache-control"] == "no-store"


def test_a_frame_shows_what_its_file_will_show_and_weigh_until_that_is_there(
    work: Work, workshop: Workshop, visit: Callable[[], Visitor]
) -> None:
    client, base = work.visitor.client, f"/pictures/{work.picture_id}"
    place = hang_place(
        workshop,
        work.visitor.actor,
        work.folio_id,
        read_demand(f"300x{150 + secrets.randbelow(100)} under 9 kB").demand(),
    )
    text = client.get(base).text
    assert not ABOUT.search(text), "nothing is known of its weight yet"
    (address,) = [unescape(one) for one in COMING.findall(text)]
    client.get(address)
    border = secrets.randbelow(40) + 2
    text = work.visitor.post(f"{base}/line", {"line": f"border {border} px #102030"}).text
    (draft,) = [one for one in DRAFTS.findall(text) if f"/{place.id}/" in one]
    assert ABOUT.search(text)
    answer = client.get(f"{draft}&longest=40")
    assert "immutable" in answer.headers["cache-control"]
    file = client.get(draft.partition("/draft")[0] + "/file")
    shown, made = (Image.open(BytesIO(one.content)) for one in (answer, file))
    assert max(shown.size) == 40
    assert abs(shown.width / shown.height - made.width / made.height) < made.width / made.height / min(shown.size)
    small = made.convert("RGB").resize(shown.size, Image.Resampling.BOX)
    drawn, wanted = np.asarray(shown.convert("RGB"), float), np.asarray(small, float)
    ring = round(border * 40 / 300) + 1  # a border is whole pixels of what is drawn, and one at least
    assert np.abs(drawn - wanted)[ring:-ring, ring:-ring].mean() < 6
    assert np.abs(drawn[0] - (0x10, 0x20, 0x30)).mean() < 20
    again = client.get(f"{draft}&longest=40", headers={"If-None-Match": answer.headers["etag"]})
    assert again.status_code == 304
    assert client.get(draft.partition("?")[0]).headers["cache-control"] == "private, no-cache"
    assert visit().client.get(draft).status_code == 404


def test_a_place_that_cannot_be_made_is_said_in_its_seat(work: Work, workshop: Workshop) -> None:
    place = hang_place(workshop, work.visitor.actor, work.folio_id, read_demand("17000x20 as webp").demand())
    text = work.visitor.client.get(f"/pictures/{work.picture_id}/frames?on={place.id}:90x10").text
    assert f"facts-{place.id}" in text
    assert "holds at most" in text
