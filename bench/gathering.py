"""A thousand pictures in one folio: the sheet, and one thing done to all of them.

    .venv/bin/python -m bench gathering [--pictures 1000]

Source: made-up photographs of 600 × 400, JPEG, each of its own. What is done goes through the services, as the pages
call them; the page is opened and scrolled in the headless browser over a server in a process of its own. Beside the
seconds stands what each picture costs in queries to the database: a count that no machine changes.
"""

import argparse
import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pyvips
from playwright.sync_api import sync_playwright
from sqlalchemy import event

from bench.batch import bring_all_in
from bench.painted import FLAGS
from bench.tone import PASSWORD, process
from lucidex.core.line.deeds import AddStep
from lucidex.core.line.places import read_demand
from lucidex.core.line.reader import read_line
from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migration import migrate
from lucidex.services.bench.steps import PutStep, put_on_pictures
from lucidex.services.folios.folios import make_folio, read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.keeping import many
from lucidex.services.people.people import Actor, add_person
from lucidex.services.pictures.folio_history import read_folio_history, take_back
from lucidex.services.pictures.gathering import read_sheet
from lucidex.services.places.places import hang_place
from lucidex.services.rendering.renderer import Renderer

FRAME_COUNT = 90
SCROLLED = """count => new Promise(done => {
  const sheet = document.querySelector('.gather-main'), frames = [];
  let last = performance.now(), left = count;
  const step = () => {
    const at = performance.now();
    frames.push(at - last);
    last = at;
    sheet.scrollTop += 120;
    if (--left) requestAnimationFrame(step); else done(frames.slice(2).sort((a, b) => a - b));
  };
  requestAnimationFrame(step);
})"""
FIRST_SCREEN = """() => {
  // the boxes of the prints, not of what is in them: what is out of sight is not laid out until somebody asks
  const seen = [...document.querySelectorAll('#contact .print')].filter(one => {
    const box = one.getBoundingClientRect();
    return box.top < innerHeight && box.bottom > 0;
  }).map(one => one.querySelector('img'));
  return seen.length > 4 && seen.every(one => one.complete && one.naturalWidth);
}"""

SELECTED = "() => document.querySelector('#chosen h2')?.textContent.includes('pictures')"


def photograph(path: Path, seed: int) -> None:
    """A small one, of its own."""
    small = np.random.default_rng(seed).normal(0, 1, (12, 18, 3))
    forms = pyvips.Image.new_from_array(small).resize(600 / 18, vscale=400 / 12, kernel="cubic")
    (forms * 42 + 120).cast("uchar").copy(interpretation="srgb").jpegsave(str(path), Q=85)


@contextmanager
def counted(workshop: Workshop) -> Iterator[list[str]]:
    """The statements that go to the database meanwhile."""
    seen: list[str] = []

    def note(connection: object, cursor: object, statement: str, *rest: object) -> None:
        seen.append(statement)

    event.listen(workshop.database.engine, "before_cursor_execute", note)
    try:
        yield seen
    finally:
        event.remove(workshop.database.engine, "before_cursor_execute", note)


def told(workshop: Workshop, words: str, count: int, task: Callable[[], object]) -> None:
    """Do something, and say what it took."""
    with counted(workshop) as statements:
        start = time.perf_counter()
        task()
        seconds = time.perf_counter() - start
    print(f"| {words} | {seconds:.2f} | {len(statements)} | {len(statements) / count:.2f} |", flush=True)


def measure(workshop: Workshop, actor: Actor, folio: int, count: int) -> None:
    """What people do with all pictures of a folio."""
    renderer, other = Renderer(workshop), make_folio(workshop, actor, "Other")
    ids = [one.id for one in read_folio(workshop, actor, folio).pictures]
    darker = read_line("-20 brightness").readings[0].deeds[0]
    assert isinstance(darker, AddStep)
    print(f"| {count} pictures | seconds | statements | statements a picture |\n|---|---|---|---|")
    told(workshop, "the sheet, for the first time", count, lambda: read_sheet(workshop, actor, folio))
    told(workshop, "the sheet again", count, lambda: read_sheet(workshop, actor, folio))
    steps = [PutStep(darker.step)]
    told(workshop, "one step on all", count, lambda: put_on_pictures(renderer, workshop, actor, steps, folio, ids))
    fields = {"credit": "Marrow Lane Glasshouse"}
    told(
        workshop,
        "one text on all",
        count,
        lambda: many.write_texts_on_many(workshop, actor, folio, ids, fields),
    )
    last = read_folio_history(workshop, actor, folio)[0].change_id
    told(workshop, "that taken back", count, lambda: take_back(workshop, actor, folio, last))
    told(workshop, "moved to another folio", count, lambda: many.move_to_folio(workshop, actor, ids, folio, other))
    told(workshop, "taken out", count, lambda: many.take_out(workshop, actor, other, ids))
    told(workshop, "put back", count, lambda: many.put_back(workshop, actor, other, ids))
    many.take_out(workshop, actor, other, ids)
    told(workshop, "deleted for good", count, lambda: many.erase_for_good(workshop, actor, other, ids))


def seen(site: str, folio: int) -> None:
    """The page, as somebody meets it."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(site + "/sign-in")
        page.fill("[name=login]", "bench")
        page.fill("[name=password]", PASSWORD)
        page.click("button:has-text('Sign in')")
        print("| the page at 1280 × 800 | seconds |\n|---|---|")
        for words in ("first screen, nothing made yet", "first screen, once more"):
            start = time.perf_counter()
            page.goto(f"{site}/folios/{folio}/gather", wait_until="commit")
            page.wait_for_function(FIRST_SCREEN, timeout=120_000)
            print(f"| {words} | {time.perf_counter() - start:.2f} |", flush=True)
        frames = page.evaluate(SCROLLED, FRAME_COUNT)
        half, most = frames[len(frames) // 2] / 1000, frames[int(len(frames) * 0.95)] / 1000
        print(f"| a frame while scrolling: half, 95 of 100 | {half:.3f}, {most:.3f} |")
        start = time.perf_counter()
        page.click("[data-select=all]")
        page.wait_for_function(
            "() => document.querySelector('#chosen h2')?.textContent.includes('pictures')", timeout=120_000
        )
        print(f"| all selected, and what is known of them | {time.perf_counter() - start:.2f} |", flush=True)
        browser.close()


def main() -> None:
    """Measure, and say."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--pictures", type=int, default=1_000)
    count = parser.parse_args().pictures
    folder = Path(tempfile.mkdtemp(prefix="lucidex-bench-"))
    server = MariaDbServer(folder / "mariadb")
    server.start()
    workshop = Workshop(folder / "files", server.url)
    try:
        migrate(workshop.database.engine)
        paths = [folder / f"p{number:04}.jpg" for number in range(count)]
        for number, path in enumerate(paths):
            photograph(path, number)
        actor = add_person(workshop, "bench", "Bench", PASSWORD)
        folio = bring_all_in(workshop, actor, paths)
        for typed in ("1600x640", "720 wide"):
            hang_place(workshop, actor, folio, read_demand(typed).demand())
        with process("bench.serving", str(folder / "files"), server.url) as port:
            seen(f"http://127.0.0.1:{port}", folio)
        measure(workshop, actor, folio, count)
    finally:
        workshop.close()
        server.stop()
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
