"""What local changes have in common: floats of a part without bleeding, and mixing them in within a mask."""

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.areas.shapes import Masks
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.luma import BT709_LUMA
from lucidex.core.picture.grounds import Colour
from lucidex.core.source.derivation import StoredPixels
from lucidex.core.source.profiles import PROFILE_FIELD
from lucidex.core.source.pyramid import AnyPixels

Floats32 = npt.NDArray[Any]  # of 32 bits; OpenCV's types lose that


def padded_part(stored: StoredPixels, box: Box, reach: int) -> tuple[AnyPixels, Box]:
    """The pixels of a box and up to `reach` around it, as far as the picture goes, and where they lie."""
    left, top = max(0, box.left - reach), max(0, box.top - reach)
    right = min(stored.size.width, box.left + box.size.width + reach)
    bottom = min(stored.size.height, box.top + box.size.height + reach)
    wider = Box(left, top, Size(right - left, bottom - top))
    return stored.part(wider), wider


def opaque_floats(stored: StoredPixels, pixels: AnyPixels) -> Floats32:
    """Height × width × bands floats; colours premultiplied where there is alpha, which is 0 to 1 then."""
    values = pixels.astype(np.float32)
    if stored.has_alpha:
        values[..., -1] /= stored.opaque
        values[..., :-1] *= values[..., -1:]
    return values


def colours_of(stored: StoredPixels, values: Floats32) -> Floats32:
    """The colours of such floats again; where nothing is opaque they are 0."""
    if not stored.has_alpha:
        return values
    colours: Floats32 = np.divide(
        values[..., :-1], values[..., -1:], out=np.zeros_like(values[..., :-1]), where=values[..., -1:] > 1e-4
    )
    return colours


def mixed_in(stored: StoredPixels, box: Box, colours: Floats32, mask: Masks) -> AnyPixels:
    """The pixels of a box with other colours as far as a mask says; alpha stays, and so does all that it leaves out.

    `colours`: height × width × colour bands, in code values.
    """
    before = stored.part(box)
    after, bands = before.copy(), stored.colour_bands
    own = before[..., :bands]
    moved = own + (colours - own) * mask[..., None]
    kept = np.rint(np.clip(moved, 0, stored.opaque)).astype(before.dtype)
    touched = mask > 0
    after[..., :bands][touched] = kept[touched]
    return after


def in_stored_colours(stored: StoredPixels, colour: Colour) -> Floats32:
    """A colour of sRGB as the code values of these pixels: one for each colour band; of grey ones, its luma."""
    scale = stored.opaque / 255
    if stored.colour_bands == 1:
        return np.array(
            [sum(share * value for share, value in zip(BT709_LUMA, colour, strict=True)) * scale], np.float32
        )
    if stored.profile is None:
        return np.array(colour, np.float32) * np.float32(scale)
    # several pixels: some transforms refuse a single one
    image = pyvips.Image.black(4, 4, bands=3).linear([1, 1, 1], list(colour)).cast("uchar")
    depth = 16 if stored.opaque > 255 else 8
    lab = image.copy(interpretation="srgb").icc_import(input_profile="srgb", intent="relative")
    lab.set_type(pyvips.GValue.blob_type, PROFILE_FIELD, stored.profile)
    there = lab.icc_export(intent="relative", depth=depth).numpy()
    return np.asarray(there[1, 1, :3], np.float32)


def blurred(values: Floats32, sigma: float) -> Floats32:
    """A Gaussian over premultiplied floats; edges go on as they end. Bands stay as they are."""
    soft = cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    return soft.reshape(values.shape).astype(np.float32)
