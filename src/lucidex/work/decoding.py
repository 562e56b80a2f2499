"""The task that decodes a file from outside; runs isolated."""

from pathlib import Path

import pyvips

from lucidex.core.intake import take_in
from lucidex.records.decoded import level_path

pyvips.cache_set_max(0)


def decode(file: str, folder: str) -> str:
    """Decode `file` into levels in `folder`; the facts as JSON."""
    facts = take_in(Path(file), lambda number, pixels: pixels.tofile(level_path(Path(folder), number)))
    return facts.model_dump_json()
