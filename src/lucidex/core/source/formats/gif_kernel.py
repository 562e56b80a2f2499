"""The innermost loop of reading GIF: codes of changing width. Compiled when it is imported."""

import numpy as np
import numpy.typing as npt
from numba import njit

_MOST = 4_096


@njit("UniTuple(int64, 2)(uint8[::1], int64, int64)", cache=True, nogil=True)
def count_pixels(codes: npt.NDArray[np.uint8], first_bits: int, most: int) -> tuple[int, int]:
    """How many pixels the codes of an image stand for, and whether they are in order (1) or not (0).

    Source: GIF89a, appendix F. `first_bits` are those of a pixel, `most` is how many pixels there should be: counting
    ends where there are more.
    """
    clear, end = 1 << first_bits, (1 << first_bits) + 1
    lengths = np.ones(_MOST, np.int64)
    width, following, before, pixels = first_bits + 1, clear + 2, -1, 0
    held, bits = 0, 0
    for at in range(codes.size):
        held |= int(codes[at]) << bits
        bits += 8
        while bits >= width:
            code = held & ((1 << width) - 1)
            held >>= width
            bits -= width
            if code == end:
                return pixels, 1
            if code == clear:
                width, following, before = first_bits + 1, clear + 2, -1
                continue
            if code > following or (code == following and before < 0) or (before < 0 and code > clear):
                return pixels, 0
            if before >= 0 and following < _MOST:
                lengths[following] = lengths[before] + 1
                following += 1
                if following == 1 << width and width < 12:
                    width += 1
            pixels += lengths[code]
            if pixels > most:
                return pixels, 0
            before = code
    return pixels, 1
