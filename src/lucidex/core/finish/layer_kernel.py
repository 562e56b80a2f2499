"""Laying colours and pictures under what is there already, compiled.

Source: Porter and Duff 1984, “over” and “dest-over”, on the encoded values as the web does (W3C Compositing and
Blending Level 1, 9.1), mixed premultiplied, so that edges take on nothing of what is clear; rounded once.
"""

from typing import Any

from numba import njit

compiled = njit(cache=True, nogil=True, error_model="numpy")


@compiled
def lay_colour_under(pixels: Any, cover: Any, strength: float, red: float, green: float, blue: float) -> None:
    """Under `pixels`, rows × columns × 4 bytes with unpremultiplied alpha, a colour (0 to 255) where `cover` is above
    0: rows × columns floats of 0 to 1, times `strength`."""
    for row in range(pixels.shape[0]):
        for column in range(pixels.shape[1]):
            below = cover[row, column] * strength
            if pixels[row, column, 3] == 255 or below <= 0.0:
                continue
            above = pixels[row, column, 3] / 255.0
            below *= 1.0 - above
            total = above + below
            if total <= 0.0:
                continue
            pixels[row, column, 0] = round((pixels[row, column, 0] * above + red * below) / total)
            pixels[row, column, 1] = round((pixels[row, column, 1] * above + green * below) / total)
            pixels[row, column, 2] = round((pixels[row, column, 2] * above + blue * below) / total)
            pixels[row, column, 3] = round(total * 255.0)


@compiled
def lay_colour_beside(pixels: Any, outer: Any, inner: Any, red: float, green: float, blue: float) -> None:
    """Beside what is there, where `outer` covers more than `inner`: both share a pixel and do not overlap (Porter and
    Duff’s “plus”), so that no seam shows between them and nothing fills what is clear within."""
    for row in range(pixels.shape[0]):
        for column in range(pixels.shape[1]):
            beside = outer[row, column] - inner[row, column]
            if beside <= 0.0:
                continue
            above = pixels[row, column, 3] / 255.0
            beside = min(beside, 1.0 - above)
            total = above + beside
            if total <= 0.0:
                continue
            pixels[row, column, 0] = round((pixels[row, column, 0] * above + red * beside) / total)
            pixels[row, column, 1] = round((pixels[row, column, 1] * above + green * beside) / total)
            pixels[row, column, 2] = round((pixels[row, column, 2] * above + blue * beside) / total)
            pixels[row, column, 3] = round(total * 255.0)


@compiled
def lay_picture_under(pixels: Any, under: Any, strength: Any) -> None:
    """The same with a picture: `under` is rows × columns × 4 bytes, `strength` a float for each row."""
    for row in range(pixels.shape[0]):
        for column in range(pixels.shape[1]):
            below = under[row, column, 3] / 255.0 * strength[row]
            if pixels[row, column, 3] == 255 or below <= 0.0:
                continue
            above = pixels[row, column, 3] / 255.0
            below *= 1.0 - above
            total = above + below
            if total <= 0.0:
                continue
            for band in range(3):
                mixed = pixels[row, column, band] * above + under[row, column, band] * below
                pixels[row, column, band] = round(mixed / total)
            pixels[row, column, 3] = round(total * 255.0)


@compiled
def mix_colour_over(pixels: Any, cover: Any, strength: float, red: float, green: float, blue: float) -> None:
    """Over `pixels`, rows × columns × 3 or 4 bytes, a colour where `cover` is above 0; alpha grows with it."""
    has_alpha = pixels.shape[2] == 4
    for row in range(pixels.shape[0]):
        for column in range(pixels.shape[1]):
            above = cover[row, column] * strength
            if above <= 0.0:
                continue
            below = (pixels[row, column, 3] / 255.0 if has_alpha else 1.0) * (1.0 - above)
            total = above + below
            pixels[row, column, 0] = round((pixels[row, column, 0] * below + red * above) / total)
            pixels[row, column, 1] = round((pixels[row, column, 1] * below + green * above) / total)
            pixels[row, column, 2] = round((pixels[row, column, 2] * below + blue * above) / total)
            if has_alpha:
                pixels[row, column, 3] = round(total * 255.0)


@compiled
def mix_colour_atop(pixels: Any, cover: Any, red: float, green: float, blue: float) -> None:
    """The same, and alpha stays as it is: only what is there takes on the colour."""
    for row in range(pixels.shape[0]):
        for column in range(pixels.shape[1]):
            share = cover[row, column]
            if share <= 0.0:
                continue
            pixels[row, column, 0] = round(pixels[row, column, 0] * (1.0 - share) + red * share)
            pixels[row, column, 1] = round(pixels[row, column, 1] * (1.0 - share) + green * share)
            pixels[row, column, 2] = round(pixels[row, column, 2] * (1.0 - share) + blue * share)


@compiled
def scale_alpha(pixels: Any, cover: Any) -> None:
    """Alpha times `cover`."""
    for row in range(pixels.shape[0]):
        for column in range(pixels.shape[1]):
            if cover[row, column] < 1.0:
                pixels[row, column, 3] = round(pixels[row, column, 3] * cover[row, column])
