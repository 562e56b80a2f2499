"""The glasshouse at dusk behind its pond: sky, hills in haze, a ribbed glass dome lit from inside, its reflection."""

import math

import numpy as np
from numba import njit, prange

from drawing.noise import FAST, fbm, film, hash01, mix, noise, smooth

WIDTH, HEIGHT = 6000, 3750
SHORE = 0.155  # height of the water line above the lower edge, in picture widths
CENTRE, RADIUS = 0.62, 0.118


@njit(**FAST)
def sky(x, y):
    """Light of the sky above the horizon; y from 0 at the shore to about 0.47 at the top."""
    t = min(max(y / 0.47, 0.0), 1.0)
    glow = math.exp(-((x - 0.47) ** 2) * 5.0 - y * 8.5)
    r = mix(0.36, 0.022, t**0.62) + 1.05 * glow
    g = mix(0.21, 0.042, t**0.62) + 0.40 * glow
    b = mix(0.24, 0.135, t**0.72) + 0.09 * glow
    warp = fbm(x * 3.0 + 4, y * 6.0, 4)
    body = fbm(x * 4.2 + warp * 1.6, y * 13.0 + warp * 1.2 + 3.0, 7)
    cover = smooth(0.47, 0.74, body + 0.10 * math.sin(x * 5 + 1))
    cover *= smooth(-0.02, 0.1, y) * (1 - 0.35 * smooth(0.33, 0.47, y))
    below = fbm(x * 4.2 + warp * 1.6, (y - 0.010) * 13.0 + warp * 1.2 + 3.0, 5)
    lit = smooth(-0.03, 0.10, below - body + 0.03)
    fire = math.exp(-y * 5.2) * (0.5 + 0.9 * math.exp(-((x - 0.47) ** 2) * 5.0))
    cr = 0.055 + 0.95 * lit * fire + 0.09 * t
    cg = 0.050 + 0.34 * lit * fire + 0.07 * t
    cb = 0.085 + 0.17 * lit * fire + 0.10 * t
    cover *= 0.86
    r, g, b = mix(r, cr, cover), mix(g, cg, cover), mix(b, cb, cover)
    return r, g, b


@njit(**FAST)
def star(x, y):
    """A few stars high up."""
    gx, gy = math.floor(x * 150), math.floor(y * 150)
    chance = hash01(np.int64(gx), np.int64(gy))
    if chance < 0.962:
        return 0.0
    px = (gx + hash01(np.int64(gx) + 71, np.int64(gy))) / 150
    py = (gy + hash01(np.int64(gx), np.int64(gy) + 53)) / 150
    size = 0.00020 + 0.00018 * hash01(np.int64(gx) + 7, np.int64(gy) + 3)
    return math.exp(-((x - px) ** 2 + (y - py) ** 2) / size**2) * smooth(0.22, 0.42, y) * 0.9


@njit(**FAST)
def ridge(x, layer):
    """Height of a line of hills, with trees on the nearer ones."""
    base = 0.128 - 0.027 * layer
    h = base + 0.075 * (fbm(x * (2.0 + layer * 0.9) + 31.7 * layer, 2.1 * layer, 5) - 0.5)
    if layer >= 2:
        h += (
            (0.004 + 0.0028 * (layer - 2)) * fbm(x * 130.0, layer * 9.0, 4) * smooth(0.3, 0.6, noise(x * 16.0, layer))
        )
    return h


@njit(**FAST)
def leafage(u, v, seed):
    """How much plants inside the dome cover a spot: 0 open, 1 leaf."""
    dense = 0.0
    for k in range(3):
        s = 5.0 + 4.0 * k
        line = 0.50 - 0.13 * k + 0.42 * (noise(u * s + seed + 13 * k, 3.0 * k) - 0.35)
        fringe = 0.10 * (fbm(u * s * 5 + 5 * k, v * s * 4, 4) - 0.5)
        dense = max(dense, smooth(0.012, -0.012, v - line - fringe) * (0.55 + 0.2 * k))
    palms = abs(math.sin(u * 9.0 + math.sin(v * 7) * 0.8 + seed))
    return min(1.0, max(dense, smooth(0.10, 0.03, palms) * smooth(0.78, 0.6, v) * 0.6))


@njit(**FAST)
def dome(x, y):
    """Light from the dome at a spot and how much it covers: r, g, b, cover."""
    dx, dy = (x - CENTRE) / RADIUS, y / RADIUS
    wall = 0.17
    if abs(dx) > 1.02 or dy > 1.32 or dy < -0.02:
        return 0.0, 0.0, 0.0, 0.0
    up = max(dy - wall, 0.0)
    rr = dx * dx + up * up * 0.93
    soft = 0.0035
    cover = smooth(1 + soft, 1 - soft, rr) if dy > wall else smooth(1 + soft, 1 - soft, abs(dx))
    lantern = smooth(0.102, 0.098, abs(dx)) * smooth(1.22, 1.215, dy) * (1.0 if dy > 1.0 else 0.0)
    cap = 0.0
    if dy >= 1.215:
        cap = smooth(1.0, 0.93, (dx / 0.102) ** 2 + ((dy - 1.215) / 0.07) ** 2)
    spire = smooth(0.0042, 0.0026, abs(dx)) * (1.0 if 1.22 < dy < 1.318 else 0.0)
    cover = max(cover, max(lantern, max(cap, spire)))
    if cover <= 0:
        return 0.0, 0.0, 0.0, 0.0
    half = math.sqrt(max(1e-4, 1 - up * up * 0.93)) if dy > wall else 1.0
    across = min(max(dx / half, -1.0), 1.0)
    angle = math.asin(across)
    depth = math.sqrt(max(0.0, 1 - across * across))
    # light inside: lamps low in the middle, plants before them
    u, v = dx * 0.9, dy
    plants = leafage(u + 0.12 * depth, v, 2.0)
    far = leafage(u * 0.8 - 0.1, v * 0.92 + 0.04, 9.0)
    lamp = (
        0.45
        + 1.25 * math.exp(-((dx + 0.22) ** 2) * 5 - (dy - 0.26) ** 2 * 7)
        + 0.95 * math.exp(-((dx - 0.36) ** 2) * 9 - (dy - 0.32) ** 2 * 10)
    )
    lamp *= 1.0 - 0.42 * smooth(0.25, 1.05, dy)
    haze = 0.8 + 0.4 * fbm(dx * 5 + 3, dy * 5, 4)
    r, g, b = 1.55 * lamp * haze, 0.83 * lamp * haze, 0.27 * lamp * haze
    r, g, b = (
        mix(r, 0.30 * lamp, 0.55 * far),
        mix(g, 0.33 * lamp, 0.55 * far),
        mix(b, 0.06 * lamp, 0.55 * far),
    )
    vein = 0.6 + 0.8 * fbm(dx * 60, dy * 60, 3)
    r, g, b = mix(r, 0.060 * vein, plants), mix(g, 0.088 * vein, plants), mix(b, 0.022 * vein, plants)
    # panes: each holds the light a little differently
    pane_a = math.floor(angle / (math.pi / 22) + 0.5)
    rise = math.asin(min(1.0, up)) if dy > wall else 0.0
    pane_b = math.floor(rise / (math.pi / 2) * 9) if dy > wall else -math.floor((wall - dy) / 0.058) - 1.0
    differs = hash01(np.int64(pane_a + 500), np.int64(pane_b + 500))
    gain = 0.86 + 0.28 * differs
    r, g, b = r * gain, g * gain, b * gain
    # the evening outside, mirrored in the glass
    fresnel = 0.03 + 0.5 * (1 - depth) ** 3 + 0.06 * smooth(0.5, 1.0, dy)
    sr, sg, sb = sky(x - 0.25 * across, 0.05 + 0.30 * min(dy, 1.0))
    r, g, b = r + fresnel * sr, g + fresnel * sg, b + fresnel * sb
    # ribs and rings, thinner towards the sides
    thick = 0.0060
    rib = abs(angle - pane_a * (math.pi / 22)) * half * depth
    bar = smooth(thick, thick * 0.55, rib) * (0.35 + 0.65 * smooth(0.0, 0.35, depth))
    if dy > wall:
        ring = abs(rise / (math.pi / 2) * 9 - math.floor(rise / (math.pi / 2) * 9 + 0.5)) * (math.pi / 18)
        bar = max(bar, smooth(0.0072, 0.0040, ring * math.cos(rise)))
    else:
        ring = abs((wall - dy) / 0.058 - math.floor((wall - dy) / 0.058 + 0.5)) * 0.058
        bar = max(bar, smooth(0.0060, 0.0034, ring))
    bar = max(bar, smooth(0.017, 0.010, abs(dy - wall)))
    edge = smooth(0.965, 0.995, abs(across)) if dy < wall else smooth(0.968, 0.990, rr)
    bar = max(bar, edge)
    base = smooth(0.030, 0.020, dy)
    metal = 0.050 + 0.045 * smooth(0.2, 1.0, dy)
    mr, mg, mb = metal + 0.05 * lamp, metal * 1.02 + 0.027 * lamp, metal * 1.25 + 0.01 * lamp
    r, g, b = mix(r, mr, bar), mix(g, mg, bar), mix(b, mb, bar)
    r, g, b = mix(r, 0.06, base), mix(g, 0.045, base), mix(b, 0.045, base)
    if dy > 1.0 and rr > 1.0:
        stripe = smooth(0.006, 0.003, abs(dx * 8 - math.floor(dx * 8 + 0.5)) / 8)
        r, g, b = mix(0.85, 0.06, stripe), mix(0.45, 0.06, stripe), mix(0.16, 0.07, stripe)
        dark = max(cap, spire)
        r, g, b = mix(r, 0.05, dark), mix(g, 0.055, dark), mix(b, 0.075, dark)
    return r, g, b, cover


@njit(**FAST)
def wing(x, y):
    """The long low glass wings beside the dome."""
    side = abs(x - CENTRE)
    top = 0.030 + 0.008 * smooth(0.0, 1.0, 1 - abs(((side * 14) % 1.0) - 0.5) * 2)
    if side < RADIUS * 0.9 or side > 0.292 or y > top or y < 0:
        return 0.0, 0.0, 0.0, 0.0
    k = (side * 150) % 1.0
    bar = smooth(0.10, 0.05, min(k, 1 - k))
    bar = max(bar, smooth(0.0008, 0.0004, abs(y - 0.0185)))
    bar = max(bar, smooth(0.0013, 0.0007, abs(y - top)))
    pane = hash01(np.int64(math.floor(x * 150)), np.int64(7 if y > 0.0185 else 3))
    plants = smooth(0.003, -0.003, y - 0.015 - 0.014 * (fbm(x * 120, 1.0, 4) - 0.4))
    lamp = (0.30 + 0.75 * pane) * (0.75 + 0.5 * noise(x * 20, 5.0)) * (1 - 0.35 * smooth(0.15, 0.29, side))
    r, g, b = 1.15 * lamp, 0.62 * lamp, 0.21 * lamp
    r, g, b = mix(r, 0.11, plants * 0.85), mix(g, 0.12, plants * 0.85), mix(b, 0.03, plants * 0.85)
    r, g, b = mix(r, 0.05, bar), mix(g, 0.045, bar), mix(b, 0.05, bar)
    return r, g, b, smooth(0.0, 0.0008, top - y)


@njit(**FAST)
def land(x, y):
    """Everything above the shore line."""
    r, g, b = sky(x, y)
    s = star(x, y)
    r, g, b = r + s, g + s, b + s * 1.1
    for layer in range(5):
        h = ridge(x, layer)
        cover = smooth(0.0, 0.0006, h - y)
        if cover > 0:
            near = layer / 4.0
            depth = smooth(0.0, 0.05, h - y)
            grain = 0.75 + 0.5 * fbm(x * 170, y * 220, 4)
            hr, hg, hb = (
                mix(0.25, 0.016, near**0.6),
                mix(0.165, 0.021, near**0.6),
                mix(0.225, 0.026, near**0.6),
            )
            mist = depth * (1 - near) * 0.5
            fr, fg, fb = mix(hr, 0.34, mist), mix(hg, 0.20, mist), mix(hb, 0.22, mist)
            textured = mix(1.0, grain, near)
            r, g, b = mix(r, fr * textured, cover), mix(g, fg * textured, cover), mix(b, fb * textured, cover)
    halo = math.exp(-(((x - CENTRE) / 0.20) ** 2) - ((y - 0.06) / 0.10) ** 2) * 0.10
    r, g, b = r + halo, g + halo * 0.55, b + halo * 0.22
    wr, wg, wb, cover = wing(x, y)
    r, g, b = mix(r, wr, cover), mix(g, wg, cover), mix(b, wb, cover)
    dr, dg, db, cover = dome(x, y)
    r, g, b = mix(r, dr, cover), mix(g, dg, cover), mix(b, db, cover)
    hedge = (
        0.0085 + 0.010 * fbm(x * 48, 3.3, 5) * smooth(0.25, 0.7, noise(x * 13, 8.0)) + 0.0016 * fbm(x * 400, 2.0, 3)
    )
    cover = smooth(0.0, 0.0006, hedge - y)
    warm = math.exp(-(((x - CENTRE) / 0.17) ** 2))
    leaf = 0.5 + fbm(x * 420, y * 420, 4)
    r, g, b = (
        mix(r, (0.012 + 0.060 * warm) * leaf, cover),
        mix(g, (0.016 + 0.042 * warm) * leaf, cover),
        mix(b, 0.014 * leaf, cover),
    )
    return r, g, b


@njit(**FAST)
def water(x, y):
    """The pond: the land upside down, drawn out by ripples, darker towards us."""
    down = -y
    far = 1.0 / (0.012 + down)
    wave = fbm(x * 22 + 3, far * 0.55, 4) - 0.5 + 0.45 * (fbm(x * 95, far * 2.1, 3) - 0.5)
    calm = smooth(0.35, 0.62, fbm(x * 3 + 8, far * 0.10, 3))
    strength = down * (0.16 + 0.42 * calm)
    r, g, b = land(x + wave * strength * 0.25, max(0.0, down * 1.04 + wave * strength * 1.6 + 0.0005))
    loss = 0.80 - 0.38 * smooth(0.0, SHORE, down)
    r, g, b = r * loss * 0.96 + 0.006, g * loss + 0.010, b * loss * 1.02 + 0.016
    line = smooth(0.0011, 0.0, down)
    return mix(r, 0.02, line), mix(g, 0.018, line), mix(b, 0.018, line)


@njit(parallel=True, **FAST)
def render(width, height, samples):
    """Linear light of the whole picture."""
    out = np.empty((height, width, 3), np.float32)
    for row in prange(height):
        for column in range(width):
            r, g, b = 0.0, 0.0, 0.0
            for s in range(samples):
                jx, jy = hash01(column * 4 + s, row), hash01(row * 4 + s, column + 99991)
                x = (column + jx) / width
                y = (height - row - jy) / width - SHORE
                if y >= 0:
                    pr, pg, pb = land(x, y)
                else:
                    pr, pg, pb = water(x, y)
                r, g, b = r + pr, g + pg, b + pb
            fall = 1.0 - 0.22 * ((column / width - 0.5) ** 2 + (row / height - 0.5) ** 2) * 2
            out[row, column, 0] = r / samples * fall
            out[row, column, 1] = g / samples * fall
            out[row, column, 2] = b / samples * fall
    return out


def reeds(picture, seed=5):
    """Reeds at both lower corners, drawn as tapering curved strokes against the water."""
    height, width = picture.shape[:2]
    random = np.random.default_rng(seed)
    for _ in range(520):
        side = random.random() < 0.62
        x = random.beta(1.1, 3.2) * 0.30 if side else 1 - random.beta(1.1, 4.0) * 0.26
        length = (0.03 + 0.085 * random.random() ** 1.5) * (1.15 - abs(x - (0 if side else 1)) * 2.6)
        lean, thick = random.normal(0, 0.35), width * (0.00022 + 0.00038 * random.random())
        shade = 0.006 + 0.016 * random.random()
        steps = max(int(length * width * 1.2), 2)
        for t in np.linspace(0, 1, steps):
            px = (x + lean * length * t * t) * width
            py = height - (t * length - 0.004) * width
            half = max(thick * (1 - t) ** 0.7, 0.5)
            left, right, row = int(px - half), int(px + half) + 1, int(py)
            if 0 <= row < height:
                picture[row, max(left, 0) : max(min(right, width), 0)] = (shade * 0.9, shade, shade * 0.8)
    return picture


def draw(scale=1.0):
    """The finished 8-bit picture; `scale` below 1 for trials."""
    width, height = int(WIDTH * scale), int(HEIGHT * scale)
    return film(reeds(render(width, height, 4)) * 1.25, grain=0.016, seed=11)
