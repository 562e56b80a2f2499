"""Pages of what lies outside: who sets it up, and what they say where nothing is there, or something is gone."""

import json
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from lucidex.records.models import OutsideService, Person
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.adapters import PICTURES, SCANNER, SITE
from lucidex.services.outside.settings import keep_shipped
from standins.scanner.app import create_app as create_scanner
from standins.site.app import create_app as create_site
from standins.site.tokens import Tokens
from standins.source.app import create_app as create_source
from tests.standins.running import DEMO, serving
from tests.web.conftest import Visitor, Work

PLACES = {"scanner": "No scanner is set up", "free-pictures": "No source of pictures", "site": "No site is set up"}


@pytest.fixture(autouse=True)
def nothing_set_up(workshop: Workshop) -> Iterator[None]:
    def forget() -> None:
        with workshop.database.begin() as session:
            for row in session.query(OutsideService).all():
                session.delete(row)

    forget()
    yield
    forget()


@pytest.mark.parametrize(("path", "words"), PLACES.items())
def test_where_nothing_is_set_up_the_page_says_so(work: Work, path: str, words: str) -> None:
    answer = work.visitor.client.get(f"/folios/{work.folio_id}/{path}")
    assert answer.status_code == 200
    assert words in answer.text


@pytest.mark.parametrize(("path", "kind"), [("free-pictures", PICTURES), ("site", SITE), ("scanner", SCANNER)])
def test_where_something_is_gone_there_is_a_sentence_and_a_way_on(
    workshop: Workshop, work: Work, path: str, kind: str
) -> None:
    keep_shipped(workshop, kind, "Gone away", "http://127.0.0.1:9/x")
    address = f"/folios/{work.folio_id}/{path}"
    if kind == SCANNER:
        answer = work.visitor.post(f"{address}/preview", Accept="application/json")
        assert answer.status_code == 503
        assert "“Gone away” cannot be reached" in answer.json()["detail"]
        return
    answer = work.visitor.client.get(address)
    assert answer.status_code == 200
    assert "“Gone away” cannot be reached" in answer.text
    assert "Try again" in answer.text


def test_only_administrators_reach_the_settings(
    workshop: Workshop, visit: Callable[[], Visitor], tmp_path: Path
) -> None:
    somebody = visit()
    assert somebody.client.get("/outside").status_code == 403
    assert somebody.post("/outside", {"kind": "scanner", "address": "http://192.0.2.1/"}).status_code == 403
    chief = visit()
    with workshop.database.begin() as session:
        session.get_one(Person, chief.actor.id).is_admin = True
    with serving(create_scanner(tmp_path, DEMO, pace=0)) as address:
        text = chief.post("/outside", {"kind": "scanner", "address": f"{address}/eSCL/", "name": "Office"}).text
        assert "“Office” is set up. It is “Marrow Lane Simulated flatbed”, with a glass of 216 × 297 mm" in text
    refused = chief.post("/outside", {"kind": "pictures", "address": "no address", "name": "x"})
    assert "This is no address of the web" in refused.text
    with serving(create_source(DEMO / "source")) as address:
        sent = {"kind": "pictures", "address": f"{address}/collection", "name": "Friends"}
        assert "with 38 pictures" in chief.post("/outside", sent).text
    unread = chief.post("/outside", {"kind": "pictures", "address": f"{address}/elsewhere", "name": "Away"}).text
    assert "“Away” is kept, but not in use: “Away” cannot be reached" in unread
    assert "is set up" not in unread[unread.index("“Away”") :].split("</p>")[0]
    folder = tmp_path / "site"
    folder.mkdir()
    Tokens.add(folder / "tokens.json", "s3cret")
    with serving(create_site(folder, DEMO / "pictures")) as address:
        sent = {"kind": "site", "address": f"{address}/micropub", "name": "Site", "token": "s3cret"}
        text = chief.post("/outside", sent).text
        assert "It lists 6 pages with 9 pictures" in text
        assert "s3cret" not in text


def test_a_scan_tells_how_far_it_is_and_what_it_became(workshop: Workshop, work: Work, tmp_path: Path) -> None:
    with serving(create_scanner(tmp_path, DEMO, pace=0.2)) as address:
        keep_shipped(workshop, SCANNER, "Flatbed", f"{address}/eSCL/")
        at, visitor = f"/folios/{work.folio_id}/scanner", work.visitor
        seen = visitor.post(f"{at}/preview", Accept="application/json").json()
        left, top, width, height = seen["papers"][0]["areas"]["signature"]
        body = {
            "preview": seen["id"],
            "subject": "signature",
            "left": left,
            "top": top,
            "width": width,
            "height": height,
            "dpi": 300,
            "looks": "ink",
            "straighten": seen["papers"][0]["straighten"],
        }
        headers = {"X-CSRF-Token": visitor.csrf, "Accept": "application/json"}
        answer = visitor.client.post(f"{at}/scan", json=body, headers=headers)
        told = [json.loads(line) for line in answer.iter_lines()]
        assert any("scanner is moving" in one.get("words", "") for one in told)
        assert visitor.client.get(f"/pictures/{told[-1]['picture']}").status_code == 200
        shown = visitor.client.get(f"{at}/previews/{seen['id']}?looks=grey&lighter=20")
        assert shown.headers["content-type"] == "image/jpeg"
        wrong = visitor.client.post(f"{at}/scan", json={**body, "dpi": 333}, headers=headers)
        assert "does not scan at 333 dpi" in json.loads(wrong.text.splitlines()[-1])["trouble"]
