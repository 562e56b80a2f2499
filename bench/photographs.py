"""Real photographs to measure on: those that lie in a folder; nothing of them ships with the product.

The folder is the one that `LUCIDEX_PHOTOGRAPHS` names, else `var/photographs`. Those whose name's SHA-256 ends in an
even digit are for fitting, the rest for measuring.
"""

import hashlib
import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pyvips

FOLDER = Path(os.environ.get("LUCIDEX_PHOTOGRAPHS", Path(__file__).parents[1] / "var/photographs"))
Pixels = npt.NDArray[np.uint8]


def photographs(edge: int, in_colour: bool = True) -> Iterator[tuple[str, bool, Pixels]]:
    """Name, whether it is for fitting, and pixels of each, reduced to `edge`; only those in colour, where asked for.

    Ends the program in words where there are none.
    """
    paths = sorted(path for path in FOLDER.glob("*") if path.suffix in {".jpg", ".png"}) if FOLDER.is_dir() else []
    if not paths:
        raise SystemExit(f"No photographs in {FOLDER}: name their folder as LUCIDEX_PHOTOGRAPHS.")
    for path in paths:
        image = pyvips.Image.new_from_file(str(path))
        if in_colour and image.interpretation not in {"srgb", "rgb16"}:
            continue
        pixels = image.colourspace("srgb").thumbnail_image(edge, size="down").numpy()[..., :3]
        yield (
            path.name,
            int(hashlib.sha256(path.name.encode()).hexdigest()[-1], 16) % 2 == 0,
            np.ascontiguousarray(pixels),
        )
