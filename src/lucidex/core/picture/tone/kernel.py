"""The hot loop of the development: one pass over the pixels, compiled.

Formulas and inner order are written down in `development`; here is nothing but their evaluation. It goes by
blocks that stay in the processor's cache, one plane a channel and one stage at a time, without a branch inside a
loop, so that the compiler can treat several pixels at once.

Tables are n + 2 long: entry n stands for 1, and one more follows so that its neighbour can be read.
"""

from typing import Any

import numpy as np
from numba import njit

from lucidex.core.luma import BT709_LUMA

RED, GREEN, BLUE = (np.float32(share) for share in BT709_LUMA)
SKIN_HUE, SKIN_REACH, SKIN_SPARED = np.float32(0.28), np.float32(0.28), np.float32(0.75)
NOTHING, ALL, HALF = np.float32(0), np.float32(1), np.float32(0.5)
WHITE, DEEP_WHITE = np.float32(255), np.float32(65_535)
FEW = np.float32(1e-6)
MAX_FACTOR = np.float32(8)  # by which a colour is taken along, so that specks in the dark do not light up
NEXT = np.uint32(1)  # unsigned indices spare a test for negative ones
BLOCK = 512

compiled = njit(cache=True, nogil=True, error_model="numpy")


@compiled
def develop_codes(pixels: Any, codes: Any, folded: Any, out: Any) -> None:
    """Code values, n × 3 or more, into n × 3 or more of 8 or 16 bits; `codes` is the linear light of each value."""
    planes = np.empty((4, BLOCK), np.float32)
    for start in range(0, pixels.shape[0], BLOCK):
        n = min(BLOCK, pixels.shape[0] - start)
        for i in range(n):
            planes[0, i] = codes[pixels[start + i, 0]]
            planes[1, i] = codes[pixels[start + i, 1]]
            planes[2, i] = codes[pixels[start + i, 2]]
        _develop_block(planes, n, folded, out[start : start + n])


@compiled
def develop_light(light: Any, folded: Any, out: Any) -> None:
    """Linear light, n × 3 or more floats, into n × 3 or more of 8 or 16 bits; a fourth column is left alone."""
    planes = np.empty((4, BLOCK), np.float32)
    for start in range(0, light.shape[0], BLOCK):
        n = min(BLOCK, light.shape[0] - start)
        for i in range(n):
            planes[0, i] = light[start + i, 0]
            planes[1, i] = light[start + i, 1]
            planes[2, i] = light[start + i, 2]
        _develop_block(planes, n, folded, out[start : start + n])


@compiled
def _develop_block(planes: Any, n: int, folded: Any, out: Any) -> None:
    mix, vividness, luminance, reds, greens, blues, shifts = folded
    red, green, blue, spare = planes[0, :n], planes[1, :n], planes[2, :n], planes[3, :n]
    _mix(mix, red, green, blue)
    if vividness != NOTHING:
        _vivify(vividness, red, green, blue)
    if luminance.shape[0] > 0:
        _follow_luminance(luminance, red, green, blue, spare)
    _hold_in_gamut(red, green, blue)
    _bend(reds, red)
    _bend(greens, green)
    _bend(blues, blue)
    if shifts.shape[0] > 0:
        _shift_by_luma(shifts, red, green, blue)
    if out.itemsize == 1:
        for i in range(n):
            out[i, 0] = np.uint8(red[i] * WHITE + HALF)
            out[i, 1] = np.uint8(green[i] * WHITE + HALF)
            out[i, 2] = np.uint8(blue[i] * WHITE + HALF)
    else:
        for i in range(n):
            out[i, 0] = np.uint16(red[i] * DEEP_WHITE + HALF)
            out[i, 1] = np.uint16(green[i] * DEEP_WHITE + HALF)
            out[i, 2] = np.uint16(blue[i] * DEEP_WHITE + HALF)


@njit(cache=True, nogil=True, inline="always", error_model="numpy")
def _read(table: Any, place: Any) -> Any:
    """A table's value between its entries, in a straight line."""
    index = np.uint32(place)
    low = table[index]
    return low + (table[index + NEXT] - low) * (place - np.float32(index))


@compiled
def _mix(mix: Any, red: Any, green: Any, blue: Any) -> None:
    for i in range(red.shape[0]):
        r, g, b = red[i], green[i], blue[i]
        red[i] = mix[0, 0] * r + mix[0, 1] * g + mix[0, 2] * b
        green[i] = mix[1, 0] * r + mix[1, 1] * g + mix[1, 2] * b
        blue[i] = mix[2, 0] * r + mix[2, 1] * g + mix[2, 2] * b


@compiled
def _vivify(vividness: Any, red: Any, green: Any, blue: Any) -> None:
    """Moves a colour from its luminance, little for strong colours and for skin."""
    for i in range(red.shape[0]):
        r, g, b = red[i], green[i], blue[i]
        most, least = max(max(r, g), b), min(min(r, g), b)
        weak = ALL - min((most - least) / max(most, FEW), ALL)
        hue = (g - b) / max(most - least, FEW)
        skin = max(NOTHING, ALL - abs(hue - SKIN_HUE) / SKIN_REACH)
        skin = skin if (r == most) & (g >= b) else NOTHING
        by = max(NOTHING, ALL + vividness * weak * (ALL + weak) * HALF * (ALL - SKIN_SPARED * skin))
        y = RED * r + GREEN * g + BLUE * b
        red[i], green[i], blue[i] = y + by * (r - y), y + by * (g - y), y + by * (b - y)


@compiled
def _follow_luminance(wanted: Any, red: Any, green: Any, blue: Any, spare: Any) -> None:
    """Gives each colour the luminance that is wanted for its own, and takes its colour along in proportion."""
    last = np.float32(wanted.shape[0] - 2)
    for i in range(red.shape[0]):
        y = RED * red[i] + GREEN * green[i] + BLUE * blue[i]
        spare[i] = last * np.sqrt(min(max(y, NOTHING), ALL))
    for i in range(red.shape[0]):
        spare[i] = _read(wanted, spare[i])
    for i in range(red.shape[0]):
        r, g, b, become = red[i], green[i], blue[i], spare[i]
        y = RED * r + GREEN * g + BLUE * b
        by = min(become / max(min(y, ALL), FEW), MAX_FACTOR)
        become = become + by * max(y - ALL, NOTHING)
        red[i], green[i], blue[i] = become + by * (r - y), become + by * (g - y), become + by * (b - y)


@compiled
def _hold_in_gamut(red: Any, green: Any, blue: Any) -> None:
    for i in range(red.shape[0]):
        r, g, b = red[i], green[i], blue[i]
        y, least = RED * r + GREEN * g + BLUE * b, min(min(r, g), b)
        below = least < NOTHING
        by = y / (y - least) if below & (y > NOTHING) else NOTHING
        y = max(y, NOTHING)
        r = max(y + by * (r - y), NOTHING) if below else r
        g = max(y + by * (g - y), NOTHING) if below else g
        b = max(y + by * (b - y), NOTHING) if below else b
        y, most = RED * r + GREEN * g + BLUE * b, max(max(r, g), b)
        above = most > ALL
        by = (ALL - y) / (most - y) if above & (y < ALL) else NOTHING
        y, most = min(y, ALL), max(most, FEW)
        red[i] = min(HALF * (r / most + y + by * (r - y)), ALL) if above else r
        green[i] = min(HALF * (g / most + y + by * (g - y)), ALL) if above else g
        blue[i] = min(HALF * (b / most + y + by * (b - y)), ALL) if above else b


@compiled
def _bend(table: Any, plane: Any) -> None:
    last = np.float32(table.shape[0] - 2)
    for i in range(plane.shape[0]):
        plane[i] = last * np.sqrt(plane[i])
    for i in range(plane.shape[0]):
        plane[i] = _read(table, plane[i])


@compiled
def _shift_by_luma(shifts: Any, red: Any, green: Any, blue: Any) -> None:
    """`shifts`: for each channel a quadratic of the luma, which falls to nothing at black and white."""
    for i in range(red.shape[0]):
        luma = min(max(RED * red[i] + GREEN * green[i] + BLUE * blue[i], NOTHING), ALL)
        across = (luma + luma - ALL) * (luma + luma - ALL)
        edge = ALL - across * across
        r = red[i] + edge * (shifts[0, 0] + luma * (shifts[0, 1] + luma * shifts[0, 2]))
        g = green[i] + edge * (shifts[1, 0] + luma * (shifts[1, 1] + luma * shifts[1, 2]))
        b = blue[i] + edge * (shifts[2, 0] + luma * (shifts[2, 1] + luma * shifts[2, 2]))
        red[i] = min(max(r, NOTHING), ALL)
        green[i] = min(max(g, NOTHING), ALL)
        blue[i] = min(max(b, NOTHING), ALL)
