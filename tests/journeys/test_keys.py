"""By keys alone: from group to group, within a group, and out of what was opened last."""

from pathlib import Path

from playwright.sync_api import expect

from tests.conftest import encoded, picture
from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import at_bench
from tests.journeys.test_gathering import gathered

FOCUSED = "() => (document.activeElement.getAttribute('aria-label') ?? document.activeElement.textContent).trim()"


def test_eight_tabs_lead_to_the_download_and_arrows_go_within_a_group(desk: Desk, photographs: Path) -> None:
    page = desk.page
    at_bench(desk, photographs / "small.jpg")
    for line in ("bw", "crop square", "lighter", "800x400", "300x300"):
        desk.type_line(line)
    page.goto(page.url)
    desk.settled()
    for _ in range(8):
        page.keyboard.press("Tab")
    assert "Download all 2" in page.evaluate(FOCUSED)
    page.keyboard.press("ArrowUp")
    assert "Download" in page.evaluate(FOCUSED), "the one above, of a single place"
    page.keyboard.press("Home")
    assert page.evaluate(FOCUSED) == "Hang one"
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("Tab")
    assert page.evaluate(FOCUSED) == "Hang one", "a group is entered where it was left"
    window = page.locator("#stage-canvas").inner_html()
    page.keyboard.press("ArrowDown")
    assert page.locator("#stage-canvas").inner_html() == window, "arrow keys within a group move nothing besides"


def test_escape_closes_what_was_opened_last(desk: Desk, photographs: Path) -> None:
    page = desk.page
    at_bench(desk, photographs / "small.jpg")
    desk.type_line("border 4 %")
    page.click("button:has-text('Hang one')")
    expect(page.locator("#offers-size")).to_be_visible()
    page.click(".ledger-list button:has-text('History')")
    expect(page.locator("[data-sheet]")).to_be_visible()
    desk.accessible()
    page.click("#stage-more > summary")
    for still_open in (["#offers-size", "[data-sheet]"], ["#offers-size"], []):
        page.keyboard.press("Escape")
        for part in ("#stage-more select", "[data-sheet]", "#offers-size"):
            expect(page.locator(part).first).to_be_visible(visible=part in still_open)
    for _ in ("out of the line", "the step"):
        page.keyboard.press("Escape")
    expect(page.locator(".step[data-open]")).to_have_count(0)


def test_what_is_opened_over_the_bench_can_be_read_by_everybody(desk: Desk, photographs: Path) -> None:
    page = desk.page
    at_bench(desk, photographs / "small.jpg")
    desk.type_line("bw")
    for group in ("Frame", "Size", "Tone", "Mend", "Finish"):
        page.click(f".groups button:has-text('{group}')")
        desk.accessible()
    page.keyboard.press("Escape")
    for says in ("Puts these steps on other pictures of the folio", "Keeps these steps under a name"):
        page.click(f"[title^='{says}']")
        expect(page.locator("[data-sheet]")).to_be_visible()
        desk.accessible()
        page.keyboard.press("Escape")
        expect(page.locator("[data-sheet]")).to_have_count(0)


def test_a_step_says_in_words_whether_it_counts(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    desk.type_line("bw")
    desk.page.click(".step .switch")
    expect(desk.page.locator(".step").first).to_contain_text("Left out: it does not count.")


def test_a_file_is_chosen_or_dropped_and_stands_by_its_name(desk: Desk, tmp_path: Path) -> None:
    page, file = desk.page, tmp_path / "routines.json"
    file.write_text("[]")
    page.goto(desk.site + "/routines")
    expect(page.locator("main")).to_contain_text("No routine is kept yet")
    page.set_input_files("[name=file]", str(file))
    expect(page.locator(".file-words")).to_have_text("routines.json")
    page.evaluate(
        """() => {
          const transfer = new DataTransfer();
          transfer.items.add(new File(["[]"], "dropped.json", {type: "application/json"}));
          const field = document.querySelector("[data-file-field]");
          field.dispatchEvent(new DragEvent("drop", {bubbles: true, cancelable: true, dataTransfer: transfer}));
        }"""
    )
    expect(page.locator(".file-words")).to_have_text("dropped.json")
    assert page.evaluate("() => document.querySelector('[name=file]').files[0].name") == "dropped.json"
    desk.accessible()


def test_a_sheet_says_when_places_changed_since(desk: Desk, tmp_path: Path) -> None:
    """Its head knew two places while its later rows had three."""
    page = desk.page
    files = [tmp_path / f"{number:02}.png" for number in range(14)]
    for number, file in enumerate(files):
        file.write_bytes(encoded(picture(60, 40, seed=number)))
    gathered(desk, *files)
    page.click(".tab:has-text('Prepare')")
    desk.settled()
    desk.type_line("64x48")
    page.set_viewport_size({"width": 1280, "height": 420})
    page.click(".tab:has-text('Proof')")
    expect(page.locator("thead th")).to_have_count(2)
    page.evaluate(
        """async () => {
          const body = new URLSearchParams({line: "80x80", said: ""});
          const token = document.querySelector("meta[name=csrf]").content;
          await fetch(location.pathname + "/place", {method: "POST", headers: {"x-csrf-token": token}, body});
        }"""
    )
    page.locator("tbody tr").last.scroll_into_view_if_needed()
    expect(page.locator("#notice")).to_contain_text("A place was hung or taken down since")
    for row in page.locator("tbody tr").all():
        expect(row.locator("td")).to_have_count(1)
