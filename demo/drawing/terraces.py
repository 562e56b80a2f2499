"""The long view over the planted terraces to the lake, held a little askew: a height field, marched."""

import math

import numpy as np
from numba import njit, prange

from drawing.noise import FAST, fbm, film, hash01, mix, noise, smooth

WIDTH, HEIGHT = 4800, 3200
TILT = math.radians(2.4)
STEP = 0.62


@njit(**FAST)
def ground(x, z):
    """Smooth height of the valley."""
    side = x + 3.2 * math.sin(z * 0.055)
    valley = 0.019 * side * side * (1 if side > 0 else 0.6) * smooth(75, 10, z)
    slope = 9.0 * smooth(46, 2, z) + 2.5 * (fbm(x * 0.05 + 3, z * 0.05, 4) - 0.5)
    far = 26 * smooth(150, 330, z) * fbm(x * 0.011 + 9, z * 0.011, 5)
    return slope + min(valley, 12.0) + far - 3.0


@njit(**FAST)
def terrace(x, z):
    """Height with terraces cut in: walls steep, beds nearly level."""
    h = ground(x, z)
    if z > 120:
        return h + 0.6 * fbm(x * 0.3, z * 0.3, 4)
    level = math.floor(h / STEP)
    part = h / STEP - level
    cut = level + smooth(0.80, 0.97, part) + 0.05 * part
    amount = smooth(-2.2, -1.2, h)
    return mix(h, cut * STEP, amount) + 0.02 * (fbm(x * 3.2, z * 3.2, 3) - 0.5)


@njit(**FAST)
def crop_height(x, z):
    """Rows of plants on the beds."""
    h = ground(x, z)
    level = math.floor(h / STEP)
    part = h / STEP - level
    if part > 0.80 or part < 0.06 or h < -1.6 or z > 120:
        return 0.0
    kind = hash01(np.int64(level) + 300, np.int64(math.floor(x / 13 + 0.3 * level)))
    rows = abs(math.sin(part * 22.0)) ** 1.4
    tuft = fbm(x * 11.0, z * 11.0, 3)
    return (0.05 + 0.15 * kind) * rows * (0.35 + 0.9 * tuft)


@njit(**FAST)
def height_at(x, z):
    return terrace(x, z) + crop_height(x, z)


@njit(**FAST)
def surface(x, z, y, sx, sz):
    """Colour of the ground at a point, before light."""
    h = ground(x, z)
    level = math.floor(h / STEP)
    part = h / STEP - level
    fine = fbm(x * 19, z * 19, 4)
    if z > 120:
        wood = fbm(x * 0.4, z * 0.4, 5)
        return 0.045 + 0.05 * wood, 0.075 + 0.06 * wood, 0.035
    if part > 0.79 and h > -1.9:
        stone = noise(x * 5.1 + z * 4.7, y * 21.0)
        joint = 0.45 + 0.65 * smooth(0.22, 0.45, noise(x * 9.3 + z * 8.1 + 5, y * 33))
        tone = (0.13 + 0.13 * stone) * joint * (0.7 + 0.5 * fine)
        moss = smooth(0.5, 0.75, fbm(x * 4.7 + y * 3, z * 4.7 - y * 4, 4))
        return mix(tone * 1.15, 0.06, moss), mix(tone, 0.09, moss), mix(tone * 0.82, 0.03, moss)
    kind = hash01(np.int64(level) + 300, np.int64(math.floor(x / 13 + 0.3 * level)))
    rows = abs(math.sin(part * 22.0)) ** 1.4
    soil = 0.5 + 0.6 * fine
    gr, gg, gb = mix(0.055, 0.15, kind), mix(0.12, 0.185, kind), mix(0.028, 0.04, kind)
    if kind > 0.80:
        bloom = smooth(0.50, 0.60, fbm(x * 23, z * 23, 3)) * 0.8
        gr, gg, gb = mix(gr, 0.23, bloom), mix(gg, 0.15, bloom), mix(gb, 0.31, bloom)
    elif kind > 0.64:
        gr, gg, gb = 0.26, 0.22, 0.055
    leaf = 0.6 + 0.85 * fine
    t = smooth(0.15, 0.6, rows)
    if h < -1.6:
        t, gr, gg, gb = 1.0, 0.075, 0.13, 0.035
    return mix(0.13 * soil, gr * leaf, t), mix(0.088 * soil, gg * leaf, t), mix(0.055 * soil, gb * leaf, t)


@njit(**FAST)
def heaven(dx, dy):
    """A bright sky with cumulus in rows towards the horizon."""
    t = smooth(-0.02, 0.42, dy)
    r, g, b = mix(0.66, 0.075, t), mix(0.76, 0.19, t), mix(0.86, 0.50, t)
    plane = 1 / (max(dy, 0.004) + 0.05)
    u, v = dx * plane, plane
    body = fbm(u * 0.8 + 2, v * 0.55, 7)
    top = fbm((u + 0.12) * 0.8 + 2, (v - 0.10) * 0.55, 6)
    cover = smooth(0.50, 0.66, body) * smooth(0.0, 0.05, dy)
    lit = 0.80 + 1.6 * (body - top)
    return (
        mix(r, 0.95 * lit, cover * 0.93),
        mix(g, 0.955 * lit, cover * 0.93),
        mix(b, 0.98 * lit, cover * 0.93),
    )


@njit(parallel=True, **FAST)
def render(width, height, samples):
    """March every ray down the height field; lake where the ground lies below it."""
    out = np.empty((height, width, 3), np.float32)
    lake = -2.55
    ex, ez = 1.5, -9.0
    ey = terrace(ex, ez) + 4.6
    lx, ly, lz = -0.58, 0.52, 0.30
    ct, st = math.cos(TILT), math.sin(TILT)
    for row in prange(height):
        for column in range(width):
            r, g, b = 0.0, 0.0, 0.0
            for s in range(samples):
                px = (column + hash01(column * 3 + s, row)) / width - 0.5
                py = (height * 0.5 - row - hash01(row, column * 3 + s)) / width
                qx, qy = px * ct - py * st, px * st + py * ct
                dx, dy, dz = qx * 1.05, qy * 1.05 - 0.105, 1.0
                norm = 1 / math.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx * norm, dy * norm, dz * norm
                t, hit, last = 1.2, False, 1.2
                for _ in range(420):
                    x, y, z = ex + dx * t, ey + dy * t, ez + dz * t
                    gap = y - height_at(x, z)
                    if gap < 0.0012 * t or y < lake:
                        hit = True
                        break
                    if t > 420 or (dy > 0 and y > 42):
                        break
                    last = t
                    t += max(gap * 0.30, 0.0035 * t)
                if not hit:
                    cr, cg, cb = heaven(dx, dy)
                    r, g, b = r + cr, g + cg, b + cb
                    continue
                low, high = last, t
                for _ in range(7):
                    m = 0.5 * (low + high)
                    if ey + dy * m < max(height_at(ex + dx * m, ez + dz * m), lake):
                        high = m
                    else:
                        low = m
                t = high
                x, y, z = ex + dx * t, ey + dy * t, ez + dz * t
                haze = 1 - math.exp(-max(t - 12, 0.0) * 0.0036)
                if y <= lake + 0.002:
                    ripple = 0.035 * (fbm(x * 1.3, z * 0.5, 4) - 0.5)
                    cr, cg, cb = heaven(dx + ripple, max(0.004, -dy + ripple))
                    bank = 0.0
                    tt = 0.6
                    for _ in range(46):
                        if lake + (-dy + 0.3 * ripple) * tt < height_at(x + dx * tt, z + dz * tt):
                            bank = 1.0
                            break
                        tt *= 1.13
                    cr, cg, cb = (
                        mix(cr * 0.70, 0.085, bank * 0.8),
                        mix(cg * 0.74, 0.115, bank * 0.8),
                        mix(cb * 0.80, 0.085, bank * 0.8),
                    )
                else:
                    e = 0.004 * t * 0.35 + 0.008
                    sx = (height_at(x + e, z) - height_at(x - e, z)) / (2 * e)
                    sz = (height_at(x, z + e) - height_at(x, z - e)) / (2 * e)
                    n = 1 / math.sqrt(sx * sx + sz * sz + 1)
                    lit = max(0.0, (-sx * lx + ly - sz * lz) * n)
                    if lit > 0:
                        tt = 0.06 + 0.004 * t
                        for _ in range(26):
                            gap = y + ly * tt + 0.02 - height_at(x + lx * tt, z + lz * tt)
                            if gap < 0:
                                lit *= 0.12
                                break
                            tt *= 1.26
                    cloud = 0.42 + 0.58 * smooth(0.40, 0.56, fbm(x * 0.03 + 7, z * 0.03, 3))
                    open_sky = 0.5 + 0.5 * n
                    cr, cg, cb = surface(x, z, y, sx, sz)
                    cr *= lit * 3.5 * cloud + 0.50 * open_sky
                    cg *= lit * 3.2 * cloud + 0.58 * open_sky
                    cb *= lit * 2.6 * cloud + 0.78 * open_sky
                r, g, b = r + mix(cr, 0.44, haze), g + mix(cg, 0.54, haze), b + mix(cb, 0.66, haze)
            out[row, column, 0] = r / samples
            out[row, column, 1] = g / samples
            out[row, column, 2] = b / samples
    return out


def draw(scale=1.0):
    """The finished 8-bit picture."""
    return film(render(int(WIDTH * scale), int(HEIGHT * scale), 2) * 1.3, grain=0.012, seed=21)
