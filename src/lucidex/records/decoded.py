"""Decoded pixels of originals, kept as raw memory so that a picture opens at once.

A cache: capped in bytes, the least recently used goes first, and anything missing is decoded again.
"""

import errno
import shutil
import threading
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path
from tempfile import mkdtemp

import numpy as np
import pyvips

from lucidex.core.intake import INTAKE_REVISION, Facts
from lucidex.core.levels import AnyPixels, Source, image_of_memory, level_size, levels_of, reduce_level

DEFAULT_MAX_BYTES = 8_000_000_000
OPENED_KEPT = 12
WEIGHED_EVERY = 1 / 16  # of the limit: after so many new bytes, and so much is freed beyond what is needed


class DecodedStore:
    """One folder an original, one file a level."""

    def __init__(self, root: Path, max_bytes: int = DEFAULT_MAX_BYTES) -> None:
        self._root = root / f"intake-{INTAKE_REVISION}"
        self._root.mkdir(parents=True, exist_ok=True)
        self._max_bytes = max_bytes
        self._weight, self._unweighed = max_bytes, 0  # unknown, so that they are weighed with the first one
        self._lock = threading.Lock()
        self._opened: OrderedDict[str, Source] = OrderedDict()  # mapped already: what is asked for again and again
        self._making = threading.Lock()  # one at a time: each holds all pixels of a picture

    def holds(self, sha256: str) -> bool:
        """Whether the levels of an original are here."""
        return (self._root / sha256).is_dir()

    def keep(self, sha256: str, folder: Path) -> None:
        """Take over a folder of levels; another one of the same original wins where it was first."""
        with self._lock:
            try:
                folder.rename(self._root / sha256)
            except OSError as error:
                # another process was first: the name is taken by a folder that is there in full
                if error.errno not in {errno.ENOTEMPTY, errno.EEXIST}:
                    raise
            self._make_room(sha256)

    def sweep(self) -> None:
        """Remove what a killed process left half made."""
        for left in self._root.parent.glob("derived-*"):
            shutil.rmtree(left, ignore_errors=True)

    def source(self, sha256: str, facts: Facts) -> Source:
        """The original as rendering wants it. FileNotFoundError where its levels are not here.

        All levels are mapped at once, so that a source stays good while the cache lets its files go.
        """
        with self._lock:
            if (known := self._opened.get(sha256)) is not None:
                self._opened.move_to_end(sha256)
                return known
        folder = self._root / sha256
        levels = {number: _map(folder, facts, number) for number in levels_of(facts.stored)}
        folder.touch()
        opened = Source(facts.stored, facts.orientation, facts.layout, facts.profile, levels.__getitem__)
        with self._lock:
            self._opened[sha256] = opened
            if len(self._opened) > OPENED_KEPT:
                self._opened.popitem(last=False)
        return opened

    def derived(self, sha256: str, facts: Facts, name: str, make: Callable[[AnyPixels], AnyPixels]) -> Source:
        """A source made from the original's own pixels, kept beside it under `name`.

        It is made when its first level is asked for, so that whoever only plans does not wait. FileNotFoundError
        where the original's levels are not here.
        """
        whole = f"{sha256}-{name}"
        own = self.source(sha256, facts)

        def open_level(number: int) -> pyvips.Image:
            with self._making:
                if not self.holds(whole):
                    pixels = own.open_level(1).numpy().reshape(facts.stored.height, facts.stored.width, -1)
                    self._make(whole, facts, make(pixels))
            return self.source(whole, facts).open_level(number)

        return Source(facts.stored, facts.orientation, facts.layout, facts.profile, open_level)

    def _make(self, name: str, facts: Facts, pixels: AnyPixels) -> None:
        folder = Path(mkdtemp(dir=self._root.parent, prefix="derived-"))
        for number in levels_of(facts.stored):
            level = pixels if number == 1 else reduce_level(pixels, number, facts.has_alpha)
            level.tofile(level_path(folder, number))
        self.keep(name, folder)
        shutil.rmtree(folder, ignore_errors=True)  # where another process was first

    def _make_room(self, newest: str) -> None:
        """Let the least recently used go where the cache is full.

        All folders are weighed only once in a while: with thousands of them it takes longer than what it is for.
        """
        self._unweighed += _weight(self._root / newest)
        if self._unweighed < self._max_bytes * WEIGHED_EVERY and self._weight + self._unweighed <= self._max_bytes:
            return
        folders = sorted((f for f in self._root.iterdir() if f.is_dir()), key=lambda f: f.stat().st_mtime)
        weights = {folder: _weight(folder) for folder in folders}
        total = sum(weights.values())
        enough = self._max_bytes if total <= self._max_bytes else self._max_bytes * (1 - WEIGHED_EVERY)
        for folder in folders:
            if total <= enough:
                break
            if folder.name != newest:
                total -= weights[folder]
                self._opened.pop(folder.name, None)
                shutil.rmtree(folder, ignore_errors=True)
        self._weight, self._unweighed = total, 0


def _weight(folder: Path) -> int:
    """Bytes of a folder's files; what is taken away meanwhile weighs nothing."""
    try:
        return sum(file.stat().st_size for file in folder.iterdir())
    except FileNotFoundError:
        return 0


def _map(folder: Path, facts: Facts, number: int) -> pyvips.Image:
    size = level_size(facts.stored, number)
    expected = size.pixels * facts.layout.bytes_per_pixel
    pixels = np.memmap(level_path(folder, number), dtype=np.uint8, mode="r", shape=(expected,))
    return image_of_memory(pixels, size, facts.layout)


def level_path(folder: Path, number: int) -> Path:
    """The file of a level."""
    return folder / f"level-{number}.raw"


def complete(folder: Path, facts: Facts) -> bool:
    """Whether every level is there with the length that its facts demand."""
    return all(
        level_path(folder, n).is_file()
        and level_path(folder, n).stat().st_size == level_size(facts.stored, n).pixels * facts.layout.bytes_per_pixel
        for n in levels_of(facts.stored)
    )
