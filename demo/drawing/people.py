"""Made-up people, modelled like the keeper: heads of a few ellipsoids, hair, plain clothes, a badge, a flash's red eyes.

Nobody in particular. `HEADS` say where each stands, how large, how turned, and what colours.
"""

import math

import numpy as np
import pyvips
from numba import njit, prange
from PIL import Image, ImageDraw

from drawing.keeper import ball, carve, clothes, join, palm_room
from drawing.lettering import font
from drawing.noise import FAST, fbm, film, mix, noise, smooth

LONG, SHORT, TIED = 0, 1, 2  # hair
# x, y, size, turn, hair, then colours: skin, hair, jacket (linear light), and how far each eye is open and red
FIELDS = 19


@njit(**FAST)
def face(x, y, z):
    """Head and neck: rounder than the keeper's, with lids and lips."""
    s = abs(x)
    d = ball(x, y, z, 0, 0.10, 0, 0.62, 0.80, 0.70)
    d = join(d, ball(x, y, z, 0, -0.44, 0.20, 0.40, 0.42, 0.42), 0.30)
    d = join(d, ball(s, y, z, 0.29, -0.14, 0.46, 0.22, 0.18, 0.18), 0.22)
    d = carve(d, ball(s, y, z, 0.24, 0.10, 0.78, 0.155, 0.095, 0.16), 0.10)
    d = join(d, ball(s, y, z, 0.245, 0.265, 0.560, 0.19, 0.040, 0.08), 0.10)
    d = join(d, ball(x, y, z, 0, 0.00, 0.66, 0.060, 0.19, 0.12), 0.10)
    d = join(d, ball(x, y, z, 0, -0.125, 0.755, 0.072, 0.060, 0.085), 0.08)
    d = join(d, ball(s, y, z, 0.065, -0.145, 0.70, 0.045, 0.040, 0.06), 0.05)
    d = join(d, ball(s, y, z, 0.63, 0.00, -0.04, 0.06, 0.17, 0.11), 0.06)
    d = join(d, ball(s, y, z, 0.240, 0.176, 0.560, 0.120, 0.024, 0.080), 0.03)
    d = join(d, ball(x, y, z, 0, -0.325, 0.575, 0.155, 0.030, 0.085), 0.03)
    d = join(d, ball(x, y, z, 0, -0.385, 0.560, 0.130, 0.036, 0.085), 0.03)
    neck = math.hypot(x, z + 0.10) - 0.30
    return join(d, max(neck, y + 0.35), 0.16)


@njit(**FAST)
def hair(x, y, z, kind):
    strand = 0.024 * (fbm(x * 22 + y * 4, y * 8 + z * 6, 3) - 0.5)
    cap = ball(x, y, z, 0, 0.26, -0.10, 0.70, 0.74, 0.74)
    fringe = y - 0.46 + 0.16 * x - 0.9 * max(0.0, 0.35 - z)
    cap = max(cap, -fringe) if z > -0.2 else cap
    if kind == LONG:
        side = ball(abs(x), y, z, 0.58, -0.35, -0.18, 0.17, 0.80, 0.34)
        cap = join(cap, side, 0.14)
    elif kind == TIED:
        cap = join(cap, ball(x, y, z, 0.05, 1.02, -0.25, 0.27, 0.25, 0.25), 0.08)
    return cap + strand


@njit(**FAST)
def eyeballs(x, y, z):
    return ball(abs(x), y, z, 0.24, 0.098, 0.530, 0.094, 0.082, 0.092)


@njit(**FAST)
def placed(head, x, y, z):
    """A point in the frame of one person."""
    x, y, z = (x - head[0]) / head[2], (y - head[1]) / head[2], z / head[2]
    c, s = math.cos(head[3]), math.sin(head[3])
    return x * c - z * s, y, x * s + z * c


@njit(**FAST)
def person(head, x, y, z):
    u, v, w = placed(head, x, y, z)
    d = min(face(u, v, w), min(hair(u, v, w, int(head[4])), eyeballs(u, v, w)))
    return min(d, clothes(u, v + 0.02, w)) * head[2]


@njit(**FAST)
def crowd(heads, x, y, z):
    d = 9.0
    for i in range(heads.shape[0]):
        d = min(d, person(heads[i], x, y, z))
    return d


@njit(**FAST)
def evening(x, y):
    """A dark room with a few lamps far behind."""
    r, g, b = 0.010, 0.012, 0.014
    for k in range(9):
        cx, cy = 3.4 * (noise(k * 3.1, 7.0) * 2 - 1), 1.5 * noise(k * 4.3, 8.0) - 0.2
        spot = smooth(0.16, 0.10, math.hypot(x - cx, y - cy)) * 0.10 * noise(k * 6.7, 9.0)
        r, g, b = r + spot, g + spot * 0.72, b + spot * 0.40
    leaf = smooth(0.50, 0.62, fbm(x * 1.5 + 9, y * 1.3, 3))
    return r + 0.010 * leaf, g + 0.020 * leaf, b + 0.010 * leaf


@njit(parallel=True, **FAST)
def render(heads, width, height, span, flash):
    out = np.empty((height, width, 3), np.float32)
    for row in prange(height):
        for column in range(width):
            px = (column + 0.5 - width / 2) / width * span
            py = (height / 2 - row - 0.5) / width * span - 0.25
            br, bg, bb = evening(px, py) if flash else palm_room(px * 0.8, py * 0.8)
            ox, oy, oz = px * 0.5, py * 0.5, 7.0
            dx, dy, dz = px - ox, py - oy, -7.0
            n = 1 / math.sqrt(dx * dx + dy * dy + dz * dz)
            dx, dy, dz = dx * n, dy * n, dz * n
            t, hit = 4.6, False
            for _ in range(190):
                d = crowd(heads, ox + dx * t, oy + dy * t, oz + dz * t)
                if d < 0.0012:
                    hit = True
                    break
                t += d * 0.55
                if t > 9.5:
                    break
            if not hit:
                out[row, column, 0], out[row, column, 1], out[row, column, 2] = br, bg, bb
                continue
            x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
            e = 0.004
            m = crowd(heads, x, y, z)
            nx, ny, nz = crowd(heads, x + e, y, z) - m, crowd(heads, x, y + e, z) - m, crowd(heads, x, y, z + e) - m
            k = 1 / math.sqrt(nx * nx + ny * ny + nz * nz + 1e-12)
            nx, ny, nz = nx * k, ny * k, nz * k
            lx, ly, lz = (0.05, 0.10, 0.99) if flash else (-0.30, 0.50, 0.81)
            lit = nx * lx + ny * ly + nz * lz
            shadow, s = 1.0, 0.05
            if not flash:
                for _ in range(36):
                    d = crowd(heads, x + lx * s + nx * 0.02, y + ly * s + ny * 0.02, z + lz * s + nz * 0.02)
                    shadow = min(shadow, 0.5 + 9 * d / s)
                    if d < 0.001 or s > 3:
                        break
                    s += max(d, 0.02)
                shadow = min(max(shadow, 0.0), 1.0)
            closed = 0.0
            for j in range(1, 5):
                reach = 0.05 * j * j
                closed += (
                    max(0.0, reach - crowd(heads, x + nx * reach, y + ny * reach, z + nz * reach)) / reach * 0.22
                )
            sky = max(0.10, 1 - closed)
            who = 0
            for i in range(heads.shape[0]):
                if person(heads[i], x, y, z) < person(heads[who], x, y, z):
                    who = i
            head = heads[who]
            u, v, w = placed(head, x, y, z)
            fine = fbm(u * 14, v * 14 + w * 9, 4)
            cr, cg, cb, wrap, gloss = head[5], head[6], head[7], 0.35, 0.10
            glow = 0.0
            if eyeballs(u, v, w) < 0.004:
                side = 0 if u < 0 else 1
                ex, ey = abs(u) - 0.240 + (0.010 if side else -0.010), v - 0.100
                r2 = math.hypot(ex, ey)
                cr, cg, cb, gloss = 0.55, 0.52, 0.48, 0.5
                iris = smooth(0.054, 0.048, r2)
                cr, cg, cb = mix(cr, 0.10, iris), mix(cg, 0.085, iris), mix(cb, 0.06, iris)
                pupil = smooth(0.031, 0.026, r2)
                cr, cg, cb = mix(cr, 0.006, pupil), mix(cg, 0.006, pupil), mix(cb, 0.006, pupil)
                glow = pupil * head[17 + side] * (0.8 + 0.4 * noise(ex * 60, ey * 60))
            elif hair(u, v, w, int(head[4])) < 0.010:
                dark = 0.55 + 0.9 * fbm(u * 40 + v * 9, v * 13 + w * 12, 3)
                cr, cg, cb, wrap, gloss = head[8] * dark, head[9] * dark, head[10] * dark, 0.3, 0.12
            elif clothes(u, v + 0.02, w) < 0.008:
                cr, cg, cb, wrap, gloss = head[11], head[12], head[13], 0.15, 0.03
                if abs(u) < 0.16 + 0.30 * smooth(-1.2, -2.0, v) * 0.4 and w > 0:
                    cr, cg, cb = head[14], head[15], head[16]
                cloth = 0.72 + 0.56 * fine
                cr, cg, cb = cr * cloth, cg * cloth, cb * cloth
            else:
                flush = math.exp(-((abs(u) - 0.31) ** 2 + (v + 0.13) ** 2) * 18)
                tone = (0.92 + 0.16 * fine) * (1 + 0.05 * flush)
                cr, cg, cb = cr * tone * (1 + 0.12 * flush), cg * tone * (1 - 0.10 * flush), cb * tone
                lips = (
                    smooth(0.185, 0.130, abs(u))
                    * smooth(0.056, 0.035, abs(v + 0.352 - 0.9 * u * u))
                    * smooth(0.40, 0.50, w)
                )
                cr, cg, cb = (
                    mix(cr, head[5] * 0.80, lips),
                    mix(cg, head[6] * 0.48, lips),
                    mix(cb, head[7] * 0.52, lips),
                )
                arch = v - 0.292 - 0.05 * (1 - ((abs(u) - 0.25) / 0.18) ** 2)
                brow = math.exp(-((arch / 0.024) ** 2)) * smooth(0.42, 0.36, abs(u)) * smooth(0.09, 0.14, abs(u))
                brow *= 0.9 if w > 0.25 else 0.0
                cr, cg, cb = mix(cr, head[8] * 0.8, brow), mix(cg, head[9] * 0.8, brow), mix(cb, head[10] * 0.8, brow)
                mouth = smooth(0.014, 0.005, abs(v + 0.353 - 0.9 * u * u)) * smooth(0.19, 0.15, abs(u)) * (w > 0.35)
                cr, cg, cb = mix(cr, 0.05, mouth), mix(cg, 0.02, mouth), mix(cb, 0.02, mouth)
                lash = smooth(0.020, 0.008, abs(v - 0.176 + 1.5 * (abs(u) - 0.24) ** 2)) * smooth(
                    0.14, 0.11, abs(abs(u) - 0.24)
                )
                lash *= 1.0 if w > 0.4 else 0.0
                cr, cg, cb = mix(cr, 0.03, lash * 0.8), mix(cg, 0.02, lash * 0.8), mix(cb, 0.02, lash * 0.8)
            soft = max(0.0, (lit + wrap) / (1 + wrap))
            hx, hy, hz = lx - dx, ly - dy, lz - dz
            hk = 1 / math.sqrt(hx * hx + hy * hy + hz * hz)
            tight = 900 if eyeballs(u, v, w) < 0.004 and flash else 60
            shine = max(0.0, (nx * hx + ny * hy + nz * hz) * hk) ** tight * gloss * shadow
            facing = max(0.0, -(nx * dx + ny * dy + nz * dz))
            shine *= smooth(0.25, 0.55, facing)
            if flash:
                light = 2.9 * soft * facing**0.6 * (0.35 + 0.65 * sky)
                r, g, b = cr * light + shine * 2.0, cg * light * 0.97 + shine * 2.0, cb * light * 0.92 + shine * 2.0
            else:
                direct = soft * (0.25 + 0.75 * shadow)
                up = 0.5 + 0.5 * ny
                r = cr * (direct * 1.9 + sky * (0.30 + 0.15 * up)) + shine
                g = cg * (direct * 1.9 + sky * (0.36 + 0.18 * up)) + shine
                b = cb * (direct * 1.65 + sky * (0.34 + 0.22 * up)) + shine * 0.9
            if glow > 0:
                r, g, b = r + glow * 0.85, g + glow * 0.030, b + glow * 0.035
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = r, g, b
    return out


def badge(lines, size):
    """A name badge: the house's colour above, a name below."""
    width, height = size
    card = Image.new("RGB", size, (250, 249, 244))
    pen = ImageDraw.Draw(card)
    pen.rectangle((0, 0, width, int(height * 0.30)), fill=(15, 106, 88))
    pen.text((width / 2, height * 0.15), lines[0], font=font(height * 0.14, 640), fill=(245, 242, 234), anchor="mm")
    pen.text((width / 2, height * 0.52), lines[1], font=font(height * 0.25, 700), fill=(29, 35, 38), anchor="mm")
    pen.text((width / 2, height * 0.80), lines[2], font=font(height * 0.13, 500), fill=(86, 93, 92), anchor="mm")
    return np.asarray(card).astype(np.float32) / 255


def painted(heads, size, span, flash, seed, grain):
    """The finished 8-bit picture: rendered, then lightly laid over with strokes where it is not a photograph."""
    width, height = size
    small = render(np.array(heads, np.float64), width * 3 // 5, height * 3 // 5, span, flash)
    image = pyvips.Image.new_from_memory(small.tobytes(), small.shape[1], small.shape[0], 3, "float")
    image = image.resize(width / small.shape[1], vscale=height / small.shape[0], kernel="cubic")
    light = np.maximum(image.numpy().astype(np.float32), 0)
    return film(light * (1.0 if flash else 1.30), grain=grain, seed=seed)
