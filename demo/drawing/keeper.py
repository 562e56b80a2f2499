"""A painted portrait of the keeper in the palm room: a modelled head, laid over with brush strokes.

Nobody in particular: the head is a handful of ellipsoids, the paint does the rest.
"""

import math

import numpy as np
import pyvips
from numba import njit, prange

from drawing.noise import FAST, fbm, film, mix, noise, smooth

WIDTH, HEIGHT = 2700, 3600


@njit(**FAST)
def ball(x, y, z, cx, cy, cz, rx, ry, rz):
    """Distance to an ellipsoid, near enough."""
    u, v, w = (x - cx) / rx, (y - cy) / ry, (z - cz) / rz
    k = math.sqrt(u * u + v * v + w * w)
    return (k - 1) * min(rx, min(ry, rz))


@njit(**FAST)
def join(a, b, k):
    """Smooth union."""
    h = max(k - abs(a - b), 0.0) / k
    return min(a, b) - h * h * k * 0.25


@njit(**FAST)
def carve(a, b, k):
    """Smooth difference."""
    return -join(-a, b, k)


@njit(**FAST)
def skin(x, y, z):
    """Head and neck."""
    s = abs(x)
    d = ball(x, y, z, 0, 0.12, 0, 0.66, 0.86, 0.74)
    d = join(d, ball(x, y, z, 0, -0.42, 0.22, 0.44, 0.44, 0.44), 0.30)
    d = join(d, ball(s, y, z, 0.30, -0.10, 0.50, 0.22, 0.17, 0.17), 0.20)
    d = carve(d, ball(s, y, z, 0.245, 0.115, 0.80, 0.155, 0.085, 0.15), 0.10)
    d = join(d, ball(s, y, z, 0.25, 0.245, 0.60, 0.20, 0.055, 0.10), 0.10)
    d = join(d, ball(x, y, z, 0, 0.02, 0.72, 0.075, 0.21, 0.13), 0.10)
    d = join(d, ball(x, y, z, 0, -0.125, 0.83, 0.088, 0.075, 0.095), 0.08)
    d = join(d, ball(s, y, z, 0.085, -0.14, 0.76, 0.055, 0.050, 0.07), 0.05)
    d = join(d, ball(s, y, z, 0.68, 0.03, -0.02, 0.07, 0.19, 0.13), 0.06)
    d = join(d, ball(s, y, z, 0.24, 0.145, 0.590, 0.125, 0.040, 0.100), 0.03)
    neck = math.hypot(x, z + 0.12) - 0.36
    return join(d, max(neck, y + 0.35), 0.18)


@njit(**FAST)
def beard(x, y, z):
    """Moustache and a full short beard."""
    s = abs(x)
    strand = 0.030 * (fbm(x * 26 + y * 5, y * 9 + z * 5, 3) - 0.5) + 0.02 * (noise(x * 9, y * 7) - 0.5)
    d = ball(x, y, z, 0, -0.55, 0.30, 0.48, 0.37, 0.46)
    d = join(d, ball(s, y, z, 0.46, -0.30, 0.12, 0.17, 0.36, 0.26), 0.22)
    d = join(d, ball(s, y, z, 0.135, -0.268, 0.70, 0.17, 0.062, 0.115), 0.05)
    d = carve(d, ball(x, y, z, 0, -0.345, 0.80, 0.125, 0.030, 0.16), 0.05)
    return d + strand


@njit(**FAST)
def hat(x, y, z):
    """A straw hat, a little back on the head."""
    c, s = math.cos(-0.16), math.sin(-0.16)
    yy, zz = (y - 0.52) * c - z * s, (y - 0.52) * s + z * c
    r = math.hypot(x / 1.02, zz)
    sag = 0.10 * r * r - 0.14 + 0.03 * math.sin(math.atan2(zz, x) * 3)
    brim = max(abs(yy + sag) - 0.014, r - 1.20)
    crown = max(ball(x, yy, zz, 0, 0.05, 0, 0.735, 0.58, 0.80), -yy - 0.10)
    weave = 0.006 * math.sin(r * 120) + 0.004 * math.sin(math.atan2(zz, x) * 160)
    return join(brim, crown, 0.06) * 0.8 + weave * 0.5


@njit(**FAST)
def clothes(x, y, z):
    """Shoulders, collar and the bib of an apron."""
    s = abs(x)
    d = ball(x, y, z, 0, -1.98, -0.18, 1.42, 0.92, 0.60)
    d = join(d, ball(s, y, z, 0.86, -1.72, -0.16, 0.52, 0.46, 0.42), 0.3)
    collar = abs(math.hypot(x * 0.95, z + 0.08) - 0.47 - 0.15 * (y + 1.1)) - 0.035
    collar = max(collar, abs(y + 1.13 + 0.22 * smooth(0.1, 0.6, z)) - 0.11)
    d = join(d, collar, 0.04)
    return d + 0.030 * (fbm(x * 3 + 2, y * 3 + z * 2, 3) - 0.5)


@njit(**FAST)
def eyes(x, y, z):
    return ball(abs(x), y, z, 0.245, 0.112, 0.565, 0.088, 0.075, 0.088)


@njit(**FAST)
def glasses(x, y, z):
    """Round wire glasses."""
    s = abs(x)
    ring = math.hypot(math.hypot(s - 0.252, y - 0.095) - 0.168, z - 0.775 + 0.16 * s) - 0.0115
    bridge = math.hypot(y - 0.13 + 0.9 * x * x * 4, z - 0.80) - 0.010
    bridge = max(bridge, s - 0.085)
    arm = max(math.hypot(y - 0.11, s - 0.425 - 0.36 * (0.72 - z)) - 0.011, max(z - 0.72, -z))
    return min(ring, min(bridge, arm))


@njit(**FAST)
def model(x, y, z):
    d = min(skin(x, y, z), min(beard(x, y, z), hat(x, y, z)))
    return min(d, min(clothes(x, y, z), min(eyes(x, y, z), glasses(x, y, z))))


@njit(**FAST)
def palm_room(x, y):
    """The bright green room behind, out of focus."""
    up = smooth(-1.9, 1.3, y)
    r, g, b = mix(0.05, 0.42, up), mix(0.085, 0.48, up), mix(0.05, 0.40, up)
    for k in range(24):
        cx, cy = 2.6 * (noise(k * 3.7, 1.0) * 2 - 1), 2.2 * noise(k * 5.1, 2.0) - 0.9
        radius = 0.10 + 0.22 * noise(k * 2.3, 3.0)
        spot = smooth(radius, radius * 0.75, math.hypot(x - cx, y - cy)) * 0.35 * noise(k * 7.7, 4.0)
        r, g, b = r + spot * 0.9, g + spot, b + spot * 0.62
    leaf = smooth(0.48, 0.60, fbm(x * 1.4 + 3, y * 1.1, 3)) * 0.75
    r, g, b = mix(r, 0.035, leaf), mix(g, 0.105, leaf), mix(b, 0.045, leaf)
    bar = smooth(0.05, 0.02, abs(x + 0.15 * y - 1.18)) * 0.5 + smooth(0.05, 0.02, abs(x - 0.1 * y + 1.42)) * 0.5
    return mix(r, 0.5, bar), mix(g, 0.55, bar), mix(b, 0.5, bar)


@njit(parallel=True, **FAST)
def render(width, height):
    """Linear light of the modelled portrait."""
    out = np.empty((height, width, 3), np.float32)
    turn = 0.42
    ct, st = math.cos(turn), math.sin(turn)
    for row in prange(height):
        for column in range(width):
            px = (column + 0.5 - width / 2) / width * 2.75
            py = (height / 2 - row - 0.5) / width * 2.75 - 0.30
            br, bg, bb = palm_room(px, py)
            ox, oy, oz = px * 0.45, py * 0.45 - 0.05, 6.0
            dx, dy, dz = px - ox, py - oy, -6.0
            n = 1 / math.sqrt(dx * dx + dy * dy + dz * dz)
            dx, dy, dz = dx * n, dy * n, dz * n
            ox, oz, dx, dz = ox * ct - oz * st, ox * st + oz * ct, dx * ct - dz * st, dx * st + dz * ct
            t, hit = 4.2, False
            for _ in range(130):
                d = model(ox + dx * t, oy + dy * t, oz + dz * t)
                if d < 0.0012:
                    hit = True
                    break
                t += d * 0.7
                if t > 8.5:
                    break
            if not hit:
                out[row, column, 0], out[row, column, 1], out[row, column, 2] = br, bg, bb
                continue
            x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
            e = 0.004
            m = model(x, y, z)
            nx, ny, nz = model(x + e, y, z) - m, model(x, y + e, z) - m, model(x, y, z + e) - m
            k = 1 / math.sqrt(nx * nx + ny * ny + nz * nz + 1e-12)
            nx, ny, nz = nx * k, ny * k, nz * k
            lx, ly, lz = -0.22, 0.46, 0.86
            lit = nx * lx + ny * ly + nz * lz
            shadow, s = 1.0, 0.05
            for _ in range(40):
                d = model(x + lx * s + nx * 0.02, y + ly * s + ny * 0.02, z + lz * s + nz * 0.02)
                shadow = min(shadow, 0.5 + 9 * d / s)
                if d < 0.001 or s > 3:
                    break
                s += max(d, 0.02)
            shadow = min(max(shadow, 0.0), 1.0)
            closed = 0.0
            for j in range(1, 5):
                reach = 0.05 * j * j
                closed += max(0.0, reach - model(x + nx * reach, y + ny * reach, z + nz * reach)) / reach * 0.22
            open_sky = max(0.10, 1 - closed)
            fine = fbm(x * 14, y * 14 + z * 9, 4)
            cr, cg, cb = 0.46, 0.245, 0.155
            wrap, gloss = 0.35, 0.10
            if eyes(x, y, z) < 0.004:
                # iris towards the viewer
                ex, ey = abs(x) - 0.245 - (0.032 if x > 0 else -0.032) * -1, y - 0.108
                r2 = math.hypot(ex, ey)
                cr, cg, cb = 0.62, 0.58, 0.52
                iris = smooth(0.047, 0.041, r2)
                cr, cg, cb = mix(cr, 0.12, iris), mix(cg, 0.14, iris), mix(cb, 0.10, iris)
                pupil = smooth(0.021, 0.016, r2)
                cr, cg, cb = mix(cr, 0.008, pupil), mix(cg, 0.008, pupil), mix(cb, 0.008, pupil)
                gloss = 0.8
            elif glasses(x, y, z) < 0.004:
                cr, cg, cb, gloss = 0.10, 0.075, 0.045, 0.9
            elif hat(x, y, z) < 0.006:
                a = math.atan2(z, x)
                weave = 0.78 + 0.22 * math.sin(math.hypot(x, z) * 95 + y * 60) * math.sin(a * 90)
                cr, cg, cb, wrap, gloss = 0.58 * weave, 0.42 * weave, 0.19 * weave, 0.30, 0.05
                if 0.52 < y + 0.16 * z < 0.70 and math.hypot(x, z) < 0.86:
                    cr, cg, cb = 0.035, 0.10, 0.075
            elif beard(x, y, z) < 0.008:
                hair = 0.6 + 0.8 * fbm(x * 46 + y * 12, y * 16 + z * 14, 3)
                cr, cg, cb, wrap, gloss = 0.37 * hair, 0.32 * hair, 0.27 * hair, 0.3, 0.10
            elif clothes(x, y, z) < 0.006:
                cr, cg, cb, wrap, gloss = 0.055, 0.095, 0.14, 0.15, 0.03
                bib = abs(x) < 0.50 - 0.05 * y and y < -1.42 and z > 0
                strap = abs(abs(x) - 0.46 - 0.10 * (y + 1.4)) < 0.085 and y >= -1.50
                if bib or strap:
                    cr, cg, cb = 0.17, 0.20, 0.10
                cr, cg, cb = cr * (0.75 + 0.5 * fine), cg * (0.75 + 0.5 * fine), cb * (0.75 + 0.5 * fine)
            else:
                flush = (
                    math.exp(-((abs(x) - 0.33) ** 2 + (y + 0.10) ** 2) * 16)
                    + math.exp(-(x * x + (y + 0.12) ** 2) * 60) * 0.9
                )
                cr, cg, cb = cr * (1 + 0.16 * flush), cg * (1 - 0.20 * flush), cb * (1 - 0.20 * flush)
                tone = 0.90 + 0.22 * fine
                cr, cg, cb = cr * tone, cg * tone, cb * tone
                brow = (
                    math.exp(-(((y - 0.265 - 0.09 * (1 - ((abs(x) - 0.25) / 0.2) ** 2) * 0.4) / 0.035) ** 2))
                    * smooth(0.47, 0.38, abs(x))
                    * smooth(0.06, 0.13, abs(x))
                )
                brow *= smooth(0.35, 0.6, fbm(x * 60, y * 22, 2) + 0.25) if z > 0.3 else 0.0
                cr, cg, cb = mix(cr, 0.19, brow), mix(cg, 0.15, brow), mix(cb, 0.115, brow)
            soft = max(0.0, (lit + wrap) / (1 + wrap))
            direct = soft * (0.25 + 0.75 * shadow) if wrap > 0.3 else max(0.0, lit) * shadow
            hx, hy, hz = lx - dx, ly - dy, lz - dz
            hk = 1 / math.sqrt(hx * hx + hy * hy + hz * hz)
            shine = max(0.0, (nx * hx + ny * hy + nz * hz) * hk) ** 34 * gloss * shadow
            facing = -(nx * dx + ny * dy + nz * dz)
            rim = (1 - max(facing, 0.0)) ** 3 * 0.35 * smooth(-0.2, 0.6, nx)
            up = 0.5 + 0.5 * ny
            r = cr * (direct * 1.95 + open_sky * (0.30 + 0.15 * up)) + shine + rim * 0.75
            g = cg * (direct * 1.95 + open_sky * (0.36 + 0.18 * up)) + shine + rim * 0.85
            b = cb * (direct * 1.65 + open_sky * (0.34 + 0.22 * up)) + shine * 0.9 + rim * 0.70
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = r, g, b
    return out


@njit(**FAST)
def stroke(canvas, x0, y0, angle, length, width, colour, seed):
    """One stroke of a bristle brush: streaked along, ragged at its ends, thicker paint at the edges."""
    height, columns = canvas.shape[0], canvas.shape[1]
    ca, sa = math.cos(angle), math.sin(angle)
    reach = length / 2 + width
    for row in range(max(0, int(y0 - reach)), min(height, int(y0 + reach) + 1)):
        for column in range(max(0, int(x0 - reach)), min(columns, int(x0 + reach) + 1)):
            u = ((column - x0) * ca + (row - y0) * sa) / (length / 2)
            v = (-(column - x0) * sa + (row - y0) * ca) / (width / 2)
            streak = noise(v * 4.5 + seed, u * 0.8 + seed * 3.1)
            end = 1.0 - 0.35 * streak
            cover = smooth(end + 0.08, end - 0.08, abs(u)) * smooth(1.0, 0.78, abs(v)) * (0.60 + 0.45 * streak)
            if cover <= 0.02:
                continue
            cover = min(cover, 1.0)
            relief = 1 + 0.13 * (streak - 0.5) + 0.05 * smooth(0.55, 0.95, v)
            for band in range(3):
                canvas[row, column, band] += (colour[band] * relief - canvas[row, column, band]) * cover


@njit(**FAST)
def lay(canvas, reference, strokes, length, width, jitter):
    """A layer of strokes along the forms; colour from the reference, only where the canvas differs enough."""
    height, columns = canvas.shape[0], canvas.shape[1]
    colour = np.empty(3, np.float32)
    for k in range(strokes.shape[0]):
        x, y = strokes[k, 0] * (columns - 5) + 2, strokes[k, 1] * (height - 5) + 2
        row, column = int(y), int(x)
        differs = 0.0
        for band in range(3):
            colour[band] = reference[row, column, band] * (1 + jitter * (strokes[k, 2] - 0.5) * (0.6 + 0.4 * band))
            differs += abs(reference[row, column, band] - canvas[row, column, band])
        if differs < 0.010 + 0.06 * (colour[0] + colour[1] + colour[2]) * strokes[k, 3]:
            continue
        gx, gy, step = 0.0, 0.0, max(2, int(width * 0.25))
        a, b = min(column + step, columns - 1), max(column - step, 0)
        c, d = min(row + step, height - 1), max(row - step, 0)
        for band in range(3):
            gx += reference[row, a, band] - reference[row, b, band]
            gy += reference[c, column, band] - reference[d, column, band]
        angle = math.atan2(gy, gx) + math.pi / 2
        if math.hypot(gx, gy) < 0.01:
            angle = 0.9 + 1.6 * (noise(x * 0.004, y * 0.004) - 0.5) * 3
        stroke(
            canvas,
            x,
            y,
            angle + 0.5 * (strokes[k, 2] - 0.5),
            length * (0.6 + 0.8 * strokes[k, 3]),
            width,
            colour,
            strokes[k, 2] * 97,
        )


def blurred(picture, sigma):
    """The reference for one layer of strokes."""
    height, width = picture.shape[:2]
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(picture).tobytes(), width, height, 3, "float")
    return image.gaussblur(sigma).numpy().astype(np.float32).copy()


def draw(scale=1.0):
    """The finished 8-bit picture."""
    width, height = int(WIDTH * scale), int(HEIGHT * scale)
    model_width = int(1500 * min(1.0, scale * 1.6))
    small = render(model_width, model_width * HEIGHT // WIDTH)
    image = pyvips.Image.new_from_memory(small.tobytes(), small.shape[1], small.shape[0], 3, "float")
    image = image.resize(width / small.shape[1], vscale=height / small.shape[0], kernel="cubic")
    reference = np.maximum(image.numpy().astype(np.float32), 0)
    random = np.random.default_rng(9)
    canvas = blurred(reference, width * 0.02) * 0.85 + np.float32(0.02)
    for count, length, brush in (
        (4200, 0.13, 0.034),
        (15000, 0.065, 0.017),
        (60000, 0.030, 0.0080),
        (190000, 0.014, 0.0038),
    ):
        lay(
            canvas,
            blurred(reference, max(width * brush * 0.22, 0.4)),
            random.random((count, 4)),
            width * length,
            max(width * brush, 1.2),
            0.16,
        )
    rows, columns = np.mgrid[0:height, 0:width].astype(np.float32)
    weave = 1 + 0.022 * np.sin(columns * (2 * np.pi / (width / 520))) * np.sin(rows * (2 * np.pi / (width / 520)))
    return film(canvas * weave[..., None] * 1.35, grain=0.008, seed=9)
