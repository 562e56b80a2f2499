"""What is typed stays: however one leaves, it is there again, and a colleague's words are never lost under it."""

import secrets
from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import Page, Route, expect

from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import add_person
from tests.conftest import PASSWORD, encoded, picture
from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import at_bench
from tests.journeys.test_gathering import gathered

CAPTION = "#texts [name=caption]"
KEPT = ".typed-kept"


@pytest.fixture
def two(tmp_path: Path) -> tuple[Path, Path]:
    files = tmp_path / "first.png", tmp_path / "second.png"
    for number, file in enumerate(files):
        file.write_bytes(encoded(picture(300 + number, 200, seed=number)))
    return files


def choose(page: Page, name: str) -> None:
    page.click(f".print:has-text('{name}') .print-mount img")
    expect(page.locator("#chosen h2").first).to_have_text(name)


def test_texts_of_a_picture_stay_however_one_leaves(desk: Desk, two: tuple[Path, Path]) -> None:
    page = desk.page
    gathered(desk, *two)
    gather = page.url
    for leave in (
        lambda: choose(page, "second.png"),
        lambda: page.reload(),
        lambda: page.goto(desk.site + "/"),
        lambda: page.click(".tab:has-text('Proof')"),
    ):
        choose(page, "first.png")
        page.locator(CAPTION).press_sequentially("Evening", delay=5)
        leave()
        if "/gather" not in page.url:
            page.goto(gather)
        choose(page, "first.png")
        expect(page.locator(CAPTION)).to_have_value("Evening")
        expect(page.locator(KEPT)).to_contain_text("not sent yet")
        desk.accessible()
        page.click(f"{KEPT} button")
        expect(page.locator(CAPTION)).to_have_value("")
        expect(page.locator(KEPT)).to_have_count(0)
        page.reload()
        choose(page, "first.png")
        expect(page.locator(CAPTION)).to_have_value("")
    page.locator(CAPTION).press_sequentially("  Evening  light ", delay=5)
    page.click("text=Keep the texts")
    expect(page.locator("#texts .said")).to_have_text("Kept.")
    expect(page.locator(CAPTION)).to_have_value("Evening light")
    expect(page.locator(KEPT)).to_have_count(0)
    assert desk.troubles == []


def test_a_colleagues_words_are_offered_beside_mine(open_desk: Callable[..., Desk], two: tuple[Path, Path]) -> None:
    mine = open_desk()
    gathered(mine, *two)
    choose(mine.page, "first.png")
    mine.page.locator(CAPTION).press_sequentially("Mine", delay=5)
    expect(mine.page.locator(KEPT)).to_have_count(1)
    theirs = open_desk(mine.actor)
    theirs.page.goto(mine.page.url)
    choose(theirs.page, "first.png")
    theirs.page.fill(CAPTION, "Theirs")
    theirs.page.click("text=Keep the texts")
    expect(theirs.page.locator("#texts .said")).to_have_text("Kept.")
    mine.page.reload()
    choose(mine.page, "first.png")
    expect(mine.page.locator(CAPTION)).to_have_value("Mine")
    expect(mine.page.locator(".typed-meanwhile")).to_contain_text("Meanwhile it says “Theirs”.")
    mine.page.click(".typed-meanwhile button")
    expect(mine.page.locator(CAPTION)).to_have_value("Theirs")
    expect(mine.page.locator(KEPT)).to_have_count(0)


def test_texts_of_several_leave_what_a_colleague_has_written(
    open_desk: Callable[..., Desk], two: tuple[Path, Path]
) -> None:
    mine = open_desk()
    gathered(mine, *two)
    mine.page.click("[data-select=all]")
    expect(mine.page.locator("#chosen h2").first).to_have_text("2 pictures")
    theirs = open_desk(mine.actor)
    theirs.page.goto(mine.page.url)
    choose(theirs.page, "second.png")
    theirs.page.fill(CAPTION, "Theirs")
    theirs.page.click("text=Keep the texts")
    expect(theirs.page.locator("#texts .said")).to_have_text("Kept.")
    mine.page.locator(CAPTION).press_sequentially("Mine", delay=5)
    mine.page.click("text=Write them on all 2")
    expect(mine.page.locator("#texts [role=alert]")).to_contain_text("second.png")
    expect(mine.page.locator(CAPTION)).to_have_value("Mine")
    choose(mine.page, "second.png")
    expect(mine.page.locator(CAPTION)).to_have_value("Theirs")
    choose(mine.page, "first.png")
    expect(mine.page.locator(CAPTION)).to_have_value("Mine")


def test_words_of_a_note_stay(desk: Desk, two: tuple[Path, Path]) -> None:
    page = desk.page
    at_bench(desk, two[0])
    page.click(".value[data-command=notes]")
    page.locator("[data-note-new]").press_sequentially("Is the light", delay=5)
    page.goto(desk.site + "/")
    page.go_back()
    desk.settled()
    if not page.locator("[data-note-new]").is_visible():
        page.click(".value[data-command=notes]")
    expect(page.locator("[data-note-new]")).to_have_value("Is the light")
    page.click("text=Add the note")
    expect(page.locator(".note-card textarea")).to_have_value("Is the light")
    expect(page.locator("[data-note-new]")).to_have_value("")
    expect(page.locator(KEPT)).to_have_count(0)


def test_nothing_ticked_is_said_in_place_and_deleting_names_what_goes(desk: Desk, two: tuple[Path, Path]) -> None:
    page = desk.page
    gathered(desk, *two)
    page.click("[data-select=all]")
    page.click(".gather-foot >> text=Take out")
    page.wait_for_url("**/gather?**")
    page.click("#chosen a:has-text('Taken out')")
    asked: list[str] = []
    page.on("dialog", lambda dialog: (asked.append(dialog.message), dialog.accept()))
    page.click("text=Delete the ticked ones for good")
    expect(page.locator("#notice")).to_contain_text("Tick the pictures")
    assert asked == []
    page.check("label:has-text('second.png') input")
    # else the small picture that is asked for is gone before it comes, which the browser complains of
    page.wait_for_function("() => [...document.images].every(one => one.complete)")
    page.click("text=Delete the ticked ones for good")
    expect(page.locator("[role=status]").first).to_contain_text("1 picture deleted for good")
    assert asked == ["Delete second.png for good? Nobody can bring them back."]
    assert desk.troubles == []


def test_what_was_accepted_is_seen_before_it_is_done(desk: Desk, two: tuple[Path, Path]) -> None:
    page = desk.page
    at_bench(desk, two[0])
    held: list[Route] = []
    page.route("**/line?*", lambda route: held.append(route))
    page.route("**/line", lambda route: held.append(route))
    page.fill("#line", "turn left")
    expect(page.locator("#reading [data-for='turn left']")).to_be_attached()
    page.press("#line", "Enter")
    expect(page.locator(".line-taken")).to_contain_text("Turned a quarter to the left")
    page.wait_for_function("() => document.querySelector('.htmx-request')")
    (route,) = held
    route.continue_()
    expect(page.locator("ol .sentence")).to_have_text(["Turned a quarter to the left."])
    expect(page.locator(".line-taken")).to_have_count(0)
    page.fill("#line", "turn left")
    page.press("#line", "Enter")
    expect(page.locator(".line-taken")).to_have_count(1)
    held[-1].abort()
    expect(page.locator(".line-taken")).to_have_count(0)
    expect(page.locator("#line")).to_have_value("turn left")


def test_a_refused_form_says_so_with_what_was_typed_and_no_other_form_has_it(
    open_desk: Callable[..., Desk], workshop: Workshop
) -> None:
    desk = open_desk(add_person(workshop, f"a{secrets.token_hex(6)}", "Somebody", PASSWORD, is_admin=True))
    page = desk.page
    page.goto(desk.site + "/outside")
    page.click("summary:has-text('Add a scanner')")
    page.fill("details[open] [name=address]", "not an address")
    page.fill("details[open] [name=name]", "In the shed")
    page.click("details[open] button:has-text('Add and try')")
    expect(page.locator("#notice")).to_contain_text("This is no address of the web")
    expect(page.locator("details[open]")).to_have_count(1)
    expect(page.locator("details[open] [name=address]")).to_have_value("not an address")
    expect(page.locator("details[open] [name=name]")).to_have_value("In the shed")
    page.click("details[open] [data-take-back]")
    page.reload()
    expect(page.locator("#notice")).to_be_empty()
    expect(page.locator("details[open]")).to_have_count(0)
    assert desk.troubles == []
