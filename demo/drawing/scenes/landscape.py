"""Hills behind hills under a sky, with trees on them, and water or a meadow before them."""

import cv2
import numpy as np

from drawing.scenes.brush import bloom, clouds, down, finish, glow, lay, rgb

SKIES = {
    "dawn": ([(0, "#6d88b5"), (0.45, "#e9b79a"), (0.7, "#f8dfae"), (1, "#f5e6c8")], "#ffe9c4", "#f3d3b4"),
    "noon": ([(0, "#3f7fc0"), (0.5, "#8fbbe0"), (1, "#dbe9ef")], "#ffffff", "#cfdfe8"),
    "dusk": ([(0, "#2a2f5e"), (0.4, "#7c4f7d"), (0.68, "#e07b52"), (1, "#fbc977")], "#ffd38a", "#d98f6d"),
    "night": ([(0, "#070d22"), (0.6, "#16264a"), (1, "#2d4568")], "#e9efff", "#22385c"),
    "grey": ([(0, "#8d979f"), (0.6, "#b9bfc1"), (1, "#d9dbd8")], "#e8e8e4", "#c3c9c9"),
}
SEASONS = {
    "spring": ("#5f8a3a", "#86ab4c", "#e8c3cf"),
    "summer": ("#35682f", "#5a8a38", "#b6c04d"),
    "autumn": ("#8a4a1f", "#c0742a", "#d9a53a"),
    "winter": ("#7f8d98", "#c3ccd2", "#f1f4f6"),
}


def _crowns(ridge, width, height, seed, size, share):
    """Round crowns that stand along a ridge; where they cover, and how lit each is."""
    random = np.random.default_rng(seed)
    cover, light = np.zeros((height, width), np.uint8), np.zeros((height, width), np.float32)
    for x in np.arange(-size, width + size, size * 0.55):
        at = x + random.normal(0, size * 0.3)
        if random.random() > share or not 0 <= at < width:
            continue
        y = ridge[int(at)] + random.normal(0.1, 0.15) * size
        for _ in range(60):
            dx, dy = random.normal(0, size * 0.3), -abs(random.normal(0.35, 0.3)) * size - size * 0.25
            radius = max(1, int(size * random.uniform(0.05, 0.13)))
            middle = (int(at + dx), int(y + dy))
            cv2.circle(cover, middle, radius, 255, -1, cv2.LINE_AA)
            cv2.circle(
                light, (middle[0] - radius // 4, middle[1] - radius // 3), radius, float(random.uniform(0.35, 1)), -1
            )
        cv2.line(cover, (int(at), int(y)), (int(at), int(y + size * 0.8)), 255, max(1, int(size * 0.09)), cv2.LINE_AA)
    return cover.astype(np.float32) / 255, cv2.GaussianBlur(light, (0, 0), max(0.6, size * 0.02))


def draw(width, height, season="autumn", light="dawn", water=True, sun=0.62, seed=1, trees=0.75, horizon=0.52):
    """A landscape; `sun` is where the light stands across, `horizon` where the furthest hills begin."""
    stops, sun_colour, haze = SKIES[light]
    dark, middle, bright = (rgb(one) for one in SEASONS[season])
    dim = {"night": 0.22, "dusk": 0.62, "grey": 0.85}.get(light, 1.0)
    picture = down(width, height, stops)
    veil = clouds(width, height, width / 3.2, seed, 6, 2.6)
    level = int(height * horizon)
    fade = np.linspace(1, 0.2, height, dtype=np.float32)[:, None]
    amount = {"night": 0.10, "grey": 0.35}.get(light, 0.5)
    lay(picture, rgb(sun_colour), np.clip(veil * 0.45 - 0.05, 0, 1) * fade * amount)
    x, y = width * sun, level - height * (0.30 if light in ("noon", "night") else 0.10)
    shine = glow(width, height, x, y, height * (0.05 if light == "night" else 0.11), 2.4)
    lay(picture, rgb(sun_colour), shine * (0.9 if light != "grey" else 0.25))
    if light == "night":
        random = np.random.default_rng(seed)
        for _ in range(420):
            at = (int(random.integers(0, width)), int(random.integers(0, level)))
            cv2.circle(
                picture, at, 1, tuple(float(v) for v in rgb("#dfe6ff") * random.uniform(0.3, 1)), -1, cv2.LINE_AA
            )
        cv2.circle(picture, (int(x), int(y)), int(height * 0.035), (0.95, 0.96, 1.0), -1, cv2.LINE_AA)
    rows = np.arange(height, dtype=np.float32)[:, None]
    floor = int(height * (0.80 if water else 0.86))
    layers = 6
    for number in range(layers):
        near = number / (layers - 1)
        base = level + (floor - level) * near**1.25
        rise = height * (0.11 - 0.04 * near)
        ridge = base - rise * (0.5 + 0.42 * clouds(width, 3, width / (1.6 + 2 * near), seed + 11 * number, 5)[1])
        air = (1 - near) ** 1.1 * 0.88
        ground = dark * (0.55 + 0.45 * near) + (middle - dark) * 0.35
        if season == "winter":
            ground = middle * (0.82 + 0.1 * near)
        colour = (ground * dim) * (1 - air) + rgb(haze) * air
        size = height * (0.014 + 0.075 * near**1.6)
        cover, lit = _crowns(ridge, width, height, seed + 5 * number, size, trees * (0.85 - 0.5 * near))
        leaf = (middle * 0.55 + bright * 0.45 * lit[..., None] + dark * 0.25 * (1 - lit[..., None])) * dim
        tint = clouds(width, height, size * 3 + 4, seed + number, 3)[..., None] * 0.05
        lay(picture, (leaf + tint) * (1 - air) + rgb(haze) * air, cover)
        body = np.clip(rows - ridge[None, :], 0, 1)
        texture = clouds(width, height, 60 + 120 * near, seed + 31 * number, 6, 2.2)
        lay(picture, colour * (1 + 0.10 * texture[..., None] * (0.4 + near)), body)
    if water:
        mirrored = picture[floor - (height - floor) : floor][::-1]
        ripples = clouds(width, height - floor, 26, seed + 7, 4, 9.0)
        shift = (ripples * np.linspace(1, 9, height - floor)[:, None]).astype(np.float32)
        gx, gy = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height - floor, dtype=np.float32))
        lake = cv2.remap(mirrored, gx, np.clip(gy + shift, 0, height - floor - 1), cv2.INTER_LINEAR)
        lake = lake * 0.84 + rgb(haze) * 0.06 + (ripples * 0.012)[..., None]
        picture[floor:] = lake
        shore = np.exp(-np.abs(rows - floor) / 3.0)
        lay(picture, dark * 0.5 * dim, np.repeat(shore, width, 1) * 0.6)
    else:
        _meadow(picture, floor, width, height, season, dim, seed)
    return finish(bloom(picture, 0.85, height * 0.02, 0.5), seed, warmth=0.02 if light in ("dusk", "dawn") else 0)


def _meadow(picture, floor, width, height, season, dim, seed):
    """Blades, and flowers or leaves among them."""
    random = np.random.default_rng(seed + 3)
    dark, middle, bright = (rgb(one) for one in SEASONS[season])
    for row in range(26):
        near = row / 25
        base = floor + (height * 1.06 - floor) * near**1.3
        for _ in range(int(width / (7 + 9 * near))):
            x, tall = random.uniform(0, width), height * (0.02 + 0.075 * near) * random.uniform(0.5, 1.2)
            lean = random.normal(0, 0.25) * tall
            tone = (
                dark + (middle - dark) * random.random() + (bright - middle) * max(0, random.normal(0.1, 0.25))
            ) * dim
            points = np.array([(x, base), (x + lean * 0.35, base - tall * 0.6), (x + lean, base - tall)])
            cv2.polylines(
                picture, [points.astype(np.int32)], False, tuple(float(v) for v in np.clip(tone, 0, 1)),
                max(1, int(1 + 3 * near)), cv2.LINE_AA,
            )  # fmt: skip
            if season in ("spring", "summer") and random.random() < 0.05 + 0.06 * near:
                petals = (
                    ("#f3d5e0", "#f6e27a", "#ffffff", "#b9a3dc")
                    if season == "spring"
                    else ("#d6423c", "#f2c43b", "#ffffff")
                )
                colour = rgb(petals[int(random.integers(0, len(petals)))]) * dim
                at = (int(x + lean), int(base - tall))
                cv2.circle(picture, at, max(1, int(1.5 + 7 * near)), tuple(float(v) for v in colour), -1, cv2.LINE_AA)
