"""What words, an outline, a border and a shadow cost on a place of 1600 × 900, and how long words take to be moved.

    .venv/bin/python -m bench finishing [--rounds 40] [--moves 60]

Source: the made-up photograph of `bench.run` (24 megapixels). The first rows draw the same place with and without,
one after the other in one process, all else kept as it is; words are other ones each time, so that nothing of them is
kept. The last row asks over HTTP as the page does: the move is kept and answered, then the words come as they are.
"""

import argparse
import re
import tempfile
import time
from collections.abc import Callable
from contextlib import ExitStack
from html import unescape
from itertools import count
from pathlib import Path

import httpx
import pyvips

from bench.run import Spread, photograph
from bench.tone import PASSWORD, process, signed_in
from lucidex.core.compilation import compile_kernels
from lucidex.core.document import PictureDocument
from lucidex.core.library import OpenedPicture, open_picture
from lucidex.core.line.places import read_demand
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.render import composed, plan, resampled_window
from lucidex.core.steps import StepEntry
from lucidex.core.steps.bands import FinishStep
from lucidex.core.steps.border import Border
from lucidex.core.steps.reflection import Reflection
from lucidex.core.steps.shadow import Shadow
from lucidex.core.steps.shape import Shape
from lucidex.core.steps.text import Text
from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migration import migrate
from lucidex.services.house.workshop import RENDER_THREADS, Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import add_person
from lucidex.services.places.places import hang_place

PLACE = "1600x900"
_numbers = count()


def drawn(picture: OpenedPicture, demand: PlaceDemand, *steps: FinishStep) -> float:
    """Seconds from the framed part to the finished size."""
    entries = tuple(
        StepEntry.model_validate({"id": f"s{i}", "step": one.model_dump()}) for i, one in enumerate(steps)
    )
    document = PictureDocument(steps=entries)
    source = picture.source
    geometry = document.geometry(source.upright)
    placement = document.placement(geometry, "1", demand)
    chosen = plan(source, geometry, placement, None, finish=document.finish("1", placement.canvas))
    start = time.perf_counter()
    composed(source, resampled_window(source, chosen), chosen)
    return time.perf_counter() - start


def words() -> Text:
    """Words that nobody has set before."""
    return Text(text=f"Seed swap {next(_numbers)}")


def in_turn(rounds: int, *ways: Callable[[], float]) -> list[Spread]:
    """Each way once a round, after two rounds that count for nothing."""
    seconds: list[list[float]] = [[] for _ in ways]
    for number in range(rounds + 2):
        for seat, way in enumerate(ways):
            taken = way()
            if number > 1:
                seconds[seat].append(taken)
    return [Spread(one) for one in seconds]


def moved(client: httpx.Client, picture: int, place: int, moves: int) -> list[float]:
    """Seconds from letting the words go to the exact ones."""
    token = {"X-CSRF-Token": re.search(r'name="csrf" content="([^"]+)"', client.get("/account").text)[1]}  # type: ignore[index]
    headers = {**token, "HX-Request": "true", "X-Version": "1"}
    added = client.post(f"/pictures/{picture}/line?place={place}", data={"line": 'text "Seed swap"'}, headers=headers)
    step = re.search(r'id="step-(\w+)"', added.text)[1]  # type: ignore[index]
    seconds = []
    for number in range(moves + 1):
        headers["X-Version"] = str(number + 2)
        form = {"x": 300 + 15 * (number % 60), "y": 200 + 7 * (number % 40)}
        start = time.perf_counter()
        answer = client.post(f"/pictures/{picture}/steps/{step}/text/at?place={place}", data=form, headers=headers)
        address = re.search(rf"/pictures/{picture}/steps/{step}/text/alone[^\"]+", unescape(answer.text))
        assert address, answer.text[:300]
        shown = client.get(address[0])
        assert shown.status_code == 200
        if number:
            seconds.append(time.perf_counter() - start)
    return seconds


def main() -> None:
    """Print the table."""
    arguments = argparse.ArgumentParser()
    arguments.add_argument("--rounds", type=int, default=40)
    arguments.add_argument("--moves", type=int, default=60)
    chosen = arguments.parse_args()
    pyvips.concurrency_set(RENDER_THREADS)
    compile_kernels()
    with tempfile.TemporaryDirectory(prefix="lucidex-bench-") as name, ExitStack() as stack:
        folder = Path(name)
        file = folder / "photograph.jpg"
        file.write_bytes(photograph())
        picture, demand = open_picture(file), read_demand(PLACE).demand()
        around = (Shape(), Border(width_percent=2), Shadow())
        spreads = in_turn(
            chosen.rounds,
            lambda: drawn(picture, demand),
            lambda: drawn(picture, demand, words()),
            lambda: drawn(picture, demand, *around),
            lambda: drawn(picture, demand, *around, words()),
            lambda: drawn(picture, demand, *around, Reflection(), words()),
        )
        bare = spreads[0]
        print("| what | measured | beyond the place alone | aim |\n|---|---|---|---|")
        names = (
            "the place alone",
            "with words",
            "with an outline, a border, a shadow",
            "with all four",
            "and a reflection",
        )
        for said, spread in zip(names, spreads, strict=True):
            more = 1000 * (spread.median - bare.median)
            aim = "40 ms beyond" if said == "with all four" else "–"
            print(f"| {PLACE}, {said} | {spread} | {more:.0f} ms | {aim} |")
        server = MariaDbServer(folder / "mariadb")
        server.start()
        stack.callback(server.stop)
        workshop = Workshop(folder / "files", server.url)
        stack.callback(workshop.close)
        migrate(workshop.database.engine)
        actor = add_person(workshop, "bench", "Bench", PASSWORD)
        taken = bring_in(workshop, actor, NewFolio("Bench"), "photograph.jpg", [file.read_bytes()])
        place = hang_place(workshop, actor, taken.folio_id, demand, "Banner")
        site = f"http://127.0.0.1:{stack.enter_context(process('bench.serving', str(folder / 'files'), server.url))}"
        spread = Spread(moved(signed_in(site), taken.picture_id, place.id, chosen.moves))
        print(f"| words moved, to the exact ones, over HTTP | {spread} | – | p95 100 ms |")


if __name__ == "__main__":
    main()
