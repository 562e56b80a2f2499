"""One leaf, stamped into a picture in linear light: outline, midrib, veins, roundness, soft shadow."""

import math

from numba import njit

from drawing.noise import FAST, fbm, noise, smooth


@njit(**FAST)
def half_width(s, belly):
    """Outline of a leaf at 0 (base) to 1 (tip); widest nearer to the tip as `belly` grows beyond 1."""
    if s <= 0 or s >= 1:
        return 0.0
    return math.sin(math.pi * s**belly) ** 0.75


@njit(**FAST)
def shadow(picture, x0, y0, angle, length, width, belly, dark, spread):
    """Darken what lies under a leaf; `spread` is the softness in pixels."""
    height, columns = picture.shape[0], picture.shape[1]
    ca, sa = math.cos(angle), math.sin(angle)
    reach = length + 3 * spread
    for row in range(max(0, int(y0 - reach)), min(height, int(y0 + reach) + 1)):
        for column in range(max(0, int(x0 - reach)), min(columns, int(x0 + reach) + 1)):
            u = ((column - x0) * ca + (row - y0) * sa) / length
            v = (-(column - x0) * sa + (row - y0) * ca) / width
            su = min(max(u, 0.02), 0.98)
            over = (abs(v) - half_width(su, belly)) * width
            along = (abs(u - 0.5) - 0.5) * length
            distance = max(over, along)
            cover = smooth(spread * 1.6, -spread, distance) * dark
            if cover > 0.003:
                for band in range(3):
                    picture[row, column, band] *= 1 - cover


@njit(**FAST)
def leaf(picture, x0, y0, angle, length, width, belly, bend, base, tip, light, gloss, vein, seed):
    """Stamp one leaf. Lengths in pixels, `base` and `tip` colours in linear light, `light` its brightness."""
    height, columns = picture.shape[0], picture.shape[1]
    ca, sa = math.cos(angle), math.sin(angle)
    reach = length * 1.1 + width
    for row in range(max(0, int(y0 - reach)), min(height, int(y0 + reach) + 1)):
        for column in range(max(0, int(x0 - reach)), min(columns, int(x0 + reach) + 1)):
            u = ((column - x0) * ca + (row - y0) * sa) / length
            if u < -0.02 or u > 1.02:
                continue
            v = (-(column - x0) * sa + (row - y0) * ca - bend * length * u * u) / width
            edge = half_width(min(max(u, 0.0), 1.0), belly)
            cover = smooth(0.9, -0.9, (abs(v) - edge) * width)
            if cover <= 0.0:
                continue
            t = min(max(v / max(edge, 1e-3), -1.0), 1.0)
            nx, ny = -sa * t * 0.75 - ca * 0.25 * (u - 0.35), ca * t * 0.75 - sa * 0.25 * (u - 0.35)
            nz = math.sqrt(max(0.05, 1 - nx * nx - ny * ny))
            lit = max(0.0, -0.42 * nx - 0.58 * ny + 0.70 * nz)
            shine = max(0.0, -0.30 * nx - 0.42 * ny + 0.86 * nz) ** 26 * gloss
            rib = smooth(0.10, 0.02, abs(v)) * 0.35 * vein
            slant = math.sin((u * 13 - abs(t) * 2.4) * math.pi)
            veins = 1 + vein * 0.12 * slant * (1 - abs(t)) + 0.13 * (fbm(u * 14 + seed, t * 5 + seed * 1.7, 3) - 0.5)
            speck = 1 + 0.10 * (noise(column * 0.5, row * 0.5) - 0.5)
            rim = 1 + 0.25 * smooth(0.80, 1.0, abs(t))
            shade = light * (0.25 + 0.95 * lit) * veins * speck * rim * (1 + rib)
            blend = smooth(0.55, 1.0, u) * (0.6 + 0.4 * abs(t))
            for band in range(3):
                colour = (base[band] + (tip[band] - base[band]) * blend) * shade + shine
                picture[row, column, band] += (colour - picture[row, column, band]) * cover
