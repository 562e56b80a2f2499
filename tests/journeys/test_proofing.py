"""The proof sheet in the real browser: the way for twenty, reframing, steps on many, a run and its archive."""

import io
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, Route, expect

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
    page.wait_for_url("**/proof?order=flagged")
    page.click("[data-cells=small]")  # so that all rows are in sight, and made
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
    for key in ("m", "n"):
        before = cell.locator("img").get_attribute("src")
        page.keyboard.press(key)
        page.wait_for_function(ANOTHER, arg=[0, before])
    page.keyboard.press("PageDown")
    assert page.evaluate("() => document.activeElement.dataset.cell") != cell.get_attribute("data-cell")
    page.keyboard.press("PageUp")
    assert page.evaluate("() => document.activeElement.dataset.cell") == cell.get_attribute("data-cell")
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
    for seat in (1, 2):
        page.wait_for_function(ANOTHER, arg=[seat, sources[seat]])
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
    page.click("text=Put it on this picture")
    page.wait_for_function(ANOTHER, arg=[2, sources[2]])
    page.goto(desk.site + "/routines")
    expect(page.locator(".routine-steps li")).to_have_count(2)
    desk.accessible()
    assert desk.troubles == []


def test_a_routine_with_turn_tone_and_word_mark_into_three_places_and_two_formats(
    desk: Desk, twenty: list[Path], tmp_path: Path
) -> None:
    """Kept on one picture, seen on both shapes, put on all: exact, none squashed, the mark in its corner, names as
    listed."""
    mark = np.zeros((50, 200, 4), np.uint8)
    mark[...] = (255, 0, 0, 255)
    (tmp_path / "mark.png").write_bytes(encoded(mark))
    page = at_sheet(desk, twenty[:6], "300x150 as jpeg + webp")
    page.locator(".proof-row-head a").first.click()
    desk.settled()
    for line in ("turn left", "contrast 15", "logo top right 40 %"):
        desk.type_line(line)
    page.set_input_files("input[name=file]", tmp_path / "mark.png")
    expect(page.locator(".sentence", has_text="mark.png")).to_be_visible()
    page.click("text=Keep as a routine")
    page.fill("[data-sheet] [name=name]", "Marked")
    page.click("text=Keep it")
    expect(page.locator("#notice")).to_contain_text("is kept with 3 steps")
    page.locator(".tab", has_text="Proof").click()
    page.wait_for_url("**/proof*")  # a page without cells has made all of them
    page.wait_for_function(MADE)
    for columns, size in ((5, "120x200 as png + jpeg"), (7, "200 wide as webp + avif")):
        page.fill("[aria-label='A size to hang as a place']", size)
        page.click("text=Hang a place")
        expect(page.locator("thead th")).to_have_count(columns)
    page.wait_for_function(MADE)
    for box in page.locator(".proof-row-head input").all()[1:]:
        box.check()
    page.fill("#selected-line", "Marked")
    page.click("text=Put it on")
    expect(page.locator(".use-sheet figure")).to_have_count(2)
    expect(page.locator(".use-sheet")).to_contain_text("one of 2 upright")
    desk.accessible()
    page.click("text=Put it on 5")
    expect(page.locator("#proof-said")).to_contain_text("Put on 5 pictures")
    page.click("#proof-said [data-dismiss]")
    page.click("text=Names and folders")
    expect(page.locator(".names li")).to_have_count(36)
    listed = page.locator(".names li .measure").all_inner_texts()
    page.click("text=Finish with these names")
    with archive_of(page) as packed:
        assert packed.namelist() == listed
        for name in listed:
            with Image.open(io.BytesIO(packed.read(name))) as image:
                size, pixels = image.size, np.asarray(image.convert("RGB")).astype(int)
            is_upright = int(name.split("evening-")[1][:2]) % 2 == 1  # after the turn
            wanted = {"300-150": (300, 150), "120-200": (120, 200)}.get(name.split("/")[0])
            assert size == (wanted or (200, 300 if is_upright else 133)), name
            red = (pixels[..., 0] > 190) & (pixels[..., 1] < 90) & (pixels[..., 2] < 90)
            corner = red[: size[1] // 3, size[0] // 2 :]
            assert corner.sum() > 0.8 * (0.4 * min(size)) ** 2 / 4, name
    assert desk.troubles == []


def test_another_format_goes_for_one_for_the_row_or_for_all(desk: Desk, twenty: list[Path]) -> None:
    page = at_sheet(desk, twenty[:3], "300x150")
    page.wait_for_function(MADE)
    page.hover("[data-cell]")
    page.locator("[data-cell]").first.get_by_role("button", name="JPEG").click()
    page.locator(".choice", has_text="PNG").first.click()
    desk.accessible()
    page.click("text=Write it so")
    expect(page.locator("#proof-said")).to_contain_text("is written as PNG for “300 × 150”")
    page.click("#proof-said [data-dismiss]")
    formats = page.locator("[data-cell] .proof-quiet button:first-child")
    expect(formats).to_have_text(["PNG", "JPEG", "JPEG"])
    page.locator("thead button").first.click()
    page.locator(".choice", has_text="WebP").first.click()
    page.click("text=Write it so")
    page.wait_for_function(MADE)
    expect(formats).to_have_text(["WebP", "WebP", "WebP"])
    page.locator("thead button").first.click()
    page.locator(".choice", has_text="AVIF").last.click()
    page.click("text=Change the columns")
    expect(page.locator("thead th")).to_have_count(3)
    page.wait_for_function(MADE)
    expect(formats).to_have_text(["WebP", "AVIF"] * 3)
    assert desk.troubles == []


def test_a_routine_is_changed_on_a_trial_picture(desk: Desk, twenty: list[Path]) -> None:
    page = at_sheet(desk, twenty[:2], "300x150")
    page.locator(".proof-row-head a").first.click()
    desk.settled()
    desk.type_line("brightness 10")
    page.click("text=Keep as a routine")
    page.fill("[data-sheet] [name=name]", "Lift")
    page.click("text=Keep it")
    expect(page.locator("#notice")).to_contain_text("is kept with 1 step.")
    page.goto(desk.site + "/routines")
    page.select_option("[name=picture]", index=1)
    page.click("text=Open")
    desk.settled()
    expect(page.locator(".trial")).to_contain_text("Lift")
    desk.accessible()
    desk.type_line("saturation -20")
    page.click("text=Write into the routine")
    page.locator("[name=carried]").last.select_option("ask")
    page.click("text=Write it")
    expect(page.locator("#notice")).to_contain_text("is kept with 2 steps")
    page.click("text=End the trial")
    page.wait_for_url("**/routines")
    expect(page.locator(".routine-steps li")).to_have_count(2)
    expect(page.locator(".routine-steps")).to_contain_text("Asks each time.")
    desk.accessible()
    assert desk.troubles == []


def test_a_small_picture_that_fails_is_asked_for_again_and_nothing_jumps(desk: Desk, twenty: list[Path]) -> None:
    """A cell without its picture was a bar of six pixels, and one that failed stayed empty."""
    asked: list[str] = []

    def fails_first(route: Route) -> None:
        asked.append(route.request.url)
        if asked.count(route.request.url) == 1:
            route.abort()
        else:
            route.continue_()

    desk.page.route("**/thumb?*", fails_first)
    page = at_sheet(desk, twenty[:2], "540x675 under 60 kB")
    image = page.locator(".proof-mount img").first
    expect(image).to_be_visible()
    before = image.bounding_box()
    page.wait_for_function(
        "() => [...document.querySelectorAll('.proof-mount img')].every((one) => one.naturalWidth > 0)"
    )
    after = image.bounding_box()
    assert before
    assert after
    assert abs(before["width"] - after["width"]) <= 1
    assert abs(before["height"] - after["height"]) <= 1
    assert after["width"] / after["height"] == pytest.approx(540 / 675, rel=0.02)
