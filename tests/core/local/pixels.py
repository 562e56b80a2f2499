"""Pictures and looks at them that tests of local changes share."""

import numpy as np

from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.derivation import LocalChange, StoredPixels, restored
from lucidex.core.source.pyramid import AnyPixels


def lively(height: int, width: int, bands: int = 3, kind: type = np.uint8, seed: int = 1) -> AnyPixels:
    """Gradients, edges and grain; where there is alpha, a clear part."""
    random = np.random.default_rng(seed)
    y, x = np.mgrid[0:height, 0:width]
    waves = 110 + 60 * np.sin(x / 9) + 40 * np.cos(y / 14) + 30 * ((x // 40 + y // 30) % 2)
    values = waves[..., None] + random.normal(0, 6, (height, width, bands))
    pixels = np.clip(values, 0, 255) * (np.iinfo(kind).max / 255)
    if bands in {2, 4}:
        pixels[..., -1] = np.iinfo(kind).max * np.clip((x - width * 0.2) / (width * 0.3), 0, 1)
    return pixels.astype(kind)


def smooth_waves(height: int, width: int, bands: int) -> AnyPixels:
    """Nothing sharp, so that a resampling can be told to a code value; opaque where there is alpha."""
    y, x = np.mgrid[0:height, 0:width]
    waves = [120 + 60 * np.sin(x / (7 + band)) + 50 * np.cos(y / (9 + band)) for band in range(bands)]
    pixels = np.stack(waves, axis=-1).astype(np.uint8)
    if bands in {2, 4}:
        pixels[..., -1] = 255
    return pixels


def changed(pixels: AnyPixels, change: LocalChange, orientation: int = 1, profile: bytes | None = None) -> AnyPixels:
    return restored(StoredPixels(pixels, orientation, profile), (change,))


def box_of(change: LocalChange, pixels: AnyPixels, orientation: int = 1) -> Box:
    box = change.box(Size(pixels.shape[1], pixels.shape[0]), orientation)
    assert box is not None
    return box


def outside(pixels: AnyPixels, box: Box) -> AnyPixels:
    """The pixels with a box blanked."""
    rest = pixels.copy()
    rest[box.top : box.top + box.size.height, box.left : box.left + box.size.width] = 0
    return rest
