"""Draws the demo pictures of Marrow Lane Glasshouse into demo/pictures (about a quarter of an hour on two cores).

python demo/draw_all.py [NAME …]
"""

import importlib
import sys
from pathlib import Path

import numpy as np
import pyvips

sys.path.insert(0, str(Path(__file__).parent))

FOLDER = Path(__file__).parent / "pictures"
SIDEWAYS = 6  # Exif orientation: turn a quarter to the right to see it upright
PICTURES = {
    "dome": ("dome-at-dusk.jpg", 76),
    "fern": ("fern-fronds.jpg", 78),
    "rosette": ("rosette.jpg", 78),
    "packet": ("seed-packet.jpg", 82),
    "terraces": ("terraces.jpg", 74),
    "keeper": ("keeper.jpg", 82),
    "word_mark": ("word-mark.png", None),
    "nave": ("IMG_0412.JPG", 76),
    "pond": ("pond-tilted.jpg", 80),
    "signature": ("signature-scan.jpg", 82),
    "seal": ("seal.png", None),
    "section": ("section.png", None),
    "orchid": ("orchid-under-lamp.jpg", 82),
    "night": ("evening-walk.jpg", 84),
    "haze": ("terraces-in-haze.jpg", 80),
    "visitors": ("visitors.jpg", 80),
    "flash": ("by-flash.jpg", 84),
    "cart": ("delivery-cart.jpg", 80),
    "old_print": ("old-print.jpg", 86),
}


def save(pixels: np.ndarray, file: str, quality: int | None) -> None:
    """Write one picture; the telephone's lies on its side and says so."""
    height, width, bands = pixels.shape
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(pixels).tobytes(), width, height, bands, "uchar")
    image = image.copy(interpretation="srgb")
    if quality is None:
        image.pngsave(str(FOLDER / file), compression=9)
        return
    if file == PICTURES["nave"][0]:
        image = image.rot270().copy()
        image.set_type(pyvips.GValue.gint_type, "orientation", SIDEWAYS)
    image.jpegsave(str(FOLDER / file), Q=quality, optimize_coding=True, interlace=file.startswith("dome"))


def main(names: list[str]) -> None:
    """Draw the named pictures, or all."""
    FOLDER.mkdir(exist_ok=True)
    for name in names or list(PICTURES):
        pixels = importlib.import_module(f"drawing.{name}").draw()
        save(np.asarray(pixels), *PICTURES[name])
        print(name, "drawn")


if __name__ == "__main__":
    main(sys.argv[1:])
