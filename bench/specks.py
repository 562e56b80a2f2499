"""Specks on photographs: which are found, what is taken for one, and how true they are mended, beside a plain method.

    .venv/bin/python -m bench specks

Twenty specks of 1.2 to 4 pixels, 45 to 130 code values from what lies around, are planted into each photograph of
`bench/photographs.py` at 1 024 pixels; thirty spots and six scratches are mended in the middle 512 × 512 pixels.
"""

import time
from collections import defaultdict

import cv2
import numpy as np

from bench.photographs import Pixels, photographs
from lucidex.core.areas.shapes import Stroke
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.dust import find_dust
from lucidex.core.source.derivation import StoredPixels, restored
from lucidex.core.source.local.healing import Healing

EDGE, PART = 1_024, 512
SPECKS, SPOTS, SCRATCHES = 20, 30, 6
APART, AROUND = 30, 1.7  # pixels between specks, and of the brush around a spot
Place = tuple[float, float]


def planted(clean: Pixels, random: np.random.Generator) -> tuple[Pixels, list[Place]]:
    """A picture with specks, and where they are."""
    made, places = clean.astype(np.float32), list[Place]()
    rows, columns = np.mgrid[-10:11, -10:11].astype(np.float32)
    height, width = clean.shape[:2]
    while len(places) < SPECKS:
        x, y, radius = random.uniform(12, width - 12), random.uniform(12, height - 12), random.uniform(1.2, 4)
        if any(np.hypot(x - one[0], y - one[1]) < APART for one in places):
            continue
        part = slice(int(y) - 10, int(y) + 11), slice(int(x) - 10, int(x) + 11)
        cover = np.clip(radius + 0.5 - np.hypot(columns - x % 1, rows - y % 1), 0, 1)[..., None]
        level = float(made[part].mean())
        lighter = level < 70 or (level < 185 and random.random() < 0.5)
        tone = np.clip(level + (1 if lighter else -1) * random.uniform(45, 130), 0, 255)
        made[part] += (tone - made[part]) * cover
        places.append((x, y))
    return np.rint(made).astype(np.uint8), places


def found(clean: Pixels, random: np.random.Generator) -> tuple[int, int, int]:
    """How many specks are found, how many others beside them, and how many on the picture without any."""
    spoilt, places = planted(clean, random)
    proposed = [(one.x - 0.5, one.y - 0.5) for one, _ in find_dust(spoilt, 0.5)]
    near = [[bool(np.hypot(x - a, y - b) < 3) for a, b in places] for x, y in proposed]
    hit = sum(any(column) for column in zip(*near, strict=True)) if near else 0
    return hit, sum(not any(row) for row in near), len(find_dust(clean, 0.5))


def apart(one: Pixels, other: Pixels, where: Pixels) -> float:
    """The root of the mean square difference."""
    return float(np.sqrt(((one.astype(float) - other)[where] ** 2).mean()))


def mended(clean: Pixels, random: np.random.Generator, is_scratch: bool) -> tuple[float, float, float]:
    """The error of ours and of the plain method, and the seconds of a dab."""
    height, width = clean.shape[:2]
    strokes, hole = list[Stroke](), np.zeros((height, width), np.uint8)
    while len(strokes) < (SCRATCHES if is_scratch else SPOTS):
        x, y, radius = random.uniform(30, width - 30), random.uniform(30, height - 30), random.uniform(3, 10)
        path = [(x, y)]
        if is_scratch:
            angle, long, radius = random.uniform(0, np.pi), random.uniform(40, 90), random.uniform(1.5, 3)
            path.append((x + long * np.cos(angle), y + long * np.sin(angle)))
        ends = [(round(a), round(b)) for a, b in path]
        drawn = np.zeros_like(hole)
        cv2.line(drawn, ends[0], ends[-1], 1, max(1, round(2 * radius)))
        if (cv2.dilate(drawn, np.ones((25, 25), np.uint8)).astype(np.uint8) & hole).any():
            continue
        hole |= drawn
        spots = tuple((round(a / width, 5), round(b / height, 5)) for a, b in path)
        strokes.append(Stroke(path=spots, radius=round((radius + AROUND) / min(height, width), 5)))
    where = hole > 0
    spoilt = np.where(where[..., None], 255 - clean, clean)
    start = time.perf_counter()
    ours = restored(StoredPixels(spoilt), tuple(Healing(one) for one in strokes))
    taken = (time.perf_counter() - start) / len(strokes)
    brushed = np.zeros((height, width), np.float32)
    for one in strokes:
        one.covered(Sight.of_stored(Size(width, height), 1), 0, 0, brushed)
    plain = cv2.inpaint(spoilt, (brushed > 0).astype(np.uint8), 4, cv2.INPAINT_NS)
    return apart(ours, clean, where), apart(plain, clean, where), taken  # type: ignore[arg-type]


def main() -> None:
    """Measure, and say."""
    random = np.random.default_rng(2)
    specks, errors = (
        defaultdict[bool, list[tuple[int, int, int]]](list),
        defaultdict[tuple[str, bool], list[tuple[float, ...]]](list),
    )
    for _, is_fitted, pixels in photographs(EDGE, in_colour=False):
        specks[is_fitted].append(found(pixels, random))
        top, left = ((side - min(side, PART)) // 2 for side in pixels.shape[:2])
        part = np.ascontiguousarray(pixels[top : top + PART, left : left + PART])
        for name in ("spots", "scratches"):
            errors[name, is_fitted].append(mended(part, random, name == "scratches"))
    print("| specks, on photographs | found | proposed that are none | on clean pictures |\n|---|---|---|---|")
    for is_fitted, rows in sorted(specks.items()):
        hit, stray, clean = np.sum(rows, axis=0)
        words = f"{len(rows)} {'fitted' if is_fitted else 'measured'} on"
        print(f"| {words} | {hit} of {SPECKS * len(rows)} | {stray} | {clean} |")
    print("\n| mended, error in code values | ours | Navier and Stokes | a dab |\n|---|---|---|---|")
    for (name, is_fitted), found_errors in sorted(errors.items()):
        ours, plain, taken = np.mean(found_errors, axis=0)
        words = f"{name}, {len(found_errors)} photographs {'fitted' if is_fitted else 'measured'} on"
        print(f"| {words} | {ours:.1f} | {plain:.1f} | {taken * 1000:.0f} ms |")


if __name__ == "__main__":
    main()
