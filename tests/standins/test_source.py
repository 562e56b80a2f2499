"""The source keeps the rules of IIIF: Presentation 3, and Image 3 at level 2, as their documents say."""

import io
from collections.abc import Iterator

import httpx
import numpy as np
import pytest
from PIL import Image

from standins.source.app import create_app
from standins.source.catalogue import Entry, read_catalogue
from tests.standins.running import DEMO, serving

ENTRIES = read_catalogue(DEMO / "source")
ONE = ENTRIES["autumn-lake"]
W, H = ONE.width, ONE.height


@pytest.fixture(scope="module")
def source() -> Iterator[httpx.Client]:
    with serving(create_app(DEMO / "source")) as address, httpx.Client(base_url=address, timeout=60) as client:
        yield client


def image(source: httpx.Client, path: str) -> Image.Image:
    answer = source.get(f"/images/{ONE.id}/{path}")
    assert answer.status_code == 200, answer.text
    return Image.open(io.BytesIO(answer.content))


def test_there_are_three_dozen_pictures_of_many_kinds() -> None:
    assert len(ENTRIES) >= 36
    wider = {(one.width > one.height) - (one.width < one.height) for one in ENTRIES.values()}
    assert wider == {-1, 0, 1}, "wide, tall and square"
    assert len({one.licence for one in ENTRIES.values()}) >= 3
    for one in ENTRIES.values():
        with Image.open(one.file) as read:
            assert read.size == (one.width, one.height)


@pytest.mark.parametrize("path", ["/collection", f"/manifests/{ONE.id}"])
def test_what_describes_says_what_it_is_and_lets_anybody_read_it(source: httpx.Client, path: str) -> None:
    answer = source.get(path, headers={"Origin": "https://example.org"})
    assert answer.headers["content-type"] == (
        'application/ld+json;profile="http://iiif.io/api/presentation/3/context.json"'
    )
    assert answer.headers["access-control-allow-origin"] == "*"
    document = answer.json()
    assert document["@context"] == "http://iiif.io/api/presentation/3/context.json"
    assert document["id"] == str(answer.url)
    assert all(isinstance(values, list) for values in document["label"].values())
    same = source.get(path, headers={"If-None-Match": answer.headers["etag"]})
    assert (same.status_code, same.content) == (304, b"")


def test_every_manifest_of_the_collection_paints_its_canvas(source: httpx.Client) -> None:
    items = source.get("/collection").json()["items"]
    assert len(items) == len(ENTRIES)
    for one in items:
        manifest = source.get(one["id"]).json()
        assert (one["type"], manifest["type"], manifest["id"]) == ("Manifest", "Manifest", one["id"])
        assert manifest["rights"].startswith("http://creativecommons.org/")
        assert {"label", "value"} <= manifest["requiredStatement"].keys()
        (canvas,) = manifest["items"]
        (page,) = canvas["items"]
        (annotation,) = page["items"]
        assert (canvas["type"], page["type"]) == ("Canvas", "AnnotationPage")
        assert (annotation["motivation"], annotation["target"]) == ("painting", canvas["id"])
        body = annotation["body"]
        assert (body["width"], body["height"]) == (canvas["width"], canvas["height"])
        assert body["service"][0]["type"] == "ImageService3"
        (thumbnail,) = manifest["thumbnail"]
        assert (thumbnail["type"], max(thumbnail["width"], thumbnail["height"])) == ("Image", 400)


def test_a_thumbnail_has_the_size_that_is_said(source: httpx.Client) -> None:
    (thumbnail,) = source.get(f"/manifests/{ONE.id}").json()["thumbnail"]
    read = Image.open(io.BytesIO(source.get(thumbnail["id"]).content))
    assert read.size == (thumbnail["width"], thumbnail["height"])


def test_the_information_is_complete_and_the_bare_address_leads_to_it(source: httpx.Client) -> None:
    bare = source.get(f"/images/{ONE.id}")
    assert bare.status_code == 303
    assert bare.headers["location"].endswith(f"/images/{ONE.id}/info.json")
    answer = source.get(bare.headers["location"])
    info = answer.json()
    assert answer.headers["content-type"] == 'application/ld+json;profile="http://iiif.io/api/image/3/context.json"'
    assert info["@context"] == "http://iiif.io/api/image/3/context.json"
    assert (info["type"], info["profile"]) == ("ImageService3", "level2")
    assert info["protocol"] == "http://iiif.io/api/image"
    assert (info["width"], info["height"], info["id"]) == (W, H, str(answer.url).removesuffix("/info.json"))
    assert "level2" in answer.headers["link"]
    plain = source.get(bare.headers["location"], headers={"Accept": "application/json"})
    assert plain.headers["content-type"].startswith("application/json")


@pytest.mark.parametrize(
    ("path", "size"),
    [
        ("full/max/0/default.jpg", (W, H)),
        ("square/max/0/default.jpg", (min(W, H), min(W, H))),
        ("125,15,120,140/max/0/default.jpg", (120, 140)),
        ("pct:41.6,7.5,40,70/max/0/default.jpg", (round(0.4 * W), round(0.7 * H))),
        (f"{W - 50},{H - 40},900,900/max/0/default.jpg", (50, 40)),
        ("full/150,/0/default.jpg", (150, round(150 * H / W))),
        ("full/,150/0/default.jpg", (round(150 * W / H), 150)),
        ("full/pct:25/0/default.jpg", (W // 4, H // 4)),
        ("full/225,100/0/default.jpg", (225, 100)),
        ("full/!225,100/0/default.jpg", (200, 100)),
        ("full/!9000,9000/0/default.jpg", (W, H)),
        ("0,0,100,80/^200,/0/default.jpg", (200, 160)),
        ("0,0,100,80/^300,40/0/default.jpg", (300, 40)),
        ("0,0,100,80/^pct:150/0/default.jpg", (150, 120)),
        ("0,0,100,80/^!200,200/0/default.jpg", (200, 160)),
        ("0,0,300,200/90,/90/default.jpg", (60, 90)),
        ("0,0,300,200/90,/180/default.png", (90, 60)),
        ("0,0,300,200/90,/!270/default.jpg", (60, 90)),
    ],
)  # fmt: skip
def test_sizes_come_out_to_the_pixel(source: httpx.Client, path: str, size: tuple[int, int]) -> None:
    assert image(source, path).size == size


@pytest.mark.parametrize(
    "path",
    [
        "full/0,/0/default.jpg",
        "full/pct:0/0/default.jpg",
        f"full/{W + 1},/0/default.jpg",
        "full/pct:101/0/default.jpg",
        "0,0,10,10/11,/0/default.jpg",
        "0,0,0,10/max/0/default.jpg",
        f"{W},0,10,10/max/0/default.jpg",
        "1,2,3/max/0/default.jpg",
        "pct:110,0,10,10/max/0/default.jpg",
        "full/big/0/default.jpg",
        "full/max/361/default.jpg",
        "full/max/north/default.jpg",
        "full/max/0/sepia.jpg",
        "full/max/0/default.xyz",
        "full/^90000,/0/default.jpg",
        "full/!0,5/0/default.jpg",
    ],
)
def test_what_is_against_the_rules_is_refused(source: httpx.Client, path: str) -> None:
    answer = source.get(f"/images/{ONE.id}/{path}")
    assert answer.status_code == 400
    assert answer.headers["access-control-allow-origin"] == "*"


def test_what_is_not_done_says_so_and_what_is_unknown_too(source: httpx.Client) -> None:
    assert source.get(f"/images/{ONE.id}/full/max/22.5/default.jpg").status_code == 501
    assert source.get("/images/nothing/full/max/0/default.jpg").status_code == 404
    assert source.get("/manifests/nothing").status_code == 404


def test_parts_turns_and_qualities_show_what_they_should(source: httpx.Client) -> None:
    whole = np.asarray(Image.open(ONE.file), float)
    part = np.asarray(image(source, "200,300,400,200/max/0/default.png"), float)
    assert np.array_equal(part, whole[300:500, 200:600])
    turned = np.asarray(image(source, "200,300,400,200/max/90/default.png"), float)
    assert np.array_equal(turned, np.rot90(part, -1))
    mirrored = np.asarray(image(source, "200,300,400,200/max/!90/default.png"), float)
    assert np.array_equal(mirrored, np.rot90(part[:, ::-1], -1))
    small = np.asarray(image(source, "200,300,400,200/40,20/0/default.png"), float)
    assert np.abs(small - part.reshape(20, 10, 40, 10, 3).mean(axis=(1, 3))).mean() < 4
    assert image(source, "200,300,400,200/max/0/gray.png").mode == "L"
    assert set(np.unique(np.asarray(image(source, "200,300,400,200/max/0/bitonal.png")))) <= {0, 255}


def test_the_whole_picture_is_the_very_file(source: httpx.Client) -> None:
    entry: Entry = ONE
    assert source.get(f"/images/{ONE.id}/full/max/0/default.jpg").content == entry.file.read_bytes()
