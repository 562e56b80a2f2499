"""Inside the long house, as a telephone sees it: iron arches, a wet path, planting on both sides."""

import math

import numpy as np
from numba import njit, prange

from drawing.noise import FAST, fbm, film, hash01, mix, noise, smooth

WIDTH, HEIGHT = 3024, 4032
BAY = 2.6


@njit(**FAST)
def shell(x, y):
    """Distance inwards from the glass vault: positive inside."""
    if y < 3.2:
        return 4.2 - abs(x)
    return 4.2 - math.hypot(x, y - 3.2)


@njit(**FAST)
def iron(x, y, z):
    """Distance to arches, purlins and posts."""
    inward = shell(x, y)
    zz = z - BAY * math.floor(z / BAY + 0.5)
    arch = math.hypot(max(abs(inward - 0.10) - 0.07, 0.0), max(abs(zz) - 0.035, 0.0)) - 0.012
    around = math.atan2(max(y - 3.2, 0.0), x) if y > 3.2 else 0.0
    k = math.floor(around / (math.pi / 8) + 0.5) * (math.pi / 8)
    along = math.hypot((around - k) * 4.2 if y > 3.2 else abs(y - 3.2), inward - 0.05) - 0.028
    bars = BAY / 5
    zb = z - bars * math.floor(z / bars + 0.5)
    bar = math.hypot(zb, inward - 0.02) - 0.011
    tie = 1e9
    if abs(x) < 4.2:
        tie = math.hypot(y - 3.25, zz) - 0.016
    return min(min(arch, along), min(bar, tie))


@njit(**FAST)
def plants(x, y, z):
    """Distance to the planting: lumpy banks, palms leaning in."""
    side = abs(x)
    seed = 1.0 if x > 0 else 7.0
    top = 0.55 + 1.5 * smooth(1.1, 3.6, side) * (0.5 + fbm(z * 0.45 + seed * 3, seed, 3))
    lump = 0.55 * (fbm(x * 1.3 + seed, z * 1.3 + y * 0.8, 3) - 0.5) + 0.22 * (
        fbm(x * 5 + y * 3, z * 5 - y * 4, 3) - 0.5
    )
    bank = max(1.25 + 0.25 * math.sin(z * 1.1 + seed) - side, y - top) * 0.62 + lump * 0.62
    d = bank
    for k in range(2):
        cell = math.floor(z / 3.4 + 0.5 * k)
        pz = (cell + 0.5 - 0.5 * k) * 3.4 + 0.9 * (hash01(np.int64(cell) + 50, np.int64(seed) + k) - 0.5)
        px = (2.0 + 1.2 * hash01(np.int64(cell) + 90, np.int64(seed) + 2 * k)) * (1.0 if x > 0 else -1.0)
        tall = 2.1 + 1.9 * hash01(np.int64(cell) + 130, np.int64(seed) + 3 * k)
        dx, dz = x - px, z - pz
        trunk = math.hypot(dx, dz) - 0.07 - 0.02 * math.sin(y * 22)
        d = min(d, max(trunk, y - tall))
        r = math.hypot(dx, dz)
        if r < 1.9 and y > tall - 1.6:
            a = math.atan2(dz, dx)
            fronds = 9.0
            sector = math.floor(a / (2 * math.pi) * fronds + 0.5) * (2 * math.pi) / fronds
            off = (a - sector) * r
            arc = tall + 0.50 * r - 0.42 * r * r
            comb = 0.5 + 0.5 * math.sin(r * 46)
            blade = max(
                abs(off) - 0.20 * math.sin(min(1.0, r / 1.8) * math.pi) ** 0.7 * (0.45 + 0.55 * comb),
                abs(y - arc + 0.5 * abs(off)) - 0.014,
            )
            d = min(d, max(blade, r - 1.75) * 0.55)
    return d


@njit(**FAST)
def outside(x, y, z):
    """The bright morning beyond the glass."""
    t = smooth(0.0, 1.0, y)
    cloud = fbm(x * 2.0 + 1, z * 0.6 + y * 2, 4)
    r, g, b = mix(1.05, 0.55, t), mix(1.02, 0.80, t), mix(0.86, 1.10, t)
    w = smooth(0.42, 0.62, cloud)
    return mix(r, 1.25, w) * 1.25, mix(g, 1.24, w) * 1.25, mix(b, 1.2, w) * 1.25


@njit(**FAST)
def scene(x, y, z):
    return min(min(iron(x, y, z), plants(x, y, z)), y)


@njit(**FAST)
def trace(ex, ey, ez, dx, dy, dz):
    """Distance along a ray to the first solid thing, or to the glass (then negative)."""
    t = 0.02
    for _ in range(150):
        x, y, z = ex + dx * t, ey + dy * t, ez + dz * t
        if shell(x, y) < -0.02 or z > 46:
            return -t
        d = scene(x, y, z)
        if d < 0.0011 * t + 0.0006:
            return t
        t += min(d * 0.85, 0.45)
    return t


@njit(**FAST)
def shade(ex, ey, ez, dx, dy, dz, bounce):
    t = trace(ex, ey, ez, dx, dy, dz)
    if t < 0:
        x, z = ex - dx * t, ez - dz * t
        r, g, b = outside(dx, dy, dz)
        dirt = 0.80 + 0.28 * fbm(x * 1.5 + z * 1.3, ey - dy * t * 1.3, 4)
        return r * dirt, g * dirt, b * dirt, -t
    x, y, z = ex + dx * t, ey + dy * t, ez + dz * t
    e = 0.002 + 0.0012 * t
    base = scene(x, y, z)
    nx, ny, nz = scene(x + e, y, z) - base, scene(x, y + e, z) - base, scene(x, y, z + e) - base
    n = 1 / math.sqrt(nx * nx + ny * ny + nz * nz + 1e-12)
    nx, ny, nz = nx * n, ny * n, nz * n
    lx, ly, lz = 0.52, 0.78, 0.34
    sun = max(0.0, nx * lx + ny * ly + nz * lz)
    if sun > 0:
        s = 0.05
        for _ in range(34):
            qx, qy, qz = x + lx * s + nx * 0.01, y + ly * s + ny * 0.01, z + lz * s + nz * 0.01
            if shell(qx, qy) < 0:
                break
            d = scene(qx, qy, qz)
            if d < 0.004:
                sun = 0.0
                break
            s += max(d, 0.02)
    closed = 0.0
    for k in range(1, 5):
        reach = 0.09 * k * k
        closed += max(0.0, reach - scene(x + nx * reach, y + ny * reach, z + nz * reach)) / reach * 0.24
    sky = (0.35 + 0.65 * (0.5 + 0.5 * ny)) * max(0.05, 1 - closed)
    fine = fbm(x * 22 + z * 3, y * 22 + z * 19, 4)
    if y < 0.012:
        tx, tz = x * 1.55, z * 1.55
        joint = min(abs(tx - math.floor(tx + 0.5)), abs(tz - math.floor(tz + 0.5)))
        tone = 0.12 + 0.09 * hash01(np.int64(math.floor(tx)), np.int64(math.floor(tz)) + 9) + 0.05 * fine
        tone *= 0.45 + 0.55 * smooth(0.008, 0.022, joint)
        cr, cg, cb = tone * 1.16, tone, tone * 0.86
        wet = smooth(0.50, 0.66, fbm(x * 0.9 + 3, z * 0.5, 4))
        if bounce > 0 and wet > 0.02:
            tilt = 0.02 * (noise(x * 6, z * 6) - 0.5)
            fresnel = (0.05 + 0.85 * (1 + dy) ** 4) * wet
            rr, rg, rb, _ = reflected(x, 0.02, z, dx + tilt, -dy, dz)
            cr, cg, cb = cr * (1 - 0.55 * wet), cg * (1 - 0.55 * wet), cb * (1 - 0.5 * wet)
            light = sun * 2.6 + sky * 0.75
            return cr * light + rr * fresnel, cg * light + rg * fresnel, cb * light + rb * fresnel, t
    elif iron(x, y, z) < plants(x, y, z):
        rust = smooth(0.62, 0.8, fine)
        cr, cg, cb = mix(0.30, 0.16, rust), mix(0.36, 0.11, rust), mix(0.33, 0.07, rust)
    else:
        hue = fbm(x * 1.1 + 4, z * 0.9 + y, 3)
        cr, cg, cb = mix(0.035, 0.16, hue), mix(0.085, 0.23, hue), mix(0.030, 0.045, hue)
        cr, cg, cb = cr * (0.45 + 1.1 * fine), cg * (0.45 + 1.1 * fine), cb * (0.45 + 1.1 * fine)
        bloom = smooth(0.735, 0.76, fbm(x * 6 + 2, z * 6 + y * 5, 3)) * smooth(0.50, 0.62, noise(z * 0.5 + 4, x))
        cr, cg, cb = mix(cr, 0.52, bloom), mix(cg, 0.12, bloom), mix(cb, 0.20, bloom)
    light_r, light_g, light_b = sun * 3.0 + sky * 0.80, sun * 2.75 + sky * 0.88, sun * 2.2 + sky * 0.95
    return cr * light_r, cg * light_g, cb * light_b, t


@njit(**FAST)
def reflected(x, y, z, dx, dy, dz):
    t = trace(x, y, z, dx, dy, dz)
    if t < 0:
        r, g, b = outside(dx, dy, dz)
        return r, g, b, t
    px, py, pz = x + dx * t, y + dy * t, z + dz * t
    if iron(px, py, pz) < plants(px, py, pz):
        return 0.20, 0.23, 0.21, t
    fine = fbm(px * 9, pz * 9 + py * 7, 3)
    return 0.05 + 0.06 * fine, 0.10 + 0.12 * fine, 0.04, t


@njit(parallel=True, **FAST)
def render(width, height, samples):
    """Linear light of the upright picture."""
    out = np.empty((height, width, 3), np.float32)
    for row in prange(height):
        for column in range(width):
            r, g, b = 0.0, 0.0, 0.0
            for s in range(samples):
                px = (column + hash01(column * 5 + s, row)) / width - 0.5
                py = (height * 0.5 - row - hash01(row, column * 5 + s)) / width
                dx, dy, dz = px * 1.02 + 0.03, py * 1.02 + 0.16, 1.0
                n = 1 / math.sqrt(dx * dx + dy * dy + dz * dz)
                cr, cg, cb, t = shade(0.22, 1.62, -1.2, dx * n, dy * n, dz * n, 1)
                mist = 1 - math.exp(-t * 0.011)
                r, g, b = r + mix(cr, 0.95, mist), g + mix(cg, 0.98, mist), b + mix(cb, 0.88, mist)
            fall = 1 - 0.5 * ((column / width - 0.5) ** 2 + (row / height - 0.5) ** 2)
            out[row, column, 0] = r / samples * fall
            out[row, column, 1] = g / samples * fall
            out[row, column, 2] = b / samples * fall
    return out


def draw(scale=1.0):
    """The finished 8-bit picture, upright; the script stores it lying on its side."""
    return film(render(int(WIDTH * scale), int(HEIGHT * scale), 2) * 1.0, grain=0.018, seed=31)
