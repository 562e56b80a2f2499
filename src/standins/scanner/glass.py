"""What lies on the glass: a sheet, or several at once, where and how askew somebody has laid them."""

import json
import threading
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image

Pixels = npt.NDArray[np.uint8]

WIDTH_MM, HEIGHT_MM = 215.9, 297.2  # of the glass
MM_PER_INCH = 25.4
LARGEST_OWN_PIXELS = 60_000_000


@dataclass(frozen=True)
class Sheet:
    """Something that can be laid down: its file, its width, where its upper left corner lies, and how askew.

    `paper` is the colour of its white, `unevenness` how much less light reaches its far corner.
    """

    name: str
    words: str
    file: str
    width_mm: float
    left_mm: float
    top_mm: float
    askew_degrees: float
    paper: tuple[int, int, int]
    unevenness: float = 0.12
    beside: tuple["Sheet", ...] = ()  # what lies there with it


SHEETS = (
    Sheet("signature", "A signature in blue ink", "scanner/signature.png", 148, 31, 44, -2.6, (226, 224, 214), 0.16),
    Sheet("logo", "A logo, drawn by hand", "scanner/logo.png", 148, 27, 30, 1.7, (232, 229, 221)),
    Sheet("print", "An old print", "pictures/old-print.jpg", 127, 38, 52, 1.2, (250, 250, 250), 0.06),
    Sheet("form", "A form, filled in", "scanner/form.png", 148, 24, 36, -1.1, (229, 229, 224)),
)
SEVERAL = Sheet(
    "several",
    "Three papers at once",
    "scanner/signature.png",
    96,
    22,
    26,
    -2.2,
    (226, 224, 214),
    beside=(
        Sheet("second", "", "pictures/old-print.jpg", 88, 46, 128, 17.0, (250, 250, 250), 0.06),
        Sheet("stamp", "", "pictures/old-print.jpg", 21, 164, 42, 4.0, (240, 236, 226), 0.0),
    ),
)
OWN = "own"


@lru_cache(maxsize=3)
def _pixels(path: str, changed: float, most: int) -> Pixels:
    """A sheet's own pixels, red, green and blue, no longer than `most` on a side; never written to."""
    with Image.open(path) as image:
        image.draft("RGB", (most, most))
        upright = image.convert("RGB")
    if max(upright.size) > most:
        upright.thumbnail((most, most), Image.Resampling.BOX)
    return np.asarray(upright)


class Glass:
    """The glass of one scanner; what lies on it is remembered in a folder of its own.

    `pictures` is the folder with the sheets' files.
    """

    def __init__(self, folder: Path, pictures: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._state, self._own, self._pictures = folder / "glass.json", folder / "own.png", pictures
        self._lock = threading.Lock()

    @property
    def sheets(self) -> tuple[Sheet, ...]:
        """All that can be laid down now."""
        laid = (*SHEETS, SEVERAL)
        there = tuple(sheet for sheet in laid if (self._pictures / sheet.file).exists())
        return (
            (*there, Sheet(OWN, "Your own", "", 150, 30, 40, 1.4, (240, 239, 235))) if self._own.exists() else there
        )

    @property
    def lying(self) -> Sheet | None:
        """What lies there; None where the glass is empty."""
        try:
            name = json.loads(self._state.read_text())["sheet"]
        except FileNotFoundError:
            name = SHEETS[0].name
        return next((sheet for sheet in self.sheets if sheet.name == name), None)

    def lay(self, name: str) -> None:
        """Lay a sheet down, or take away what is there by an unknown name."""
        with self._lock:
            fresh = self._state.with_suffix(".new")
            fresh.write_text(json.dumps({"sheet": name}))
            fresh.replace(self._state)

    def lay_own(self, content: Path) -> None:
        """Lay a picture of somebody's own down. OSError or ValueError where it cannot be read."""
        with Image.open(content) as image:
            if image.width * image.height > LARGEST_OWN_PIXELS:
                raise ValueError("It has too many pixels.")
            fresh = self._own.with_suffix(".new.png")
            image.convert("RGB").save(fresh)
        fresh.replace(self._own)
        self.lay(OWN)

    def pixels(self, sheet: Sheet, most: int) -> Pixels:
        """A sheet's own pixels, reduced to what is needed."""
        path = self._own if sheet.name == OWN else self._pictures / sheet.file
        return _pixels(str(path), path.stat().st_mtime, most)

    def small(self, sheet: Sheet, longest: int) -> Pixels:
        """A small picture of it."""
        pixels = self.pixels(sheet, 1_200)
        scale = longest / max(pixels.shape[:2])
        reduced = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        return np.asarray(reduced, np.uint8)
