"""The delivery cart before the potting shed: a small van with a number plate, on wet gravel."""

import math

import numpy as np
import pyvips
from numba import njit, prange
from PIL import Image, ImageDraw

from drawing.lettering import emblem, font
from drawing.noise import FAST, fbm, film, mix, noise, smooth

WIDTH, HEIGHT = 3_000, 2_000
PLATE, PLATE_SIZE = "MLG 47 VR", (720, 160)


@njit(**FAST)
def block(x, y, z, w, h, d, r):
    """Distance to a box with rounded edges."""
    a, b, c = abs(x) - w + r, abs(y) - h + r, abs(z) - d + r
    far = math.sqrt(max(a, 0.0) ** 2 + max(b, 0.0) ** 2 + max(c, 0.0) ** 2)
    return far + min(max(a, max(b, c)), 0.0) - r


@njit(**FAST)
def wheel(x, y, z):
    """A tyre that stands across x, about its middle."""
    r = math.hypot(y, z)
    tyre = math.hypot(max(abs(r - 0.30) - 0.045, 0.0), max(abs(x) - 0.09, 0.0)) - 0.045
    return min(tyre, max(r - 0.20, abs(x) - 0.07))


@njit(**FAST)
def body(x, y, z):
    low = block(x, y - 0.62, z, 0.95, 0.44, 1.7, 0.10)
    high = block(x, y - 1.34, z + 0.12, 0.90, 0.56, 1.5, 0.16)
    d = max(min(low, high), -(math.hypot(y - 0.34, z - 1.05) - 0.42) if abs(x) > 0.6 else -9.0)
    d = max(d, -(math.hypot(y - 0.34, z + 1.05) - 0.42) if abs(x) > 0.6 else -9.0)
    seam = min(abs(x) + abs(0 * y), 9.0)
    if z > 1.2:
        d = d + 0.012 * smooth(0.016, 0.006, seam)
    return d


@njit(**FAST)
def parts(x, y, z):
    bumper = block(x, y - 0.30, z - 1.74, 0.98, 0.10, 0.08, 0.05)
    s = abs(x)
    wheels = min(wheel(s - 0.84, y - 0.34, z - 1.05), wheel(s - 0.84, y - 0.34, z + 1.05))
    lamp = block(s - 0.80, y - 0.86, z - 1.70, 0.075, 0.17, 0.05, 0.03)
    return min(bumper, min(wheels, lamp))


@njit(**FAST)
def ground(x, y, z):
    return y - 0.020 * fbm(x * 3, z * 3, 3) - 0.012 * noise(x * 24, z * 24)


@njit(**FAST)
def model(x, y, z):
    return min(min(body(x, y, z), parts(x, y, z)), ground(x, y, z))


@njit(**FAST)
def shed(x, y):
    """Boards of the potting shed, and a window."""
    board = y * 2.6
    n = math.floor(board)
    edge = smooth(0.0, 0.06, board - n) * (0.82 + 0.30 * noise(n * 3.7, 1.0))
    grain = 0.75 + 0.5 * fbm(x * 1.2 + n * 9, y * 26, 4)
    r, g, b = 0.150 * edge * grain, 0.185 * edge * grain, 0.165 * edge * grain
    if abs(x + 3.1) < 1.05 and abs(y - 2.05) < 0.80:
        frame = abs(x + 3.1) > 0.95 or abs(y - 2.05) > 0.70 or abs(x + 3.1) < 0.05 or abs(y - 2.05) < 0.05
        warm = 0.35 + 0.5 * fbm(x * 2, y * 2, 3)
        r, g, b = (0.50, 0.48, 0.42) if frame else (0.62 * warm, 0.46 * warm, 0.22 * warm)
    return r, g, b


@njit(parallel=True, **FAST)
def render(width, height, plate, sign):
    out = np.empty((height, width, 3), np.float32)
    turn, tilt = 0.56, 0.10
    ct, st, cv, sv = math.cos(turn), math.sin(turn), math.cos(tilt), math.sin(tilt)
    for row in prange(height):
        for column in range(width):
            px = (column + 0.5 - width / 2) / width * 1.02
            py = (height / 2 - row - 0.5) / width * 1.02
            dx, dy, dz = px, py * cv - sv * 1.0, -(1.0 * cv + py * sv)
            n = 1 / math.sqrt(dx * dx + dy * dy + dz * dz)
            dx, dy, dz = dx * n, dy * n, dz * n
            ox, oy, oz = -0.35, 1.75, 6.4
            ox, oz = ox * ct + oz * st, -ox * st + oz * ct
            dx, dz = dx * ct + dz * st, -dx * st + dz * ct
            t, hit = 1.5, False
            for _ in range(200):
                d = model(ox + dx * t, oy + dy * t, oz + dz * t)
                if d < 0.0012:
                    hit = True
                    break
                t += d * 0.75
                if t > 26:
                    break
            x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
            wz = x * st + z * ct
            if not hit or wz < -3.2:
                back = (-3.2 - (ox * st + oz * ct)) / (dx * st + dz * ct)
                hx, hy = (ox + dx * back) * ct - (oz + dz * back) * st, oy + dy * back
                r, g, b = shed(hx, hy)
                out[row, column, 0], out[row, column, 1], out[row, column, 2] = r * 1.1, g * 1.1, b * 1.1
                continue
            e = 0.003
            m = model(x, y, z)
            nx, ny, nz = model(x + e, y, z) - m, model(x, y + e, z) - m, model(x, y, z + e) - m
            k = 1 / math.sqrt(nx * nx + ny * ny + nz * nz + 1e-12)
            nx, ny, nz = nx * k, ny * k, nz * k
            lx, ly, lz = 0.10, 0.80, 0.60
            shadow, s = 1.0, 0.06
            for _ in range(46):
                d = model(x + lx * s + nx * 0.02, y + ly * s + ny * 0.02, z + lz * s + nz * 0.02)
                shadow = min(shadow, 0.5 + 5 * d / s)
                if d < 0.001 or s > 5:
                    break
                s += max(d, 0.02)
            shadow = min(max(shadow, 0.0), 1.0)
            closed = 0.0
            for j in range(1, 5):
                reach = 0.06 * j * j
                closed += max(0.0, reach - model(x + nx * reach, y + ny * reach, z + nz * reach)) / reach * 0.20
            sky = max(0.08, 1 - closed)
            gloss = 0.04
            if ground(x, y, z) < 0.004:
                stone = 0.45 + 0.8 * noise(x * 24, z * 24) * fbm(x * 7, z * 7, 3)
                cr, cg, cb = 0.26 * stone, 0.235 * stone, 0.20 * stone
                wet = smooth(0.52, 0.60, fbm(x * 0.8 + 4, z * 0.8, 3))
                cr, cg, cb, gloss = (
                    cr * (1 - 0.5 * wet),
                    cg * (1 - 0.5 * wet),
                    cb * (1 - 0.45 * wet),
                    0.04 + 0.3 * wet,
                )
            elif parts(x, y, z) < 0.004:
                lamp = abs(abs(x) - 0.80) < 0.08 and 0.66 < y < 1.06 and z > 1.6
                if lamp:
                    upper = y > 0.88
                    cr, cg, cb, gloss = (0.42, 0.10, 0.02, 0.6) if upper else (0.42, 0.015, 0.015, 0.6)
                elif y < 0.42 and z > 1.62:
                    cr, cg, cb, gloss = 0.035, 0.035, 0.037, 0.2
                else:
                    rim = math.hypot(y - 0.34, abs(z) - 1.05) < 0.20
                    cr, cg, cb = (0.34, 0.34, 0.33) if rim else (0.020, 0.020, 0.021)
                    gloss = 0.25
            else:
                dust = 0.90 + 0.14 * fbm(x * 5 + z, y * 5, 3)
                cr, cg, cb, gloss = 0.44 * dust, 0.42 * dust, 0.35 * dust, 0.45
                if y < 0.72 - 0.02 * noise(x * 3, z * 3):
                    cr, cg, cb = 0.045 * dust, 0.165 * dust, 0.125 * dust
                if z > 1.2:
                    glass = block(abs(x) - 0.42, y - 1.50, 0.0, 0.34, 0.25, 1.0, 0.06) < 0
                    if glass:
                        far = fbm(x * 2.5, y * 3.5, 3)
                        cr, cg, cb, gloss = 0.018 + 0.05 * far, 0.028 + 0.07 * far, 0.030 + 0.06 * far, 0.9
                    u, v = (x + 0.36) / 0.72, (0.835 - y) / 0.16
                    if 0 <= u < 1 and 0 <= v < 1:
                        i, j = int(v * plate.shape[0]), int(u * plate.shape[1])
                        cr, cg, cb, gloss = plate[i, j, 0], plate[i, j, 1], plate[i, j, 2], 0.15
                if abs(x) > 0.85 and abs(nx) > 0.7:
                    u, v = 0.5 - (z + 0.2) / 1.5 * (1 if x > 0 else -1), (1.72 - y) / 0.75
                    if 0 <= u < 1 and 0 <= v < 1:
                        i, j = int(v * sign.shape[0]), int(u * sign.shape[1])
                        a = sign[i, j, 3]
                        cr, cg, cb = mix(cr, 0.010, a), mix(cg, 0.115, a), mix(cb, 0.085, a)
            lit = max(0.0, nx * lx + ny * ly + nz * lz) * shadow
            hx, hy, hz = lx - dx, ly - dy, lz - dz
            hk = 1 / math.sqrt(hx * hx + hy * hy + hz * hz)
            shine = max(0.0, (nx * hx + ny * hy + nz * hz) * hk) ** 50 * gloss * shadow
            mirror = (1 - max(0.0, -(nx * dx + ny * dy + nz * dz))) ** 4 * gloss * 0.5
            up = 0.55 + 0.45 * ny
            out[row, column, 0] = cr * (1.45 * lit + 0.55 * sky * up) + shine + mirror * 0.55
            out[row, column, 1] = cg * (1.42 * lit + 0.58 * sky * up) + shine + mirror * 0.60
            out[row, column, 2] = cb * (1.30 * lit + 0.62 * sky * up) + shine + mirror * 0.62
    return out


def plate_picture():
    """The plate as linear light."""
    width, height = PLATE_SIZE[0] * 2, PLATE_SIZE[1] * 2
    sheet = Image.new("RGB", (width, height), (236, 232, 214))
    pen = ImageDraw.Draw(sheet)
    pen.rounded_rectangle((6, 6, width - 7, height - 7), 28, outline=(24, 26, 28), width=10)
    pen.text(
        (width / 2, height / 2 + 6), PLATE, font=font(height * 0.74, 700, mono=True), fill=(22, 24, 27), anchor="mm"
    )
    encoded = np.asarray(sheet).astype(np.float32) / 255
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4).astype(np.float32)


def sign_picture():
    """The house's sign on the van's side: how much of it covers."""
    sheet = Image.new("RGBA", (1_500, 750), (0, 0, 0, 0))
    mark = emblem(420, (255, 255, 255, 255))
    sheet.paste(mark, (540, 20), mark)
    pen = ImageDraw.Draw(sheet)
    pen.text((750, 560), "Marrow Lane", font=font(190, 680), fill=(255, 255, 255, 255), anchor="mm")
    return np.asarray(sheet).astype(np.float32) / 255


def draw(scale=1.0):
    """The finished 8-bit picture."""
    width, height = int(WIDTH * scale), int(HEIGHT * scale)
    light = render(width, height, plate_picture(), sign_picture())
    image = pyvips.Image.new_from_memory(light.tobytes(), width, height, 3, "float").gaussblur(0.7)
    light = np.maximum(image.numpy().astype(np.float32), 0)
    return film(light * 1.55, grain=0.011, seed=12)
