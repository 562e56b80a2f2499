"""Tone in the real browser: one tap, sliders that move the picture, drawn controls, and what is seen meanwhile."""

import io
import json
import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Request, expect

from tests.core.test_attention import DEMO
from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import at_bench, downloaded
from tests.journeys.test_framing import after_change, sentences

BLOB = "() => document.querySelector('img.stage-picture').src.startsWith('blob:')"


def seen(desk: Desk) -> np.ndarray:
    """The prepared picture as the server shows it on the stage."""
    stage = json.loads(desk.page.get_attribute("#stage", "data-stage") or "{}")
    answer = desk.page.request.get(f"{desk.site}{stage['preview']}&w=400&h=400")
    return np.asarray(Image.open(io.BytesIO(answer.body())).convert("RGB")).astype(int)


def middle(desk: Desk, selector: str, index: int = 0) -> tuple[float, float]:
    box = desk.page.locator(selector).nth(index).bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


@pytest.mark.parametrize(
    ("file", "line", "is_mended"),
    [
        ("evening-walk.jpg", "light by itself", lambda old, new: np.median(new) > np.median(old) + 25),
        (
            "orchid-under-lamp.jpg",
            "white balance by itself",
            lambda old, new: (
                abs(np.median(new[..., 0] - new[..., 1])) < abs(np.median(old[..., 0] - old[..., 1])) / 3
            ),
        ),
        ("signature-scan.jpg", "range by itself", lambda old, new: np.median(new) > 240 > np.median(old)),
        ("terraces-in-haze.jpg", "range by itself", lambda old, new: np.ptp(new) > 1.4 * np.ptp(old)),
    ],
)
def test_a_hurried_person_mends_a_fault_by_one_tap(
    desk: Desk, file: str, line: str, is_mended: Callable[[np.ndarray, np.ndarray], bool]
) -> None:
    at_bench(desk, DEMO / file)
    before = seen(desk)
    desk.page.click(".group-name:has-text('Tone')")
    after_change(desk, lambda: desk.page.click(f"[data-offer][value='{line}']"))
    assert is_mended(before, seen(desk))
    expect(desk.page.get_by_text("Found by itself")).to_be_visible()
    desk.accessible()
    assert desk.troubles == []


def test_a_moving_slider_moves_the_picture_and_never_queues(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "large.jpg")
    page = desk.page
    desk.type_line("brightness 10")
    under_way, most, asked = 0, 0, 0

    def begins(request: Request) -> None:
        nonlocal under_way, most, asked
        if "/draft?" in request.url:
            under_way, asked = under_way + 1, asked + 1
            most = max(most, under_way)

    def ends(request: Request) -> None:
        nonlocal under_way
        under_way -= "/draft?" in request.url

    page.on("request", begins)
    page.on("requestfinished", ends)
    version, mean = desk.version(), seen(desk).mean()
    x, y = middle(desk, "input[type=range][data-twin=brightness]")
    page.mouse.move(x + 10, y)
    page.mouse.down()
    for step in range(30):
        page.mouse.move(x + 10 + 2 * step, y)
    page.wait_for_function(BLOB)
    assert desk.version() == version, "nothing is changed before it is let go"
    after_change(desk, page.mouse.up)
    assert desk.version() == version + 1, "a drag is one change"
    assert float(page.input_value("input[type=number][name=brightness]")) > 40
    assert seen(desk).mean() > mean + 5
    assert most == 1, "one request at a time, the newest wins"
    assert 1 <= asked <= 31
    page.wait_for_function("() => document.querySelector('img.stage-picture').src.includes('/preview')")
    assert desk.troubles == []


def test_amounts_by_keys_by_typing_and_back_to_rest(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("exposure")
    number, slider = "input[type=number][name=stops]", "input[type=range][data-twin=stops]"
    version = desk.version()
    page.focus(number)
    page.keyboard.down("ArrowUp")
    for _ in range(3):
        page.keyboard.press("ArrowUp")
    after_change(desk, lambda: page.keyboard.up("ArrowUp"))
    assert float(page.input_value(number)) == pytest.approx(0.9), "four steps of a tenth"
    page.fill(number, "9")
    page.press(number, "Enter")
    expect(page.locator("#notice")).to_contain_text("at most 4")
    page.click("[data-dismiss]")
    after_change(desk, lambda: page.dblclick(slider))
    expect(page.locator(number)).to_have_value("0")
    assert desk.version() > version
    assert sentences(desk) == ["Exposure changed by 0 stops."]
    after_change(desk, lambda: page.click("[data-key=undo]"))
    assert "0 stops" not in sentences(desk)[0]


def test_a_curve_by_points_by_typing_and_drawn(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("curve")
    before = seen(desk).mean()
    x, y = middle(desk, ".curve-lines")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 20)
    page.mouse.move(x, y - 50)
    page.wait_for_function(BLOB)
    after_change(desk, page.mouse.up)
    assert len(page.locator(".curve-point").all()) == 3
    assert seen(desk).mean() > before + 10
    assert sentences(desk)[0].startswith("Curve: 50 becomes ")
    page.locator(".curve-point").nth(1).focus()
    after_change(desk, lambda: page.keyboard.press("ArrowDown"))
    after_change(desk, lambda: page.keyboard.press("Delete"))
    assert sentences(desk) == ["Curve, straight."]
    page.check("input[name=curve-of][value=blue]", force=True)
    page.fill("input[name=blue]", "0:0 50:40 100:100")
    after_change(desk, lambda: page.press("input[name=blue]", "Enter"))
    assert sentences(desk) == ["Curve: blue 50 becomes 40."]
    assert page.is_checked("input[name=curve-of][value=blue]"), "what is shown stays as it was chosen"
    page.check("input[name=curve-way][value=drawn]", force=True)
    page.mouse.move(x - 60, y)
    page.mouse.down()
    page.mouse.move(x, y - 30)
    page.mouse.move(x + 60, y - 80)
    after_change(desk, page.mouse.up)
    assert sentences(desk)[0].startswith("Curve: blue 33 points")
    desk.accessible()
    assert desk.troubles == []


def test_levels_on_the_histogram_and_marks_on_what_is_clipped(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("levels")
    page.wait_for_function("() => document.querySelector('.silhouette')?.getAttribute('d').length > 100")
    x, y = middle(desk, ".level-light .point-area")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 40, y)
    page.mouse.move(x - 90, y)
    page.wait_for_function(BLOB)
    after_change(desk, page.mouse.up)
    light = float(page.input_value("input[name=light_percent]"))
    assert 50 < light < 75
    page.locator(".level-middle").focus()
    after_change(desk, lambda: page.keyboard.press("ArrowLeft"))
    assert float(page.input_value("input[name=middle_percent]")) < 50
    page.click("[data-mark] >> nth=1")
    page.wait_for_function("() => document.querySelector('img.stage-picture').src.includes('mark=true')")
    assert page.inner_text("[data-clipped=white]") != "0 %"
    after_change(desk, lambda: page.click("button:has-text('as a curve')"))
    assert sentences(desk)[0].startswith("Curve:")
    assert desk.troubles == []


def test_click_on_grey_pads_and_looks(desk: Desk) -> None:
    at_bench(desk, DEMO / "orchid-under-lamp.jpg")
    page = desk.page
    desk.type_line("click on grey")
    ground = page.locator(".line-ground").bounding_box()
    assert ground
    spot = ground["x"] + 0.6 * ground["width"], ground["y"] + 0.06 * ground["height"]
    page.mouse.move(*spot)
    page.wait_for_function(
        "() => document.getElementById('stage-sample').textContent.trim().split(/\\s+/).length >= 3"
    )
    after_change(desk, lambda: page.mouse.click(*spot))
    page.mouse.move(spot[0] + 1, spot[1])
    page.wait_for_function("() => document.getElementById('stage-sample').textContent.includes('was')")
    red, green, blue = (int(n) for n in page.inner_text("#stage-sample").split()[:3])
    assert max(red, green, blue) - min(red, green, blue) < 14
    desk.type_line("balance by tones")
    x, y = middle(desk, "svg[data-pad]", 2)
    after_change(desk, lambda: page.mouse.click(x + 15, y))
    assert float(page.input_value("input[name=light_warmth]")) > 20
    page.locator(".pad-mark").nth(0).focus()
    after_change(desk, lambda: page.keyboard.press("Shift+ArrowLeft"))
    assert sentences(desk)[1].startswith("Dark tones cooler by 10")
    desk.type_line("moss")
    expect(page.locator(".look")).to_have_count(11)
    after_change(desk, lambda: page.click(".look:has-text('Tea stain')"))
    assert sentences(desk)[2] == "The look “Tea stain”, by 100 %."
    desk.accessible()
    assert desk.troubles == []


def test_ink_on_clear_and_what_must_be_judged_at_full_size(desk: Desk, tmp_path: Path) -> None:
    at_bench(desk, DEMO / "signature-scan.jpg")
    page = desk.page
    desk.type_line("900 wide as png")
    desk.type_line("signature")
    expect(page.locator("#stage-words")).to_have_text("judge at 100 %")
    expect(page.locator("#stage-words")).to_have_attribute("title", re.compile("two tone"))
    page.keyboard.press("Escape")
    page.click("[data-sight=actual]")
    expect(page.locator("#stage-words")).not_to_contain_text("judge")
    with Image.open(downloaded(desk, ".wall-foot .button-main", tmp_path)) as ink:
        assert ink.mode == "RGBA"
        pixels = np.asarray(ink)
    clear, inked = pixels[..., 3] == 0, pixels[..., 3] > 250
    assert clear.mean() > 0.85
    assert pixels[inked][:, 2].mean() > pixels[inked][:, 0].mean() + 20, "blue ink stays blue"


def test_tone_beside_another_window(open_desk: Callable[..., Desk], photographs: Path) -> None:
    desk = open_desk(width=640)
    at_bench(desk, photographs / "small.jpg")
    for line in ("curve", "levels", "balance by tones", "sharpen"):
        desk.type_line(line)
        assert desk.page.evaluate("() => document.documentElement.scrollWidth") <= 640
        desk.accessible()
    assert desk.troubles == []
