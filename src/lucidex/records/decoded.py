"""Decoded pixels of originals, kept as raw memory so that a picture opens at once.

A cache: capped in bytes, the least recently used goes first, and anything missing is decoded again.
"""

import contextlib
import errno
import os
import secrets
import shutil
import threading
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path
from tempfile import mkdtemp

import numpy as np

from lucidex.core.source.facts import INTAKE_REVISION, SourceFacts
from lucidex.core.source.pyramid import AnyPixels, level_size, levels_of
from lucidex.records.changed_boxes import level_path

DEFAULT_MAX_BYTES = 8_000_000_000
MAPPED_KEPT = 48
WEIGHED_EVERY = 1 / 16  # of the limit: after so many new bytes, and so much is freed beyond what is needed


class DecodedStore:
    """One folder an original, one file a level. Nobody but the owner of the process may look inside."""

    def __init__(self, root: Path, max_bytes: int = DEFAULT_MAX_BYTES) -> None:
        self._root = root / f"intake-{INTAKE_REVISION}"
        self._root.mkdir(parents=True, exist_ok=True)
        root.chmod(0o700)
        self._max_bytes = max_bytes
        self._weight, self._unweighed = max_bytes, 0  # unknown, so that they are weighed with the first one
        self._lock = threading.Lock()
        self.when_dropped: Callable[[str], None] = lambda name: None  # for whoever keeps something made of a name
        self._mapped: OrderedDict[tuple[str, int], AnyPixels] = OrderedDict()  # what is asked for again and again

    def holds(self, name: str) -> bool:
        """Whether levels of this name are here."""
        return (self._root / name).is_dir()

    def keep(self, name: str, folder: Path) -> None:
        """Take over a folder of levels; another one of the same name wins where it was first."""
        with self._lock:
            target = self._root / name
            if target.is_file():
                target.unlink()
            try:
                folder.rename(target)
            except OSError as error:
                # another process was first: the name is taken by a folder that is there in full
                if error.errno not in {errno.ENOTEMPTY, errno.EEXIST}:
                    raise
            self._make_room(name)

    def drop(self, *names: str) -> None:
        """Let the levels of names go, and what was derived from them; they are made anew when they are wanted."""
        wanted = set(names)
        with self._lock:
            for folder in list(self._root.iterdir()):
                if not wanted.isdisjoint(_beginnings(folder.name)):
                    self._remove(folder)
        for name in names:
            self.when_dropped(name)

    def sweep(self) -> None:
        """Remove what a killed process left half made, and what an earlier way of decoding had made."""
        others = (folder for folder in self._root.parent.glob("intake-*") if folder != self._root)
        for left in [*self._root.parent.glob("derived-*"), *self._root.parent.glob("gone-*"), *others]:
            shutil.rmtree(left, ignore_errors=True)

    def level(self, name: str, facts: SourceFacts, number: int) -> AnyPixels:
        """A level as height × width × bands, mapped and never written to.

        FileNotFoundError where it is not here, or not in the length that its facts demand.
        """
        key = (name, number)
        with self._lock:
            if (known := self._mapped.get(key)) is not None:
                self._mapped.move_to_end(key)
                return known
        folder = self._root / name
        try:
            mapped = map_level(folder, facts, number)
        except (FileNotFoundError, NotADirectoryError) as error:
            self.drop(name)  # a part of it is of no use
            raise FileNotFoundError(name) from error
        self.used(name)  # let go meanwhile, what is mapped stays good
        with self._lock:
            self._mapped[key] = mapped
            while len(self._mapped) > MAPPED_KEPT:
                self._mapped.popitem(last=False)
        return mapped

    def folder(self, name: str) -> Path:
        """Where the files of a name lie, whether they are here or not."""
        return self._root / name

    def used(self, name: str) -> None:
        """It was used just now; what is let go meanwhile was not."""
        with contextlib.suppress(FileNotFoundError):
            os.utime(self._root / name)

    def scratch_folder(self) -> Path:
        """An empty folder in which levels are made before they are kept."""
        return Path(mkdtemp(dir=self._root.parent, prefix="derived-"))

    def _remove(self, folder: Path) -> None:
        """Take a folder away: first its name, so that nobody finds half of it."""
        gone = self._root.parent / f"gone-{folder.name[:40]}-{secrets.token_hex(4)}"
        with contextlib.suppress(FileNotFoundError):
            folder.rename(gone)
        for key in [key for key in self._mapped if key[0] == folder.name]:
            del self._mapped[key]
        shutil.rmtree(gone, ignore_errors=True)
        gone.unlink(missing_ok=True)

    def _make_room(self, newest: str) -> None:
        """Let the least recently used go where the cache is full.

        All folders are weighed only once in a while: with thousands of them it takes longer than what it is for.
        """
        self._unweighed += _weight(self._root / newest)
        if self._unweighed < self._max_bytes * WEIGHED_EVERY and self._weight + self._unweighed <= self._max_bytes:
            return
        folders = sorted((f for f in self._root.iterdir() if f.is_dir()), key=_last_used)
        weights = {folder: _weight(folder) for folder in folders}
        total = sum(weights.values())
        enough = self._max_bytes if total <= self._max_bytes else self._max_bytes * (1 - WEIGHED_EVERY)
        for folder in folders:
            if total <= enough:
                break
            if folder.name != newest:
                total -= weights[folder]
                self._remove(folder)
        self._weight, self._unweighed = total, 0


def _beginnings(name: str) -> list[str]:
    """A name, and all from which it was derived: behind each of these stands `-` or `@`."""
    return [name, *(name[:at] for at, letter in enumerate(name) if letter in "-@")]


def _last_used(folder: Path) -> float:
    """When a folder was last used; what is taken away meanwhile was never."""
    try:
        return folder.stat().st_mtime
    except FileNotFoundError:
        return 0.0


def _weight(folder: Path) -> int:
    """Bytes of a folder's files; what is taken away meanwhile weighs nothing."""
    try:
        return sum(file.stat().st_size for file in folder.iterdir())
    except FileNotFoundError:
        return 0


def map_level(folder: Path, facts: SourceFacts, number: int) -> AnyPixels:
    size, layout = level_size(facts.stored, number), facts.layout
    path = level_path(folder, number)
    if path.stat().st_size != size.pixels * layout.bytes_per_pixel:
        raise FileNotFoundError(f"{path.name} of {folder.name} has another length than it should have")
    shape = (size.height, size.width, layout.bands)
    # a plain array over the mapping, which goes with it: a memmap would answer every slice with another of its kind
    return np.memmap(path, dtype=layout.number_type, mode="r", shape=shape).view(np.ndarray)


def complete(folder: Path, facts: SourceFacts) -> bool:
    """Whether every level is there with the length that its facts demand."""
    return all(
        level_path(folder, n).is_file()
        and level_path(folder, n).stat().st_size == level_size(facts.stored, n).pixels * facts.layout.bytes_per_pixel
        for n in levels_of(facts.stored)
    )
