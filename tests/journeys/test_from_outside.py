"""Somebody in a hurry: a signature scanned to a clear file, a wide autumn picture, three published pictures."""

import io
from collections.abc import Callable, Iterator
from pathlib import Path

import httpx
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect

from lucidex.core.line.places import read_demand
from lucidex.records.models import Person
from lucidex.services.folios.folios import make_folio, read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.adapters import PICTURES, SCANNER, SITE
from lucidex.services.outside.settings import keep_shipped
from lucidex.services.people.people import Actor
from lucidex.services.places.places import hang_missing
from standins.scanner.app import create_app as create_scanner
from standins.site.app import create_app as create_site
from standins.site.tokens import Tokens
from standins.source.app import create_app as create_source
from tests.journeys.conftest import Desk
from tests.standins.running import DEMO, serving


@pytest.fixture(scope="module")
def outside(shared_workshop: Workshop, tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """All three stand-ins, set up as the start command does."""
    folder = tmp_path_factory.mktemp("outside")
    (folder / "site").mkdir()
    Tokens.add(folder / "site" / "tokens.json", "secret")
    with (
        serving(create_scanner(folder / "scanner", DEMO, pace=0.1)) as scanner,
        serving(create_source(DEMO / "source")) as source,
        serving(create_site(folder / "site", DEMO / "pictures")) as site,
    ):
        keep_shipped(shared_workshop, SCANNER, "Simulated scanner", f"{scanner}/eSCL/")
        keep_shipped(shared_workshop, PICTURES, "Friends", f"{source}/collection")
        keep_shipped(shared_workshop, SITE, "Our site", f"{site}/micropub", "secret")
        yield


@pytest.fixture
def folio(workshop: Workshop, desk: Desk, outside: None) -> int:
    return make_folio(workshop, desk.actor, "Letters and banners")


def test_a_signature_becomes_a_clear_file(desk: Desk, folio: int, tmp_path: Path) -> None:
    page = desk.page
    page.goto(f"{desk.site}/folios/{folio}/gather")
    page.click("text=Scan a page")
    page.click("text=Look at the glass")
    expect(page.locator("#scan-choices")).to_be_visible()
    expect(page.locator("#scan-size")).to_contain_text("px")
    expect(page.locator("#glass-treated")).to_be_visible()
    desk.accessible()
    width = float(page.input_value("[name=width]"))
    page.focus(".glass-part")
    page.keyboard.press("Shift+ArrowRight")
    assert float(page.input_value("[name=width]")) == pytest.approx(width + 1, abs=0.11)
    page.keyboard.press("Shift+ArrowLeft")
    page.click("text=Scan it")
    page.wait_for_url("**/pictures/*")
    desk.settled()
    expect(page.locator(".sentence", has_text="Two tones")).to_be_visible()
    expect(page.locator(".sentence", has_text="Straightened")).to_be_visible()
    desk.type_line("540x210 show whole on clear as png")
    with page.expect_download() as fetched:
        page.click("[data-key=download]")
    content = Path(fetched.value.path()).read_bytes()
    with Image.open(io.BytesIO(content)) as read:
        assert read.size == (540, 210)
        alpha = np.asarray(read.convert("RGBA"))[..., 3]
    assert 0.01 < (alpha > 200).mean() < 0.3
    assert (alpha == 0).mean() > 0.5
    assert desk.troubles == []


def test_a_scan_can_be_stopped_and_a_gone_scanner_says_so(
    workshop: Workshop, desk: Desk, folio: int, tmp_path: Path
) -> None:
    page = desk.page
    with serving(create_scanner(tmp_path, DEMO, pace=6)) as slow:
        keep_shipped(workshop, SCANNER, "Simulated scanner", f"{slow}/eSCL/")
        page.goto(f"{desk.site}/folios/{folio}/scanner")
        page.click("text=Look at the glass")
        expect(page.locator("#scan-choices")).to_be_visible()
        page.click("text=Scan it")
        expect(page.locator("#scan-progress")).to_contain_text("The scanner is moving")
        page.click("text=Stop")
        expect(page.locator("#scan-trouble")).to_have_text("Stopped. Nothing was taken in.")
    page.click("text=Look again")
    expect(page.locator("#scan-trouble")).to_contain_text("cannot be reached")
    desk.accessible()
    assert read_folio(workshop, desk.actor, folio).pictures == []
    desk.troubles.clear()  # the browser says that the request was answered with 503


def test_several_papers_become_a_picture_each(workshop: Workshop, desk: Desk, folio: int, tmp_path: Path) -> None:
    page = desk.page
    with serving(create_scanner(tmp_path, DEMO, pace=0)) as several:
        httpx.post(f"{several}/lay", data={"sheet": "several"})
        keep_shipped(workshop, SCANNER, "Simulated scanner", f"{several}/eSCL/")
        page.goto(f"{desk.site}/folios/{folio}/scanner")
        page.click("text=Look at the glass")
        expect(page.locator("#scan-count")).to_have_text("3 papers lie there; each becomes a picture.")
        desk.accessible()
        before = page.input_value("[name=left]")
        page.click("[data-paper='1']")
        expect(page.locator("[name=left]")).not_to_have_value(before)
        expect(page.locator("#scan-go")).to_have_text("Scan paper 2")
        page.select_option("[name=dpi]", "150")
        page.click("text=Scan all 3")
        page.wait_for_url("**/gather")
    assert len(read_folio(workshop, desk.actor, folio).pictures) == 3
    assert desk.troubles == []


def test_a_wide_autumn_picture_is_found_for_the_banner(workshop: Workshop, desk: Desk, folio: int) -> None:
    hang_missing(workshop, desk.actor, folio, [(read_demand("1600x640 under 180 kB").demand(), "Site banner")])
    page = desk.page
    page.goto(f"{desk.site}/folios/{folio}/gather")
    page.click("text=Find a free picture")
    page.fill("[name=find]", "autumn")
    page.press("[name=find]", "Enter")
    page.wait_for_url("**find=autumn**")
    page.select_option("[name=shape]", "wide")
    page.wait_for_url("**shape=wide**")
    page.select_option("[name=place]", label="Site banner")
    expect(page.locator(".free-side dd", has_text="large enough")).to_be_visible()
    page.wait_for_function(
        "() => [...document.querySelectorAll('.free-cells img')].slice(0, 4).every((one) => one.naturalWidth > 0)"
    )
    shape = page.locator(".free-place .seat").evaluate("one => one.clientWidth / one.clientHeight")
    assert shape == pytest.approx(2.5, rel=0.02)
    desk.accessible()
    page.click("text=Golden wood")
    expect(page.locator(".free-side h2")).to_have_text("Golden wood")
    page.click("text=Bring it in, with its credit")
    expect(page.locator(".said")).to_contain_text("is in the folio, 2400 × 1100, with its credit and licence")
    page.click("text=Open it on the bench")
    page.wait_for_url("**/pictures/*")
    desk.settled()
    (picture,) = read_folio(workshop, desk.actor, folio).pictures
    assert picture.file_name == "golden-wood.jpg"
    page.goto(f"{desk.site}/folios/{folio}/free-pictures?find=zebra")
    expect(page.locator(".outside-empty")).to_contain_text("Nothing of 38 pictures fits")
    desk.accessible()
    assert desk.troubles == []


def test_three_published_pictures_come_with_their_texts(workshop: Workshop, desk: Desk, folio: int) -> None:
    page = desk.page
    page.goto(f"{desk.site}/folios/{folio}/gather")
    page.click("text=Take from the site")
    expect(page.locator(".site-page")).to_have_count(6)
    desk.accessible()
    evenings = page.locator(".site-page", has_text="Winter evenings under glass")
    evenings.locator("[data-all]").click()
    page.locator(".site-page", has_text="The fern room").locator("[data-address]").check()
    expect(page.locator("#site-count")).to_have_text("3 pictures ticked")
    page.click("text=Take 3, with their texts")
    expect(page.locator("#site-progress")).to_have_text("3 taken, with their texts.")
    expect(evenings.locator("text=in the folio")).to_have_count(2)
    page.click("text=Back to the pictures")
    page.locator(".print", has_text="dome-at-dusk.jpg").click()
    expect(page.locator("#chosen")).to_contain_text("shown 960 px wide on “Winter evenings under glass”")
    expect(page.locator("#chosen [name=alternative]")).to_have_value(
        "The glass dome of Marrow Lane Glasshouse, lit from inside, mirrored in its pond at dusk."
    )
    page.click("#chosen a:has-text('Prepare')")
    page.wait_for_url("**/pictures/*")
    expect(page.locator(".ledger-list")).to_contain_text("on “Winter evenings under glass”: its page")
    assert len(read_folio(workshop, desk.actor, folio).pictures) == 3
    assert desk.troubles == []


def test_administrators_set_up_what_lies_outside(
    workshop: Workshop, open_desk: Callable[..., Desk], new_person: Callable[[], Actor], outside: None
) -> None:
    chief = new_person()
    with workshop.database.begin() as session:
        session.get_one(Person, chief.id).is_admin = True
    desk = open_desk(chief)
    page = desk.page
    page.goto(f"{desk.site}/account")
    page.click("text=devices and services outside")
    expect(page.locator("h1")).to_have_text("Outside")
    desk.accessible()
    page.locator("section", has_text="Sites").locator("summary").click()
    page.locator("section", has_text="Sites").locator("details [name=address]").fill("http://127.0.0.1:9/micropub")
    page.locator("section", has_text="Sites").locator("details >> text=Add and try").click()
    expect(page.locator(".said")).to_contain_text("cannot be reached")
    page.locator("li", has_text="added here").locator("text=Remove it").click()
    expect(page.locator("text=added here")).to_have_count(0)
    assert desk.troubles == []
