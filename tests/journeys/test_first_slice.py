"""The way of a person with a photograph, in the real browser."""

import hashlib
from collections.abc import Callable
from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import Route, expect

from tests.journeys.conftest import Desk


def drop(desk: Desk, *files: Path) -> None:
    """Choose files on the page that is open."""
    desk.page.set_input_files("input[type=file]", [str(file) for file in files])


def at_bench(desk: Desk, file: Path) -> Desk:
    desk.page.goto(desk.site + "/")
    drop(desk, file)
    desk.page.wait_for_url("**/pictures/*")
    desk.page.wait_for_function("() => document.getElementById('stage-canvas')?.dataset.painted !== undefined")
    return desk


def downloaded(desk: Desk, selector: str, folder: Path) -> Path:
    with desk.page.expect_download() as waiting:
        desk.page.click(selector)
    path = folder / waiting.value.suggested_filename
    waiting.value.save_as(path)
    return path


def test_crop_to_exact_sizes_in_four_actions(desk: Desk, photographs: Path, tmp_path: Path) -> None:
    """24 megapixels in, two sizes typed, one framed, both downloaded: measured by another program."""
    at_bench(desk, photographs / "large.jpg")
    page = desk.page
    desk.type_line("1600x640")
    box = page.locator(".window-edge").bounding_box()
    assert box
    version = desk.version()
    page.mouse.move(box["x"] + 100, box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + 100, box["y"] + 20, steps=4)
    page.mouse.up()
    page.wait_for_function(f"() => document.getElementById('bench').dataset.version === '{version + 1}'")
    desk.settled()
    banner = downloaded(desk, ".wall-foot .button-main", tmp_path)
    desk.type_line("1080x1350")
    post = downloaded(desk, ".wall-foot .link", tmp_path)
    assert banner.name == "large-1600x640.jpg"
    with Image.open(banner) as first, Image.open(post) as second:
        assert (first.size, second.size) == ((1600, 640), (1080, 1350))
    address = page.locator(".frame:not([data-chosen]) .frame-picture img").get_attribute("data-src")
    on_the_wall = page.request.get(desk.site + str(address)).body()
    assert hashlib.sha256(on_the_wall).digest() == hashlib.sha256(banner.read_bytes()).digest()
    assert desk.troubles == []


def test_sizes_typed_before_the_picture_are_hung(desk: Desk, photographs: Path) -> None:
    page = desk.page
    page.fill("main .line", "720 wide")
    page.click("button:text-is('Add')")
    expect(page.locator("li .measure", has_text="720 wide").first).to_be_visible()
    page.fill("main .line", "300x300")
    drop(desk, photographs / "small.jpg")
    page.wait_for_url("**/pictures/*")
    desk.settled()
    assert page.locator(".frame-name").all_inner_texts() == ["720 wide", "300 × 300"]
    assert "720 × 480" in page.inner_text(".wall-list")
    assert desk.troubles == []


def test_a_size_that_is_not_understood_is_said_before_anything_is_sent(desk: Desk, photographs: Path) -> None:
    page = desk.page
    page.fill("main .line", "abc")
    drop(desk, photographs / "small.jpg")
    expect(page.locator("main [role=alert]")).to_contain_text("“abc” is not understood")
    assert page.url == desk.site + "/"


def test_bad_files_are_said_and_the_good_ones_arrive(desk: Desk, photographs: Path) -> None:
    page = desk.page
    names = ("letter.jpg", "small.jpg", "broken.jpg", "empty.png", "upright.png")
    drop(desk, *(photographs / name for name in names))
    expect(page.locator("text=2 of 5 arrived, 3 not taken.")).to_be_visible()
    said = page.inner_text("[aria-label='Pictures arriving']")
    for words in ("inside is text", "cut off", "It is empty"):
        assert words in said
    page.click("text=Go on with what arrived")
    page.wait_for_url("**/gather")
    assert page.locator(".print").count() == 2


def test_two_arrive_at_a_time_and_stand_as_they_were_chosen(desk: Desk, photographs: Path) -> None:
    """The second is held back until the third was answered and shows its picture."""
    page = desk.page
    held: list[Route] = []
    page.route("**/folios/*/pictures?name=upright*", lambda route: held.append(route))
    drop(desk, *(photographs / name for name in ("small.jpg", "upright.png", "large.jpg")))
    arrived = page.locator("[aria-label='Pictures arriving'] li")
    expect(arrived.nth(2)).to_contain_text("taken")
    expect(arrived.nth(2).locator("img")).not_to_have_js_property("naturalWidth", 0)
    held[0].continue_()
    page.wait_for_url("**/gather")
    assert page.locator(".print-words > a").all_inner_texts() == [
        "small.jpg",
        "upright.png",
        "large.jpg",
    ]
    assert desk.troubles == []


def test_steps_are_added_changed_taken_back_and_made_again(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("turn left")
    assert page.locator("ol .sentence").all_inner_texts() == ["Turned a quarter to the left."]
    assert "600 px" in page.inner_text("#stage-canvas")
    page.click(".value")
    page.click("label:has-text('upside down')")
    expect(page.locator("ol .sentence").first).to_have_text("Turned upside down.")
    desk.settled()
    page.keyboard.press("Escape")
    page.click("text=Take back")
    expect(page.locator("ol .sentence").first).to_have_text("Turned a quarter to the left.")
    page.click("button:has-text('Again')")
    expect(page.locator("ol .sentence").first).to_have_text("Turned upside down.")
    page.click("[role=switch]")
    expect(page.locator("[role=switch]")).to_have_attribute("aria-checked", "false")
    desk.settled()
    page.click("text=Back to the original")
    expect(page.locator("text=The picture as it came in.")).to_be_visible()
    page.reload()
    page.click("text=Take back")
    expect(page.locator("ol .sentence").first).to_have_text("Turned upside down.")
    assert desk.troubles == []


def test_a_crop_is_set_by_shape_by_numbers_and_by_keys(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("crop 400x300")
    expect(page.locator("ol .sentence").first).to_have_text("Cropped to 400 × 300 pixels.")
    expect(page.locator("[name=left]")).to_have_value("250")
    page.locator(".window-group").focus()
    for _ in range(3):
        page.keyboard.press("ArrowLeft")
    expect(page.locator("[name=left]")).to_have_value("247")
    page.fill("[name=left]", "99999")
    page.press("[name=left]", "Tab")
    expect(page.locator("[name=left]")).to_have_value("500")
    page.fill("[name=top]", "9")
    page.press("[name=top]", "Tab")
    expect(page.locator("#stage-canvas")).to_contain_text("300 px")
    page.click("label.choice:has-text('16:9')")
    expect(page.locator("ol .sentence").first).to_have_text("Cropped to the shape 16 : 9.")
    expect(page.locator("[name=height]")).to_have_value("506")
    desk.settled()
    assert desk.troubles == []


def test_a_tilted_picture_is_levelled_by_a_drawn_line(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("straighten")
    box = page.locator(".line-ground").bounding_box()
    assert box
    page.mouse.move(box["x"] + 50, box["y"] + 100)
    page.mouse.down()
    page.mouse.move(box["x"] + 450, box["y"] + 140, steps=5)
    page.mouse.up()
    expect(page.locator("ol .sentence").first).to_have_text("Straightened by -5.71°, corners cut away.")
    page.fill("input[name=angle_degrees]", "2.5")
    page.press("input[name=angle_degrees]", "Tab")
    expect(page.locator("ol .sentence").first).to_have_text("Straightened by 2.5°, corners cut away.")
    desk.settled()
    page.click("label.choice:has-text('clear')")
    expect(page.locator("ol .sentence").first).to_have_text("Straightened by 2.5°, corners left clear.")
    desk.settled()
    desk.accessible()
    assert desk.troubles == []


def test_format_and_quality_are_chosen_by_real_bytes(desk: Desk, photographs: Path, tmp_path: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("400x300")
    page.click(".value:has-text('JPEG')")
    for name in ("avif", "webp"):
        expect(page.locator(f"[id^=weight-{name}]")).to_contain_text("B")
    said = page.inner_text("[id^=weight-webp]")
    page.click("label.format:has-text('WebP')")
    expect(page.locator(".value:has-text('WebP at quality 86')")).to_be_visible()
    desk.settled()
    file = downloaded(desk, ".wall-foot .button-main", tmp_path)
    assert file.suffix == ".webp"
    weight = file.stat().st_size
    assert said == (f"{weight} B" if weight < 1_000 else f"{(weight + 500) // 1_000} kB")
    page.fill("input[type=number][name=quality]", "20")
    page.press("input[type=number][name=quality]", "Tab")
    expect(page.locator(".value:has-text('WebP at quality 20')")).to_be_visible()
    assert desk.troubles == []


def test_two_windows_on_one_picture_lose_nothing(open_desk: Callable[..., Desk], photographs: Path) -> None:
    mine = at_bench(open_desk(), photographs / "small.jpg")
    theirs = open_desk(mine.actor)
    theirs.page.goto(mine.page.url)
    theirs.page.wait_for_function("() => document.getElementById('stage-canvas')?.dataset.painted !== undefined")
    theirs.type_line("turn right")
    twice = "<input type=hidden name=also value=one><input type=hidden name=also value=two>"
    mine.page.evaluate("twice => document.getElementById('line').form.insertAdjacentHTML('beforeend', twice)", twice)
    mine.page.fill("#line", "mirror")
    mine.page.press("#line", "Enter")
    expect(mine.page.locator(".notice")).to_contain_text("changed elsewhere")
    with mine.page.expect_request(lambda request: request.method == "POST") as repeated:
        mine.page.click("text=Put my change on top")
    assert "also=one&also=two" in (repeated.value.post_data or ""), "a name that stands twice is sent twice"
    expect(mine.page.locator("ol .sentence")).to_have_text(
        ["Turned a quarter to the right.", "Mirrored, left and right changed places."]
    )


def test_quick_changes_wait_for_each_other(desk: Desk, photographs: Path) -> None:
    """Five changes at once from one window are five versions, and no conflict with oneself."""
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("turn left")
    page.evaluate("() => { for (let i = 0; i < 5; i++) document.querySelector('[role=switch]').click(); }")
    page.wait_for_function("() => document.getElementById('bench').dataset.version === '3'")
    for line in ("mirror", "turn right", "1:1"):
        page.fill("#line", line)
        page.press("#line", "Enter")
    expect(page.locator("ol .sentence")).to_have_count(4)
    assert page.locator(".notice").count() == 0
    assert desk.troubles == []


def test_the_original_is_seen_while_held(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("turn left")
    page.press("#line", "Escape")
    page.keyboard.down("h")
    expect(page.locator("#stage-words")).to_have_text("the original, as it came in")
    page.wait_for_function("() => document.getElementById('stage-canvas').dataset.painted.includes('original=true')")
    page.keyboard.up("h")
    page.wait_for_function("() => !document.getElementById('stage-canvas').dataset.painted.includes('original=true')")


def test_dragging_a_window_asks_the_server_once(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("300x300")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(f"{request.method} {request.url}"))
    box = page.locator(".window-edge").bounding_box()
    assert box
    page.mouse.move(box["x"] + 50, box["y"] + 50)
    page.mouse.down()
    for step in range(12):
        page.mouse.move(box["x"] + 50 - 4 * step, box["y"] + 50)
    assert [one for one in asked if "/sample?" not in one] == [], "but for the colour that was under the pointer"
    page.mouse.up()
    page.wait_for_function("() => document.getElementById('bench').dataset.version === '2'")
    assert len([request for request in asked if request.startswith("POST")]) == 1


def test_a_picture_without_colleagues_is_not_found(open_desk: Callable[..., Desk], photographs: Path) -> None:
    mine = at_bench(open_desk(), photographs / "small.jpg")
    stranger = open_desk()
    stranger.page.goto(mine.page.url)
    expect(stranger.page.locator("h1")).to_have_text("Not found")


@pytest.mark.parametrize("width", [1280, 640])
def test_every_main_view_is_accessible_and_fits(
    open_desk: Callable[..., Desk], photographs: Path, width: int
) -> None:
    desk = open_desk(width=width)
    page = desk.page
    desk.accessible()
    at_bench(desk, photographs / "small.jpg")
    desk.accessible()
    desk.type_line("800x450 under 30 kB")
    desk.type_line("16:10")
    page.click("ol .sentence .value >> nth=0")
    desk.settled()
    desk.accessible()
    for opener in ("framing", "output", "rule"):
        page.goto(page.url.split("?")[0] + f"?open={opener}")
        desk.settled()
        desk.accessible()
    page.click("button:has-text('Frame')")
    desk.accessible()
    page.goto(desk.site + "/account")
    desk.accessible()
    page.goto(desk.site + "/")
    page.click("text=small")
    page.wait_for_url("**/gather")
    desk.accessible()
    page.goto(desk.site + "/nowhere")
    desk.accessible()
    for path in ("/", "/account"):
        page.goto(desk.site + path)
        assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth")


def test_the_page_is_light(desk: Desk, photographs: Path) -> None:
    """At most 200 kB of script, style and fonts before pictures, as they travel."""
    at_bench(desk, photographs / "small.jpg")
    weights: list[int] = []
    desk.page.context.clear_cookies(name="nothing")
    session = desk.page.context.new_cdp_session(desk.page)
    session.send("Network.enable")
    session.send("Network.setCacheDisabled", {"cacheDisabled": True})
    static: set[str] = set()
    session.on(
        "Network.responseReceived",
        lambda e: static.add(e["requestId"]) if "/static/" in e["response"]["url"] else None,
    )
    session.on(
        "Network.loadingFinished",
        lambda e: weights.append(e["encodedDataLength"]) if e["requestId"] in static else None,
    )
    desk.page.reload()
    desk.page.wait_for_load_state("networkidle")
    assert len(weights) >= 10
    assert sum(weights) <= 200_000
