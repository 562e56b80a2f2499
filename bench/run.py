"""Measures side by side, in one run on one machine, and prints ratios.

    .venv/bin/python -m bench [--rounds 9] [--skip-browser]

Source: a made-up photograph of 24 megapixels (6000 × 4000, JPEG at quality 88, soft forms and grain).
Every contestant makes the same sizes in the same formats at the same quality, from the file to the bytes.
"""

import argparse
import io
import os
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import cv2
import numpy as np
import pyvips
from PIL import Image

from lucidex.core.document import PictureDocument
from lucidex.core.encode import JPEG, Encoding, encode
from lucidex.core.encode.base import Effort
from lucidex.core.geometry.fit import Rule, fit
from lucidex.core.geometry.sizes import Size
from lucidex.core.line.places import read_demand
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.render import draw, plan
from lucidex.core.source.pyramid import Source
from lucidex.records.decoded import DecodedStore
from lucidex.services.house.workshop import RENDER_THREADS
from lucidex.services.rendering.render_requests import PREVIEW_QUALITY
from lucidex.work.decode_task import decode_into
from lucidex.work.isolation import IsolatedRunner

WIDTH, HEIGHT = 6000, 4000
ONE = ("1600x640",)
FOUR = ("1600x640", "1920x1080", "1080x1350", "800x420")
QUALITY = 82


@dataclass(frozen=True)
class Spread:
    """Seconds of all rounds."""

    seconds: list[float]

    @property
    def median(self) -> float:
        return statistics.median(self.seconds)

    @property
    def p95(self) -> float:
        return sorted(self.seconds)[min(len(self.seconds) - 1, int(0.95 * len(self.seconds)))]

    def __str__(self) -> str:
        return f"{1000 * self.median:.0f} ms (p95 {1000 * self.p95:.0f}, n {len(self.seconds)})"


def photograph() -> bytes:
    """Soft forms, fine structure and grain, so that encoders have real work."""
    random = np.random.default_rng(7)
    small = random.normal(0, 1, (60, 90, 3))
    forms = pyvips.Image.new_from_array(small).resize(WIDTH / 90, vscale=HEIGHT / 60, kernel="cubic")
    fine = pyvips.Image.gaussnoise(WIDTH, HEIGHT, sigma=9).gaussblur(0.8)
    return bytes((forms * 42 + 120 + fine).cast("uchar").copy(interpretation="srgb").jpegsave_buffer(Q=88))


def timed(rounds: int, *contestants: Callable[[], object]) -> list[Spread]:
    """Rounds in turn, so that all contestants meet the same weather; one round before that does not count."""
    seconds: list[list[float]] = [[] for _ in contestants]
    for number in range(rounds + 1):
        for contestant, found in zip(contestants, seconds, strict=True):
            start = time.perf_counter()
            contestant()
            if number:
                found.append(time.perf_counter() - start)
    return [Spread(found) for found in seconds]


def demands(typed: tuple[str, ...]) -> list[PlaceDemand]:
    return [read_demand(text).demand() for text in typed]


def by_lucidex(path: Path, typed: tuple[str, ...], runner: IsolatedRunner, decoded: DecodedStore) -> list[bytes]:
    """From the file on disk: decoded in a process of its own, then rendered and encoded here."""
    return made(opened(path, runner, decoded), typed)


def opened(path: Path, runner: IsolatedRunner, decoded: DecodedStore) -> Source:
    folder = Path(tempfile.mkdtemp(dir=path.parent))
    facts = decode_into(runner, path, folder)
    key = folder.name.ljust(64, "0")
    decoded.keep(key, folder)
    opens = lambda number: decoded.level(key, facts, number)  # noqa: E731
    return Source(facts.stored, facts.orientation, facts.layout, facts.profile, opens)


def made(source: Source, typed: tuple[str, ...]) -> list[bytes]:
    document = PictureDocument()
    geometry = document.geometry(source.upright)
    files = []
    for demand in demands(typed):
        image = draw(source, plan(source, geometry, document.placement(geometry, "1", demand), None))
        files.append(encode(image, JPEG, Encoding(QUALITY)))
    return files


def by_libvips(path: Path, typed: tuple[str, ...]) -> list[bytes]:
    """Bare libvips: decoded once, cropped to the shape, resized, encoded."""
    image = pyvips.Image.new_from_file(str(path)).copy_memory()
    files = []
    for demand in demands(typed):
        size = demand.size_for(Size(image.width, image.height))
        window = fit(Size(image.width, image.height), size, Rule.COVER).window
        part = image.crop(int(window.left), int(window.top), int(window.width), int(window.height))
        part = part.resize(size.width / part.width, vscale=size.height / part.height)
        files.append(part.jpegsave_buffer(Q=QUALITY, optimize_coding=True, keep="icc", profile="srgb"))
    return files


def by_pillow(path: Path, typed: tuple[str, ...]) -> list[bytes]:
    """A careful Pillow script: decoded once, window and reduction in one call with a reducing gap."""
    files = []
    with Image.open(path) as image:
        image.load()
        for demand in demands(typed):
            size = demand.size_for(Size(*image.size))
            w = fit(Size(*image.size), size, Rule.COVER).window
            box = (w.left, w.top, w.left + w.width, w.top + w.height)
            part = image.resize((size.width, size.height), Image.Resampling.LANCZOS, box, reducing_gap=2.0)
            out = io.BytesIO()
            part.save(out, "JPEG", quality=QUALITY, optimize=True)
            files.append(out.getvalue())
    return files


def row(what: str, ours: Spread, *others: tuple[str, Spread]) -> None:
    ratios = "  ".join(f"{ours.median / spread.median:.2f} × {name} ({spread})" for name, spread in others)
    print(f"| {what} | {ours} | {ratios or '–'} |")


def peak_of(code: str, path: Path) -> float:
    """Peak resident memory in MB of a fresh process that runs some code."""
    wrapped = f"import sys; sys.path.insert(0, {os.getcwd()!r})\nif __name__ == '__main__':\n    " + code.replace(
        "\n", "\n    "
    )
    script = path.parent / "peak.py"
    # VmHWM and not ru_maxrss, which a child inherits from the process that started it
    script.write_text(wrapped + "\n    print(open('/proc/self/status').read().split('VmHWM:')[1].split()[0])")
    done = subprocess.run([sys.executable, str(script)], capture_output=True, text=True, check=True)
    return int(done.stdout.split()[-1]) / 1024


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--rounds", type=int, default=9)
    parser.add_argument("--skip-browser", action="store_true")
    wanted = parser.parse_args()
    folder = Path(tempfile.mkdtemp(prefix="lucidex-bench-"))
    try:
        measure(folder, wanted.rounds)
        if not wanted.skip_browser:
            from bench.painted import measure_painting

            measure_painting(folder, photograph(), wanted.rounds)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def measure(folder: Path, rounds: int) -> None:
    path = folder / "photograph.jpg"
    path.write_bytes(photograph())
    runner, decoded = IsolatedRunner(), DecodedStore(folder / "decoded", 8_000_000_000)
    pyvips.cache_set_max(0)
    pyvips.concurrency_set(RENDER_THREADS)
    megabytes = path.stat().st_size / 1e6
    print(f"24 megapixels, {megabytes:.1f} MB, one user, {rounds} rounds, libvips on 2 threads for both\n")
    print("| what | Lucidex | ratio and the other's time |\n|---|---|---|")
    bare = lambda: pyvips.Image.new_from_file(str(path)).copy_memory()  # noqa: E731
    ours, other = timed(rounds, lambda: opened(path, runner, decoded), bare)
    row("opened: checked, decoded in a process of its own, four levels kept", ours, ("bare decode", other))
    source = opened(path, runner, decoded)
    for words, typed in (("one file", ONE), ("four places", FOUR)):
        here = lambda typed=typed: by_lucidex(path, typed, runner, decoded)  # noqa: E731
        there = lambda typed=typed: by_libvips(path, typed)  # noqa: E731
        careful = lambda typed=typed: by_pillow(path, typed)  # noqa: E731
        warm = lambda typed=typed: made(source, typed)  # noqa: E731
        first, vips, pillow, again = timed(rounds, here, there, careful, warm)
        row(f"{words}, from the file, the first time", first, ("libvips", vips), ("Pillow", pillow))
        row(f"{words}, picture opened before", again, ("libvips", vips), ("Pillow", pillow))
    measure_straightening(path, source, rounds)
    for edge in (860, 1600):
        (spread,) = timed(3 * rounds, partial(preview, source, edge))
        row(f"preview of a changed window, {edge} px wide: rendered and encoded", spread)
    single = "from pathlib import Path\nimport bench.run as b\nfrom lucidex.core.source.pyramid import *\n"
    vips_peak = peak_of(single + f"b.by_libvips(Path({str(path)!r}), b.FOUR)", path)
    pillow_peak = peak_of(single + f"b.by_pillow(Path({str(path)!r}), b.FOUR)", path)
    ours_peak = peak_of(
        single + f"from lucidex.core.source.decoder import take_in\n"
        f"outs = {{n: open({str(folder)!r} + f'/l{{n}}.raw', 'wb') for n in LADDER}}\n"
        f"take_in(open({str(path)!r}, 'rb'), lambda n, rows: outs[n].write(rows.data))",
        path,
    )
    ratios = f"{ours_peak / vips_peak:.2f} × libvips ({vips_peak:.0f} MB)  "
    ratios += f"{ours_peak / pillow_peak:.2f} × Pillow ({pillow_peak:.0f} MB)"
    print(
        f"| peak memory, decoding process (ours) against the whole script (theirs) | {ours_peak:.0f} MB | {ratios} |"
    )
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"| peak memory of this process, all contestants in it | {peak:.0f} MB | – |")


DRAFT = Encoding(PREVIEW_QUALITY, effort=Effort.DRAFT)  # as the stage gets them
_step = [0]


def preview(source: Source, edge: int) -> bytes:
    """A preview nobody has asked for yet: the crop differs by a pixel each time."""
    from lucidex.core.steps import StepEntry
    from lucidex.core.steps.crop import Crop, PixelArea

    _step[0] += 1
    crop = Crop(area=PixelArea(width_px=WIDTH - _step[0], height_px=HEIGHT - _step[0]))
    document = PictureDocument(steps=(StepEntry(id="c", step=crop),))
    geometry = document.geometry(source.upright)
    placement = fit(geometry.size, Size(edge, edge), Rule.SCALE_DOWN)
    return encode(draw(source, plan(source, geometry, placement, None)), JPEG, DRAFT)


ANGLE = 2.4
STRAIGHTENED = Size(1600, 640)
CROP = Size(5000, 3000)


def measure_straightening(path: Path, source: Source, rounds: int) -> None:
    """Straightened, cropped, reduced to a place: pixels, and pixels with the file around them."""
    stored = pyvips.Image.new_from_file(str(path)).copy_memory()
    ours, bare = timed(rounds, lambda: straightened(source), lambda: bare_straightened(stored))
    row("straightened by 2.4°, cropped, 1600 × 640 as JPEG, picture opened before", ours, ("bare libraries", bare))
    for edge in (860, 1600):
        (spread,) = timed(3 * rounds, partial(preview_turned, source, edge))
        row(f"preview of a changed angle, {edge} px wide: rendered and encoded", spread)


def straightened(source: Source) -> bytes:
    from lucidex.core.steps import StepEntry
    from lucidex.core.steps.crop import Crop, PixelArea
    from lucidex.core.steps.straighten import Straighten

    steps = (
        StepEntry(id="s", step=Straighten(angle_degrees=ANGLE)),
        StepEntry(id="c", step=Crop(area=PixelArea(width_px=CROP.width, height_px=CROP.height))),
    )
    document = PictureDocument(steps=steps)
    geometry = document.geometry(source.upright)
    demand = demands(("1600x640",))[0]
    image = draw(source, plan(source, geometry, document.placement(geometry, "1", demand), None))
    return encode(image, JPEG, Encoding(QUALITY))


def bare_straightened(stored: pyvips.Image) -> bytes:
    """A careful script with the same libraries: the part that is needed, reduced first, then warped once."""
    part_height = CROP.width * STRAIGHTENED.height / STRAIGHTENED.width
    angle = np.radians(ANGLE)
    reach = (
        CROP.width * np.cos(angle) + part_height * np.sin(angle) + 20,
        CROP.width * np.sin(angle) + part_height * np.cos(angle) + 20,
    )
    left, top = (stored.width - reach[0]) / 2, (stored.height - reach[1]) / 2
    shrink = STRAIGHTENED.width / CROP.width
    part = stored.crop(int(left), int(top), int(reach[0]), int(reach[1])).resize(shrink, kernel="lanczos3").numpy()
    turn = cv2.getRotationMatrix2D((part.shape[1] / 2, part.shape[0] / 2), -ANGLE, 1)
    turn[:, 2] += np.array([(STRAIGHTENED.width - part.shape[1]) / 2, (STRAIGHTENED.height - part.shape[0]) / 2])
    warped = cv2.warpAffine(part, turn, (STRAIGHTENED.width, STRAIGHTENED.height), flags=cv2.INTER_LANCZOS4)
    image = pyvips.Image.new_from_array(warped, interpretation="srgb")
    return bytes(image.jpegsave_buffer(Q=QUALITY, optimize_coding=True))


def preview_turned(source: Source, edge: int) -> bytes:
    """A preview at an angle nobody has asked for yet."""
    from lucidex.core.steps import StepEntry
    from lucidex.core.steps.straighten import Straighten

    _step[0] += 1
    document = PictureDocument(steps=(StepEntry(id="s", step=Straighten(angle_degrees=1 + _step[0] / 100)),))
    geometry = document.geometry(source.upright)
    placement = fit(geometry.size, Size(edge, edge), Rule.SCALE_DOWN)
    return encode(draw(source, plan(source, geometry, placement, None)), JPEG, DRAFT)
