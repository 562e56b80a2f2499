"""Nobody reaches what is neither theirs nor shared: a walk over all routes, by page and by API."""

import re
from collections.abc import Callable

import pytest
from fastapi.routing import APIRoute
from starlette.testclient import TestClient

from lucidex.services.folios.folios import share_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.rate_limits import TRIES_FOR_ONE
from tests.web.conftest import Visitor, Work

OPEN = {"/sign-in", "/healthz", "/readyz"}


def all_routes(application) -> list[tuple[str, str]]:  # noqa: ANN001
    """Every method and path that the application answers, however its routers are nested."""
    found: list[tuple[str, str]] = []

    def walk(routes: list[object], prefix: str) -> None:
        for route in routes:
            if isinstance(route, APIRoute):
                found.extend((method, prefix + route.path) for method in sorted(route.methods))
            elif hasattr(route, "original_router"):
                walk(route.original_router.routes, prefix + route.include_context.prefix)

    walk(application.routes, "")
    return sorted(set(found))


def addressed(path: str, work: Work) -> str:
    names = {
        "folio_id": work.folio_id,
        "picture_id": work.picture_id,
        "place_id": work.place_id,
        "output": work.place_id,
        "page": 1,
        "person_id": work.visitor.actor.id,
        "token_id": 1,
        "session_id": 1,
        "step_id": "a1",
        "snapshot_id": 1,
        "other_id": "b2",
        "own_id": work.own_id,
        "run_id": work.run_id,
        "routine_id": work.routine_id,
        "cell_id": work.cell_id,
        "logo_id": work.logo_id,
        "way": "plain",
        "change_id": 1,
        "upload_id": "0" * 32,
        "direction": "back",
        "number": 0,
        "note_id": work.note_id,
        "index": 0,
        "font_id": work.font_id,
        "family": "serif",
        "name": "jpeg",
        "quality": 80,
        "preview_id": "0" * 16,
        "service_id": 1,
    }
    return re.sub(r"\{(\w+)\}", lambda match: str(names[match[1]]), path)


QUERIES = {
    "variant": "?value=1",
    "frames": "?on=1:10x10",
    "prints": "?on=1",
    "weight": "?format=jpeg",
    "pictures": "?name=x.jpg",
    "size": "?text=3x3",
    "sample": "?x=1&y=1",
    "names": "?pattern={name}",
    "draft": "?w=9&h=9",
    "look": "?name=moss",
    "rows": "?on=1",
    "use": "?on=1",
    "below": "?w=9&h=9&place=1",
    "alone": "?place=1",
    "spots": "?name=jpeg&quality=80&width=9&height=9",
    "part": "?left=0&top=0&width=9&height=9",
}
FORMS: dict[str, dict[str, object]] = {
    "move": {"by": 1, "dx": 1, "dy": 1},
    "draw": {"tool": "oval", "kind": "arrow", "way": "1 1 9 9"},
    "add": {"tool": "oval", "kind": "arrow"},
    "typed": {"text": "Seed swap"},
    "at": {"x": 1, "y": 1},
    "anchor": {"anchor": "top"},
    "better": {"way": "on a plate"},
    "words": {"way": "on a plate"},
    "take": {"name": "jpeg", "quality": 80},
    "pace": {"pace": "quick"},
    "enough": {"looks": "the same"},
    "share": {"ceiling": "1 MB"},
    "field": {"name": "price"},
    "answer": {"text": "yes"},
    "put": {"x": 5, "y": 5, "width": 4, "height": 4},
    "reshape": {"way": "1 1 9 9"},
    "source": {"x": 1, "y": 1},
    "sides": {},
    "window": {"left": 0, "top": 0, "width": 9, "height": 9},
    "framing": {"left": 0, "top": 0, "width": 9, "height": 9},
    "shape": {"shape": "1:1"},
    "output": {"format": "png"},
    "demand": {"place_version": 1, "first": "3", "second": "3"},
    "focal-point": {"x": 1, "y": 1},
    "grey": {"x": 1, "y": 1},
    "carry-on": {"way": "curve"},
    "look": {"name": "moss"},
    "points": {f"{axis}{i}": i for axis in "xy" for i in range(1, 5)},
    "remedy": {"which": "room"},
    "too-large": {"which": "room"},
    "variant": {"value": "1"},
    "copy": {"on": 1},
    "texts": {"version": 1},
    "routine": {"name": "x", "step": "a1"},
    "{routine_id}": {"name": "x"},
    "smaller": {"percent": 75},
    "trial": {"picture": 1},
    "take-back": {"on": "1:1"},
    "line": {"line": "turn left", "x1": 0, "y1": 0, "x2": 9, "y2": 1},
}
# pages that ask for JSON, or whose last part says something else elsewhere, by their whole path
_ITEM = "0" * 20
WHOLE_QUERIES = {
    "/folios/{folio_id}/free-pictures/small": f"?source=1&item={_ITEM}",
    "/folios/{folio_id}/site/small": "?site=1&page=x&address=x",
}
WHOLE_FORMS: dict[str, dict[str, object]] = {
    "/folios/{folio_id}/free-pictures/take": {"source": 1, "item": _ITEM},
    "/outside": {"kind": "scanner", "address": "http://192.0.2.1/"},
}
PAGE_BODIES: dict[str, dict[str, object]] = {
    "/folios/{folio_id}/site/take": {"site": 1, "page": "x", "address": "x"},
    "/folios/{folio_id}/scanner/scan": {
        "preview": "x",
        "subject": "signature",
        "left": 0,
        "top": 0,
        "width": 9,
        "height": 9,
        "dpi": 300,
        "looks": "grey",
    },
}
BODIES: dict[str, dict[str, object]] = {
    "document": {"version": 1, "document": {}},
    "undo": {"version": 1},
    "redo": {"version": 1},
    "places": {"typed": "3x3"},
    "render": {"typed": "3x3"},
    "place": {"version": 1, "typed": "3x3"},
    "folios": {"name": "x"},
}


def ask(visitor: Visitor | None, client: TestClient, method: str, path: str, address: str):  # noqa: ANN201
    last = path.rstrip("/").split("/")[-1]
    query = WHOLE_QUERIES.get(path, QUERIES.get(last, ""))
    if path.startswith("/api"):
        headers = visitor.bearer if visitor else {}
        key = "place" if path == "/api/places/{place_id}" else last
        body = BODIES.get(key) if method in {"POST", "PUT"} else None
        return client.request(method, address + query, headers=headers, json=body, follow_redirects=False)
    headers = {"X-CSRF-Token": visitor.csrf, "X-Version": "1"} if visitor else {}
    if method == "POST" and path in PAGE_BODIES:
        return client.request(method, address, headers=headers, json=PAGE_BODIES[path], follow_redirects=False)
    form = WHOLE_FORMS.get(path, FORMS.get(last, {})) if method == "POST" else None
    files = {"file": ("a.png", b"")} if last in {"logo-file", "font-file"} else None
    return client.request(method, address + query, headers=headers, data=form, files=files, follow_redirects=False)


def test_the_walk_finds_the_routes(application) -> None:  # noqa: ANN001
    routes = all_routes(application)
    assert len(routes) > 75
    assert ("GET", "/api/pictures/{picture_id}/original") in routes
    assert ("POST", "/pictures/{picture_id}/steps/{step_id}/remove") in routes


def test_a_stranger_finds_nothing_at_any_address(application, visit: Callable[[], Visitor], work: Work) -> None:  # noqa: ANN001
    stranger = visit()
    walked = 0
    for method, path in all_routes(application):
        if not re.search(r"\{(folio|picture|place|own|run|cell|routine|logo|font)_id\}", path):
            continue
        answer = ask(stranger, stranger.client, method, path, addressed(path, work))
        if path == "/folios/{folio_id}":
            answer = stranger.client.get(addressed(path, work))  # leads on to the page that refuses
        assert answer.status_code == 404, (method, path, answer.status_code, answer.text[:200])
        walked += 1
    assert walked > 60


def test_nobody_gets_anything_without_signing_in(application, work: Work) -> None:  # noqa: ANN001
    client = TestClient(application, base_url="http://127.0.0.1", raise_server_exceptions=False)
    client.headers["Tus-Resumable"] = "1.0.0"
    for method, path in all_routes(application):
        if path in OPEN or method == "OPTIONS" or path == "/folios/{folio_id}":
            continue
        answer = ask(None, client, method, path, addressed(path, work))
        is_tus = path in {"/uploads", "/uploads/{upload_id}"} and method != "GET"
        if path.startswith("/api") or is_tus:
            assert answer.status_code == 401, (method, path)
            assert answer.headers["www-authenticate"] == "Bearer"
        else:
            assert answer.status_code == 303, (method, path)
            assert answer.headers["location"].startswith("/sign-in?next=")


def test_no_change_without_the_pages_token(application, work: Work) -> None:  # noqa: ANN001
    for method, path in all_routes(application):
        if method == "POST" and not path.startswith("/api"):
            address = addressed(path, work)
            for headers in ({}, {"X-CSRF-Token": "guessed"}):
                headers = {"Tus-Resumable": "1.0.0", **headers}
                answer = work.visitor.client.post(address, headers=headers, follow_redirects=False)
                assert answer.status_code == 403, (path, answer.status_code)


def test_a_session_cookie_opens_no_api(work: Work) -> None:
    assert work.visitor.client.get(f"/api/pictures/{work.picture_id}").status_code == 401


def test_sharing_opens_and_closes_the_way(workshop: Workshop, visit: Callable[[], Visitor], work: Work) -> None:
    colleague = visit()
    path = f"/pictures/{work.picture_id}/places/{work.place_id}/file"
    assert colleague.client.get(path).status_code == 404
    share_folio(workshop, work.visitor.actor, work.folio_id, colleague.actor.login)
    assert colleague.client.get(path).status_code == 200
    assert colleague.client.get(f"/api/pictures/{work.picture_id}", headers=colleague.bearer).status_code == 200


def test_a_place_of_another_folio_is_not_mixed_in(
    visit: Callable[[], Visitor], work: Work, workshop: Workshop
) -> None:
    from lucidex.core.line.places import read_demand
    from lucidex.services.folios.folios import make_folio
    from lucidex.services.places.places import hang_place

    own = make_folio(workshop, work.visitor.actor, "Other")
    place = hang_place(workshop, work.visitor.actor, own, read_demand("9x9").demand())
    assert work.visitor.client.get(f"/pictures/{work.picture_id}/places/{place.id}/file").status_code == 404
    api = f"/api/pictures/{work.picture_id}/places/{place.id}/file"
    assert work.visitor.client.get(api, headers=work.visitor.bearer).status_code == 404


def test_security_headers_and_cookie(work: Work, application) -> None:  # noqa: ANN001
    answer = work.visitor.client.get("/")
    policy = answer.headers["content-security-policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy
    fresh = TestClient(application, base_url="http://127.0.0.1").get("/sign-in")
    cookie = fresh.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=lax" in cookie
    assert not re.search(r"[^:]style=", answer.text)
    assert "<script>" not in answer.text


def test_the_bench_page_needs_no_inline_code(work: Work) -> None:
    text = work.visitor.client.get(f"/pictures/{work.picture_id}").text
    assert not re.search(r"<script(?![^>]*src=)|\son\w+=|\sstyle=", text)


def test_signing_in_is_slowed_down_after_failures(application) -> None:  # noqa: ANN001
    client = TestClient(application, base_url="http://127.0.0.1", raise_server_exceptions=False)
    found = re.search(r'name="csrf" value="([^"]+)"', client.get("/sign-in").text)
    assert found
    form = {"login": "guessed-at", "password": "wrong", "csrf": found[1]}
    answers = [client.post("/sign-in", data=form).status_code for _ in range(TRIES_FOR_ONE + 1)]
    assert answers == [401] * TRIES_FOR_ONE + [429]


@pytest.mark.parametrize("wanted", ["//elsewhere.example", "https://elsewhere.example", "/\\elsewhere.example"])
def test_signing_in_leads_nowhere_else(application, wanted: str) -> None:  # noqa: ANN001
    text = TestClient(application, base_url="http://127.0.0.1").get("/sign-in", params={"next": wanted}).text
    assert "elsewhere" not in text


def test_unknown_hosts_are_refused(application) -> None:  # noqa: ANN001
    assert TestClient(application, base_url="http://elsewhere.example").get("/sign-in").status_code == 400
