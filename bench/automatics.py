"""What the automatics do to photographs: to right ones, and to the same with a typical fault.

    .venv/bin/python -m bench automatics

Range, light and balance by themselves, one after the other, beside doing nothing and beside a plain reference (each
channel alike, from its 0.5th to its 99.5th percentile of luma to black and white). In mean CIEDE2000 to the right
photograph, at 512 pixels, on the photographs of `bench/photographs.py`, apart for those on which it was fitted.
"""

from collections import defaultdict
from collections.abc import Callable

import numpy as np
import pyvips

from bench.photographs import Pixels, photographs
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size
from lucidex.core.luma import BT709_LUMA
from lucidex.core.picture.raster import Raster
from lucidex.core.picture.tone.development import Floats, developed, gains, to_gamma, to_linear
from lucidex.core.steps.colour import Balance
from lucidex.core.steps.tone import Light, Range

EDGE = 512
FAULTS: dict[str, Callable[[Floats], Floats]] = {
    "right as it is": lambda value: value,
    "in haze": lambda value: 0.55 * value + 0.35,
    "flat": lambda value: 0.5 * value + 0.25,
    "two stops too dark": lambda value: to_gamma(to_linear(value) / 4),
    "a stop too light": lambda value: to_gamma(np.minimum(to_linear(value) * 2, 1)),
    "two stops too light": lambda value: to_gamma(np.minimum(to_linear(value) * 4, 1)),
    "a warm lamp": lambda value: to_gamma(np.minimum(to_linear(value) * gains(0.66, 0.03), 1)),
    "a blue sky": lambda value: to_gamma(np.minimum(to_linear(value) * gains(-0.35, 0.14), 1)),
}


def by_itself(pixels: Pixels) -> Pixels:
    """Range, light and balance, each on what the one before has left."""
    for kind in (Range, Light, Balance):
        raster = Raster(pixels, PictureGeometry.of(Size(pixels.shape[1], pixels.shape[0])))
        pixels = developed(pixels, kind(automatic=True).found_on(raster).tone())
    return pixels


def stretched(pixels: Pixels) -> Pixels:
    """The reference."""
    low, high = np.percentile(pixels @ np.array(BT709_LUMA), (0.5, 99.5))
    made: Pixels = np.clip((pixels - low) / max(high - low, 1) * 255, 0, 255).astype(np.uint8)
    return made


def apart(one: Pixels, other: Pixels) -> float:
    """CIEDE2000 in the mean."""
    a, b = (pyvips.Image.new_from_array(pixels, interpretation="srgb").colourspace("lab") for pixels in (one, other))
    return float(a.dE00(b).avg())


def main() -> None:
    """Measure, and say."""
    found: dict[tuple[str, bool], list[tuple[float, float, float]]] = defaultdict(list)
    for _, is_fitted, right in photographs(EDGE):
        for fault, spoil in FAULTS.items():
            seen = np.rint(np.clip(spoil(right / 255), 0, 1) * 255).astype(np.uint8)
            found[fault, is_fitted] += [
                (apart(seen, right), apart(stretched(seen), right), apart(by_itself(seen), right))
            ]
    for is_fitted, words in ((False, "measured on"), (True, "fitted on")):
        count = len(found["right as it is", is_fitted])
        print(f"| {words} {count} photographs, ΔE00 | untouched | percentiles | by itself | its worst |")
        print("|---|---|---|---|---|")
        for fault in FAULTS:
            rows = found[fault, is_fitted]
            means = " | ".join(f"{mean:.1f}" for mean in np.mean(rows, axis=0))
            print(f"| {fault} | {means} | {max(row[2] for row in rows):.1f} |")


if __name__ == "__main__":
    main()
