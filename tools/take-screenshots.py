"""Takes the pictures of the main views from fresh demo data into docs/screenshots.

.venv/bin/python tools/take-screenshots.py
"""

import signal
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

ROOT = Path(__file__).resolve().parents[1]
SHOTS = ROOT / "docs/screenshots"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-sync", "--no-first-run"]
SETTLED = """() => !document.querySelector('.htmx-request')
  && [...document.querySelectorAll('.frame-picture img')].every((i) => i.complete && i.naturalWidth > 0)
  && [...document.querySelectorAll('[data-weight]')].every((w) => w.textContent.trim() !== '…')
  && document.getElementById('stage-canvas')?.dataset.painted !== undefined"""

WEIGHED = "() => [...document.querySelectorAll('[data-row] td')].every((one) => one.textContent.trim() !== '…')"
ALL_MADE = """() => [...document.querySelectorAll('[data-cell]')].every((cell) => {
  const { top, bottom } = cell.getBoundingClientRect(), image = cell.querySelector('img');
  return bottom < 0 || top > innerHeight || (image && image.complete && image.naturalWidth > 0);
})"""


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "lucidex.launch", "--data", f"{folder}/var"]
        process = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, text=True)
        address = next(line.split()[-1] for line in process.stdout or () if "ready:" in line)
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                take_all(browser, address)
                browser.close()
        finally:
            process.send_signal(signal.SIGINT)
            process.wait(60)


def signed_in(browser: Browser, address: str, width: int) -> Page:
    page = browser.new_page(viewport={"width": width, "height": 800})
    page.goto(address + "/sign-in")
    page.fill("[name=login]", "mara")
    page.fill("[name=password]", "evenings-under-glass")
    page.click("button:has-text('Sign in')")
    page.wait_for_url(address + "/")
    page.wait_for_load_state("networkidle")
    return page


def take_outside(page: Page, folio: str) -> None:
    """The scanner, free pictures and the site, and back to the folio's pictures."""
    page.goto(f"{folio}/scanner")
    page.click("text=Look at the glass")
    page.wait_for_selector("#glass-treated:not([hidden])")
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / "scanner.png")
    page.goto(f"{folio}/free-pictures?find=autumn&shape=wide")
    page.select_option("[name=place]", label="Site banner")
    page.wait_for_url("**place=**")
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / "free-pictures.png")
    page.goto(f"{folio}/site")
    page.locator(".site-page [data-address]").nth(0).check()
    page.locator(".site-page [data-address]").nth(1).check()
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / "site.png")
    page.goto(f"{folio}/gather")
    page.wait_for_load_state("networkidle")


def take_all(browser: Browser, address: str) -> None:
    page = signed_in(browser, address, 1280)
    page.screenshot(path=SHOTS / "start.png")
    page.click("text=Winter programme")
    page.wait_for_load_state("networkidle")
    page.click(".print:has-text('terraces-small') img")
    page.wait_for_selector("#chosen .side-mount")
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / "gather.png")
    page.goto(address)
    page.click("text=Autumn evenings")
    page.wait_for_load_state("networkidle")
    take_outside(page, page.url.removesuffix("/gather"))
    page.click(".print:first-child .strong")
    page.wait_for_url("**/pictures/*")
    bench = page.url
    take(page, "bench.png")
    page.click(".frame:has-text('Site banner') .weigh-door")
    page.wait_for_function(WEIGHED, timeout=120_000)
    page.click("[data-row=light] button")
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / "weigh.png")
    page.goto(bench)
    page.click(".value:has-text('3 : 2')")
    page.wait_for_selector("[name=width]")
    take(page, "bench-crop.png")
    page.goto(bench)
    page.fill("#line", "bw, 4x6 and as webp under 200 kB")
    page.wait_for_selector("#reading [role=option]")
    take(page, "bench-line.png")
    open_picture(page, address, "Open day", "visitors.jpg")
    for line in ("hide faces", "hide name badge"):
        add(page, line)
    page.wait_for_selector(".area-ground")
    page.click("[data-area-tool=box]")
    ground = page.locator(".area-ground").bounding_box()
    if ground is None:
        raise SystemExit("There is no picture to draw on.")
    page.mouse.move(ground["x"] + 0.29 * ground["width"], ground["y"] + 0.83 * ground["height"])
    page.mouse.down()
    page.mouse.move(ground["x"] + 0.43 * ground["width"], ground["y"] + 0.96 * ground["height"], steps=4)
    page.mouse.up()
    page.wait_for_selector(".sentence:has-text('a rectangle')")
    page.wait_for_load_state("networkidle")
    take(page, "bench-hide.png")
    add(page, "reset")
    add(page, "cut out")
    page.wait_for_selector(".area-ground")
    take(page, "bench-cut-out.png")
    open_picture(page, address, "Open day", "delivery-cart.jpg")
    page.click("[data-command=notes]")
    page.wait_for_selector(".note-mark")
    take(page, "bench-notes.png")
    open_picture(page, address, "Winter programme", "dome-at-dusk.jpg")
    add(page, 'text "Evening openings from October" 9 %')
    page.click(".face:has-text('display')")
    page.wait_for_selector(".face[aria-pressed=true]:has-text('display')")
    page.wait_for_load_state("networkidle")
    page.mouse.move(700, 700)
    take(page, "bench-words.png")
    open_picture(page, address, "Open day", "old-print.jpg")
    add(page, "find dust")
    page.wait_for_selector(".area-shape[data-proposed]")
    take(page, "bench-mend.png")
    open_picture(page, address, "Autumn evenings", "orchid-under-lamp.jpg")
    for line in ("white balance by itself", "late sun"):
        add(page, line)
    page.wait_for_load_state("networkidle")
    page.press("#line", "Escape")
    take(page, "bench-looks.png")
    open_picture(page, address, "Autumn evenings", "terraces.jpg")
    for line in ("range by itself", "shadows 20", "sharpen"):
        add(page, line)
    add(page, "logo bottom right 34 %")
    page.select_option("select[name=picture]", label="word-mark.png")
    page.wait_for_selector(".sentence:has-text('word-mark.png')")
    page.click(".choice:has-text('all white')")
    page.wait_for_function("() => document.querySelector('.choice:has(:checked)')?.textContent.includes('all white')")
    page.wait_for_load_state("networkidle")
    page.click("text=Keep as a routine")
    page.fill("[role=dialog] [name=name]", "Clear afternoon")
    page.fill("[role=dialog] [name=group]", "Landscapes")
    page.click("text=Keep it")
    page.wait_for_selector("#notice .notice")
    page.goto(address + "/")
    page.click("a:has-text('Autumn evenings')")
    page.click("a.tab:has-text('Proof')")
    page.wait_for_selector(".proof-facts")
    page.wait_for_load_state("networkidle")
    for number in (1, 2, 5):
        page.locator(".proof-row-head input").nth(number).check()
    page.fill("#selected-line", "Clear afternoon")
    page.click("text=Put it on")
    page.wait_for_selector(".use-sheet figure")
    page.wait_for_function(
        "() => [...document.querySelectorAll('.use-sheet img')].every((i) => i.complete && i.naturalWidth > 0)"
    )
    page.screenshot(path=SHOTS / "proof-routine.png")
    page.click(".use-sheet button:has-text('Put it on 3')")
    page.wait_for_selector("#proof-said .notice")
    page.click("#proof-said [data-dismiss]")
    page.wait_for_load_state("networkidle")
    page.click("[data-begin-run]")
    page.wait_for_function("() => document.querySelector('progress')?.value > 12")
    page.wait_for_function(ALL_MADE)
    page.screenshot(path=SHOTS / "proof.png")
    page.goto(address + "/book")
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / "book.png")
    narrow = signed_in(browser, address, 640)
    narrow.goto(bench)
    take(narrow, "bench-narrow.png")


def open_picture(page: Page, address: str, folio: str, file: str) -> None:
    page.goto(address + "/")
    page.click(f"a:has-text('{folio}')")
    page.click(f".print:has-text('{file}') .strong >> nth=0")
    page.wait_for_url("**/pictures/*")
    page.wait_for_function(SETTLED)


def add(page: Page, line: str) -> None:
    page.fill("#line", line)
    changed(page, lambda: page.press("#line", "Enter"))


def changed(page: Page, act: Callable[[], object]) -> None:
    """Do something, and wait for the version that it makes."""
    version = page.get_attribute("#bench", "data-version")
    act()
    page.wait_for_function(f"() => document.getElementById('bench').dataset.version !== '{version}'")
    page.wait_for_function(SETTLED)


def take(page: Page, file: str) -> None:
    page.wait_for_function(SETTLED)
    page.screenshot(path=SHOTS / file)


if __name__ == "__main__":
    main()
