"""Answers from outside that mean no good: whatever is said, the inside gets types that it can bear, or a sentence.

Two thousand answers of each kind are made from sound ones by putting something else in the place of their parts.
"""

import gzip
import io
import json
import random
import socket
import threading
import time
import zlib
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress

import pytest

from lucidex.core.cancellation import until
from lucidex.core.document import PictureDocument
from lucidex.core.errors import NoLongerWantedError, TooLargeError, TooSlowError, UnreadableFileError, UserError
from lucidex.core.geometry.sizes import Window
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside import scanner, transport
from lucidex.services.outside.adapters import PICTURES, SCANNER, SITE
from lucidex.services.outside.client import Answer, OutsideClient
from lucidex.services.outside.iiif import Contents, Item, read_source
from lucidex.services.outside.micropub import Page, Published, largest_candidate, read_pages
from lucidex.services.outside.scanner import read_glass
from lucidex.services.outside.service import Service
from lucidex.services.outside.texts_of_pages import Figure, figures_in
from lucidex.services.ways_in import free_pictures, published
from lucidex.services.ways_in.free_pictures import Looked, look_for, texts_from
from lucidex.work.html_task import MAX_ALL, find_figures
from tests.web.conftest import Work

ANSWERS = 2_000
HERE = "http://127.0.0.1:9"
BAD_TEXTS = (
    "",
    " ",
    "\ud800",
    "a\udfffb",
    "\x00\x01\x1b[31m",
    "//[",
    "http://[",
    "http://x:99999/",
    "https://",
    "javascript:alert(1)",
    "data:image/png;base64,x",
    "9" * 5_000,
    "²",
    "١٢٣",
    "-1",
    "1e9",
    "nan",
    "<![<![",
    "<a " * 500,
    "<!--" * 500,
    "&#xD800;&#0;&#99999999999;",
    "x" * 20_000,
    "{{ 7 * 7 }}",
    "\u202e\u200d\ufeff\uffff",
)
BAD_VALUES: tuple[object, ...] = (
    None,
    True,
    0,
    -1,
    10**30,
    0.5,
    1e308,
    float("nan"),
    [],
    {},
    [[]],
    [None, 1, "x"],
    {"en": None},
    {"@value": []},
    {"type": "Image"},
    [{"id": "x"}] * 50,
)


def mutated(value: object, chance: random.Random, share: float) -> object:
    """The same with something else in the place of some of its parts."""
    if chance.random() < share:
        return chance.choice((*BAD_TEXTS, *BAD_VALUES, [value], {"en": value}))
    if isinstance(value, dict):
        return {key: mutated(one, chance, share) for key, one in value.items() if chance.random() > share / 4}
    if isinstance(value, list):
        return [mutated(one, chance, share) for one in value for _ in range(1 + (chance.random() < share))]
    return value


class Says:
    """A service that gives the same answer to whatever it is asked."""

    def __init__(self, content: bytes) -> None:
        self._content = content

    def get(self, address: str, **_: object) -> Answer:
        assert len(address) < 10_000
        return Answer(200, {}, self._content, address)  # type: ignore[arg-type]


IMAGE = {"id": f"{HERE}/i.jpg", "type": "Image", "width": 60, "height": 40}
SERVED = {**IMAGE, "service": [{"id": f"{HERE}/iiif/1", "type": "ImageService3", "profile": "level2"}]}
MANIFEST_3 = {
    "id": f"{HERE}/m",
    "type": "Manifest",
    "label": {"en": ["Autumn"], "de": ["Herbst"]},
    "summary": {"none": ["Leaves"]},
    "rights": "http://creativecommons.org/licenses/by/4.0/",
    "requiredStatement": {"label": {"en": ["Attribution"]}, "value": {"en": ["<b>W. Halloway</b>"]}},
    "metadata": [{"label": {"en": ["Creator"]}, "value": {"en": ["Wren"]}}],
    "items": [
        {
            "id": f"{HERE}/c",
            "type": "Canvas",
            "label": "1r",
            "width": 60,
            "height": 40,
            "items": [{"type": "AnnotationPage", "items": [{"type": "Annotation", "body": SERVED}]}],
        }
    ],
}
MANIFEST_2 = {
    "@context": "http://iiif.io/api/presentation/2/context.json",
    "@id": f"{HERE}/m2",
    "@type": "sc:Manifest",
    "label": [{"@value": "Fern", "@language": "en"}, {"@value": "Farn", "@language": "de"}],
    "metadata": [{"label": "Artist", "value": "Ada"}],
    "attribution": "Ada, for the house",
    "license": "https://creativecommons.org/publicdomain/zero/1.0/",
    "sequences": [
        {
            "canvases": [
                {
                    "@id": f"{HERE}/c2",
                    "images": [
                        {
                            "resource": {
                                "@id": f"{HERE}/r.jpg",
                                "@type": "dctypes:Image",
                                "width": 80,
                                "height": 50,
                                "service": {
                                    "@context": "http://iiif.io/api/image/2/context.json",
                                    "@id": f"{HERE}/iiif/2/",
                                    "profile": ["http://iiif.io/api/image/2/level2.json", {}],
                                },
                            }
                        }
                    ],
                }
            ]
        }
    ],
}
COLLECTION = {
    "id": f"{HERE}/c",
    "type": "Collection",
    "label": {"en": ["All"]},
    "first": f"{HERE}/page",
    "items": [{"id": f"{HERE}/m", "type": "Manifest"}, {**MANIFEST_3, "id": f"{HERE}/n"}],
}
PAGES = {
    "items": [
        {
            "type": ["h-entry"],
            "properties": {
                "url": [f"{HERE}/pages/one"],
                "name": ["One"],
                "published": ["2026-11-30"],
                "summary": ["Short"],
                "content": [{"html": '<figure><img src="/a.jpg" width="300"><figcaption>A</figcaption></figure>'}],
                "photo": [{"value": f"{HERE}/a.jpg", "alt": "other"}, f"{HERE}/d.jpg"],
            },
        }
    ]
}


def of_pictures(content: bytes) -> Contents:
    return read_source(Says(content), f"{HERE}/c")  # type: ignore[arg-type]


def of_site(content: bytes) -> Published:
    def figures(texts: list[str]) -> list[list[Figure]]:
        found = json.loads(find_figures(io.BytesIO(json.dumps(texts).encode())))  # type: ignore[arg-type]
        return [[Figure.model_validate(one) for one in figures] for figures in found]

    return read_pages(Says(content), f"{HERE}/micropub", figures)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("read", "seeds"), [(of_pictures, (MANIFEST_3, MANIFEST_2, COLLECTION)), (of_site, (PAGES,))]
)
def test_two_thousand_answers_bring_about_a_sentence_at_most(
    read: Callable[[bytes], object], seeds: tuple[object, ...]
) -> None:
    chance, understood = random.Random(25), 0
    for number in range(ANSWERS):
        said = mutated(seeds[number % len(seeds)], chance, chance.choice((0.02, 0.1, 0.3)))
        content = json.dumps(said).encode()
        if chance.random() < 0.05:
            content = content[: chance.randrange(len(content))]
        try:
            found = read(content)
        except UserError:
            continue
        understood += 1
        json.dumps(repr(found)).encode()
        repr(found).encode("utf-8")
    assert understood > ANSWERS / 4, "most of what is only partly wrong is of use"


CAPABILITIES = f"""<?xml version="1.0"?>
<scan:ScannerCapabilities xmlns:scan="{scanner.SCAN}" xmlns:pwg="{scanner.PWG}">
<pwg:MakeAndModel>NAME</pwg:MakeAndModel><scan:AdminURI>PAGE</scan:AdminURI>
<scan:Platen><scan:PlatenInputCaps><scan:MaxWidth>WIDTH</scan:MaxWidth><scan:MaxHeight>HEIGHT</scan:MaxHeight>
<scan:SettingProfiles><scan:SettingProfile><scan:ColorModes><scan:ColorMode>TONES</scan:ColorMode></scan:ColorModes>
<scan:DocumentFormats><pwg:DocumentFormat>image/png</pwg:DocumentFormat></scan:DocumentFormats>
<scan:SupportedResolutions><scan:DiscreteResolutions><scan:DiscreteResolution><scan:XResolution>DPI</scan:XResolution>
</scan:DiscreteResolution></scan:DiscreteResolutions></scan:SupportedResolutions></scan:SettingProfile>
</scan:SettingProfiles></scan:PlatenInputCaps></scan:Platen></scan:ScannerCapabilities>"""
SOUND = {"NAME": "S", "PAGE": HERE, "WIDTH": "2550", "HEIGHT": "3508", "TONES": "RGB24", "DPI": "300"}


def test_two_thousand_scanners_are_bearable(monkeypatch: pytest.MonkeyPatch) -> None:
    chance, service, understood = random.Random(26), Service(1, SCANNER, "S", f"{HERE}/eSCL"), 0
    said = b""
    monkeypatch.setattr(OutsideClient, "get", lambda self, address, **_: Answer(200, {}, said, address))  # type: ignore[arg-type]
    for _ in range(ANSWERS):
        text = CAPABILITIES
        for name, sound in SOUND.items():
            bad = chance.choice((*BAD_TEXTS, "0", "-5", "7", "100000000"))
            shown = sound if chance.random() < 0.7 else bad.replace("<", "&lt;").replace("&", "&amp;")
            text = text.replace(name, shown)
        said = text.encode("utf-8", "replace")
        if chance.random() < 0.1:
            said = said[: chance.randrange(len(said))]
        try:
            glass = read_glass(service)
        except UserError:
            continue
        understood += 1
        assert glass.width_mm > 0
        assert glass.height_mm > 0
        assert min(glass.resolutions) > 0
        assert glass.tones
    assert understood > ANSWERS / 20


def test_every_item_is_borne_by_the_page_the_search_and_the_document(
    workshop: Workshop, work: Work, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A manifest without rights, or with a licence that nobody knows, broke the page for all."""
    chance = random.Random(27)
    items: list[Item] = []
    for number in range(600):
        said = mutated((MANIFEST_3, MANIFEST_2)[number % 2], chance, 0.12)
        with suppress(UserError):
            items += read_source(Says(json.dumps(said).encode()), f"{HERE}/m{number}").items  # type: ignore[arg-type]
    assert len(items) > 100
    assert {bool(one.licence) for one in items} == {True, False}
    service = Service(3, PICTURES, "Elsewhere", f"{HERE}/c")
    monkeypatch.setattr("lucidex.web.views.outside.choosing.read_services", lambda *_: [service])
    monkeypatch.setattr(free_pictures, "contents_of", lambda *_: Contents("x", tuple(items), True))
    found = look_for(workshop, work.visitor.actor, work.folio_id, service, Looked(), work.place_id)
    for offer in found.offers:
        whole = Window(0, 0, offer.item.width, offer.item.height)
        offer.item.part(offer.in_place.placement.window if offer.in_place else whole, offer.item.size)
        texts_from(offer.item)(PictureDocument(), None)  # type: ignore[arg-type]
    for offer in found.offers[::10]:
        address = f"/folios/{work.folio_id}/free-pictures?chosen={offer.key}&place={work.place_id}"
        assert work.visitor.client.get(address).status_code == 200


def test_every_page_of_a_site_is_borne(workshop: Workshop, work: Work, monkeypatch: pytest.MonkeyPatch) -> None:
    chance = random.Random(28)
    pages: list[Page] = []
    for _ in range(200):
        with suppress(UserError):
            pages += of_site(json.dumps(mutated(PAGES, chance, 0.1)).encode()).pages
    assert len(pages) > 50
    service = Service(4, SITE, "Elsewhere", f"{HERE}/micropub")
    monkeypatch.setattr("lucidex.web.views.outside.choosing.read_services", lambda *_: [service])
    monkeypatch.setattr(published, "published_of", lambda *_: Published(tuple(pages), True))
    assert work.visitor.client.get(f"/folios/{work.folio_id}/site").status_code == 200
    for shown in {one.address for page in pages for one in page.pictures}:
        assert published.file_name_of(shown)


def test_a_sentence_with_half_a_character_is_said_once(work: Work, monkeypatch: pytest.MonkeyPatch) -> None:
    """It made every page of that session answer 500 for ever."""
    with pytest.raises(UserError) as refused:
        of_pictures(b"{}")
    monkeypatch.setattr("lucidex.web.views.free.page.find_service", lambda *_: Service(3, PICTURES, "E", HERE))
    monkeypatch.setattr("lucidex.web.views.free.page.find_item", lambda *_: None)

    def failing(*_: object) -> None:
        raise UnreadableFileError("“half \ud800” is no picture.") from refused.value

    monkeypatch.setattr("lucidex.web.views.free.page.take_in", failing)
    sent = {"source": "3", "item": "0" * 20}
    answer = work.visitor.post(f"/folios/{work.folio_id}/free-pictures/take", sent)
    assert answer.status_code == 200
    for path in ("/account", "/account", f"/folios/{work.folio_id}/free-pictures"):
        assert work.visitor.client.get(path).status_code == 200


@contextmanager
def answering(pieces: Callable[[], Iterator[bytes]]) -> Iterator[str]:
    """A server that sends the same pieces to everybody, and then is silent."""
    over = threading.Event()

    def answer(connection: socket.socket) -> None:
        with closing(connection), suppress(OSError):
            connection.recv(10_000)
            for piece in pieces():
                connection.sendall(piece)
                if over.is_set():
                    return
            over.wait(30)

    def serve() -> None:
        with suppress(OSError):
            while True:
                threading.Thread(target=answer, args=(listening.accept()[0],), daemon=True).start()

    with closing(socket.create_server(("127.0.0.1", 0))) as listening:
        threading.Thread(target=serve, daemon=True).start()
        yield f"http://127.0.0.1:{listening.getsockname()[1]}"
        over.set()


def dripping_headers() -> Iterator[bytes]:
    """A byte now and then, each of them long before any single read gives up."""
    yield b"HTTP/1.1 200 OK\r\n"
    while True:
        yield b"X"
        threading.Event().wait(0.02)


def test_headers_that_trickle_end_at_the_deadline() -> None:
    with answering(dripping_headers) as address, OutsideClient(Service(1, PICTURES, "Slow", address)) as client:
        with pytest.raises(TooSlowError, match="Slow"):
            client.ask("GET", address, seconds=0.5)
        gone = threading.Event()
        threading.Timer(0.2, gone.set).start()
        with until(gone), pytest.raises(NoLongerWantedError):
            client.ask("GET", address, seconds=60)


def packed(content: bytes, encoding: str) -> Callable[[], Iterator[bytes]]:
    def pieces() -> Iterator[bytes]:
        yield b"HTTP/1.1 200 OK\r\nContent-Encoding: %b\r\nContent-Length: %d\r\n\r\n" % (
            encoding.encode(),
            len(content),
        )
        yield content

    return pieces


def test_what_is_packed_is_counted_as_it_is_unpacked(monkeypatch: pytest.MonkeyPatch) -> None:
    """Gzip within gzip filled seven gigabytes before anything was counted."""
    bomb = gzip.compress(bytes(50_000_000))
    largest = 0
    unpack = transport.unpacked

    def measured(encoding: str, pieces: Iterator[bytes]) -> Iterator[bytes]:
        nonlocal largest
        for piece in unpack(encoding, pieces):
            largest = max(largest, len(piece))
            yield piece

    monkeypatch.setattr("lucidex.services.outside.client.unpacked", measured)
    for content, encoding, error in (
        (bomb, "gzip", TooLargeError),
        (gzip.compress(bomb), "gzip, gzip", UnreadableFileError),
        (zlib.compress(b"x"), "deflate", UnreadableFileError),
        (b"no gzip", "gzip", UnreadableFileError),
        (bomb[:100], "gzip", UnreadableFileError),
    ):
        with (
            answering(packed(content, encoding)) as address,
            OutsideClient(Service(1, PICTURES, "P", address)) as client,
            pytest.raises(error),
        ):
            client.ask("GET", address, seconds=20, most_bytes=1_000_000)
    assert largest <= transport.PIECE_BYTES
    sound = packed(gzip.compress(b"fine" * 1_000), "gzip")
    with answering(sound) as address, OutsideClient(Service(1, PICTURES, "P", address)) as client:
        assert client.get(address).content == b"fine" * 1_000


@pytest.mark.parametrize(
    "text", ["<a " * 133_000, "<!--" * 100_000, "<div>" * 80_000, "<figure><img src=x>" * 20_000]
)
def test_no_text_of_a_page_holds_anybody_up(workshop: Workshop, text: str) -> None:
    """The parser of the standard library is quadratic on the first two, a faster one on the others."""
    began = time.process_time()
    (found,) = figures_in(workshop)([text])
    assert len(found) <= 60
    assert time.process_time() - began < 2, "nothing of it is done in this process"


def test_what_is_found_in_texts_has_a_bound() -> None:
    text = "".join(f'<img src="/{number}.jpg" alt="{"x" * 7_000}">' for number in range(60))
    found = json.loads(find_figures(io.BytesIO(json.dumps([text] * 200).encode())))
    assert sum(len(one["alt"]) for figures in found for one in figures) <= MAX_ALL
    assert len(found) == 200


@pytest.mark.parametrize(
    ("srcset", "largest"),
    [
        ("", ""),
        ("a.jpg", "a.jpg"),
        ("a.jpg 1x, b.jpg 2x", "b.jpg"),
        ("/iiif/full/640,/0/default.jpg 640w,/iiif/full/1600,/0/default.jpg 1600w", "/iiif/full/1600,/0/default.jpg"),
        ("a.jpg, b.jpg 1.5x", "b.jpg"),
        ("a.jpg 9" + "9" * 5_000 + "w, b.jpg 3w", "b.jpg"),
        (" , , ,", ""),
        ("a " * 3_000, "a"),
    ],
)
def test_the_largest_of_several_sizes_is_meant(srcset: str, largest: str) -> None:
    assert largest_candidate(srcset) == largest


def test_both_versions_of_the_standard_are_read() -> None:
    for said, title, credit, size in (
        (MANIFEST_3, "Autumn", "Wren. W. Halloway", (60, 40)),
        (MANIFEST_2, "Fern", "Ada, for the house", (80, 50)),
    ):
        (item,) = of_pictures(json.dumps(said).encode()).items
        assert (item.title, item.credit, (item.width, item.height)) == (title, credit, size)
        assert item.service.endswith(("/iiif/1", "/iiif/2"))
        assert item.licence in {"CC BY 4.0", "CC0 1.0"}


class Library:
    """Several answers, by their addresses."""

    def __init__(self, **answers: object) -> None:
        self._answers = {f"{HERE}/{name}": json.dumps(said).encode() for name, said in answers.items()}

    def get(self, address: str, **_: object) -> Answer:
        if address not in self._answers:
            raise UnreadableFileError("It is not there.")
        return Answer(200, {}, self._answers[address], address)  # type: ignore[arg-type]


def test_pages_of_collections_parts_of_images_and_sizes_that_nobody_says() -> None:
    source = {"type": "SpecificResource", "source": {**IMAGE, "id": f"{HERE}/part.jpg"}, "selector": {"region": "1"}}
    unsaid = {"id": f"{HERE}/s.jpg", "type": "Image", "service": SERVED["service"]}

    def manifest(name: str, body: object) -> dict[str, object]:
        canvas = {"type": "Canvas", "items": [{"items": [{"body": body}]}]}
        return {"id": f"{HERE}/{name}", "type": "Manifest", "label": name, "items": [canvas]}

    def page(name: str, following: str = "") -> dict[str, object]:
        link = {"next": f"{HERE}/{following}"} if following else {}
        return {"type": "CollectionPage", "items": [{"id": f"{HERE}/{name}", "type": "Manifest"}], **link}

    library = Library(
        c={"type": "Collection", "first": {"id": f"{HERE}/p1", "type": "CollectionPage"}},
        p1=page("m1", "p2"),
        p2=page("m2", "p1"),
        m1=manifest("m1", source),
        m2=manifest("m2", unsaid),
        **{"iiif/1/info.json": {"width": 700, "height": 300}},
    )
    read = read_source(library, f"{HERE}/c")  # type: ignore[arg-type]
    assert [(one.title, one.image, one.width) for one in read.items] == [
        ("m1", f"{HERE}/part.jpg", 60),
        ("m2", f"{HERE}/s.jpg", 700),
    ]
    assert read.is_all
