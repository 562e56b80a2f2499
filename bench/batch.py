"""Sixty photographs into four places: a run of the product beside bare libvips and a careful Pillow script.

    .venv/bin/python -m bench batch [--pictures 60]

Source: made-up photographs of 12 megapixels (4000 × 3000, JPEG at quality 88, each of its own). Ours begins where a
run begins, with pictures that were brought in, and ends when the last cell is finished: database, leases and files
included, one worker process a core. The others read the files, make all four of each and write them, on all cores.
"""

import argparse
import shutil
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import pyvips

from bench.run import FOUR, by_libvips, by_pillow
from lucidex.core.line.places import read_demand
from lucidex.core.proof.file_list import USUAL_PATTERN
from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migration import migrate
from lucidex.records.models import RunState
from lucidex.services.intake import NewFolio, bring_in
from lucidex.services.people import add_person
from lucidex.services.places import hang_place
from lucidex.services.runs import begin_run, read_progress
from lucidex.services.worker import give_back, has_work, work
from lucidex.services.workshop import Workshop
from lucidex.work.dispatcher import LocalProcesses

CORES = 2


def photograph(path: Path, seed: int) -> None:
    """Soft forms, fine structure and grain."""
    small = np.random.default_rng(seed).normal(0, 1, (45, 60, 3))
    forms = pyvips.Image.new_from_array(small).resize(4000 / 60, vscale=3000 / 45, kernel="cubic")
    fine = pyvips.Image.gaussnoise(4000, 3000, sigma=9).gaussblur(0.8)
    (forms * 42 + 120 + fine).cast("uchar").copy(interpretation="srgb").jpegsave(str(path), Q=88)


def one_by_libvips(path: Path) -> None:
    pyvips.concurrency_set(1)
    for number, content in enumerate(by_libvips(path, FOUR)):
        path.with_suffix(f".vips{number}.jpg").write_bytes(content)


def one_by_pillow(path: Path) -> None:
    for number, content in enumerate(by_pillow(path, FOUR)):
        path.with_suffix(f".pillow{number}.jpg").write_bytes(content)


def on_all_cores(task: object, paths: list[Path]) -> float:
    """Seconds of a task over all files; the processes are there before the clock starts."""
    with ProcessPoolExecutor(CORES, mp_context=get_context("spawn")) as pool:
        list(pool.map(partial(time.sleep), [0.5] * CORES))
        start = time.perf_counter()
        list(pool.map(task, paths))  # type: ignore[arg-type]
        return time.perf_counter() - start


def by_run(workshop: Workshop, url: str, paths: list[Path]) -> tuple[float, float]:
    """Seconds from the begin of a run to its end, and of bringing the pictures in before."""
    actor = add_person(workshop, f"bench{len(paths)}", "Bench", "a-long-enough-password")
    start = time.perf_counter()
    folio: NewFolio | int = NewFolio("Bench")
    for path in paths:
        folio = bring_in(workshop, actor, folio, path.name, [path.read_bytes()]).folio_id
    brought_in = time.perf_counter() - start
    assert isinstance(folio, int)
    for typed in FOUR:
        hang_place(workshop, actor, folio, read_demand(typed).demand())
    dispatcher = LocalProcesses(
        lambda: has_work(workshop),
        work,
        (str(workshop.data_folder), url),
        workshop.new_holder,
        lambda name: give_back(workshop, name),
        CORES,
    )
    start = time.perf_counter()
    run_id = begin_run(workshop, actor, folio, USUAL_PATTERN)
    dispatcher.wake()
    while (progress := read_progress(workshop, actor, run_id)).state == RunState.RUNNING:
        time.sleep(0.4)
    taken = time.perf_counter() - start
    dispatcher.close()
    assert progress.done == len(paths) * len(FOUR), progress
    return taken, brought_in


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--pictures", type=int, default=60)
    count = parser.parse_args().pictures
    folder = Path(tempfile.mkdtemp(prefix="lucidex-bench-"))
    server = MariaDbServer(folder / "mariadb")
    server.start()
    workshop = Workshop(folder / "files", server.url)
    try:
        migrate(workshop.database.engine)
        paths = [folder / f"p{number:03}.jpg" for number in range(count)]
        for number, path in enumerate(paths):
            photograph(path, number)
        vips, pillow = on_all_cores(one_by_libvips, paths), on_all_cores(one_by_pillow, paths)
        ours, brought_in = by_run(workshop, server.url, paths)
        print(f"{count} photographs of 12 megapixels into {len(FOUR)} places as JPEG, {CORES} cores\n")
        print("| what | seconds | ours is |\n|---|---|---|")
        print(f"| a run, pictures brought in before | {ours:.1f} | – |")
        print(
            f"| bringing them in: checked, decoded apart, kept at four scales, one at a time | {brought_in:.1f} | – |"
        )
        print(f"| bare libvips, decoded once, all four | {vips:.1f} | {ours / vips:.2f} × |")
        print(f"| a careful Pillow script | {pillow:.1f} | {ours / pillow:.2f} × |")
    finally:
        workshop.close()
        server.stop()
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
