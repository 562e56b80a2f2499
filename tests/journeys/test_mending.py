"""Areas in the browser: drawn with the mouse, placed without one, taken back stroke by stroke."""

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import at_bench

DEMO = Path(__file__).parents[2] / "demo/pictures"
OPEN = ".step[data-open] .sentence"


def said(page: Page, words: str) -> None:
    expect(page.locator(OPEN)).to_contain_text(words)


def drawn(page: Page, *shares: tuple[float, float]) -> None:
    """Pull the pointer over the picture, by shares of its width and height."""
    box = page.locator(".stage-picture").bounding_box()
    assert box is not None
    points = [(box["x"] + u * box["width"], box["y"] + v * box["height"]) for u, v in shares]
    page.mouse.move(*points[0])
    page.mouse.down()
    for point in points[1:]:
        page.mouse.move(*point, steps=8)
    page.mouse.up()


def steps(page: Page) -> list[str]:
    return page.locator(".ledger-list ol .sentence").all_inner_texts()


def test_people_are_cut_out_and_a_thing_after_one_drag(desk: Desk) -> None:
    at_bench(desk, DEMO / "visitors.jpg")
    page = desk.page
    desk.type_line("cut out")
    said(page, "Cut out: a person")
    expect(page.locator(".step[data-open] .flag")).to_have_count(0)
    desk.accessible()
    at_bench(desk, DEMO / "orchid-under-lamp.jpg")
    desk.type_line("cut out")
    expect(page.locator(".step[data-open] .flag")).to_contain_text("one drag is enough")
    said(page, "Cut out: nothing yet")
    page.click("[data-area-tool=box]")
    drawn(page, (0.2, 0.1), (0.8, 0.9))
    said(page, "Cut out, from a rectangle; fine edge")
    expect(page.locator(".step[data-open] .flag")).to_have_count(0)
    desk.accessible()
    page.keyboard.press("Escape")
    page.locator("body").press("u")
    expect(page.locator(".ledger-list ol .sentence").first).to_contain_text("nothing yet")
    assert desk.troubles == []


def test_a_badge_and_two_faces_are_hidden(desk: Desk) -> None:
    at_bench(desk, DEMO / "visitors.jpg")
    page = desk.page
    expect(page.locator("#line")).to_be_visible()
    desk.type_line("hide faces")
    said(page, "Faces hidden: two found")
    desk.accessible()
    desk.type_line("hide name badge")
    said(page, "Hidden: no area yet")
    expect(page.locator(".step[data-open] .flag")).to_contain_text("Nothing is hidden yet")
    page.click("[data-area-tool=box]")
    drawn(page, (0.29, 0.83), (0.43, 0.96))
    said(page, "Hidden: a rectangle, at the bottom")
    expect(page.locator(".area-shape[data-chosen]")).to_have_count(1)
    desk.accessible()
    before = page.locator(".area-row summary .measure").nth(1).inner_text()
    grip = page.locator("[data-grip=area-side]").nth(2).bounding_box()
    assert grip is not None
    page.mouse.move(grip["x"] + 12, grip["y"] + 12)
    page.mouse.down()
    page.mouse.move(grip["x"] + 42, grip["y"] + 12, steps=5)
    page.mouse.up()
    expect(page.locator(".area-row summary .measure").nth(1)).not_to_have_text(before)
    named = page.locator("#file-name")
    expect(named.locator(".flag")).to_contain_text("still called after the original, “visitors.jpg”")
    named.locator("input").fill("spring opening")
    named.locator("button", has_text="Change").click()
    expect(page.locator(".topline h1")).to_have_text("spring opening.jpg")
    expect(named.locator(".flag")).to_have_count(0)
    page.keyboard.press("Escape")
    page.locator("body").press("u")
    expect(page.locator(".topline h1")).to_have_text("visitors.jpg")
    named.locator("button", has_text="It gives nothing away").click()
    expect(named.locator(".flag")).to_have_count(0)
    assert desk.troubles == []


def test_every_area_is_placed_without_a_mouse(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("hide plate")
    said(page, "no area yet")
    page.locator(".control button", has_text="oval").press("Enter")
    said(page, "Hidden: an ellipse, in the middle")
    shape = page.locator(".area-shape")
    expect(shape).to_have_count(1)
    shape.focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowLeft")
    page.keyboard.press("+")
    page.locator(".area-row summary").press("Enter")
    left = page.locator(".area-row input[name=x]")
    was = float(left.input_value())
    left.fill(str(was - 20))
    left.press("Enter")
    expect(page.locator(".area-row input[name=x]")).to_have_value(f"{was - 20:.0f}")
    page.locator(".area-shape").focus()
    page.keyboard.press("+")  # not yet sent when its area goes
    page.keyboard.press("Delete")
    said(page, "no area yet")
    page.keyboard.press("Escape")
    page.locator("body").press("Escape")
    expect(page.locator(".step[data-open]")).to_have_count(0)
    assert desk.troubles == []


def test_strokes_are_taken_back_one_by_one_and_made_again(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "large.jpg")
    page = desk.page
    desk.type_line("remove spot")
    said(page, "Mended: nothing yet")
    size = page.locator("[data-area-size]").inner_text()
    page.keyboard.press("Escape")
    page.locator("[data-area-by=larger]").click()
    assert page.locator("[data-area-size]").inner_text() != size
    drawn(page, (0.3, 0.3), (0.3, 0.3))
    said(page, "Mended: one place")
    drawn(page, (0.5, 0.4), (0.6, 0.5))
    said(page, "Mended: two places")
    drawn(page, (0.7, 0.6), (0.7, 0.6))
    said(page, "Mended: three places")
    for words in ("two places", "one place", "nothing yet"):
        page.keyboard.press("u")
        expect(page.locator(".ledger-list ol .sentence").first).to_contain_text(words)
    for words in ("one place", "two places", "three places"):
        page.keyboard.press("Shift+U")
        expect(page.locator(".ledger-list ol .sentence").first).to_contain_text(words)
    assert desk.troubles == []


@pytest.mark.parametrize(
    ("typed", "tool", "way", "words"),
    [
        ("soften a part", "outline", ((0.3, 0.3), (0.6, 0.3), (0.6, 0.6), (0.3, 0.6)), "an outline"),
        ("swell a part", "", ((0.5, 0.5), (0.5, 0.5)), "one stroke"),
        ("hide plate", "brush", ((0.3, 0.5), (0.6, 0.5)), "a brush stroke"),
    ],
)
def test_each_kind_is_drawn_and_seen(
    desk: Desk, photographs: Path, typed: str, tool: str, way: tuple[tuple[float, float], ...], words: str
) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line(typed)
    expect(page.locator("#area-tools")).to_be_visible()
    if tool:
        page.click(f"[data-area-tool={tool}]")
    was = page.get_attribute("#stage-canvas", "data-painted")
    drawn(page, *way)
    said(page, words)
    page.wait_for_function("(was) => document.getElementById('stage-canvas').dataset.painted !== was", arg=was)
    assert desk.troubles == []


def test_a_spot_is_copied_from_a_mark(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("copy spot")
    expect(page.locator("[data-area-tool=source]")).to_have_attribute("aria-pressed", "true")
    drawn(page, (0.2, 0.2), (0.2, 0.2))
    expect(page.locator(".area-source")).to_have_count(1)
    expect(page.locator("[data-area-tool=brush]")).to_have_attribute("aria-pressed", "true")
    drawn(page, (0.7, 0.7), (0.75, 0.7))
    said(page, "Copied onto one place, lower right")
    assert desk.troubles == []


def test_dust_is_proposed_accepted_and_dropped(desk: Desk) -> None:
    at_bench(desk, DEMO / "old-print.jpg")
    page = desk.page
    expect(page.locator("#line")).to_be_visible()
    desk.type_line("find dust")
    said(page, "Dust mended: nothing yet")
    rings = page.locator(".area-shape[data-proposed]")
    expect(rings.first).to_be_visible()
    count = rings.count()
    assert count > 20
    rings.first.focus()
    page.keyboard.press("Enter")
    said(page, "Dust mended: one place")
    expect(rings).to_have_count(count - 1)
    page.get_by_role("button", name=f"Accept all {count - 1}").click()
    said(page, f"Dust mended: {count} places")
    assert steps(page)
    assert desk.troubles == []
