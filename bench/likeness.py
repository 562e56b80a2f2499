"""How well likeness follows a published metric that costs much more, and how long it takes.

python -m bench likeness [--fit]

Every window of `bench.corpus` is written in four formats at many qualities, and each file is compared with its
picture by both. `--fit` finds the weights anew and writes them. What is reported for a picture was fitted without it.
"""

import io
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from statistics import median

import numpy as np
import numpy.typing as npt
import pyvips
from PIL import Image
from scipy.optimize import nnls
from scipy.stats import spearmanr
from ssimulacra2 import compute_ssimulacra2

from bench.corpus import Pixels, windows
from lucidex.core.encode.likeness import LOOKS_THE_SAME, POOR_BELOW, WORDS, Reference

FITTED_FROM = -10  # of the published metric: worse files are poor, however much
EXACT_WITHIN = 10  # of the published metric
WEIGHTS_FILE = Path(__file__).parents[1] / "src/lucidex/core/encode/likeness_weights.py"
SAYS = "How much numbers of `Reference.differences` weigh, as `python -m bench likeness --fit` wrote it."
HEAD = f'"""{SAYS}"""\n\nWEIGHTS = {{\n'
LEAST_WEIGHT = 0.005
TIMED = 1_600, 1_200
Numbers = npt.NDArray[np.float64]


def files(pixels: Pixels) -> Iterator[tuple[str, bytes]]:
    """The picture in four formats, from poor to nearly the same."""
    image = pyvips.Image.new_from_array(pixels, interpretation="srgb")
    thorough = {"trellis_quant": True, "overshoot_deringing": True, "interlace": True, "quant_table": 3}
    for quality in (8, 15, 25, 40, 55, 70, 82, 90, 95):
        yield "JPEG", image.jpegsave_buffer(Q=quality, optimize_coding=True, subsample_mode="on")
    for quality in (82, 92):
        yield "JPEG", image.jpegsave_buffer(Q=quality, optimize_coding=True, subsample_mode="off")
    for quality in (15, 40, 75):
        yield "JPEG", image.jpegsave_buffer(Q=quality, optimize_coding=True, **thorough)
    for quality in (5, 20, 40, 60, 75, 85, 93):
        yield "WebP", image.webpsave_buffer(Q=quality, effort=4)
    for quality in (20, 35, 50, 60, 70, 80, 90):
        yield "AVIF", image.heifsave_buffer(Q=quality, compression="av1", effort=2)
    for bits, quality in ((4, 40), (8, 40), (8, 90)):
        yield "PNG", image.pngsave_buffer(palette=True, bitdepth=bits, Q=quality)


def published(reference: Pixels, other: Pixels) -> float:
    """What the costly metric says."""
    first, second = io.BytesIO(), io.BytesIO()
    for pixels, file in ((reference, first), (other, second)):
        Image.fromarray(pixels).save(file, "BMP")
    return float(compute_ssimulacra2(first, second))


def measured(named: tuple[str, Pixels]) -> list[tuple[str, str, float, Numbers]]:
    """Name, format, the published value and our numbers for each file of a picture."""
    name, pixels = named
    found, reference = [], Reference(pixels)
    for label, content in files(pixels):
        read = pyvips.Image.new_from_buffer(content, "").colourspace("srgb").numpy()
        other = np.ascontiguousarray(read[..., :3] if read.shape[2] >= 3 else np.repeat(read[..., :1], 3, 2))
        found.append((name, label, published(pixels, other), reference.differences(other)))
    return found


def fitted(numbers: Numbers, wanted: Numbers) -> Numbers:
    """Weights that are never negative, so that more difference is never more likeness; an error counts in proportion
    to what is lost, so that good files are judged finely."""
    kept = wanted > FITTED_FROM
    lost = 100 - wanted[kept]
    counts = 1 / (EXACT_WITHIN + lost)
    weights: Numbers = nnls(numbers[kept] * counts[:, None], lost * counts, maxiter=20_000)[0]
    return weights


def main() -> None:
    """Measure, fit where it is asked for, and report."""
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        rows = [row for rows in pool.map(measured, windows()) for row in rows]
    names, wanted = np.array([row[0] for row in rows]), np.array([row[2] for row in rows])
    numbers = np.array([row[3] for row in rows])
    if "--fit" in sys.argv:
        weights = fitted(numbers, wanted)
        entries = "".join(f"    {at}: {value:.2f},\n" for at, value in enumerate(weights) if value >= LEAST_WEIGHT)
        WEIGHTS_FILE.write_text(f"{HEAD}{entries}}}\n")
        print(f"written: {np.sum(weights >= LEAST_WEIGHT)} of {len(weights)} numbers count")
    without = np.zeros(len(rows))
    for name in np.unique(names):
        own = names == name
        without[own] = 100 - numbers[own] @ fitted(numbers[~own], wanted[~own])
    kept = wanted > FITTED_FROM
    print(f"{len(rows)} files of {len(np.unique(names))} pictures, each judged by weights fitted without its picture")
    print(f"rank correlation {spearmanr(without, wanted)[0]:.3f}", end=", ")
    print(f"typical error {np.mean(np.abs(without - wanted)[kept]):.1f} of 100")
    for border in (LOOKS_THE_SAME, POOR_BELOW, WORDS[2][0]):
        agreed = np.mean((without >= border) == (wanted >= border))
        print(f"on the same side of {border:.0f}: {agreed:.0%}")
    _time()


def _time() -> None:
    random = np.random.default_rng(1)
    first = random.integers(0, 255, (TIMED[1], TIMED[0], 3)).astype(np.uint8)
    second = np.clip(first.astype(int) + 3, 0, 255).astype(np.uint8)
    reference, times = Reference(first), []
    reference.likeness(second)
    for _ in range(9):
        begun = time.perf_counter()
        reference.likeness(second)
        times.append(time.perf_counter() - begun)
    print(f"{TIMED[0]} × {TIMED[1]}, against a picture that is measured already: {1000 * median(times):.0f} ms")


if __name__ == "__main__":
    main()
