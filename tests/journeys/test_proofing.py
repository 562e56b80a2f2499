"""The proof sheet in the real browser: the way for twenty, reframing, steps on many, a run and its archive."""

import io
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.conftest import encoded, smooth_picture
from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import drop

MADE = "() => [...document.querySelectorAll('[data-cell]')].every((one) => one.querySelector('.proof-facts, .link'))"
ANOTHER = "([i, was]) => document.querySelectorAll('[data-cell] img')[i].getAttribute('src') !== was"


@pytest.fixture(scope="session")
def twenty(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    """Twenty photographs, upright and wide mixed, one of them much too small."""
    folder = tmp_path_factory.mktemp("twenty")
    files = []
    for number in range(20):
        width, height = (900, 600) if number % 2 else (600, 900)
        if number == 7:
            width, height = 120, 90
        pixels = smooth_picture(width, height)
        pixels[:8, :8] = np.random.default_rng(number).integers(0, 256, (8, 8, 3))
        files.append(folder / f"evening {number:02}.jpg")
        files[-1].write_bytes(encoded(pixels, ".jpg", Q=90))
    return files


def at_sheet(desk: Desk, files: list[Path], size: str) -> Page:
    page = desk.page
    page.goto(desk.site + "/")
    page.fill(".line", size)
    drop(desk, *files)
    page.wait_for_url("**/proof")
    return page


def archive_of(page: Page) -> zipfile.ZipFile:
    expect(page.locator("[data-archive]")).to_be_visible(timeout=90_000)
    with page.expect_download() as waiting:
        page.click("[data-archive]")
    return zipfile.ZipFile(io.BytesIO(Path(waiting.value.path()).read_bytes()))


def test_the_way_for_twenty_takes_four_actions(desk: Desk, twenty: list[Path]) -> None:
    """A size with a ceiling typed, twenty dropped, finished, fetched: exact, light enough, none squashed."""
    page = at_sheet(desk, twenty, "540x675 under 60 kB")
    page.click("[data-begin-run]")
    with archive_of(page) as packed:
        names = packed.namelist()
        assert len(names) == len(set(names)) == 20
        assert names[0] == "540-675/evening-00-540x675.jpg"
        for name in names:
            content = packed.read(name)
            assert len(content) <= 60_000
            with Image.open(io.BytesIO(content)) as image:
                assert image.size == (540, 675)
    expect(page.locator("[data-run-count]")).to_have_text("20 of 20 finished")
    page.reload()
    expect(page.locator("[data-archive]")).to_be_visible()
    assert desk.troubles == []


def test_flagged_cells_are_found_framed_and_left_out(desk: Desk, twenty: list[Path]) -> None:
    page = at_sheet(desk, twenty[4:10], "300x120")
    page.wait_for_function(MADE)
    expect(page.get_by_role("link", name="Needs a look")).to_contain_text("1")
    page.get_by_role("link", name="Needs a look").click()
    page.wait_for_function(MADE)
    assert page.locator("tbody tr").count() == 1
    expect(page.locator(".proof-facts .flag")).to_have_text("enlarged 2.5 ×")
    page.hover("[data-cell]")
    page.click("text=leave out")
    expect(page.locator("[data-cell]")).to_contain_text("Left out")
    page.goto(page.url.split("?")[0])
    page.wait_for_function(MADE)
    cell = page.locator("[data-cell]").first
    before = cell.locator("img").get_attribute("src")
    cell.focus()
    for _ in range(3):
        page.keyboard.press("ArrowDown")
    page.wait_for_function(ANOTHER, arg=[0, before])
    page.keyboard.press("Enter")
    assert page.evaluate("() => document.activeElement.dataset.cell") != cell.get_attribute("data-cell")
    second = page.locator("[data-cell]").nth(1)
    was = second.locator("img").get_attribute("src")
    box = second.locator("img").bounding_box()
    assert box
    page.mouse.move(box["x"] + 30, box["y"] + 30)
    page.mouse.down()
    page.mouse.move(box["x"] + 30, box["y"] + 10, steps=3)
    page.mouse.up()
    page.wait_for_function(
        "(b) => document.querySelectorAll('[data-cell] img')[1].getAttribute('src') !== b", arg=was
    )
    page.click("[data-begin-run]")
    with archive_of(page) as packed:
        assert len(packed.namelist()) == 5, "what was left out is not there"
    assert desk.troubles == []


def test_a_step_goes_on_the_selected_rows_only(desk: Desk, twenty: list[Path]) -> None:
    page = at_sheet(desk, twenty[:4], "200x200")
    page.wait_for_function(MADE)
    expect(page.locator("#for-selected button")).to_be_disabled()
    sources = [image.get_attribute("src") for image in page.locator("[data-cell] img").all()]
    page.locator(".proof-row-head input").nth(1).check()
    page.locator(".proof-row-head input").nth(2).check()
    expect(page.locator("[data-selected-count]")).to_have_text("2")
    page.fill("#selected-line", "black and white")
    page.press("#selected-line", "Enter")
    page.wait_for_function(ANOTHER, arg=[2, sources[2]])
    after = [image.get_attribute("src") for image in page.locator("[data-cell] img").all()]
    assert [a != b for a, b in zip(sources, after, strict=True)] == [False, True, True, False]
    page.fill("#selected-line", "frobnicate")
    page.press("#selected-line", "Enter")
    expect(page.locator("#notice")).to_contain_text("is not understood")
    page.click("#notice [data-dismiss]")


def test_names_are_listed_before_anything_is_made(desk: Desk, twenty: list[Path]) -> None:
    page = at_sheet(desk, twenty[:3], "200x100")
    page.click("text=Names and folders")
    expect(page.locator(".names li")).to_have_count(3)
    page.fill("#names-pattern", "{place}")
    expect(page.locator(".names li").nth(1)).to_contain_text("200-100-2.jpg")
    expect(page.locator(".names li").nth(1)).to_contain_text("numbered")
    page.fill("#names-pattern", "{nothing}")
    expect(page.locator("#names-list")).to_contain_text("is no field")
    page.fill("#names-pattern", "{group}/{number}")
    expect(page.locator(".names li").first).to_contain_text("/01.jpg")
    desk.accessible()
    page.click("text=Finish with these names")
    with archive_of(page) as packed:
        assert [name.split("/")[1] for name in packed.namelist()] == ["01.jpg", "02.jpg", "03.jpg"]


@pytest.mark.parametrize("width", [1280, 640])
def test_the_sheet_is_accessible_and_fits(open_desk: Callable[..., Desk], twenty: list[Path], width: int) -> None:
    desk = open_desk(width=width)
    page = at_sheet(desk, twenty[5:9], "300x120")
    page.wait_for_function(MADE)
    desk.accessible()
    assert page.evaluate("() => document.documentElement.scrollWidth") <= width
    assert desk.troubles == []


def test_a_routine_is_kept_on_the_bench_and_put_on_the_selected(desk: Desk, twenty: list[Path]) -> None:
    page = at_sheet(desk, twenty[10:13], "160x120")
    page.wait_for_function(MADE)
    page.click(f"text={twenty[10].name}")
    page.wait_for_url("**/pictures/*")
    desk.settled()
    for line in ("black and white", "contrast 20"):
        desk.type_line(line)
    page.click("text=Keep as a routine")
    page.fill("[role=dialog] [name=name]", "Old print")
    desk.accessible()
    page.click("text=Keep it")
    expect(page.locator("#notice")).to_contain_text("is kept with 2 steps")
    page.click("a.tab:has-text('Proof')")
    page.wait_for_function(MADE)
    sources = [image.get_attribute("src") for image in page.locator("[data-cell] img").all()]
    page.locator(".proof-row-head input").nth(2).check()
    page.fill("#selected-line", "old print")
    page.press("#selected-line", "Enter")
    page.wait_for_function(ANOTHER, arg=[2, sources[2]])
    page.goto(desk.site + "/routines")
    expect(page.locator(".routine-steps li")).to_have_count(2)
    desk.accessible()
    assert desk.troubles == []
