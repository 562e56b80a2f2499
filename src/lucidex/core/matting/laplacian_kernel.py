"""The matting Laplacian where an alpha is unknown, window by window: compiled, as no array operation does it well."""

from typing import Any

from numba import njit

compiled = njit(cache=True, nogil=True, error_model="numpy")


@compiled
def window_statistics(
    colours: Any, rows: Any, columns: Any, radius: int, regularisation: float, means: Any, inverses: Any
) -> None:
    """Of windows around some middles: the mean colour, and the inverse of the regularised covariance, as six numbers.

    `colours` height × width × 3; `means` count × 3 and `inverses` count × 6 are filled. Windows lie inside.
    """
    count = (2 * radius + 1) ** 2
    for k in range(rows.size):
        a = b = c = 0.0
        for y in range(rows[k] - radius, rows[k] + radius + 1):
            for x in range(columns[k] - radius, columns[k] + radius + 1):
                a += colours[y, x, 0]
                b += colours[y, x, 1]
                c += colours[y, x, 2]
        a, b, c = a / count, b / count, c / count
        xx = xy = xz = yy = yz = zz = 0.0
        for y in range(rows[k] - radius, rows[k] + radius + 1):
            for x in range(columns[k] - radius, columns[k] + radius + 1):
                p, q, r = colours[y, x, 0] - a, colours[y, x, 1] - b, colours[y, x, 2] - c
                xx += p * p
                xy += p * q
                xz += p * r
                yy += q * q
                yz += q * r
                zz += r * r
        extra = regularisation * count
        xx, yy, zz = xx + extra, yy + extra, zz + extra
        d, e, f = yy * zz - yz * yz, xz * yz - xy * zz, xy * yz - xz * yy
        scale = 1.0 / (xx * d + xy * e + xz * f)
        means[k, 0], means[k, 1], means[k, 2] = a, b, c
        inverses[k, 0] = scale * d
        inverses[k, 1] = scale * e
        inverses[k, 2] = scale * f
        inverses[k, 3] = scale * (xx * zz - xz * xz)
        inverses[k, 4] = scale * (xy * xz - xx * yz)
        inverses[k, 5] = scale * (xx * yy - xy * xy)


@compiled
def line_in_window(
    colours: Any, row: int, column: int, radius: int, means: Any, inverses: Any, alpha: Any
) -> tuple[float, float, float, float]:
    """By what alpha grows with each colour in a window (`means` 3, `inverses` 6 numbers), and its mean there."""
    mean = x0 = x1 = x2 = 0.0
    for y in range(row - radius, row + radius + 1):
        for x in range(column - radius, column + radius + 1):
            value = alpha[y, x]
            mean += value
            x0 += (colours[y, x, 0] - means[0]) * value
            x1 += (colours[y, x, 1] - means[1]) * value
            x2 += (colours[y, x, 2] - means[2]) * value
    return (
        inverses[0] * x0 + inverses[1] * x1 + inverses[2] * x2,
        inverses[1] * x0 + inverses[3] * x1 + inverses[4] * x2,
        inverses[2] * x0 + inverses[4] * x1 + inverses[5] * x2,
        mean / (2 * radius + 1) ** 2,
    )


@compiled
def laplacian_times(
    colours: Any, rows: Any, columns: Any, radius: int, means: Any, inverses: Any, alpha: Any, out: Any
) -> None:
    """Fill `out` with the Laplacian of those windows times an alpha, height × width."""
    out[:] = 0.0
    for k in range(rows.size):
        s0, s1, s2, mean = line_in_window(colours, rows[k], columns[k], radius, means[k], inverses[k], alpha)
        a, b, c = means[k, 0], means[k, 1], means[k, 2]
        for y in range(rows[k] - radius, rows[k] + radius + 1):
            for x in range(columns[k] - radius, columns[k] + radius + 1):
                drawn = s0 * (colours[y, x, 0] - a) + s1 * (colours[y, x, 1] - b) + s2 * (colours[y, x, 2] - c)
                out[y, x] += alpha[y, x] - mean - drawn


@compiled
def window_coefficients(
    colours: Any, rows: Any, columns: Any, radius: int, means: Any, inverses: Any, alpha: Any, slope: Any, added: Any
) -> None:
    """Fill, at the middles of windows, by what alpha grows with each colour and what is added."""
    for k in range(rows.size):
        s0, s1, s2, mean = line_in_window(colours, rows[k], columns[k], radius, means[k], inverses[k], alpha)
        y, x = rows[k], columns[k]
        slope[y, x, 0], slope[y, x, 1], slope[y, x, 2] = s0, s1, s2
        added[y, x] = mean - s0 * means[k, 0] - s1 * means[k, 1] - s2 * means[k, 2]
