"""The line that says what it understands, and the room that the picture gets."""

import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import at_bench, downloaded, drop

SHARE = """() => {
  const box = document.querySelector('img.stage-picture').getBoundingClientRect();
  return box.width * box.height / (innerWidth * innerHeight);
}"""
PAINTED = "(was) => document.getElementById('stage-canvas').dataset.painted !== was"


def painted(desk: Desk) -> str | None:
    return desk.page.get_attribute("#stage-canvas", "data-painted")


def chosen(desk: Desk) -> list[str]:
    return desk.page.locator("[role=option][aria-selected=true] .reading-deed").all_inner_texts()


def test_readings_are_chosen_by_keys_and_only_what_was_shown_is_done(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    page.fill("#line", "4x5")
    expect(page.locator("#reading")).to_contain_text("Which one is meant?")
    assert chosen(desk) == [], "somebody has to choose"
    desk.accessible()
    page.press("#line", "Enter")
    assert chosen(desk) == ["Cropped to the shape 4 : 5."], "the first Enter only goes to the choices"
    assert page.locator("ol .step").count() == 0
    page.press("#line", "ArrowDown")
    assert chosen(desk) == ["Hangs 4 × 5 px."]
    page.press("#line", "ArrowUp")
    page.press("#line", "Enter")
    expect(page.locator("ol .sentence")).to_have_text(["Cropped to the shape 4 : 5."])
    expect(page.locator("#line")).to_have_value("")
    page.fill("#line", "blak and white")
    expect(page.locator("#reading")).to_contain_text("read as “black”")
    page.press("#line", "Enter")
    expect(page.locator("ol .sentence")).to_have_count(2)
    page.fill("#line", "300x200 zwqxj")
    expect(page.locator("#reading")).to_contain_text("“zwqxj” is not understood. Without it:")
    page.press("#line", "Escape")
    page.fill("#line", "")
    desk.type_line("brighter, 300x200 under 20 kB")
    assert page.locator(".frame-name").all_inner_texts() == ["300 × 200"]
    desk.type_line("undo")
    expect(page.locator("ol .sentence")).to_have_count(2)
    assert desk.troubles == []


def test_the_page_obeys_words_too(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "large.jpg")
    page = desk.page
    desk.type_line("actual pixels")
    expect(page.locator("#stage-scale")).to_have_text("100 %")
    desk.type_line("whole picture")
    expect(page.locator("#stage-scale")).not_to_have_text("100 %")
    desk.type_line("compare")
    expect(page.locator("[data-view=beside]")).to_have_attribute("aria-pressed", "true")
    desk.type_line("help")
    expect(page.locator(".keys")).to_be_visible()
    desk.accessible()
    page.fill("#line", "download")
    page.press("#line", "Enter")
    expect(page.locator("#notice")).to_contain_text("Nothing hangs yet")
    assert desk.troubles == []


def test_the_picture_gets_the_room(desk: Desk, photographs: Path) -> None:
    """At 1280 × 800 a 3 : 2 picture gets a third of the screen, and half of it folded; that is remembered."""
    at_bench(desk, photographs / "large.jpg")
    page = desk.page
    assert page.evaluate(SHARE) >= 0.33
    before = painted(desk)
    page.keyboard.press("f")
    page.wait_for_function(PAINTED, arg=before)
    assert page.evaluate(SHARE) >= 0.48
    desk.accessible()
    page.reload()
    page.wait_for_function("() => document.getElementById('stage-canvas')?.dataset.painted !== undefined")
    assert page.evaluate("() => document.documentElement.dataset.folded") == "ledger wall"
    page.click(".ledger .rail [data-fold]")
    expect(page.locator("#line")).to_be_visible()
    expect(page.locator(".wall-list")).to_be_hidden()
    page.keyboard.press("p")
    expect(page.locator(".wall-list")).to_be_visible()


def test_folded_rails_still_lead_to_steps_and_places(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("crop 400x300")
    desk.type_line("300x200")
    desk.type_line("2000x1000")
    page.keyboard.press("Escape")
    page.keyboard.press("f")
    expect(page.locator(".rail-place[data-flagged]")).to_have_count(1)
    desk.accessible()
    page.click(".rail-place >> nth=0")
    expect(page.locator(".rail-place").first).to_have_attribute("aria-current", "true")
    page.click(".rail-step")
    expect(page.locator(".step[data-open] .control")).to_be_visible()


def test_all_places_are_downloaded_at_once(desk: Desk, photographs: Path, tmp_path: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    desk.type_line("300x200, 120 wide as webp")
    path = downloaded(desk, "text=Download all 2", tmp_path)
    with zipfile.ZipFile(path) as packed:
        assert sorted(packed.namelist()) == ["120-wide/small-120x80.webp", "300-200/small-300x200.jpg"]
        assert packed.testzip() is None
    assert desk.troubles == []


def test_a_file_is_compared_with_what_it_was(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("300x200 under 9 kB")
    page.click("[data-view=beside]")
    for what in ("compressed", "original"):
        page.select_option(".beside select", what)
        page.wait_for_function(
            "() => [...document.querySelectorAll('.beside img')].every((i) => i.naturalWidth === 300)"
        )
    desk.accessible()
    page.click("[data-view=place]")
    expect(page.locator("#stage-words")).to_contain_text("true size")
    assert desk.troubles == []


@pytest.mark.parametrize("width", [1280, 640])
def test_the_line_of_the_start_page_and_of_the_sheet(
    open_desk: Callable[..., Desk], photographs: Path, width: int
) -> None:
    desk = open_desk(width=width)
    page = desk.page
    page.fill("#start-line", "10x15 cm")
    expect(page.locator("#start-reading")).to_contain_text("need a resolution")
    desk.accessible()
    page.press("#start-line", "ArrowDown")
    page.press("#start-line", "Enter")
    expect(page.locator("li .measure").first).to_contain_text("10 × 15 cm (1181 × 1772 px)")
    drop(desk, photographs / "small.jpg", photographs / "upright.png")
    page.wait_for_url("**/proof*")
    page.wait_for_function("() => [...document.querySelectorAll('[data-cell] img')].length === 2")
    page.click("[data-cells=large]")
    page.reload()
    expect(page.locator("[data-cells=large]")).to_have_attribute("aria-pressed", "true")
    page.check("[data-select-all]")
    page.fill("#selected-line", "bw and 1600x900")
    expect(page.locator("#selected-reading")).to_contain_text("this takes a step")
    page.fill("#selected-line", "bw, crop 5000x5000")
    expect(page.locator("#selected-reading")).to_contain_text("Cropped to 5000 × 5000 pixels.")
    page.press("#selected-line", "Enter")
    expect(page.locator("#proof-said")).to_contain_text("The crop asks for 5000 × 5000, but the picture is only")
    desk.accessible()
    page.click("text=Take it back from all 2")
    expect(page.locator("#proof-said")).to_contain_text("Taken back from 2 pictures")
    page.click("#proof-said [data-dismiss]")
    page.fill("#place-line", "banner")
    expect(page.locator("#place-reading")).to_contain_text("Page banner: 1600 × 640")
    assert page.evaluate("() => document.documentElement.scrollWidth") <= width
    assert desk.troubles == []
