"""All compiled kernels, made ready before somebody waits for them."""

import numpy as np

from lucidex.core.areas.area import Area
from lucidex.core.areas.shapes import Ellipse, Stroke
from lucidex.core.areas.sight import Sight
from lucidex.core.encode.likeness import Reference
from lucidex.core.finish import layer_kernel
from lucidex.core.framing.attention import attention
from lucidex.core.geometry.sizes import Box, Size, Window
from lucidex.core.matting.edge import carried, solved_alpha
from lucidex.core.picture.effects.base import View
from lucidex.core.picture.effects.detail import Sharpening
from lucidex.core.picture.tone import development
from lucidex.core.resampling import resampled, warp_kernel
from lucidex.core.source.denoising import CosineDenoising
from lucidex.core.source.derivation import StoredPixels, restored
from lucidex.core.source.local.distortion import Distortion, ShiftStroke
from lucidex.core.source.local.healing import Healing
from lucidex.core.steps.mend_spots import MendedSpot


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
    _compile_areas()
    _compile_layers()
    attention(np.zeros((8, 8, 3), np.uint8))
    Reference(np.zeros((40, 40, 3), np.uint8)).likeness(np.zeros((40, 40, 3), np.uint8))
    for bands in (3, 4):
        Sharpening(1.0, 1.0, 0.0).on(np.zeros((2, 2, bands), np.uint8), View(1.0))


def _compile_areas() -> None:
    """What areas are drawn with, and what is done over them."""
    parts = Ellipse(width=0.4, height=0.4), Stroke(path=((0.4, 0.5), (0.6, 0.5)), radius=0.1)
    Area(shapes=parts, edge=0.05).mask(Sight(Size(16, 16)), Box(0, 0, Size(16, 16)))
    spot = MendedSpot(path=((0.5, 0.5),), radius=0.05)
    shifted = ShiftStroke(path=((0.4, 0.5), (0.6, 0.5)), radius=0.2)
    for bands in (1, 3, 4):
        restored(StoredPixels(np.zeros((48, 48, bands), np.uint8)), (Healing(spot), Distortion((shifted,))))
    colours, inside = np.zeros((24, 24, 3)), np.zeros((24, 24), bool)
    inside[8:16, 8:16] = True
    carried(colours, solved_alpha(colours, inside, np.zeros((24, 24), bool)))
    grain = np.random.default_rng(0).integers(80, 160, (96, 96, 3)).astype(np.uint8)
    restored(StoredPixels(grain), (CosineDenoising(0.4),))


def _compile_layers() -> None:
    """What things around a picture are laid under and over it with."""
    cover, rows = np.ones((2, 2), np.float32), np.ones(2, np.float32)
    kept = cover.copy()
    kept.flags.writeable = False  # masks that are kept are never written to: another kind of array
    for bands in (3, 4):
        pixels = np.zeros((2, 2, bands), np.uint8)
        layer_kernel.mix_colour_over(pixels, cover, 0.5, 0.0, 0.0, 0.0)
        layer_kernel.mix_colour_atop(pixels, cover, 0.0, 0.0, 0.0)
    for alpha in (cover, kept, np.broadcast_to(np.float32(1), (2, 2))):
        layer_kernel.scale_alpha(pixels, alpha)
    layer_kernel.lay_colour_under(pixels, cover, 0.5, 0.0, 0.0, 0.0)
    layer_kernel.lay_colour_beside(pixels, kept, kept, 0.0, 0.0, 0.0)
    layer_kernel.lay_picture_under(pixels, pixels.copy(), rows)


if __name__ == "__main__":
    compile_kernels()
