"""Pictures to measure on: a window of every demo picture at the size of a site, and a few that are drawn here."""

from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
import pyvips

PICTURES = Path(__file__).parents[1] / "demo/pictures"
NOT_FOR_THIS = {".svg", ".HEIC", ".pdf"}  # the same pictures are there in another format, or have no pixels
OFF_GRID = 0.83  # no picture is measured on the blocks in which it was compressed before
SITE_EDGE, WINDOW = 1_600, (640, 512)
Pixels = npt.NDArray[np.uint8]


def at_site_size() -> Iterator[tuple[str, Pixels]]:
    """Every demo picture, reduced to at most 1 600 pixels, by its name."""
    for path in sorted(PICTURES.iterdir()):
        if path.suffix not in NOT_FOR_THIS:
            yield path.name, _read(path)


def windows() -> Iterator[tuple[str, Pixels]]:
    """The middle of each of them, and drawn ones: a flat drawing, text, a soft sky, grain."""
    for name, pixels in at_site_size():
        width, height = min(WINDOW[0], pixels.shape[1]), min(WINDOW[1], pixels.shape[0])
        left, top = (pixels.shape[1] - width) // 2, (pixels.shape[0] - height) // 2
        yield name, np.ascontiguousarray(pixels[top : top + height, left : left + width])
    yield from drawn().items()


def drawn() -> dict[str, Pixels]:
    """What the demo pictures have little of, always the same."""
    random, (width, height) = np.random.default_rng(1), WINDOW
    flat = np.full((height, width, 3), 240, np.uint8)
    for _ in range(24):
        colour = tuple(int(value) for value in random.integers(0, 255, 3))
        x, y = (int(value) for value in random.integers(0, 500, 2))
        cv2.circle(flat, (x, y), int(random.integers(10, 90)), colour, -1, cv2.LINE_AA)
    text = np.full((height, width, 3), 255, np.uint8)
    for line in range(20):
        ink = (20, 20, 20 if line % 3 else 200)
        words, at = f"Marrow Lane seed swap {line}", (10, 24 * line + 20)
        cv2.putText(text, words, at, cv2.FONT_HERSHEY_SIMPLEX, 0.6, ink, 1, cv2.LINE_AA)
    y, x = np.mgrid[0:height, 0:width]
    sky = np.stack([120 + x * 0.1, 140 + y * 0.15, 180 + y * 0.1], -1)
    soft, grain = (np.clip(sky + random.normal(0, strength, (height, width, 1)), 0, 255) for strength in (1, 12))
    return {"flat": flat, "text": text, "gradient": soft.astype(np.uint8), "grain": grain.astype(np.uint8)}


def _read(path: Path) -> Pixels:
    image = pyvips.Image.new_from_file(str(path)).autorot().colourspace("srgb")
    image = (image.flatten(background=255) if image.hasalpha() else image)[:3]
    image = image.resize(min(OFF_GRID, SITE_EDGE / max(image.width, image.height)))
    pixels: Pixels = image.numpy()
    return np.ascontiguousarray(pixels if pixels.shape[2] == 3 else np.repeat(pixels, 3, 2))
