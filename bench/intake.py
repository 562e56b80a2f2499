"""Sixty photographs brought in: checks, facts, levels, hash and records, beside bare libvips.

    .venv/bin/python -m bench intake [--pictures 60]

Source: as in `bench.batch`. Ours is what the application does with files that have arrived, two at a time, decoded in
processes apart; bare libvips decodes each file in full and makes a thumbnail, on all cores. The memory is that of the
application's own process, before and after.
"""

import argparse
import resource
import shutil
import tempfile
import time
from pathlib import Path

import pyvips

from bench.batch import bring_all_in, on_all_cores, photograph
from lucidex.core.geometry.sizes import Size
from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migration import migrate
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import add_person
from lucidex.services.pictures.documents import read_picture
from lucidex.services.rendering.render_requests import on_screen
from lucidex.services.rendering.renderer import Renderer
from lucidex.work.decode_task import decode_into


def decode_and_thumbnail(path: Path) -> None:
    """All pixels of a file, and a small copy of it."""
    pyvips.concurrency_set(1)
    image = pyvips.Image.new_from_file(str(path), access="sequential").copy_memory()
    image.thumbnail_image(320, height=320).jpegsave_buffer(Q=85)


def held_megabytes() -> float:
    """What this process holds in memory at the moment."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1e6


def main() -> None:
    """Measure, and say."""
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
        actor = add_person(workshop, "bench", "Bench", "a-long-enough-password")
        decode_into(workshop.isolated, paths[0], Path(tempfile.mkdtemp(dir=workshop.data_folder)))
        bare = on_all_cores(decode_and_thumbnail, paths)
        start = time.perf_counter()
        first = bring_in(workshop, actor, NewFolio("First"), "first.jpg", [paths[0].read_bytes()])
        state = read_picture(workshop, actor, first.picture_id)
        Renderer(workshop).screen.preview(on_screen(workshop, state, state.document, Size(240, 240), None))
        thumbnail = time.perf_counter() - start
        workshop.decoded.drop(state.source_key)
        before, start = held_megabytes(), time.perf_counter()
        bring_all_in(workshop, actor, paths)
        ours = time.perf_counter() - start
        print(f"| {count} photographs of 12 megapixels | seconds | beside bare libvips |")
        print("|---|---|---|")
        print(f"| bare libvips: decoded, thumbnailed | {bare:.1f} | 1 |")
        print(f"| brought in: checked, decoded, levels, hash, records | {ours:.1f} | {ours / bare:.2f} × |")
        print(f"| the first thumbnail after its file has arrived | {thumbnail:.2f} | |")
        print(f"| memory of the process before and after, MB | {before:.0f}, {held_megabytes():.0f} | |")
    finally:
        workshop.close()
        server.stop()
        shutil.rmtree(folder, ignore_errors=True)
