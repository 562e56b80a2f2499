"""Windows that cut what a picture is of, beside the middle and the suggested focal point.

    .venv/bin/python -m bench framing

Photographs of `bench/photographs.py` at 512 pixels, as the product looks, with a box set by hand
(`framing_boxes.json`: left, top, right, bottom as fractions), each whole and in six random crops that hold the box,
in five shapes. Only windows count in which the box would fit, and which show less than the picture. Cut is what keeps
less than 90 % of the box.
"""

import json
import time
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from bench.photographs import Pixels, photographs
from lucidex.core.framing.finding import find_subject
from lucidex.core.framing.window import subject_window
from lucidex.core.geometry.fit import clamped_window, covering_window
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size, Window
from lucidex.core.picture.saliency import focal_point

EDGE, CROPS, LEAST = 512, 6, 80
CUT_BELOW = 0.9
SHAPES = (Size(500, 200), Size(1_600, 900), Size(400, 500), Size(100, 100), Size(900, 1_600))
BOXES: dict[str, tuple[float, ...]] = json.loads((Path(__file__).parent / "framing_boxes.json").read_text())


def crops(pixels: Pixels, box: tuple[float, ...], random: np.random.Generator) -> Iterator[tuple[Pixels, Window]]:
    """The picture and parts of it that hold the box, with the box in their pixels."""
    height, width = pixels.shape[:2]
    left, top, right, bottom = (share * side for share, side in zip(box, (width, height) * 2, strict=True))
    yield pixels, Window(left, top, right - left, bottom - top)
    for _ in range(CROPS):
        x, y = int(random.uniform(0, left + 1)), int(random.uniform(0, top + 1))
        beyond_x, beyond_y = (int(np.ceil(random.uniform(a - 1, b))) for a, b in ((right, width), (bottom, height)))
        part = np.ascontiguousarray(pixels[y:beyond_y, x:beyond_x])
        if min(part.shape[:2]) >= LEAST:
            inside = Window(max(left - x, 0), max(top - y, 0), 0, 0)
            across, down = min(right, beyond_x) - x - inside.left, min(bottom, beyond_y) - y - inside.top
            yield part, Window(inside.left, inside.top, across, down)


def kept(window: Window, box: Window) -> float:
    """How much of a box a window shows, 0 to 1."""
    across = min(window.left + window.width, box.left + box.width) - max(window.left, box.left)
    down = min(window.top + window.height, box.top + box.height) - max(window.top, box.top)
    return max(across, 0.0) * max(down, 0.0) / (box.width * box.height)


def main() -> None:
    shares = defaultdict[tuple[bool, str], list[float]](list)
    seconds, looked = 0.0, 0
    for name, is_fitted, pixels in photographs(EDGE, in_colour=False):
        if name not in BOXES:
            continue
        for part, box in crops(pixels, BOXES[name], np.random.default_rng(7)):
            begun = time.perf_counter()
            subject = find_subject(part)
            seconds, looked = seconds + time.perf_counter() - begun, looked + 1
            picture = Size(part.shape[1], part.shape[0])
            spot = focal_point(part)
            for shape in SHAPES:
                width, height = covering_window(picture, shape)
                if box.width > width + 1 or box.height > height + 1 or width * height > 0.99 * picture.pixels:
                    continue
                centred = clamped_window(Point(picture.width / 2, picture.height / 2), width, height, picture)
                focal = clamped_window(Point(spot.x * picture.width, spot.y * picture.height), width, height, picture)
                own = subject_window(PictureGeometry.of(picture), shape, subject)
                for words, window in (("the middle", centred), ("focal point", focal), ("by itself", own)):
                    shares[is_fitted, words].append(kept(window, box))
    for is_fitted in (True, False):
        for words in ("the middle", "focal point", "by itself"):
            found = np.array(shares[is_fitted, words])
            cut = int((found < CUT_BELOW).sum())
            where = "fitted on" if is_fitted else "measured on"
            print(f"{words}, {where}: {cut} of {len(found)} windows cut; {found.mean():.3f} kept on average")
    print(f"Looked for: {1000 * seconds / max(looked, 1):.0f} ms a picture")


if __name__ == "__main__":
    main()
