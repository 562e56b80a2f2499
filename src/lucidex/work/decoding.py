"""The task that decodes a file from outside; runs isolated."""

from pathlib import Path

import pyvips

from lucidex.core.intake import take_in
from lucidex.records.decoded import level_path

pyvips.cache_set_max(0)


def decode(file: str, folder: str) -> str:
    """Decode `file` into levels in `folder`; the facts as JSON."""
    return take_in(Path(file), lambda number, image: _write_level(Path(folder), number, image)).model_dump_json()


def _write_level(folder: Path, number: int, image: pyvips.Image) -> None:
    image.rawsave(str(level_path(folder, number)))
