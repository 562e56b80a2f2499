"""From a changed number to the new picture on the screen, in the real browser, and what the page weighs."""

import statistics
import threading
from pathlib import Path

import uvicorn
from playwright.sync_api import sync_playwright

from lucidex.launch.mariadb import MariaDbServer
from lucidex.launch.sockets import listen
from lucidex.records.migration import migrate
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import add_person
from lucidex.services.rendering.renderer import Renderer
from lucidex.web.app import create_app
from lucidex.web.request.context import AppContext

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-sync", "--no-first-run"]
PAINTED = """([selector, value]) => new Promise((done) => {
  const canvas = document.getElementById('stage-canvas'), before = canvas.dataset.painted, start = performance.now();
  const field = document.querySelector(selector);
  field.value = value;
  field.dispatchEvent(new Event('change', {bubbles: true}));
  const look = () => canvas.dataset.painted !== before
    ? requestAnimationFrame(() => done(performance.now() - start)) : requestAnimationFrame(look);
  look();
})"""


def measure_painting(folder: Path, photograph: bytes, rounds: int) -> None:
    """Crop widths typed one after the other; each changes the picture after the crop and is then painted."""
    server = MariaDbServer(folder / "mariadb")
    server.start()
    workshop = Workshop(folder / "files", server.url)
    try:
        migrate(workshop.database.engine)
        actor = add_person(workshop, "bench", "Bench", "a-long-enough-password")
        taken = bring_in(workshop, actor, NewFolio("Bench"), "photograph.jpg", [photograph])
        app = create_app(AppContext(workshop, Renderer(workshop)), "bench")
        listening = listen()
        web = uvicorn.Server(uvicorn.Config(app, log_level="error", lifespan="off"))
        thread = threading.Thread(target=web.run, kwargs={"sockets": [listening]}, daemon=True)
        thread.start()
        _in_browser(f"http://127.0.0.1:{listening.getsockname()[1]}", taken.picture_id, rounds)
        web.should_exit = True
        thread.join(10)
    finally:
        workshop.close()
        server.stop()


def _in_browser(site: str, picture_id: int, rounds: int) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(site + "/sign-in")
        page.fill("[name=login]", "bench")
        page.fill("[name=password]", "a-long-enough-password")
        page.click("button:has-text('Sign in')")
        opening = "() => document.getElementById('stage-canvas')?.dataset.painted"
        page.goto(f"{site}/pictures/{picture_id}")
        page.wait_for_function(opening)
        opened = page.evaluate("performance.now()")
        for number, line in enumerate(("1:1", "turn left"), 1):
            page.fill("#line", line)
            page.press("#line", "Enter")
            page.wait_for_function(f"() => document.querySelectorAll('.step').length >= {number}")
        # the turn is opened; choosing another direction changes the whole picture on the stage
        page.click("ol .sentence .value >> nth=1")
        page.wait_for_selector("input[name=direction]")
        milliseconds = []
        for number in range(2 * rounds):
            value = ("right", "upside down", "left")[number % 3]
            selector = f"input[name=direction][value='{value}']"
            page.evaluate("(s) => { document.querySelector(s).checked = true; }", selector)
            milliseconds.append(page.evaluate(PAINTED, [selector, value]))
        milliseconds.sort()
        p95 = milliseconds[min(len(milliseconds) - 1, int(0.95 * len(milliseconds)))]
        print(f"| a picture opened on the bench, page requested to painted | {opened:.0f} ms | – |")
        print(
            "| a changed choice, to the new picture painted (two round trips) | "
            f"{statistics.median(milliseconds):.0f} ms (p95 {p95:.0f}, n {len(milliseconds)}) | – |"
        )
        browser.close()
