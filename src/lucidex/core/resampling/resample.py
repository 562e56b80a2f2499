"""A window of pixels to whole pixels: reduced, enlarged, or moved by a part of a pixel.

Reducing is Lanczos with three lobes. Enlarging is cubic, then corrected until its reduction is the picture again
(Irani and Peleg, Improving Resolution by Image Registration, 1991), and held near the range of its neighbours, so
that edges do not ring; measured in `bench/methods.py` against a plain bilinear baseline on the demo pictures, where
more than two rounds gain nothing. Where one side is reduced and the other enlarged, the reduction comes first.

Nothing is computed beyond what comes out, and floats exist for a strip of rows at a time.
"""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.cancellation import check_wanted, present_event
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.resampling.kernel import TOGETHER, resample_rows, rounded
from lucidex.core.resampling.tables import LOBES, Axis, Table, area_table, cubic_table, lanczos_table

AnyPixels = npt.NDArray[Any]
Floats = npt.NDArray[np.float32]

ROUNDS = 2
RINGING = 8 / 255  # of the range: how far beyond its neighbours a value may go
MARGIN = 10  # old pixels around a strip that is enlarged: further away nothing changes it in two rounds
STRIP_NUMBERS = 3_000_000  # floats of a strip
SHARES = 3  # strips for each thread, so that they end together
SAME = 1e-6  # a scale this close to 1 and an origin this close to a whole pixel leave pixels as they are
MIN_FRACTION = 1e-4  # an alpha below it, of 0 to 1, has no colour that could be told


def resampled(pixels: AnyPixels, window: Window, drawn: Size, has_alpha: bool) -> AnyPixels:
    """`window` (real edges, pixels of `pixels`) as exactly `drawn`, of the same type, halves rounded upwards.

    `pixels`: height × width × bands of 8 or 16 bits; with `has_alpha` the last is unpremultiplied alpha, and clear
    pixels do not bleed. The window lies inside; it may exceed the edge by less than a pixel.

    Raises NoLongerWantedError where nobody waits for it any more.
    """
    if _is_copy(window, drawn):
        left, top = round(window.left), round(window.top)
        if 0 <= left <= pixels.shape[1] - drawn.width and 0 <= top <= pixels.shape[0] - drawn.height:
            return pixels[top : top + drawn.height, left : left + drawn.width]
    most = float(np.iinfo(pixels.dtype).max)
    out = np.empty((drawn.height, drawn.width, pixels.shape[2]), pixels.dtype)

    def put(top: int, values: Floats) -> None:
        part = _unpremultiplied(values, most) if has_alpha else values
        rounded(part.reshape(-1), np.float32(most), out[top : top + part.shape[0]].reshape(-1))

    _each_strip(pixels, window, drawn, has_alpha, put)
    return out


def resampled_floats(pixels: AnyPixels, window: Window, drawn: Size, has_alpha: bool) -> Floats:
    """The same as floats of the pixels' own range, premultiplied where there is alpha; not rounded."""
    out = np.empty((drawn.height, drawn.width, pixels.shape[2]), np.float32)

    def put(top: int, values: Floats) -> None:
        out[top : top + values.shape[0]] = values

    _each_strip(pixels, window, drawn, has_alpha, put)
    return out


def unpremultiplied(values: Floats, number_type: "np.dtype[Any]") -> AnyPixels:
    """Premultiplied floats as whole numbers of a type, with unpremultiplied alpha."""
    most = float(np.iinfo(number_type).max)
    out = np.empty(values.shape, number_type)
    rounded(_unpremultiplied(values, most).reshape(-1), np.float32(most), out.reshape(-1))
    return out


def _is_copy(window: Window, drawn: Size) -> bool:
    is_same = abs(window.width - drawn.width) < SAME and abs(window.height - drawn.height) < SAME
    return is_same and abs(window.left - round(window.left)) < SAME and abs(window.top - round(window.top)) < SAME


def _each_strip(
    pixels: AnyPixels, window: Window, drawn: Size, has_alpha: bool, put: Callable[[int, Floats], None]
) -> None:
    height, width, bands = pixels.shape
    across = Axis(drawn.width, window.left, window.width / drawn.width, width)
    down = Axis(drawn.height, window.top, window.height / drawn.height, height)
    is_reduced, threads = across.step >= 1 and down.step >= 1, pyvips.concurrency_get()
    rows = max(1, STRIP_NUMBERS // (drawn.width * bands * TOGETHER)) * TOGETHER
    if is_reduced:
        # in whole groups of rows the same sums are formed however they are divided; enlarged strips have margins of
        # their own, so that their bounds must not depend on the threads
        rows = min(rows, -(-drawn.height // (threads * SHARES * TOGETHER)) * TOGETHER)
    strips = [(top, min(drawn.height, top + rows)) for top in range(0, drawn.height, rows)]
    make = _reduced_strips if is_reduced else _enlarged_strips
    strip = make(pixels, across, down, has_alpha)
    if threads == 1 or len(strips) == 1:
        for top, end in strips:
            put(top, strip(top, end))
        return
    with ThreadPoolExecutor(threads) as pool:
        for _ in pool.map(lambda part: put(part[0], strip(*part)), strips):
            pass  # a strip that failed raises here


def _reduced_strips(pixels: AnyPixels, across: Axis, down: Axis, has_alpha: bool) -> Callable[[int, int], Floats]:
    across_table, down_table = lanczos_table(across), lanczos_table(down)

    gone = present_event()

    def strip(top: int, end: int) -> Floats:
        check_wanted(gone)
        return _apply(pixels, down_table.part(top, end), across_table, has_alpha)

    return strip


def _apply(pixels: AnyPixels, down: Table, across: Table, has_alpha: bool) -> Floats:
    """Both tables over the pixels: rows × columns × bands, premultiplied where there is alpha."""
    (top, bottom), (left, right) = down.reach, across.reach
    part = pixels[top:bottom, left:right]
    if has_alpha:
        part = _premultiplied(part)
    bands = part.shape[2]
    flat = np.ascontiguousarray(part).reshape(bottom - top, -1)
    out = np.empty((len(down.first), len(across.first) * bands), np.float32)
    resample_rows(flat, down.first - top, down.weights, across.first - left, across.weights, bands, out)
    return out.reshape(len(down.first), len(across.first), bands)


def _premultiplied(part: AnyPixels) -> AnyPixels:
    if part.dtype == np.float32:
        return part  # is so already
    values = part.astype(np.float32)
    values[..., :-1] *= values[..., -1:] / np.float32(np.iinfo(part.dtype).max)
    return values


def _unpremultiplied(values: Floats, most: float) -> Floats:
    # by the alpha as it was summed up, overshoot included: colours were summed up alike
    share = values[..., -1:] / np.float32(most)
    colours = np.divide(values[..., :-1], share, out=np.zeros_like(values[..., :-1]), where=share > MIN_FRACTION)
    plain: Floats = np.clip(np.concatenate([colours, values[..., -1:]], axis=-1), 0, most)
    return plain


def _enlarged_strips(pixels: AnyPixels, across: Axis, down: Axis, has_alpha: bool) -> Callable[[int, int], Floats]:
    """At least one side is enlarged. Each strip is cut out with a margin before anything is enlarged."""
    full = float(np.iinfo(pixels.dtype).max)
    slack = 0.0 if has_alpha else RINGING * full
    gone = present_event()

    def strip(top: int, end: int) -> Floats:
        check_wanted(gone)
        held_down, low, high = _around(down, top, end)
        held_across, left, right = _around(across, 0, across.count)
        part = pixels[low:high, left:right]
        known = _premultiplied(part) if has_alpha else part.astype(np.float32)
        known, held_down, held_across = _with_reductions(known, held_down, held_across)
        large = _corrected(known, held_down, held_across, full, slack)
        before = top - _start(down, top)
        return large[before : before + end - top]

    return strip


def _start(axis: Axis, first: int) -> int:
    """The new pixel with which a strip begins to be computed: whole margins before the first one that counts."""
    return max(0, first - _ahead(axis))


def _ahead(axis: Axis) -> int:
    return int(np.ceil(MARGIN / axis.step))


def _around(axis: Axis, first: int, end: int) -> tuple[Axis, int, int]:
    """The axis of new pixels around some, over just the old pixels that they need; the bounds of these."""
    begin, stop = _start(axis, first), min(axis.count, end + _ahead(axis))
    origin = axis.origin + begin * axis.step
    margin = MARGIN + int(np.ceil(LOBES * max(axis.step, 1.0)))
    low = min(max(0, int(np.floor(origin)) - margin), axis.length - 1)
    high = max(low + 1, min(axis.length, int(np.ceil(origin + (stop - begin) * axis.step)) + margin))
    return Axis(stop - begin, origin - low, axis.step, high - low), low, high


def _with_reductions(known: Floats, down: Axis, across: Axis) -> tuple[Floats, Axis, Axis]:
    """Where one side is reduced, that is done first; its axis then leaves pixels as they are."""
    if down.step > 1:
        known = _apply(known, lanczos_table(down), _identity(across.length), False)
        down = Axis(down.count, 0.0, 1.0, down.count)
    if across.step > 1:
        known = _apply(known, _identity(known.shape[0]), lanczos_table(across), False)
        across = Axis(across.count, 0.0, 1.0, across.count)
    return known, down, across


def _identity(length: int) -> Table:
    return Table(np.arange(length, dtype=np.int64), np.ones((length, 1), np.float32))


def _corrected(known: Floats, down: Axis, across: Axis, full: float, slack: float) -> Floats:
    """Enlarged by cubic convolution and back-projection: what its means lack of the known is added again."""
    up = cubic_table(down), cubic_table(across)
    back = area_table(_inverse(down)), area_table(_inverse(across))
    large = _apply(known, *up, False)
    for _ in range(ROUNDS):
        missing = known - _apply(large, *back, False)
        missing *= _seen(down)[:, None, None] * _seen(across)[None, :, None]
        large += _apply(missing, *up, False)
    around = np.ones((3, 3), np.uint8)
    rows, columns = _nearest(down), _nearest(across)
    for band in range(known.shape[2]):
        plane = np.ascontiguousarray(known[..., band])
        low = cv2.erode(plane, around)[np.ix_(rows, columns)] - np.float32(slack)
        high = cv2.dilate(plane, around)[np.ix_(rows, columns)] + np.float32(slack)
        np.clip(large[..., band], np.maximum(low, 0), np.minimum(high, full), out=large[..., band])
    return large


def _inverse(axis: Axis) -> Axis:
    """From new pixels back to the old ones."""
    return Axis(axis.length, -axis.origin / axis.step, 1 / axis.step, axis.count)


def _seen(axis: Axis) -> Floats:
    """How much of each old pixel lies within what is drawn, 0 to 1: only that can be corrected."""
    starts = np.arange(axis.length, dtype=np.float64)
    end = axis.origin + axis.count * axis.step
    share = np.clip(np.minimum(starts + 1, end) - np.maximum(starts, axis.origin), 0, 1)
    seen: Floats = share.astype(np.float32)
    return seen


def _nearest(axis: Axis) -> npt.NDArray[np.int64]:
    centres = axis.origin + (np.arange(axis.count) + 0.5) * axis.step
    nearest: npt.NDArray[np.int64] = np.clip(np.floor(centres), 0, axis.length - 1).astype(np.int64)
    return nearest
