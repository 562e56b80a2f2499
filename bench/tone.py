"""How fast the picture follows a moving tone slider: at the server, in the browser, and the share of each part.

    .venv/bin/python -m bench tone [--rounds 40]

Source: the made-up photograph of 24 megapixels of `bench.run`, six steps: a crop, light, highlights and shadows,
white balance, saturation, a curve; and the same with sharpening. Each request asks for a value that nobody has asked
for yet. The application runs in a process of its own; one to three users move a slider at once, each asking for the
next picture when the last has come. The run in the background is one niced process that makes four files after four.
"""

import argparse
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from functools import partial
from pathlib import Path

import httpx
import pyvips
from playwright.sync_api import sync_playwright

from bench.painted import FLAGS
from bench.run import Spread, photograph, timed
from lucidex.core.compilation import compile_kernels
from lucidex.core.document import PictureDocument
from lucidex.core.encode import jpeg
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.effects.base import View
from lucidex.core.picture.tone.clipping import histogram
from lucidex.core.picture.tone.development import developed, fold
from lucidex.core.render import composed, resampled_window
from lucidex.core.source.facts import SourceFacts
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import Step
from lucidex.core.steps.colour import Balance, Saturation
from lucidex.core.steps.crop import Crop, PixelArea
from lucidex.core.steps.curve import Curve
from lucidex.core.steps.detail import Sharpen
from lucidex.core.steps.tone import Exposure, Light, ShadowsHighlights
from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migration import migrate
from lucidex.services.house.workshop import RENDER_THREADS, Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor, add_person
from lucidex.services.pictures.documents import change, read_picture
from lucidex.services.rendering.render_requests import for_screen
from lucidex.services.rendering.screen import DRAFT_QUALITY

SIX: tuple[Step, ...] = (
    Crop(area=PixelArea(width_px=5800, height_px=3900)),
    Exposure(stops=0.3),
    Light(brightness=8, contrast=12),
    ShadowsHighlights(shadows=25, highlights=-20),
    Balance(warmth=6, tint=-2),
    Curve(all=((0, 0), (25, 22), (75, 80), (100, 100))),
)
SHARPENED: tuple[Step, ...] = (*SIX[:5], Saturation(saturation=5, vibrance=20), Sharpen())
WIDTHS = (860, 1600)
MOVED = "s2"  # the id of the light step
PASSWORD = "a-long-enough-password"


def entries(steps: tuple[Step, ...]) -> tuple[StepEntry, ...]:
    return tuple(StepEntry.model_validate({"id": f"s{i}", "step": s.model_dump()}) for i, s in enumerate(steps))


def _with(steps: tuple[StepEntry, ...], document: PictureDocument, _facts: SourceFacts) -> PictureDocument:
    return document.model_copy(update={"steps": steps})


@contextmanager
def prepared(folder: Path) -> Iterator[tuple[Workshop, Actor, dict[str, int], str]]:
    """A workshop with the photograph twice: with six steps, and with sharpening among them."""
    server = MariaDbServer(folder / "mariadb")
    server.start()
    workshop = Workshop(folder / "files", server.url)
    try:
        migrate(workshop.database.engine)
        actor = add_person(workshop, "bench", "Bench", PASSWORD)
        content, pictures = photograph(), {}
        (folder / "photograph.jpg").write_bytes(content)
        for words, steps in (("six steps", SIX), ("with sharpening", SHARPENED)):
            pictures[words] = bring_in(workshop, actor, NewFolio("Bench"), "photograph.jpg", [content]).picture_id
            change(workshop, actor, pictures[words], 1, "Bench", partial(_with, entries(steps)))
        yield workshop, actor, pictures, server.url
    finally:
        workshop.close()
        server.stop()


@contextmanager
def process(*arguments: str) -> Iterator[str]:
    """A process of the bench, from its first line to its end."""
    started = subprocess.Popen([sys.executable, "-m", *arguments], stdout=subprocess.PIPE, text=True)
    try:
        assert started.stdout is not None
        yield started.stdout.readline().strip()
    finally:
        started.terminate()
        started.wait()


def signed_in(site: str) -> httpx.Client:
    client = httpx.Client(base_url=site, timeout=60)
    page = client.get("/sign-in").text
    token = page.split('name="csrf" value="')[1].split('"')[0]
    client.post("/sign-in", data={"login": "bench", "password": PASSWORD, "csrf": token})
    return client


def moved(client: httpx.Client, picture: int, width: int, rounds: int, first: float) -> list[float]:
    """Seconds from asking for a draft to having all of it."""
    seconds = []
    for number in range(rounds + 3):
        values = {"brightness": first + number / 50, "contrast": 12, "w": width, "h": width}
        start = time.perf_counter()
        answer = client.get(f"/pictures/{picture}/steps/{MOVED}/draft", params=values)
        taken = time.perf_counter() - start
        assert answer.status_code == 200, answer.text
        if number >= 3:
            seconds.append(taken)
    return seconds


def by_users(site: str, picture: int, width: int, rounds: int, users: int) -> Spread:
    """All users' waiting times, while all of them move their sliders."""
    found: list[list[float]] = [[] for _ in range(users)]

    def one(user: int) -> None:
        client = signed_in(site)
        found[user] = moved(client, picture, width, rounds, 20.0 * user - 40)
        client.close()

    threads = [threading.Thread(target=one, args=(user,)) for user in range(users)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return Spread([taken for one_user in found for taken in one_user])


def parts(workshop: Workshop, actor: Actor, picture: int, width: int, rounds: int) -> None:
    """What a draft spends its time on, each part measured alone in this process."""
    compile_kernels()
    pyvips.concurrency_set(RENDER_THREADS)
    state = read_picture(workshop, actor, picture)
    rendering = for_screen(workshop, state, Size(width, width), state.document)
    part = resampled_window(rendering.source, rendering.chosen)
    pixels = part.numpy()
    image = composed(rendering.source, part, rendering.chosen).image
    tone = rendering.chosen.treatment.tone
    assert tone is not None

    def folded() -> None:
        fold.cache_clear()
        fold(tone)

    def effects() -> None:
        seen = image.numpy()
        for effect in rendering.chosen.treatment.effects:
            seen = effect.on(seen, View(rendering.chosen.unit))

    measured = timed(
        rounds,
        lambda: read_picture(workshop, actor, picture),
        lambda: for_screen(workshop, state, Size(width, width), state.document),
        folded,
        lambda: developed(pixels, tone),
        effects,
        lambda: jpeg.draft(image.numpy(), DRAFT_QUALITY),
        lambda: histogram(image.numpy()),
        lambda: resampled_window(rendering.source, rendering.chosen),
    )
    names = ("records read", "planned", "folded", "developed", "effects", "encoded", "histogram", "framed (kept)")
    shares = ", ".join(f"{name} {1000 * spread.median:.1f}" for name, spread in zip(names, measured, strict=True))
    print(f"| share of each part, {width} px, in ms | {shares} |")


PAINTED = """([name, value]) => new Promise((done) => {
  const image = document.querySelector('img.stage-picture'), before = image.src, start = performance.now();
  const field = document.querySelector(`input[type=range][data-twin="${name}"]`);
  field.value = value;
  field.dispatchEvent(new Event('input', {bubbles: true}));
  const look = () => image.src !== before
    ? requestAnimationFrame(() => done(performance.now() - start)) : requestAnimationFrame(look);
  look();
})"""


def painted(site: str, picture: int, rounds: int) -> Spread:
    """From a moved slider to the new picture painted, in the browser at 1280 × 800."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(site + "/sign-in")
        page.fill("[name=login]", "bench")
        page.fill("[name=password]", PASSWORD)
        page.click("button:has-text('Sign in')")
        page.goto(f"{site}/pictures/{picture}?open={MOVED}")
        page.wait_for_function("() => document.getElementById('stage-canvas')?.dataset.painted")
        seconds = [page.evaluate(PAINTED, ["brightness", str(n - 30)]) / 1000 for n in range(rounds + 3)]
        browser.close()
    return Spread(seconds[3:])


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--rounds", type=int, default=40)
    rounds = parser.parse_args().rounds
    folder = Path(tempfile.mkdtemp(prefix="lucidex-bench-"))
    try:
        with prepared(folder) as (workshop, actor, pictures, url):
            measure(folder, workshop, actor, pictures, url, rounds)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def measure(folder: Path, workshop: Workshop, actor: Actor, pictures: dict[str, int], url: str, rounds: int) -> None:
    print(f"24 megapixels, {rounds} values a user\n\n| what | from asking to having all of it |\n|---|---|")
    for running in (False, True):
        with ExitStack() as stack:
            site = f"http://127.0.0.1:{stack.enter_context(process('bench.serving', str(folder / 'files'), url))}"
            if running:
                stack.enter_context(process("bench.background", str(folder / "photograph.jpg")))
            beside = ", a run in the background" if running else ""
            for words, picture in pictures.items():
                for width in WIDTHS:
                    for users in (1, 3):
                        spread = by_users(site, picture, width, rounds, users)
                        print(f"| {words}, {width} px, {users} user{'s' * (users > 1)}{beside} | {spread} |")
            seen = painted(site, pictures["six steps"], rounds)
            print(f"| six steps, slider moved to painted, 1280 × 800{beside} | {seen} |")
    for words, picture in pictures.items():
        print(f"| {words} | |")
        for width in WIDTHS:
            parts(workshop, actor, picture, width, rounds)


if __name__ == "__main__":
    main()
