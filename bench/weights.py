"""Bytes at equal likeness, and time, of how files are written against the library's usual settings.

python -m bench weights [JPEG|WebP|AVIF|PNG|chroma]

Each picture of `bench.corpus` is written by the usual settings at the format's usual quality; then the bytes are
found at which our settings give the same likeness, on the curve through several qualities. PNG is compared without
loss, and where 256 colours look the same, with them.
"""

import math
import sys
import time
from collections.abc import Callable
from itertools import pairwise
from statistics import mean

import numpy as np
import pyvips

from bench.corpus import Pixels, at_site_size, drawn
from lucidex.core.encode import Encoding, FormatName, encode
from lucidex.core.encode.base import Effort
from lucidex.core.encode.likeness import LOOKS_THE_SAME, Reference

Save = Callable[[pyvips.Image, int], bytes]


def usual_jpeg(image: pyvips.Image, quality: int) -> bytes:
    """As most programs call the library."""
    return bytes(image.jpegsave_buffer(Q=quality, optimize_coding=True, keep="icc", profile="srgb"))


def usual_webp(image: pyvips.Image, quality: int) -> bytes:
    """As most programs call the library."""
    return bytes(image.webpsave_buffer(Q=quality, effort=4, keep="icc", profile="srgb"))


def usual_avif(image: pyvips.Image, quality: int) -> bytes:
    """As most programs call the library."""
    return bytes(image.heifsave_buffer(Q=quality, compression="av1", effort=2, keep="icc", profile="srgb"))


def usual_png(image: pyvips.Image) -> bytes:
    """As most programs call the library."""
    return bytes(image.pngsave_buffer(compression=6, filter="all", keep="icc", profile="srgb"))


def ours(name: str, effort: Effort = Effort.THOROUGH) -> Save:
    """As the product writes finished files."""
    return lambda image, quality: encode(image, FormatName(name), Encoding(quality, effort=effort))


QUALITIES = {"jpeg": (40, 55, 65, 75, 82, 88, 94), "webp": (35, 50, 65, 75, 82, 90), "avif": (30, 42, 52, 60, 68, 78)}
USUAL_QUALITY = {"jpeg": 82, "webp": 80, "avif": 60}
USUAL: dict[str, Save] = {"jpeg": usual_jpeg, "webp": usual_webp, "avif": usual_avif}


def pictures() -> list[tuple[str, Pixels]]:
    """Those of the site's size, and the drawn ones."""
    return [*at_site_size(), *drawn().items()]


def image_of(pixels: Pixels) -> pyvips.Image:
    """As the encoders take it."""
    return pyvips.Image.new_from_array(pixels, interpretation="srgb")


def decoded(content: bytes) -> Pixels:
    """Three bands of bytes."""
    read = pyvips.Image.new_from_buffer(content, "").colourspace("srgb").numpy()
    return np.ascontiguousarray(read[..., :3] if read.shape[2] >= 3 else np.repeat(read[..., :1], 3, 2))


def bytes_at(curve: list[tuple[float, int]], likeness: float) -> float | None:
    """Where a curve of likeness and bytes reaches a likeness; None beyond its ends."""
    curve = sorted(curve)
    for (low, light), (high, heavy) in pairwise(curve):
        if low <= likeness <= high and high > low:
            share = (likeness - low) / (high - low)
            return math.exp(math.log(light) + share * math.log(heavy / light))
    return None


def compare(name: str, save: Save, chosen: list[tuple[str, Pixels]]) -> None:
    """One format: a line for each picture, and the mean."""
    ratios, usual_s, our_s = [], 0.0, 0.0
    for label, pixels in chosen:
        image, reference = image_of(pixels), Reference(pixels)
        begun = time.perf_counter()
        usual = USUAL[name](image, USUAL_QUALITY[name])
        usual_s += time.perf_counter() - begun
        likeness = reference.likeness(decoded(usual))
        curve = []
        for quality in QUALITIES[name]:
            begun = time.perf_counter()
            content = save(image, quality)
            our_s += (time.perf_counter() - begun) / len(QUALITIES[name])
            curve.append((reference.likeness(decoded(content)), len(content)))
        ours_there = bytes_at(curve, likeness)
        if ours_there is None:
            print(f"  {label}: {likeness:.0f} is beyond the curve {min(curve)[0]:.0f} to {max(curve)[0]:.0f}")
            continue
        ratios.append(ours_there / len(usual))
        print(f"  {label}: {len(usual) / 1000:.0f} kB at {likeness:.0f}, ours {ours_there / len(usual):.3f}")
    lighter = 1 - math.exp(mean(math.log(ratio) for ratio in ratios))
    print(f"{name}: {lighter:.1%} lighter at equal likeness, {our_s / usual_s:.1f} × the time", flush=True)


def compare_png(chosen: list[tuple[str, Pixels]]) -> None:
    """Without loss, and with few colours where that looks the same."""
    ratios, usual_s, our_s = [], 0.0, 0.0
    for label, pixels in chosen:
        image, reference = image_of(pixels), Reference(pixels)
        begun = time.perf_counter()
        usual = usual_png(image)
        usual_s += time.perf_counter() - begun
        begun = time.perf_counter()
        exact = encode(image, FormatName("png"), Encoding(None))
        our_s += time.perf_counter() - begun
        few = encode(image, FormatName("png"), Encoding(95))
        likeness = reference.likeness(decoded(few))
        best = len(few) if likeness >= LOOKS_THE_SAME else len(exact)
        ratios.append(min(best, len(exact)) / len(usual))
        print(
            f"  {label}: {len(usual) / 1000:.0f} kB, no loss {len(exact) / len(usual):.3f}, "
            f"few colours {len(few) / len(usual):.3f} at {likeness:.0f}"
        )
    lighter = 1 - math.exp(mean(math.log(ratio) for ratio in ratios))
    print(f"png: {lighter:.1%} lighter where it looks the same, {our_s / usual_s:.1f} × the time without loss")


def main() -> None:
    """All formats, or those that are named."""
    chosen = pictures()
    for name, words in (("jpeg", "JPEG"), ("webp", "WebP"), ("avif", "AVIF")):
        if len(sys.argv) == 1 or words in sys.argv:
            compare(name, ours(name), chosen)
    if len(sys.argv) == 1 or "PNG" in sys.argv:
        compare_png(chosen)


if __name__ == "__main__":
    main()
