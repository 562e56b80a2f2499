"""Every form of the product: something is typed, the page is left in five ways, and it is there again."""

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import encoded, picture
from tests.journeys.conftest import Desk
from tests.journeys.test_gathering import gathered

# what can be typed into and is sent by its form, and holds no secret: found by what it is, so that none is forgotten
FIELDS = """() => [...document.querySelectorAll("textarea[name], input[name][type=text], input[name]:not([type])")]
  .filter(one => one.form && !one.disabled && one.checkVisibility() && !one.form.matches("[data-live]")
    && !one.form.querySelector("[type=password]") && (one.form.hasAttribute("hx-post") || one.form.method === "post"))
"""
NAMES = f"() => ({FIELDS})().map(one => (one.form.getAttribute('hx-post') ?? one.form.action) + ' ' + one.name)"
VALUES = f"() => ({FIELDS})().map(one => one.value)"
FIELD = f"number => ({FIELDS})()[number]"
KEYS = "() => Object.keys(localStorage).filter(key => key.startsWith('typed '))"


def leave(page: Page, home: str) -> Iterator[tuple[str, Callable[[], Page]]]:
    """Five ways out of a page and back to it."""
    address = page.url

    def elsewhere() -> Page:
        page.goto(home)
        page.goto(address)
        return page

    def back() -> Page:
        page.goto(home)
        page.go_back()
        return page

    def another_tab() -> Page:
        other = page.context.new_page()
        other.goto(address)
        return other

    def closed() -> Page:
        other = page.context.new_page()
        page.close(run_before_unload=True)
        other.goto(address)
        return other

    yield "reloaded", lambda: (page.reload(), page)[1]
    yield "elsewhere and back", elsewhere
    yield "by the back button", back
    yield "in another tab", another_tab
    yield "closed at once", closed


def opened(page: Page, click: str, shown: str) -> None:
    """The page as far as somebody opens it."""
    page.wait_for_load_state("networkidle")
    if click:
        page.locator(click).first.click()
        expect(page.locator(shown).first).to_be_visible()
        page.wait_for_load_state("networkidle")


PLACES = [
    ("/folios/{folio}/gather", ".print-mount img", "#texts", 5),
    ("/folios/{folio}/gather", "[data-select=all]", "#texts", 4),
    ("/folios/{folio}/proof", "", "", 1),
    ("/pictures/{picture}?open=notes", "", "", 1),
    ("/pictures/{picture}", ".ledger-list [title^='Keeps these steps']", "[data-sheet]", 2),
    ("/pictures/{picture}", ".ledger-list button.value:has-text('640 × 480')", "[name=displayed_width]", 1),
    ("/routines", "", "", 2),
    ("/book?new=true", "", "", 3),
    ("/account", "", "", 1),
]


@pytest.fixture
def made(desk: Desk, tmp_path: Path) -> dict[str, str]:
    """A folio with two pictures, a place, a step and a routine."""
    page, files = desk.page, [tmp_path / "first.png", tmp_path / "second.png"]
    for number, file in enumerate(files):
        file.write_bytes(encoded(picture(300 + number, 200, seed=number)))
    gathered(desk, *files)
    folio = page.url.split("/folios/")[1].split("/")[0]
    page.click(".tab:has-text('Prepare')")
    desk.settled()
    desk.type_line("bw")
    desk.type_line("640x480")
    page.click(".ledger-list [title^='Keeps these steps']")
    page.fill("[data-sheet] [name=name]", "Mine")
    page.click("[data-sheet] button:has-text('Keep it')")
    expect(page.locator("#notice")).to_contain_text("Mine")
    return {"folio": folio, "picture": page.url.split("/pictures/")[1].split("?")[0]}


@pytest.mark.long
@pytest.mark.parametrize(("address", "click", "shown", "least"), PLACES)
def test_what_is_typed_is_there_again(
    desk: Desk, made: dict[str, str], address: str, click: str, shown: str, least: int
) -> None:
    page = desk.page
    page.goto(desk.site + address.format(**made))
    opened(page, click, shown)
    names = page.evaluate(NAMES)
    assert len(names) >= least, names
    for number in range(len(names)):
        field = page.evaluate_handle(FIELD, number).as_element()
        assert field is not None
        field.fill("")
        field.type(f"typed {number}")
    expected = page.evaluate(VALUES)  # as far as a field takes so many letters
    assert all(text.startswith("typed") for text in expected)
    for way, back in leave(page, desk.site + "/"):
        here = back()
        opened(here, click, shown)
        found = dict(zip(here.evaluate(NAMES), here.evaluate(VALUES), strict=True))
        assert {name: found.get(name) for name in names} == dict(zip(names, expected, strict=True)), way
