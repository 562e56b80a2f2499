"""Free pictures and published ones on their way into a folio: the full picture, its texts, and never twice."""

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from lucidex.core.errors import NotFoundError, UnavailableError
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.line.places import read_demand
from lucidex.services.folios.folios import make_folio, read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.keeping.many import take_out
from lucidex.services.outside.adapters import PICTURES, SITE
from lucidex.services.outside.service import Service
from lucidex.services.outside.settings import keep_shipped, read_services
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import read_picture
from lucidex.services.pictures.gathering import read_sheet
from lucidex.services.places.places import hang_missing
from lucidex.services.ways_in import free_pictures, published
from lucidex.services.ways_in.free_pictures import Looked, Shape, look_for, place_shown, small_picture, take_in
from standins.site.app import create_app as create_site
from standins.site.tokens import Tokens
from standins.source.app import create_app as create_source
from tests.core.reading import said
from tests.standins.running import DEMO, own_process, serving


@pytest.fixture
def folio_id(workshop: Workshop, actor: Actor) -> int:
    return make_folio(workshop, actor, "Autumn")


@pytest.fixture
def source(workshop: Workshop) -> Iterator[Service]:
    with serving(create_source(DEMO / "source")) as address:
        keep_shipped(workshop, PICTURES, "Friends", f"{address}/collection")
        yield read_services(workshop, PICTURES)[-1]


@pytest.fixture
def site(workshop: Workshop, tmp_path: Path) -> Iterator[Service]:
    Tokens.add(tmp_path / "tokens.json", "secret")
    with serving(create_site(tmp_path, DEMO / "pictures")) as address:
        keep_shipped(workshop, SITE, "Our site", f"{address}/micropub", "secret")
        yield read_services(workshop, SITE)[-1]


def test_words_shape_and_size_narrow_what_is_found(
    workshop: Workshop, actor: Actor, folio_id: int, source: Service
) -> None:
    def titles(**looked: object) -> set[str]:
        found = look_for(workshop, actor, folio_id, source, Looked(**looked))  # type: ignore[arg-type]
        assert found.total == len(found.offers)
        return {offer.item.title for offer in found.offers}

    everything = titles()
    wide = titles(words="Autumn", shape=Shape.WIDE)
    assert "Hills in autumn over a still lake" in wide
    assert "November wood, upright" in titles(words="autumn", shape=Shape.TALL)
    assert titles(words="autumn lake") < wide
    assert titles(words="pumpk") == titles(words="pumpkin"), "the beginning of a word is enough"
    assert not titles(words="umpkin")
    assert not titles(words="zebra")
    assert titles(shape=Shape.WIDE) | titles(shape=Shape.TALL) | titles(shape=Shape.SQUARE) == everything
    large = look_for(workshop, actor, folio_id, source, Looked(least_width=2_300))
    assert large.offers
    assert all(offer.item.width >= 2_300 for offer in large.offers)
    assert titles(words="(((") == set()


def test_a_picture_is_seen_in_a_place_as_the_place_will_show_it(
    workshop: Workshop, actor: Actor, folio_id: int, source: Service
) -> None:
    place = hang_missing(workshop, actor, folio_id, [(read_demand("400x100").demand(), "Strip")])[-1]
    found = look_for(workshop, actor, folio_id, source, Looked("autumn lake"), place)
    offer = found.offers[0]
    assert offer.in_place is not None
    window = place_shown(workshop, actor, folio_id, offer.item, place)
    assert window == offer.in_place.placement.window
    assert window.width / window.height == pytest.approx(4, rel=0.01)
    content, media_type = small_picture(workshop, source, offer.item, Size(200, 200), window)
    assert (media_type, said(content)["File:ImageWidth"], said(content)["File:ImageHeight"]) == (
        "image/jpeg",
        200,
        50,
    )


def test_the_full_picture_comes_with_credit_and_licence_and_once(
    workshop: Workshop, actor: Actor, folio_id: int, source: Service
) -> None:
    offer = look_for(workshop, actor, folio_id, source, Looked("autumn lake")).offers[0]
    with ThreadPoolExecutor(4) as pool:
        taken = list(pool.map(lambda _: take_in(workshop, actor, folio_id, source, offer.item), range(4)))
    assert len({one.picture_id for one in taken}) == 1
    assert len(read_folio(workshop, actor, folio_id).pictures) == 1
    state = read_picture(workshop, actor, taken[0].picture_id)
    assert state.facts.upright == offer.item.size
    texts = state.document.texts
    assert (texts.credit, texts.licence, texts.caption) == ("Wren Halloway, CC BY 4.0", "CC BY 4.0", offer.item.title)
    assert "creativecommons.org" in texts.licence_address
    again = take_in(workshop, actor, folio_id, source, offer.item)
    assert any("already" in note for note in again.notes)
    assert look_for(workshop, actor, folio_id, source, Looked("autumn lake")).offers[0].here == state.picture_id
    (shown,) = read_sheet(workshop, actor, folio_id).pictures
    assert shown.origin is not None
    assert shown.origin.address == offer.item.manifest


def test_what_was_taken_out_can_be_fetched_again(
    workshop: Workshop, actor: Actor, folio_id: int, source: Service
) -> None:
    item = look_for(workshop, actor, folio_id, source, Looked("lemons")).offers[0].item
    first = take_in(workshop, actor, folio_id, source, item)
    take_out(workshop, actor, folio_id, [first.picture_id])
    assert look_for(workshop, actor, folio_id, source, Looked("lemons")).offers[0].here is None
    second = take_in(workshop, actor, folio_id, source, item)
    assert second.picture_id != first.picture_id
    assert len(read_folio(workshop, actor, folio_id).pictures) == 1


def test_nobody_sees_or_fills_a_folio_of_others(
    workshop: Workshop, actor: Actor, new_person: Callable[[], Actor], folio_id: int, source: Service, site: Service
) -> None:
    item = look_for(workshop, actor, folio_id, source, Looked("lemons")).offers[0].item
    stranger = new_person()
    for attempt in (
        lambda: look_for(workshop, stranger, folio_id, source, Looked()),
        lambda: take_in(workshop, stranger, folio_id, source, item),
        lambda: place_shown(workshop, stranger, folio_id, item, 1),
        lambda: published.read_site(workshop, stranger, folio_id, site),
    ):
        with pytest.raises(NotFoundError):
            attempt()
    assert read_folio(workshop, actor, folio_id).pictures == []


def test_a_source_that_is_gone_says_so(workshop: Workshop, actor: Actor, folio_id: int, tmp_path: Path) -> None:
    with own_process("standins.source", tmp_path) as (address, process):
        service = Service(99, PICTURES, "Friends", f"{address}/collection")
        item = wait_for(lambda: look_for(workshop, actor, folio_id, service, Looked("lemons"))).offers[0].item
        process.kill()
        process.wait()
        with pytest.raises(UnavailableError, match="Friends"):
            take_in(workshop, actor, folio_id, service, item)
        with pytest.raises(UnavailableError, match="Friends"):
            small_picture(workshop, service, item, Size(100, 100), Window(0, 0, 10, 10))
    assert read_folio(workshop, actor, folio_id).pictures == []
    free_pictures._contents.of(workshop).clear()


def wait_for(attempt):  # noqa: ANN001, ANN201
    for _ in range(40):
        try:
            return attempt()
        except UnavailableError:
            continue
    return attempt()


def test_published_pictures_come_with_the_texts_of_their_page(
    workshop: Workshop, actor: Actor, folio_id: int, site: Service
) -> None:
    pages = published.read_site(workshop, actor, folio_id, site).published.pages
    assert len(pages) == 6
    page = next(one for one in pages if one.name == "Winter evenings under glass")
    dome, orchid = page.pictures
    assert (dome.shown_width, orchid.shown_width) == (960, 640)
    taken = published.take_published(workshop, actor, folio_id, site, page.address, dome.address)
    assert taken.file_name == "dome-at-dusk.jpg"
    texts = read_picture(workshop, actor, taken.picture_id).document.texts
    assert texts.alternative.startswith("The glass dome")
    assert texts.caption == "The dome on the first evening of last winter."
    assert texts.credit == "Marrow Lane Glasshouse"
    assert texts.licence == "CC BY 4.0"
    again = published.take_published(workshop, actor, folio_id, site, page.address, dome.address)
    assert again.picture_id == taken.picture_id
    assert published.read_site(workshop, actor, folio_id, site).here == {dome.address: taken.picture_id}
    (shown,) = read_sheet(workshop, actor, folio_id).pictures
    assert shown.origin is not None
    assert shown.origin.words == "shown 960 px wide on “Winter evenings under glass”"


def test_only_what_stands_on_a_page_is_fetched(
    workshop: Workshop, actor: Actor, folio_id: int, site: Service
) -> None:
    page = published.read_site(workshop, actor, folio_id, site).published.pages[0]
    with pytest.raises(NotFoundError):
        published.take_published(workshop, actor, folio_id, site, page.address, site.address)
    small = published.small_copy(workshop, site, page.pictures[0].address)
    assert max(said(small)["File:ImageWidth"], said(small)["File:ImageHeight"]) == published.SMALL_EDGE
