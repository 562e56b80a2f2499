"""Less noise on photographs, beside doing nothing, in decibels; and how long twelve megapixels take.

    .venv/bin/python -m bench noise

The middle 384 × 384 pixels of each photograph of `bench/photographs.py`, with white noise added; the step at its
usual strength, which finds the noise by itself.
"""

import time
from collections import defaultdict

import numpy as np

from bench.photographs import Pixels, photographs
from lucidex.core.source.denoising import USUAL, CosineDenoising
from lucidex.core.source.derivation import StoredPixels, restored

EDGE, DEVIATIONS = 384, (4, 10, 20)
LARGE = (3_000, 4_000, 3)


def decibels(one: Pixels, other: Pixels) -> float:
    """The ratio of the whole range to what two pictures are apart."""
    return float(10 * np.log10(255**2 / ((one.astype(float) - other) ** 2).mean()))


def main() -> None:
    """Measure, and say."""
    random, step = np.random.default_rng(1), CosineDenoising(USUAL)
    found: dict[tuple[bool, int], list[tuple[float, float]]] = defaultdict(list)
    for _, is_fitted, pixels in photographs(4_000, in_colour=False):
        top, left = ((side - min(side, EDGE)) // 2 for side in pixels.shape[:2])
        clean = pixels[top : top + EDGE, left : left + EDGE]
        for deviation in DEVIATIONS:
            noisy = np.clip(np.rint(clean + random.normal(0, deviation, clean.shape)), 0, 255).astype(np.uint8)
            calmed = restored(StoredPixels(noisy), (step,))
            found[is_fitted, deviation].append((decibels(noisy, clean), decibels(calmed, clean)))
    print("| standard deviation of the noise | untouched | less noise | worse than untouched |\n|---|---|---|---|")
    for (is_fitted, deviation), rows in sorted(found.items()):
        words = f"{deviation}, {len(rows)} photographs {'fitted' if is_fitted else 'measured'} on"
        before, after = np.mean(rows, axis=0)
        print(f"| {words} | {before:.1f} | {after:.1f} | {sum(one > other for one, other in rows)} |")
    noisy = np.clip(random.normal(128, 8, LARGE), 0, 255).astype(np.uint8)
    start = time.perf_counter()
    restored(StoredPixels(noisy), (step,))
    print(f"\nTwelve megapixels: {time.perf_counter() - start:.1f} s.")


if __name__ == "__main__":
    main()
