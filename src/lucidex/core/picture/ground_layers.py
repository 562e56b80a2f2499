"""Grounds over pixels: colours and clear areas that steps put in the place of the original.

Works on finished sRGB pixels, so that a chosen colour is exactly the colour that comes out.
"""

import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.geometry.picture_geometry import Layer, Region
from lucidex.core.geometry.transform import Transform
from lucidex.core.picture.colour import image_of
from lucidex.core.picture.grounds import colour_of
from lucidex.core.source.pyramid import AnyPixels

STRIP_ROWS = 256  # floats are made for so many rows at a time

Floats = npt.NDArray[np.float32]


def paint(image: pyvips.Image, layers: tuple[Layer, ...], to_picture: Transform) -> pyvips.Image:
    """The image with the layers' grounds; 3 bands, or 4 with unpremultiplied alpha where something is clear.

    `image` is sRGB of 8 or 16 bits with 3 or 4 bands; `to_picture` leads from its pixels to pixels of the picture
    that the layers speak of. A ground's edge that falls inside a pixel covers the share of it that it should.
    """
    if not layers:
        return image
    pixels: AnyPixels = image.numpy()
    clear = pixels.shape[2] == 4 or any(layer.ground == "clear" for layer in layers)
    rows = range(0, pixels.shape[0], STRIP_ROWS)
    painted = np.concatenate([_paint_rows(pixels[top : top + STRIP_ROWS], top, layers, to_picture) for top in rows])
    return image_of(painted if clear else painted[..., :3])


def _paint_rows(pixels: AnyPixels, top: int, layers: tuple[Layer, ...], to_picture: Transform) -> AnyPixels:
    height, width, bands = pixels.shape
    full = int(np.iinfo(pixels.dtype).max)
    alpha = pixels[..., 3:].astype(np.float32) / full if bands == 4 else np.ones((height, width, 1), np.float32)
    colour = pixels[..., :3].astype(np.float32) * alpha
    for layer in layers:
        covered = coverage(layer.region, to_picture, width, height, top)[..., None]
        kept = 1 - covered if layer.inside else covered
        rgb = colour_of(layer.ground)
        added = np.zeros(3, np.float32) if rgb is None else np.array(rgb, np.float32) * np.float32(full / 255)
        colour = colour * kept + added * (1 - kept)
        alpha = alpha * kept + np.float32(rgb is not None) * (1 - kept)
    plain = np.divide(colour, alpha, out=np.zeros_like(colour), where=alpha > 0)
    joined = np.concatenate([plain, alpha * full], axis=-1)
    exact: AnyPixels = np.rint(np.clip(joined, 0, full)).astype(pixels.dtype)
    return exact


def coverage(region: Region, to_picture: Transform, width: int, height: int, top: int = 0) -> Floats:
    """How much of each pixel a region covers: height × width, 0 to 1; rows begin at `top`.

    Exact for edges along the pixels; along other edges the distance of the pixel's middle from the edge is taken
    as the share, which is off by at most an eighth.
    """
    back = to_picture.then(region.back)
    x = np.arange(width, dtype=np.float64) + 0.5
    y = (np.arange(height, dtype=np.float64) + top + 0.5)[:, None]
    depth = back.g * x + back.h * y + back.i if not back.is_affine else np.float64(back.i)
    safe = np.maximum(depth, 1e-9)
    window = region.window
    across = _inside(
        (back.a * x + back.b * y + back.tx) / safe, window.left, window.width, (back.a, back.b), back, safe
    )
    down = _inside(
        (back.c * x + back.d * y + back.ty) / safe, window.top, window.height, (back.c, back.d), back, safe
    )
    share = across * down * (depth > 0)
    return np.broadcast_to(share, (height, width)).astype(np.float32)


def _inside(
    at: npt.NDArray[np.float64],
    start: float,
    length: float,
    row: tuple[float, float],
    back: Transform,
    depth: npt.NDArray[np.float64] | np.float64,
) -> npt.NDArray[np.float64]:
    steep = np.hypot((row[0] - at * back.g) / depth, (row[1] - at * back.h) / depth)
    low = np.clip((at - start) / steep + 0.5, 0, 1)
    high = np.clip((start + length - at) / steep + 0.5, 0, 1)
    share: npt.NDArray[np.float64] = np.maximum(low + high - 1, 0)
    return share
