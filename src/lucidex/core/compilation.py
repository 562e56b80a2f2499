"""All compiled kernels, made ready before somebody waits for them."""

import numpy as np

from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.picture.effects.base import View
from lucidex.core.picture.effects.detail import Sharpening
from lucidex.core.picture.tone import development
from lucidex.core.resampling import resampled, warp_kernel


def compile_kernels() -> None:
    """Have every kernel compiled, or read from its cache: some seconds the first time, half a second later."""
    development.compile_kernels()
    warp_kernel.load()
    for number_type in (np.uint8, np.uint16):
        for is_mapped in (True, False):
            pixels = np.zeros((4, 4, 4), number_type)
            pixels.flags.writeable = not is_mapped  # levels are mapped, and never written to: another kind of array
            for size in (Size(2, 2), Size(6, 6)):
                resampled(pixels, Window(0, 0, 4, 4), size, False)
                resampled(pixels, Window(0, 0, 4, 4), size, True)
    for bands in (3, 4):
        Sharpening(1.0, 1.0, 0.0).on(np.zeros((2, 2, bands), np.uint8), View(1.0))


if __name__ == "__main__":
    compile_kernels()
