"""The innermost loop of likeness: one channel at one scale, read once."""

import numpy as np
import numpy.typing as npt
from numba import njit

Floats = npt.NDArray[np.float32]
STEADY_1, STEADY_2 = np.float32((0.01 * 255) ** 2), np.float32((0.03 * 255) ** 2)  # Wang and others 2004, III-B
_RANGE, _ONE, _TWO, _NONE = np.float32(255), np.float32(1), np.float32(2), np.float32(0)
_ROUNDING = np.float32(2e-4)  # what equal pixels differ by in single precision


# sums may be taken in any order, which lets several pixels be read at once: the numbers differ in the sixth digit
@njit(cache=True, nogil=True, error_model="numpy", fastmath={"reassoc", "contract", "arcp", "nsz", "nnan"})
def channel_differences(
    a: Floats, mean_a: Floats, square_a: Floats, b: Floats, mean_b: Floats, square_b: Floats, product: Floats
) -> npt.NDArray[np.float64]:
    """Six numbers of how one channel differs from another of the same shape; all 0 where they are the same.

    Given are both channels, 0 to 255, with the local means of each, of its square and of their product. The numbers:
    the mean and the fourth norm of the loss of structural similarity; of detail that was not there (the second one's
    distance from its local mean, against the first one's); of detail that is gone.
    """
    sums = np.zeros(6)
    height, width = a.shape
    for y in range(height):
        loss_1 = loss_4 = new_1 = new_4 = gone_1 = gone_4 = _NONE
        for x in range(width):
            one, two = mean_a[y, x], mean_b[y, x]
            spread_one, spread_two = square_a[y, x] - one * one, square_b[y, x] - two * two
            squares = one * one + two * two + STEADY_1
            spreads = spread_one + spread_two + STEADY_2
            alike = (_TWO * one * two + STEADY_1) * (_TWO * (product[y, x] - one * two) + STEADY_2)
            loss = max(_ONE - alike / (squares * spreads) - _ROUNDING, _NONE)
            before = _RANGE + abs(a[y, x] - one)
            detail = (_RANGE + abs(b[y, x] - two) - before) / before
            new, gone = max(detail, _NONE), max(-detail, _NONE)
            loss_1 += loss
            new_1 += new
            gone_1 += gone
            loss, new, gone = loss * loss, new * new, gone * gone
            loss_4 += loss * loss
            new_4 += new * new
            gone_4 += gone * gone
        sums[0] += loss_1
        sums[1] += loss_4
        sums[2] += new_1
        sums[3] += new_4
        sums[4] += gone_1
        sums[5] += gone_4
    sums /= height * width
    for i in range(1, 6, 2):
        sums[i] = sums[i] ** 0.25
    return sums
