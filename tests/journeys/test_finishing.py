"""Words, outlines and notes in the browser: typed and moved, framed inside, answered by a colleague."""

import io
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from lucidex.records.models import Scope
from lucidex.services.folios.folios import share_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import at_bench
from tests.journeys.test_mending import drawn, said

DEMO = Path(__file__).parents[2] / "demo/pictures"
WORDS = ".words-edge"


def with_place(desk: Desk, file: Path, size: str) -> Page:
    at_bench(desk, file)
    desk.type_line(size)
    return desk.page


def where(page: Page) -> tuple[float, float]:
    box = page.locator(WORDS).bounding_box()
    assert box is not None
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def finished(page: Page) -> Image.Image:
    with page.expect_download() as download:
        page.locator(".frame[data-chosen] a", has_text="Download").first.click()
    return Image.open(io.BytesIO(download.value.path().read_bytes()))


def test_words_are_typed_and_moved_on_the_picture(desk: Desk) -> None:
    page = with_place(desk, DEMO / "fern-fronds.jpg", "1600x900")
    desk.type_line('text "Seed swap, Saturday"')
    said(page, "Text “Seed swap, Saturday”, bottom left")
    expect(page.locator(WORDS)).to_have_count(1)
    desk.accessible()
    x, y = where(page)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 120, y - 160, steps=6)
    moved = where(page)
    assert abs(moved[0] - x - 120) <= 2, "the words move with the pointer, before anything is sent"
    assert abs(moved[1] - y + 160) <= 2
    page.mouse.up()
    said(page, "placed freely")
    desk.settled()
    settled = where(page)
    assert abs(settled[0] - moved[0]) <= 2, "and stay where they were let go"
    assert abs(settled[1] - moved[1]) <= 2
    page.mouse.click(*settled)
    field = page.locator("textarea.words-typed")
    field.fill("Seed swap\nfrom ten to four")
    said(page, "Seed swap from ten to four")
    page.keyboard.press("Escape")
    expect(field).to_have_count(0)
    page.locator("[data-words]").fill("Bring your own pots")
    page.locator("[data-words]").press("Tab")
    said(page, "Bring your own pots")
    page.keyboard.press("Escape")
    assert desk.troubles == []


def test_words_are_placed_without_a_mouse(desk: Desk) -> None:
    page = with_place(desk, DEMO / "rosette.jpg", "1200x800")
    desk.type_line("text Rosettes")
    before = where(page)
    box = page.locator(".words-box")
    box.focus()
    for _ in range(4):
        page.keyboard.press("Shift+ArrowUp")
    said(page, "placed freely")
    desk.settled()
    assert where(page)[1] < before[1] - 5
    box.focus()
    page.keyboard.press("Enter")
    page.keyboard.type("In bloom")
    said(page, "In bloom")
    page.keyboard.press("Control+Enter")
    expect(page.locator("textarea.words-typed")).to_have_count(0)
    expect(page.locator(".words-box:focus")).to_have_count(1)
    page.locator(".control .anchors input[value=top]").check()
    said(page, "“In bloom”, top,")
    page.locator(".face", has_text="hand").press("Enter")
    expect(page.locator(".face[aria-pressed=true]")).to_contain_text("hand")
    assert desk.troubles == []


def test_the_face_in_an_oval_portrait_is_moved(desk: Desk) -> None:
    page = with_place(desk, DEMO / "keeper.jpg", "600x600")
    desk.type_line("oval")
    said(page, "An oval, clear outside")
    desk.type_line("border 3 dark green")
    said(page, "A border of 3 %, dark green")
    desk.accessible()
    before = np.asarray(finished(page))
    assert before.shape == (600, 600, 4)
    assert before[2, 2, 3] == 0
    group = page.locator(".window-group")
    group.focus()
    for _ in range(8):
        page.keyboard.press("Shift+ArrowUp")
    version = desk.version()
    page.wait_for_function(f"() => Number(document.getElementById('bench').dataset.version) > {version - 1}")
    expect(page.locator(".sentence", has_text="Framed by hand")).to_have_count(1)
    desk.settled()
    after = np.asarray(finished(page))
    assert np.array_equal(before[..., 3], after[..., 3]), "the outline stays"
    assert np.abs(before[300, 250:350, :3].astype(int) - after[300, 250:350, :3]).max() > 8, "the face moves"
    assert desk.troubles == []


def test_a_slide_picture_with_shadow_and_reflection_is_exact(desk: Desk) -> None:
    page = with_place(desk, DEMO / "dome-at-dusk.jpg", "960x540")
    desk.type_line("rounded 6 and shadow and reflection")
    desk.settled()
    made = finished(page)
    assert (made.size, made.format, made.mode) == ((960, 540), "WEBP", "RGBA")
    page.locator(".control label.choice", has_text="white").click()
    expect(page.locator(".step[data-open] .sentence")).to_contain_text("on white")
    desk.settled()
    made = finished(page)
    assert (made.size, made.format) == ((960, 540), "JPEG"), "on a ground nothing is clear any more"
    assert desk.troubles == []


def test_a_colleagues_circled_note_is_answered(
    desk: Desk, open_desk: Callable[..., Desk], new_person: Callable[[], Actor], shared_workshop: Workshop
) -> None:
    at_bench(desk, DEMO / "delivery-cart.jpg")
    page = desk.page
    address, folio = page.url, page.locator(".tab", has_text="Gather").get_attribute("href")
    colleague = new_person()
    share_folio(shared_workshop, desk.actor, int((folio or "").split("/")[2]), colleague.login, Scope.LOOK)
    other = open_desk(colleague)
    other.page.goto(address)
    other.settled()
    other.type_line("note")
    expect(other.page.locator("#note-tools")).to_be_visible()
    drawn(other.page, (0.33, 0.6), (0.42, 0.54), (0.5, 0.6), (0.42, 0.66), (0.33, 0.6))
    expect(other.page.locator(".note-card")).to_have_count(1)
    words = other.page.locator(".note-card textarea")
    words.fill("Hide the plate, please")
    words.press("Tab")
    other.settled()
    other.accessible()
    page.goto(f"{desk.site}{folio}")
    page.locator(".print .flag", has_text="1 open note").click()
    card = page.locator(".note-card")
    expect(card).to_contain_text("Hide the plate, please")
    expect(page.locator(".note-mark")).to_have_count(1)
    card.locator("input[name=text]").fill("Done.")
    card.locator("button", has_text="Answer").click()
    expect(card.locator(".note-answer")).to_contain_text("Done.")
    expect(card.locator("input[name=text]")).to_have_value("")
    card.locator("button", has_text="Settle").click()
    expect(page.locator(".sentence", has_text="all 1 settled")).to_have_count(1)
    other.page.reload()
    other.page.locator("[data-command=notes]").click()
    other.page.locator("#notes-settled summary").click()
    expect(other.page.locator(".note-answer")).to_contain_text("Done.")
    assert desk.troubles == other.troubles == []


def test_notes_are_drawn_moved_and_erased_with_keys_and_taken_by_the_eraser_alone(desk: Desk) -> None:
    at_bench(desk, DEMO / "old-print.jpg")
    page = desk.page
    desk.type_line("note")
    page.locator(".notes button", has_text="arrow").press("Enter")
    mark = page.locator(".note-mark")
    expect(mark).to_have_count(1)
    before = mark.bounding_box()
    mark.focus()
    for _ in range(5):
        page.keyboard.press("Shift+ArrowRight")
    desk.settled()
    after = mark.bounding_box()
    assert before is not None
    assert after is not None
    assert after["x"] > before["x"] + 2
    page.locator("[data-note-tool=highlighter]").click()
    page.locator("[data-note-pen=yellow]").click()
    drawn(page, (0.2, 0.8), (0.6, 0.82))
    expect(mark).to_have_count(2)
    page.locator("[data-note-tool=eraser]").click()
    drawn(page, (0.7, 0.3), (0.8, 0.35))
    expect(mark).to_have_count(2)
    drawn(page, (0.4, 0.9), (0.4, 0.7))
    expect(mark).to_have_count(1)
    mark.focus()
    page.keyboard.press("Delete")
    expect(mark).to_have_count(0)
    expect(page.locator(".note-card")).to_have_count(0)
    page.keyboard.press("Escape")
    expect(page.locator(".step[data-open]")).to_have_count(0)
    assert desk.troubles == []
