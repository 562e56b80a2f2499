"""Weigh in the real browser: somebody who knows no number finds the lightest file that still looks the same."""

import io
import re
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.conftest import encoded, smooth_picture
from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import at_bench
from tests.journeys.test_proofing import archive_of, at_sheet

READ_OFF = "() => [...document.querySelectorAll('[data-row] td')].every((one) => one.textContent.trim() !== '…')"
MEASURED = "() => !document.getElementById('weigh-head').textContent.includes('being measured')"
HEAD = re.compile(
    r"^[\d.]+ (B|kB|MB), (JPEG|WebP|AVIF|PNG), (looks the same|slight difference|visible difference|poor)$"
)


@pytest.fixture(scope="session")
def grainy(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A photograph with grain, so that weight and looks depend on each other."""
    grain = np.random.default_rng(8).normal(0, 6, (500, 800, 3))
    path = tmp_path_factory.mktemp("grain") / "evening.jpg"
    path.write_bytes(encoded(np.clip(smooth_picture(800, 500) + grain, 0, 255).astype(np.uint8), ".jpg", Q=96))
    return path


def weigh(desk: Desk, file: Path, typed: str = "480x300 under 60 kB") -> Page:
    at_bench(desk, file)
    desk.type_line(typed)
    desk.page.click(".weigh-door")
    desk.page.wait_for_url("**/weigh")
    desk.page.wait_for_function(READ_OFF, timeout=60_000)
    return desk.page


def weight_of(page: Page) -> float:
    amount, unit = re.match(r"([\d.]+) (k?B|MB)", page.inner_text("#weigh-head")).groups()  # type: ignore[union-attr]
    return float(amount) * {"B": 0.001, "kB": 1, "MB": 1000}[unit]


def test_the_lightest_that_looks_the_same_is_two_clicks_away(desk: Desk, grainy: Path) -> None:
    page = weigh(desk, grainy)
    assert HEAD.match(page.inner_text("#weigh-head"))
    before = weight_of(page)
    expect(page.locator(".weigh-curve[d^=M]")).to_have_count(3)
    expect(page.locator(".weigh-knee").first).to_be_visible()
    page.click("[data-row=light] button")
    expect(page.locator("#weigh-head")).to_contain_text("looks the same")
    assert weight_of(page) <= before + 0.5
    said = page.inner_text("#weigh-head")
    desk.accessible()
    page.click("text=Take this")
    page.wait_for_url("**/pictures/*?place=*")
    desk.settled()
    weight, label, _ = said.split(", ")
    expect(page.locator(".ledger")).to_contain_text(f"{label} at quality")
    expect(page.locator("[data-chosen] .facts, .frame[data-chosen] ~ .facts, .facts").first).to_contain_text(
        weight.removesuffix(" kB")
    )
    assert desk.troubles == []


def test_the_point_goes_along_its_curve_by_keys_and_by_mouse(desk: Desk, grainy: Path) -> None:
    page = weigh(desk, grainy)
    chart = page.locator("#weigh-chart")
    chart.focus()
    heavy = weight_of(page)
    for _ in range(4):
        page.keyboard.press("ArrowLeft")
    page.wait_for_function(MEASURED)
    assert weight_of(page) < heavy
    label = page.inner_text("#weigh-head").split(", ")[1]
    page.keyboard.press("ArrowDown")
    page.wait_for_function(MEASURED)
    assert page.inner_text("#weigh-head").split(", ")[1] != label
    expect(chart).to_have_attribute("aria-valuetext", page.inner_text("#weigh-head"))
    box = page.locator(".weigh-point").bounding_box()
    assert box
    at = weight_of(page)
    page.mouse.move(box["x"] + 8, box["y"] + 8)
    page.mouse.down()
    page.mouse.move(box["x"] + 90, box["y"] - 20, steps=4)
    page.mouse.up()
    page.wait_for_function(MEASURED)
    assert weight_of(page) > at
    assert desk.troubles == []


def test_two_loupes_show_the_same_spot_and_are_flipped_by_a_key(desk: Desk, grainy: Path) -> None:
    page = weigh(desk, grainy)
    before, after = page.locator("#loupe-before img"), page.locator("#loupe-after img:not([data-flip])")
    expect(page.locator("#weigh-spots")).to_contain_text("1 of 4")
    page.wait_for_function("() => [...document.querySelectorAll('.loupe img')].every((one) => one.naturalWidth > 0)")
    spot = re.search(r"left=\d+&top=\d+", before.get_attribute("src") or "")
    assert spot
    assert spot[0] in (after.get_attribute("src") or "")
    natural, box = before.evaluate("(one) => one.naturalWidth"), before.bounding_box()
    assert box
    assert natural == round(box["width"] * page.evaluate("() => window.devicePixelRatio"))
    page.keyboard.down("d")
    expect(page.locator("#loupe-after img[data-flip]")).to_be_visible()
    page.keyboard.up("d")
    expect(page.locator("#loupe-after img[data-flip]")).to_be_hidden()
    page.click("#weigh-spots")
    expect(page.locator("#weigh-spots")).to_contain_text("2 of 4")
    page.click("[data-times='4']")
    expect(page.locator("[data-magnified]")).to_contain_text("× 4")
    page.locator("#loupe-before").focus()
    was = before.get_attribute("src")
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("ArrowUp")
    assert before.get_attribute("src") != was
    assert desk.troubles == []


def test_whoever_leaves_waits_for_nothing_and_finds_it_measured(desk: Desk, grainy: Path) -> None:
    page = weigh(desk, grainy)
    address = page.url
    page.click("text=Back to the bench")
    page.wait_for_url("**/pictures/*?place=*")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.goto(address)
    page.wait_for_function(READ_OFF)
    first = ("/points/jpeg/82", "/points/webp/86", "/points/avif/63", "/points/png/100")
    assert not [one for one in asked if one.endswith(first)]
    assert desk.troubles == []


def test_a_ceiling_for_all_files_is_shared_out_and_kept(desk: Desk, tmp_path: Path) -> None:
    files = []
    for seed in range(3):
        grain = np.random.default_rng(40 + seed).normal(0, 3 + 4 * seed, (400, 600, 3))
        files.append(tmp_path / f"leaf {seed}.jpg")
        files[-1].write_bytes(encoded(np.clip(smooth_picture(600, 400) + grain, 0, 255).astype(np.uint8), ".jpg"))
    page = at_sheet(desk, files, "480x320")
    page.click("button:has-text('Weights')")
    expect(page.locator(".weights-table")).to_contain_text("Originals")
    desk.accessible()
    page.fill("[data-share] [name=ceiling]", "9 kB")
    page.click("text=Share it out")
    expect(page.locator("[data-share-said]")).to_contain_text("Nothing was changed", timeout=60_000)
    page.fill("[data-share] [name=ceiling]", "90 kB")
    page.click("[data-share] button:not([type])")
    expect(page.locator("[data-share-said]")).to_contain_text("Shared out", timeout=60_000)
    page.click("[data-close-sheet]")
    page.click("[data-begin-run]")
    with archive_of(page) as packed:
        weights = [info.file_size for info in packed.infolist() if info.filename.endswith(".jpg")]
        assert len(weights) == 3
        assert 60_000 <= sum(weights) <= 90_000
        assert max(weights) > 1.3 * min(weights), "who has more grain gets more"
        for info in packed.infolist():
            if info.filename.endswith(".jpg"):
                assert Image.open(io.BytesIO(packed.read(info))).size == (480, 320)
    assert desk.troubles == []
