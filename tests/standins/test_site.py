"""The site is written to as W3C's Micropub says, by a plain client of HTTP."""

from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from standins.site.app import create_app
from standins.site.tokens import Tokens
from tests.conftest import encoded, smooth_picture
from tests.standins.running import DEMO, serving

SECRET, READER = "all-of-it", "only-media"


@pytest.fixture(scope="module")
def first(tmp_path_factory: pytest.TempPathFactory) -> Iterator[httpx.Client]:
    """The site with its first pages, which no test changes."""
    folder = tmp_path_factory.mktemp("site")
    Tokens.add(folder / "tokens.json", SECRET)
    with serving(create_app(folder, DEMO / "pictures")) as address, signed_in(address) as client:
        yield client


@pytest.fixture
def site(tmp_path: Path) -> Iterator[httpx.Client]:
    """An empty site."""
    (tmp_path / "first-pages").touch()
    Tokens.add(tmp_path / "tokens.json", SECRET)
    Tokens.add(tmp_path / "tokens.json", READER, frozenset({"media"}))
    with serving(create_app(tmp_path, DEMO / "pictures")) as address, signed_in(address) as client:
        yield client


def signed_in(address: str) -> httpx.Client:
    return httpx.Client(base_url=address, timeout=60, headers={"Authorization": f"Bearer {SECRET}"})


def source(site: httpx.Client, url: str) -> dict[str, list[object]]:
    answer = site.get("/micropub", params={"q": "source", "url": url})
    assert answer.status_code == 200
    return dict(answer.json()["properties"])


def made(site: httpx.Client, **properties: list[object]) -> str:
    answer = site.post("/micropub", json={"type": ["h-entry"], "properties": properties})
    assert answer.status_code == 201
    return answer.headers["location"]


def update(site: httpx.Client, url: str, **how: object) -> None:
    assert site.post("/micropub", json={"action": "update", "url": url, **how}).status_code == 204


def test_readers_find_pages_with_text_and_pictures(first: httpx.Client) -> None:
    home = httpx.get(str(first.base_url))
    assert 'rel="micropub"' in home.headers["link"]
    assert home.text.count('class="h-entry"') >= 6
    items = first.get("/micropub", params={"q": "source"}).json()["items"]
    for item in items:
        page = httpx.get(item["properties"]["url"][0])
        assert page.status_code == 200
        for photo in item["properties"]["photo"]:
            assert photo["alt"]
            shown = httpx.get(photo["value"])
            assert shown.headers["content-type"] in {"image/jpeg", "image/png"}
            assert 'width="' in item["properties"]["content"][0]["html"]


def test_caches_are_told_the_truth(first: httpx.Client) -> None:
    item = first.get("/micropub", params={"q": "source", "limit": 1}).json()["items"][0]["properties"]
    page = httpx.get(item["url"][0])
    assert page.headers["cache-control"] == "no-cache"
    assert "last-modified" in page.headers
    assert httpx.get(item["url"][0], headers={"If-None-Match": page.headers["etag"]}).status_code == 304
    photo = httpx.get(item["photo"][0]["value"])
    assert "immutable" in photo.headers["cache-control"]
    assert httpx.head(item["photo"][0]["value"]).status_code == 200
    addresses = (str(first.base_url), item["url"][0], item["photo"][0]["value"])
    for address in addresses:
        kept = httpx.head(address)
        assert (kept.status_code, kept.content) == (200, b"")
        tag, changed = kept.headers["etag"], kept.headers["last-modified"]
        still = (tag, f"W/{tag}", f'"other", {tag}', "*")
        assert {httpx.get(address, headers={"If-None-Match": one}).status_code for one in still} == {304}
        others = ('"other"', tag.strip('"'), f'"{tag[1:5]}"')
        assert {httpx.get(address, headers={"If-None-Match": one}).status_code for one in others} == {200}
        assert httpx.get(address, headers={"If-Modified-Since": changed}).status_code == 304
        earlier = {"If-Modified-Since": "Mon, 01 Jan 2001 00:00:00 GMT"}
        assert httpx.get(address, headers=earlier).status_code == 200
        assert httpx.get(address, headers={"If-Modified-Since": "some day"}).status_code == 200
        both = {"If-None-Match": '"other"', "If-Modified-Since": changed}
        assert httpx.get(address, headers=both).status_code == 200, "tags go before moments"


def test_only_who_may_keep_files_sees_which_there_are(site: httpx.Client, tmp_path: Path) -> None:
    Tokens.add(tmp_path / "tokens.json", "writes only", frozenset({"create"}))
    endpoint = site.get("/micropub", params={"q": "config"}).json()["media-endpoint"]
    few = {"Authorization": "Bearer writes only"}
    refused = httpx.get(endpoint, params={"q": "source"}, headers=few)
    assert (refused.status_code, refused.json()["error"]) == (403, "insufficient_scope")
    assert httpx.post(endpoint, files={"file": ("a.png", b"")}, headers=few).status_code == 403


def test_a_photo_keeps_its_room_and_its_candidates(site: httpx.Client) -> None:
    endpoint = site.get("/micropub", params={"q": "config"}).json()["media-endpoint"]
    photo = site.post(endpoint, files={"file": ("a.png", encoded(smooth_picture(64, 48)))}).headers["location"]
    html = f'<p><img src="{photo}" srcset="{photo} 64w, /media/b.png 32w" sizes="50vw" alt=""></p>'
    html += f'<img src="{photo}" srcset="{photo} 1x, javascript:x 2x" alt="">'
    page = httpx.get(made(site, name=["x"], content=[{"html": html}])).text
    assert f'srcset="{photo} 64w, /media/b.png 32w" sizes="50vw"' in page
    assert "javascript" not in page
    alone = httpx.get(made(site, name=["y"], photo=[photo])).text
    assert 'width="64" height="48"' in alone


def test_a_form_makes_a_page(site: httpx.Client) -> None:
    form = {"h": "entry", "name": "Quinces", "content": "Ripe <now>.", "category[]": ["a", "b"]}
    answer = site.post("/micropub", data=form)
    assert answer.status_code == 201
    url = answer.headers["location"]
    assert source(site, url)["category"] == ["a", "b"]
    page = httpx.get(url)
    assert "Quinces" in page.text
    assert "Ripe &lt;now&gt;." in page.text, "text is no markup"


def test_json_makes_a_page_and_a_file_may_come_along(site: httpx.Client) -> None:
    photo: dict[str, object] = {"value": "https://example.org/a.jpg", "alt": "A"}
    url = made(site, name=["One"], content=[{"html": "<p>Words</p>"}], photo=[photo])
    assert source(site, url)["photo"] == [photo]
    file = ("dome.png", encoded(smooth_picture(40, 30)))
    answer = site.post("/micropub", data={"h": "entry", "name": "Two"}, files={"photo": file})
    (kept,) = source(site, answer.headers["location"])["photo"]
    assert httpx.get(str(kept)).headers["content-type"] == "image/png"
    assert made(site, name=["One"]) != url, "every page has an address of its own"


def test_an_update_replaces_adds_and_deletes(site: httpx.Client) -> None:
    url = made(site, name=["Before"], content=["x"], category=["a", "b"])
    update(site, url, replace={"name": ["After"]})
    update(site, url, add={"category": ["c"]})
    update(site, url, delete={"category": ["a"]})
    assert source(site, url)["category"] == ["b", "c"]
    update(site, url, delete=["content"])
    found = source(site, url)
    assert found["name"] == ["After"]
    assert "content" not in found
    only = site.get("/micropub", params={"q": "source", "url": url, "properties[]": ["name", "category"]}).json()
    assert only == {"properties": {"name": ["After"], "category": ["b", "c"]}}


def test_earlier_versions_are_remembered_and_can_be_brought_back(site: httpx.Client) -> None:
    url = made(site, name=["First"])
    update(site, url, replace={"name": ["Second"]})
    versions = site.get("/micropub", params={"q": "versions", "url": url}).json()["versions"]
    assert [one["properties"]["name"] for one in versions] == [["Second"], ["First"]]
    update(site, url, replace={"name": versions[1]["properties"]["name"]})
    assert source(site, url)["name"] == ["First"]
    assert len(site.get("/micropub", params={"q": "versions", "url": url}).json()["versions"]) == 3


def test_what_is_deleted_is_gone_and_comes_back(site: httpx.Client) -> None:
    url = made(site, name=["Here"])
    assert site.post("/micropub", data={"action": "delete", "url": url}).status_code == 204
    assert httpx.get(url).status_code == 410
    assert site.get("/micropub", params={"q": "source"}).json()["items"] == []
    assert site.post("/micropub", json={"action": "undelete", "url": url}).status_code == 204
    assert httpx.get(url).status_code == 200


def test_the_media_endpoint_keeps_files_under_the_key_of_their_content(site: httpx.Client) -> None:
    endpoint = site.get("/micropub", params={"q": "config"}).json()["media-endpoint"]
    content = encoded(smooth_picture(64, 48))
    sent = [site.post(endpoint, files={"file": (name, content)}) for name in ("Dome at dusk.png", "Dome at dusk.png")]
    assert [one.status_code for one in sent] == [201, 201]
    assert sent[0].headers["location"] == sent[1].headers["location"]
    assert "dome-at-dusk" in sent[0].headers["location"]
    assert httpx.get(sent[0].headers["location"]).content == content
    listed = site.get(endpoint, params={"q": "source"}).json()["items"]
    assert [one["url"] for one in listed] == [sent[0].headers["location"]]
    refused = site.post(endpoint, files={"file": ("a.png", b"<script>")})
    assert (refused.status_code, refused.json()["error"]) == (400, "invalid_request")


def test_nobody_writes_without_a_token_that_lets_them(site: httpx.Client) -> None:
    body = {"type": ["h-entry"], "properties": {"name": ["x"]}}
    assert httpx.post(f"{site.base_url}/micropub", json=body).status_code == 401
    unknown = httpx.post(f"{site.base_url}/micropub", json=body, headers={"Authorization": "Bearer other"})
    assert "invalid_token" in unknown.headers["www-authenticate"]
    few = {"Authorization": f"Bearer {READER}"}
    refused = httpx.post(f"{site.base_url}/micropub", json=body, headers=few)
    assert (refused.status_code, refused.json()["error"]) == (403, "insufficient_scope")
    assert httpx.get(f"{site.base_url}/micropub?q=config").status_code == 401
    in_body = httpx.post(f"{site.base_url}/micropub", data={"h": "entry", "name": "x", "access_token": SECRET})
    assert in_body.status_code == 201
    both = site.post("/micropub", data={"h": "entry", "name": "x", "access_token": SECRET})
    assert both.status_code == 400


@pytest.mark.parametrize(
    "body",
    [
        {"type": ["h-event"], "properties": {"name": ["x"]}},
        {"type": ["h-entry"], "properties": {"name": "x"}},
        {"type": ["h-entry"], "properties": {}},
        {"action": "burn", "url": "x"},
        {"action": "update", "url": "https://example.org/pages/none", "replace": {"name": ["x"]}},
        {"action": "delete", "url": "../../etc"},
        {"action": "update", "url": "", "replace": ["name"]},
        ["x"],
    ],
)
def test_what_is_against_the_standard_is_refused(site: httpx.Client, body: object) -> None:
    answer = site.post("/micropub", json=body)
    assert (answer.status_code, answer.json()["error"]) == (400, "invalid_request")


def test_nothing_that_somebody_wrote_runs_in_a_readers_browser(site: httpx.Client) -> None:
    bad = (
        '<p onclick="x()">Hello</p><script>alert(1)</script><img src="javascript:x" onerror="x()" alt="&quot;>">'
        '<a href=" JavaScript:x">a</a><iframe src="x"></iframe><style>p{}</style><svg onload="x"></svg>'
    )
    url = made(site, name=["<script>1</script>"], content=[{"html": bad}])
    page = httpx.get(url).text.lower()
    body = page[page.index('<div class="e-content">') :]
    for word in ("onclick", "onerror", "onload", "<script", "javascript:", "<iframe", "<style", "<svg"):
        assert word not in body
    assert "<p>hello</p>" in body


def test_a_body_without_end_is_refused(site: httpx.Client) -> None:
    huge = b'{"type": ["h-entry"], "properties": {"name": ["' + b"x" * 2_000_000 + b'"]}}'
    assert site.post("/micropub", content=huge, headers={"Content-Type": "application/json"}).status_code == 400
    assert site.get("/micropub", params={"q": "source"}).json()["items"] == []


def test_four_at_once_make_pages_of_their_own(site: httpx.Client) -> None:
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(4) as pool:
        urls = list(pool.map(lambda _: made(site, name=["Same"]), range(8)))
    assert len(set(urls)) == 8
    url = urls[0]
    with ThreadPoolExecutor(4) as pool:
        list(pool.map(lambda number: update(site, url, add={"category": [str(number)]}), range(8)))
    assert sorted(str(one) for one in source(site, url)["category"]) == [str(number) for number in range(8)]
