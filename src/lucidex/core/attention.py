"""Where the eye goes first: a suggestion for the focal point of a picture."""

import pyvips

from lucidex.core.geometry import Point

CANONICAL_EDGE = 1_024  # every analysis sees the picture at this size, so that it finds the same at any scale


def focal_point(image: pyvips.Image) -> Point:
    """The spot that draws attention, in fractions of the picture.

    `image` is 8-bit sRGB, 3 or 4 bands, of about `CANONICAL_EDGE`. Source: libvips `smartcrop` with the
    attention strategy: edges, skin tones and saturated colours, the best window by their sum.
    """
    flat = image.flatten(background=[128, 128, 128]) if image.hasalpha() else image
    side = max(1, min(flat.width, flat.height) // 2)
    found = flat.smartcrop(side, side, interesting="attention", attention_x=True, attention_y=True)[1]
    return Point(
        min(max(found["attention_x"] / flat.width, 0.0), 1.0), min(max(found["attention_y"] / flat.height, 0.0), 1.0)
    )
