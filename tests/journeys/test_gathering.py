"""The contact sheet in a real browser: every way in, one thing to many, found and sorted, and back again."""

import io
import re
import zipfile
from pathlib import Path

import pytest
from playwright.sync_api import Route, expect

from tests.conftest import encoded, picture, smooth_picture
from tests.core.test_formats_in import pdf
from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import drop


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A folder as people have one: subfolders, an archive, a document, and a file that is no picture."""
    (tmp_path / "autumn/phone/August").mkdir(parents=True)
    (tmp_path / "autumn/phone/August/dome.png").write_bytes(encoded(smooth_picture(700, 420)))
    (tmp_path / "autumn/phone/fern.png").write_bytes(encoded(picture(500, 640, seed=3)))
    (tmp_path / "autumn/notes.txt").write_text("no picture")
    (tmp_path / "three.pdf").write_bytes(pdf(3))
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("set/a.png", encoded(picture(420, 420, seed=4)))
        archive.writestr("set/b.png", encoded(picture(440, 420, seed=5)))
    (tmp_path / "all.zip").write_bytes(packed.getvalue())
    return tmp_path


def gathered(desk: Desk, *files: Path) -> None:
    """A folio with these, at its contact sheet."""
    drop(desk, *files)
    go_on = desk.page.locator("a.button-main:visible", has_text="Go on with what arrived")
    expect(go_on.or_(desk.page.locator("#contact"))).to_be_visible()
    if go_on.is_visible():
        go_on.click()
    desk.page.wait_for_url("**/gather")


def test_a_folder_keeps_its_groups(desk: Desk, folder: Path) -> None:
    desk.page.set_input_files("[webkitdirectory]", folder / "autumn")
    expect(desk.page.locator("text=2 of 3 arrived, 1 not taken.")).to_be_visible()
    desk.page.click("text=Go on with what arrived")
    heads = desk.page.locator(".sheet-head")
    expect(heads).to_have_count(2)
    expect(heads).to_have_text([re.compile("autumn / phone *1"), re.compile("autumn / phone / August *1")])


def test_an_archive_comes_in_parts_and_picture_by_picture(desk: Desk, folder: Path) -> None:
    with desk.page.expect_request(lambda request: request.method == "PATCH"):
        drop(desk, folder / "all.zip")
    desk.page.wait_for_url("**/gather")
    expect(desk.page.locator(".print")).to_have_count(2)
    assert desk.page.locator("text=was not taken yet").count() == 0


def test_a_connection_that_breaks_is_tried_again(desk: Desk, folder: Path) -> None:
    tries: list[str] = []

    def lose_the_first(route: Route) -> None:
        tries.append(route.request.url)
        if len(tries) == 1:
            route.abort()
        else:
            route.continue_()

    desk.page.route("**/start/pictures*", lose_the_first)
    drop(desk, folder / "autumn/phone/fern.png")
    desk.page.wait_for_url("**/pictures/*")
    assert len(tries) == 2
    assert tries[0] == tries[1]  # under the same name of this sending, so that it counts once


def test_pictures_are_dropped_and_pasted_on_any_page(desk: Desk, folder: Path) -> None:
    page = desk.page
    gathered(desk, folder / "autumn/phone/fern.png", folder / "three.pdf")
    page.click(".print-words > a >> nth=0")
    page.wait_for_url("**/pictures/*")
    content = list((folder / "autumn/phone/August/dome.png").read_bytes())
    transfer = page.evaluate_handle(
        """(bytes) => { const all = new DataTransfer();
        all.items.add(new File([new Uint8Array(bytes)], "dropped.png", { type: "image/png" })); return all; }""",
        content,
    )
    before = page.url
    page.dispatch_event("body", "drop", {"dataTransfer": transfer})
    expect(page).not_to_have_url(before)
    expect(page.locator("text=dropped.png").first).to_be_visible()
    page.click(".tab:has-text('Gather')")
    page.wait_for_url("**/gather")
    content = list(encoded(picture(310, 200, seed=9)))
    page.evaluate(
        """(bytes) => { const all = new DataTransfer();
        all.items.add(new File([new Uint8Array(bytes)], "image.png", { type: "image/png" }));
        document.body.dispatchEvent(new ClipboardEvent("paste", { clipboardData: all, bubbles: true })); }""",
        content,
    )
    page.wait_for_url("**/pictures/*")
    expect(page.locator("text=pasted").first).to_be_visible()


def test_what_is_selected_is_counted_and_written_on_together(desk: Desk, folder: Path) -> None:
    page = desk.page
    gathered(desk, folder / "all.zip", folder / "three.pdf")
    prints = page.locator(".print-mount img")
    prints.nth(0).click()
    expect(page.locator("[data-selection]")).to_have_text("1 selected")
    expect(page.locator("#chosen h2").first).to_have_text("three.pdf")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Space")
    expect(page.locator("#chosen h2").first).to_have_text("2 pictures")
    prints.nth(2).click(modifiers=["Shift"])
    page.keyboard.press("ControlOrMeta+a")
    expect(page.locator("#chosen h2").first).to_have_text("3 pictures")
    page.fill("#texts [name=credit]", "M. Ellery")
    page.fill("#texts [name=licence]", "cc by 4.0")
    page.fill("#texts [name=people]", "Ida Brook, Tom Reed")
    page.click("text=Write them on all 3")
    expect(page.locator("#chosen [role=status]")).to_have_text("Written.")
    expect(page.locator(".print .flag", has_text="rights unknown")).to_have_count(0)
    page.click("#gather-framing >> text=Always the middle")
    expect(page.locator("#gather-framing")).to_contain_text("Places show the middle of each.")
    page.click("#gather-framing >> text=Let them frame themselves")
    expect(page.locator("#gather-framing")).to_contain_text("All of them frame themselves.")
    desk.accessible()
    prints.nth(1).click()
    expect(page.locator("#texts [name=licence]")).to_have_value("CC BY 4.0")
    expect(page.locator("#texts [name=licence_address]")).to_have_value(
        "https://creativecommons.org/licenses/by/4.0/"
    )
    expect(page.locator("#texts [name=people]")).to_have_value("Ida Brook, Tom Reed")
    page.fill("#texts [name=alternative]", "Speckles")
    page.click("text=Keep the texts")
    expect(page.locator("#chosen [role=status]")).to_have_text("Kept.")
    page.fill("[name=find]", "speckles")
    expect(page.locator(".print")).to_have_count(1)
    assert desk.troubles == []


def test_what_is_not_printed_yet_is_selected_and_gone_to_all_the_same(
    desk: Desk, folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("lucidex.web.views.gather.page.PRINTED_AT_ONCE", 1)
    page = desk.page
    held: list[Route] = []
    page.route("**/gather/prints?*", lambda route: held.append(route))
    gathered(desk, folder / "all.zip", folder / "three.pdf")
    expect(page.locator(".print")).to_have_count(1)
    page.locator("[data-select=all]").click()
    expect(page.locator("[data-selection]")).to_have_text("3 selected")
    expect(page.locator("#chosen h2").first).to_have_text("3 pictures")
    page.locator(".print-mount img").click()
    page.keyboard.press("Shift+End")
    expect(page.locator("[data-selection]")).to_have_text("3 selected")
    for route in held:
        route.continue_()
    expect(page.locator(".print")).to_have_count(3)
    expect(page.locator("#contact [name=on]:checked")).to_have_count(3)
    expect(page.locator("#contact [name=on]").last).to_be_focused()
    page.locator(".print-mount img").nth(1).click(modifiers=["Shift"])
    expect(page.locator("[data-selection]")).to_have_text("2 selected")
    page.wait_for_function("() => [...document.images].every(one => one.complete)")
    page.click("footer >> text=Take out")
    expect(page.locator(".gather-said")).to_contain_text("2 pictures taken out")
    assert desk.troubles == []


def test_pictures_are_found_and_sorted(desk: Desk, folder: Path) -> None:
    page = desk.page
    gathered(desk, folder / "autumn/phone/fern.png", folder / "autumn/phone/August/dome.png", folder / "three.pdf")
    page.select_option("[name=order]", "name")
    names = page.locator(".print-words > a")
    expect(names).to_have_text(["dome.png", "fern.png", "three.pdf"])
    page.fill("[name=find]", "tall")
    expect(names).to_have_text(["fern.png"])
    page.fill("[name=find]", "nothing like that")
    expect(page.locator("#contact")).to_contain_text("Nothing is found")
    page.fill("[name=find]", "")
    expect(names).to_have_count(3)


def test_other_pages_are_chosen_with_their_density(desk: Desk, folder: Path) -> None:
    page = desk.page
    drop(desk, folder / "three.pdf", folder / "autumn/phone/fern.png")
    page.click("text=Go on with what arrived")
    page.wait_for_url("**/gather")
    page.locator(".print-mount img").first.click()
    page.fill("[name=pages]", "2-3")
    page.select_option("[name=density]", "100")
    page.click("button:has-text('Take them')")
    expect(page.locator(".print")).to_have_count(4)
    expect(page.locator(".print", has_text="page 3 at 100").locator(".measure")).to_contain_text("200 × 100")


def test_what_is_taken_out_comes_back_or_goes_for_good(desk: Desk, folder: Path) -> None:
    page = desk.page
    page.on("dialog", lambda dialog: dialog.accept())
    gathered(desk, folder / "all.zip", folder / "three.pdf")
    page.keyboard.press("Tab")
    page.locator("[data-select=all]").click()
    page.click("footer >> text=Take out")
    expect(page.locator(".gather-said")).to_contain_text("3 pictures taken out")
    page.click("text=Put them back")
    expect(page.locator(".print")).to_have_count(3)
    page.locator(".print-mount img").first.click()
    page.click("footer >> text=Take out")
    expect(page.locator(".print")).to_have_count(2)
    page.click("a:has-text('Taken out')")
    expect(page.locator(".removed-row")).to_contain_text("three.pdf")
    page.check("[name=on]")
    page.click("text=Delete the ticked ones for good")
    expect(page.locator("main")).to_contain_text("1 picture deleted for good.")
    assert page.locator(".removed-row").count() == 0


def test_the_contact_sheet_is_open_to_everybody(desk: Desk, folder: Path) -> None:
    page = desk.page
    gathered(desk, folder / "all.zip", folder / "three.pdf")
    page.locator(".print-mount img").first.click()
    expect(page.locator("#chosen h2").first).to_have_text("three.pdf")
    desk.accessible()
    page.click("[data-select=none]")
    expect(page.locator("#chosen h2").first).to_have_text("Nothing is selected")
    desk.accessible()
    page.goto(page.url.replace("/gather", "/removed"))
    desk.accessible()
