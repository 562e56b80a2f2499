"""Making a modelled ground clear, at any scale.

Beside ground, each pixel is taken for a mixture of ground G and something else: I = α·C + (1 − α)·G. α grows with
the distance from the ground, from nothing at the tolerance to everything at the largest distance nearby, so that a
pale wash is as whole as black ink; C follows by unmixing (Smith and Blinn, Blue Screen Matting, 1996). What is
further from any ground than an edge reaches is whole, whatever its colour: the light parts of an object are no
window. Laid on the same ground again, the result looks as before.
"""

from dataclasses import dataclass

import cv2
import numpy as np
import pyvips

from lucidex.core.geometry.transform import Transform
from lucidex.core.picture.ground_surface import Surface, content_grid, ground_at
from lucidex.core.source.pyramid import AnyPixels

NEARBY = 3  # pixels: how far an edge reaches
GROUND_PIXELS = 3  # across and down, at least, are ground: what is smaller is a light in the object
REACH = NEARBY + GROUND_PIXELS
FULL_SHARE = 0.9  # of the largest distance nearby
STRIP_ROWS = 256


@dataclass(frozen=True)
class BackgroundRemoval:
    """A ground (`content.Surface`), and the distance from it in code values below which all is clear."""

    surface: Surface
    tolerance: float


def remove_backgrounds(
    image: pyvips.Image, background_removals: tuple[BackgroundRemoval, ...], to_content: Transform
) -> pyvips.Image:
    """8-bit sRGB with 4 bands, unpremultiplied; `to_content` leads from its pixels to content coordinates."""
    if not background_removals:
        return image
    pixels: AnyPixels = (image if image.hasalpha() else image.bandjoin(255)).numpy()
    for background_removal in background_removals:
        rows = range(0, pixels.shape[0], STRIP_ROWS)
        pixels = np.concatenate([_clear_strip(pixels, top, background_removal, to_content) for top in rows])
    return pyvips.Image.new_from_array(pixels, interpretation="srgb")


def _clear_strip(
    pixels: AnyPixels, top: int, background_removal: BackgroundRemoval, to_content: Transform
) -> AnyPixels:
    """Some rows, seen together with their neighbours above and below."""
    start, end = max(0, top - REACH), min(pixels.shape[0], top + STRIP_ROWS + REACH)
    cleared = _clear_rows(pixels[start:end], start, background_removal, to_content)
    return cleared[top - start : top - start + STRIP_ROWS]


def _clear_rows(
    pixels: AnyPixels, top: int, background_removal: BackgroundRemoval, to_content: Transform
) -> AnyPixels:
    height, width = pixels.shape[:2]
    ground = np.clip(ground_at(background_removal.surface, *content_grid(to_content, width, height, top)), 0, 255)
    apart = pixels[..., :3] - ground
    distance = np.abs(apart).max(axis=-1)
    around = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * NEARBY + 1, 2 * NEARBY + 1))
    nearby = cv2.dilate(distance, around)
    is_ground = (distance <= background_removal.tolerance).astype(np.uint8)
    solid = cv2.morphologyEx(
        is_ground,
        cv2.MORPH_OPEN,
        np.ones((GROUND_PIXELS, GROUND_PIXELS), np.uint8),
        borderType=cv2.BORDER_REPLICATE,
    )
    is_beside_ground = cv2.dilate(solid, around) > 0
    reach = np.maximum(FULL_SHARE * nearby - background_removal.tolerance, 1.0)
    share = np.clip((distance - background_removal.tolerance) / reach, 0, 1)[..., None]
    share[~is_beside_ground] = 1
    # a colour can only be unmixed as far as it stays a colour
    room = np.where(apart > 0, 255 - ground, ground)
    least = np.max(np.abs(apart) / np.maximum(room, 1), axis=-1, keepdims=True)
    share = np.where(share > 0, np.maximum(share, np.minimum(least, 1)), 0)
    colour = ground + np.divide(apart, share, out=np.zeros_like(apart), where=share > 0)
    joined = np.concatenate([colour, share * pixels[..., 3:]], axis=-1)
    exact: AnyPixels = np.rint(np.clip(joined, 0, 255)).astype(np.uint8)
    exact[exact[..., 3] == 0] = 0
    return exact
