"""Sixty photographs into four places: a run of the product beside bare libvips and a careful Pillow script.

    .venv/bin/python -m bench batch [--pictures 60]

Source: made-up photographs of 12 megapixels (4000 × 3000, JPEG at quality 88, each of its own). Ours is the whole way
of a user, files in to archive out: brought in two at a time, checked and decoded in processes apart; a run with one
worker process a core, database, leases and files included; an archive in which every file is checked. The others read
the files, make all four of each and write them, on all cores.
"""

import argparse
import shutil
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass
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
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor, add_person
from lucidex.services.places.places import hang_place, write_all
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.runs.archives import archive
from lucidex.services.runs.runs import begin_run, read_progress
from lucidex.services.runs.worker import give_back, has_work, work
from lucidex.work.decode_task import decode_into
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


@dataclass
class Whole:
    """Seconds of each part of a user's way: files in, a run, the archive out; and the same run with quick files."""

    brought_in: float
    run: float
    archive: float
    quick_run: float
    bytes_after: int
    quick_bytes_after: int

    @property
    def total(self) -> float:
        """All of it, as it is by itself: thorough files."""
        return self.brought_in + self.run + self.archive

    @property
    def quick_total(self) -> float:
        """All of it with quick files."""
        return self.brought_in + self.quick_run + self.archive


def bring_all_in(workshop: Workshop, actor: Actor, paths: list[Path]) -> int:
    """Two at a time, as the page sends them once the first one has made the folio."""
    folio = bring_in(workshop, actor, NewFolio("Bench"), paths[0].name, [paths[0].read_bytes()]).folio_id
    with ThreadPoolExecutor(CORES) as pool:
        list(pool.map(lambda path: bring_in(workshop, actor, folio, path.name, [path.read_bytes()]), paths[1:]))
    return folio


def by_product(workshop: Workshop, url: str, paths: list[Path]) -> Whole:
    """The whole way through the services, database, leases, files and checks included."""
    actor = add_person(workshop, f"bench{len(paths)}", "Bench", "a-long-enough-password")
    decode_into(workshop.isolated, paths[0], Path(tempfile.mkdtemp(dir=workshop.data_folder)))  # all is imported then
    start = time.perf_counter()
    folio = bring_all_in(workshop, actor, paths)
    brought_in = time.perf_counter() - start
    for typed in FOUR:
        hang_place(workshop, actor, folio, read_demand(typed).demand())
    run, run_id, heavy = one_run(workshop, url, actor, folio, len(paths))
    start = time.perf_counter()
    with (workshop.data_folder / "all.zip").open("wb") as file:
        for part in archive(Renderer(workshop), workshop, actor, run_id):
            file.write(part)
    archived = time.perf_counter() - start
    write_all(workshop, actor, folio, is_quick=True)
    quick, _, quick_heavy = one_run(workshop, url, actor, folio, len(paths))
    return Whole(brought_in, run, archived, quick, heavy, quick_heavy)


def one_run(workshop: Workshop, url: str, actor: Actor, folio: int, pictures: int) -> tuple[float, int, int]:
    """Seconds of a run of everything, its id, and the bytes of its files."""
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
        time.sleep(0.1)
    seconds = time.perf_counter() - start
    dispatcher.close()
    assert progress.done == pictures * len(FOUR), progress
    return seconds, run_id, progress.bytes_after


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
        ours = by_product(workshop, server.url, paths)
        print(f"{count} photographs of 12 megapixels into {len(FOUR)} places as JPEG, {CORES} cores\n")
        print("| what | seconds | × bare libvips | × a careful Pillow script |\n|---|---|---|---|")
        for what, seconds in (
            ("files in, a run, the archive out: all of it", ours.total),
            ("of it: brought in, two at a time: checked, decoded apart, kept at four scales", ours.brought_in),
            ("of it: the run alone, thorough files", ours.run),
            ("of it: the archive, every file checked", ours.archive),
            ("the run alone, quick files", ours.quick_run),
            ("all of it with quick files", ours.quick_total),
            ("bare libvips, files to files, decoded once, all four", vips),
            ("a careful Pillow script, files to files", pillow),
        ):
            print(f"| {what} | {seconds:.1f} | {seconds / vips:.2f} | {seconds / pillow:.2f} |")
        lighter = 1 - ours.bytes_after / ours.quick_bytes_after
        print(f"\nThorough files are {lighter:.1%} lighter than quick ones.")
        print(f"Bringing in takes {ours.brought_in / ours.run:.2f} of the run's own time.")
    finally:
        workshop.close()
        server.stop()
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
