"""How derived sources lie in files: all levels anew, or only the box that a local change has changed.

A changed box is one file: a line of JSON that says where it lies, then its pixels, level by level, from the finest
to the coarsest. Boxes hold whole blocks of the coarsest level, so that each level's part follows from the box alone.
"""

import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.derivation import on_level
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.pyramid import AnyPixels, level_size, levels_of, reduce_level

CHANGED = "changed-box"
MAX_HEAD = 200


def level_path(folder: Path, number: int) -> Path:
    """The file of a level."""
    return folder / f"level-{number}.raw"


def write_levels(folder: Path, facts: SourceFacts, strips: Iterator[AnyPixels]) -> None:
    """All levels from rows of the finest one, which come some whole blocks at a time; only those stand in memory."""
    files = {number: level_path(folder, number).open("wb") for number in levels_of(facts.stored)}
    try:
        for strip in strips:
            for number, file in files.items():
                rows = strip if number == 1 else reduce_level(strip, number, facts.has_alpha)
                np.ascontiguousarray(rows).tofile(file)
    finally:
        for file in files.values():
            file.close()


def write_changed_box(folder: Path, facts: SourceFacts, box: Box | None, pixels: AnyPixels) -> None:
    """What a local change has made of an aligned box; without a box, that it has changed nothing."""
    where = None if box is None else [box.left, box.top, box.size.width, box.size.height]
    with (folder / CHANGED).open("wb") as file:
        file.write(json.dumps(where).encode() + b"\n")
        if box is not None:
            for number in levels_of(facts.stored):
                level = pixels if number == 1 else reduce_level(pixels, number, facts.has_alpha)
                np.ascontiguousarray(level).tofile(file)


def is_changed_box(folder: Path) -> bool:
    """Whether a folder holds a changed box, and not all levels."""
    return (folder / CHANGED).is_file()


@dataclass(frozen=True)
class ChangedBox:
    """What a local change has made of a level: where, and its pixels."""

    box: Box
    pixels: AnyPixels

    @property
    def weight(self) -> int:
        """Bytes that it takes."""
        return int(self.pixels.nbytes)


def read_changed_box(folder: Path, facts: SourceFacts, number: int) -> ChangedBox | None:
    """What a folder holds of a level; None where nothing changed. FileNotFoundError where it is not whole."""
    with (folder / CHANGED).open("rb") as file:
        where = json.loads(file.readline(MAX_HEAD))
        if where is None:
            return None
        left, top, width, height = where
        box, each = Box(left, top, Size(width, height)), facts.layout.bytes_per_pixel
        for finer in levels_of(facts.stored):
            if finer == number:
                break
            file.seek(on_level(box, finer).size.pixels * each, 1)
        part = on_level(box, number)
        content = file.read(part.size.pixels * each)
    if len(content) != part.size.pixels * each:
        raise FileNotFoundError(f"The changed box of {folder.name} has another length than it should have")
    shape = (part.size.height, part.size.width, facts.layout.bands)
    return ChangedBox(part, np.frombuffer(content, facts.layout.number_type).reshape(shape))


def level_shape(facts: SourceFacts, number: int) -> tuple[int, int, int]:
    """Height, width and bands of a level."""
    size = level_size(facts.stored, number)
    return size.height, size.width, facts.layout.bands
