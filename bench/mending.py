"""What a dab on 24 megapixels costs, and what a hundred do; and the memory of less noise on 100 megapixels.

    .venv/bin/python -m bench mending [--dabs 100]

Source: the made-up photograph of `bench.run`, on the bench at 860 pixels wide. A dab is finished when its change is
kept and answered, and the new picture of the stage has come, asked for one after the other as the page does. The
application runs in a process of its own. Beside it, in the same run: the same dab where the derived source is a copy
of all levels, as it was before. Memory is the highest that a process of its own has held, pages of mapped files and
all.
"""

import argparse
import re
import resource
import subprocess
import sys
import tempfile
import time
from contextlib import ExitStack
from pathlib import Path

import httpx
import numpy as np

from bench.run import Spread, photograph
from bench.tone import PASSWORD, process, signed_in
from lucidex.core.geometry.sizes import Size
from lucidex.core.source.denoising import CosineDenoising
from lucidex.core.source.derivation import StoredPixels
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.key import SourceKey
from lucidex.core.source.pyramid import AnyPixels
from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.changed_boxes import write_levels
from lucidex.records.decoded import DecodedStore
from lucidex.records.derived import DerivedStore
from lucidex.records.migration import migrate
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.intake.sources import known_facts
from lucidex.services.people.people import add_person

WIDE = 860
HUGE = Size(12_000, 8_400)


def dabbed(client: httpx.Client, picture: int, dabs: int) -> list[float]:
    """Seconds of each dab, from the stroke's end to the new picture."""
    token = {"X-CSRF-Token": re.search(r'name="csrf" content="([^"]+)"', client.get("/account").text)[1]}  # type: ignore[index]
    headers = {**token, "HX-Request": "true", "X-Version": "1"}
    added = client.post(f"/pictures/{picture}/line", data={"line": "remove spot"}, headers=headers)
    step = re.search(r'id="step-(\w+)"', added.text)[1]  # type: ignore[index]
    seconds = []
    for number in range(dabs + 1):
        x, y = 300 + (number % 11) * 500, 250 + (number // 11) * 380
        headers["X-Version"] = str(number + 2)
        form: dict[str, object] = {"tool": "brush", "way": f"{x} {y}", "radius": 14}
        start = time.perf_counter()
        answer = client.post(f"/pictures/{picture}/steps/{step}/area/draw", data=form, headers=headers)
        address = re.search(r"/preview\?v=\w+", answer.text)
        assert address, answer.text[:300]
        shown = client.get(f"/pictures/{picture}{address[0]}&w={WIDE}&h={WIDE}")
        assert shown.status_code == 200
        if number:
            seconds.append(time.perf_counter() - start)
    return seconds


def whole_copies(workshop: Workshop, picture_level: AnyPixels, facts: SourceFacts, rounds: int) -> Spread:
    """Writing all levels anew, which is what each dab cost before."""
    seconds = []
    for _ in range(rounds):
        folder = workshop.decoded.scratch_folder()
        start = time.perf_counter()
        write_levels(folder, facts, iter([picture_level]))
        seconds.append(time.perf_counter() - start)
    return Spread(seconds)


def weight_of(folder: Path) -> int:
    """Bytes of all files below a folder."""
    return sum(file.stat().st_size for file in folder.rglob("*") if file.is_file())


def denoise_huge(folder: Path) -> None:
    """In a process of its own: less noise on 100 megapixels, and the memory that it took."""
    store = DecodedStore(folder)
    facts = SourceFacts(
        format="tiff", stored_width=HUGE.width, stored_height=HUGE.height, bands=3, pixel_format="uchar",
        interpretation="srgb",
    )  # fmt: skip
    random = np.random.default_rng(1)
    scratch = store.scratch_folder()
    write_levels(
        scratch, facts, (random.integers(0, 256, (200, HUGE.width, 3), np.uint8) for _ in range(HUGE.height // 200))
    )
    store.keep("a" * 64, scratch)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    start = time.perf_counter()
    DerivedStore(store).level("a" * 64, facts, (CosineDenoising(0.4),), 8)
    taken = time.perf_counter() - start
    after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    memory = f"{after / 1000:.0f} MB ({before / 1000:.0f} before)"
    print(f"| less noise on {HUGE.pixels / 1e6:.0f} megapixels | {taken:.0f} s, {memory} | 700 MB |")


def main() -> None:
    """Print the table."""
    arguments = argparse.ArgumentParser()
    arguments.add_argument("--dabs", type=int, default=100)
    arguments.add_argument("--huge", type=Path)
    chosen = arguments.parse_args()
    if chosen.huge:
        denoise_huge(chosen.huge)
        return
    with tempfile.TemporaryDirectory(prefix="lucidex-bench-") as name, ExitStack() as stack:
        folder = Path(name)
        server = MariaDbServer(folder / "mariadb")
        server.start()
        stack.callback(server.stop)
        workshop = Workshop(folder / "files", server.url)
        stack.callback(workshop.close)
        migrate(workshop.database.engine)
        actor = add_person(workshop, "bench", "Bench", PASSWORD)
        taken = bring_in(workshop, actor, NewFolio("Bench"), "photograph.jpg", [photograph()])
        site = f"http://127.0.0.1:{stack.enter_context(process('bench.serving', str(folder / 'files'), server.url))}"
        before = weight_of(folder / "files/decoded")
        client = signed_in(site)
        dabs = Spread(dabbed(client, taken.picture_id, chosen.dabs))
        added = weight_of(folder / "files/decoded") - before
        first, last = (Spread(part) for part in (dabs.seconds[:20], dabs.seconds[-20:]))
        key = next(path.name for path in (folder / "files/decoded").glob("intake-*/*") if "-" not in path.name)
        facts = known_facts(workshop, SourceKey(key))
        assert facts is not None
        level = workshop.decoded.level(key, facts, 1)
        copies = whole_copies(workshop, StoredPixels(level).pixels, facts, 5)
        print("| what | measured | aim |\n|---|---|---|")
        print(f"| a dab on 24 megapixels, to the new picture | {dabs} | p95 150 ms |")
        print(f"| the first 20 and the last 20 of {chosen.dabs} | {first}; {last} | – |")
        print(f"| what a dab adds to the cache | {added / (chosen.dabs + 1) / 1000:.0f} kB | – |")
        print(f"| a copy of all levels, as before, without its picture | {copies}, {before / 1e6:.0f} MB | – |")
        subprocess.run([sys.executable, "-m", "bench", "mending", "--huge", str(folder / "huge")], check=True)


if __name__ == "__main__":
    main()
