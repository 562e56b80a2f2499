"""The task that decodes a file from outside; runs isolated."""

import codecs
from io import BufferedReader, BufferedWriter
from pathlib import Path

import pyvips

from lucidex.core.source.decoder import take_in
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.pyramid import LADDER, AnyPixels
from lucidex.records.decoded import level_path
from lucidex.work.isolation import IsolatedRunner

pyvips.cache_set_max(0)
for _needed in ("utf-8", "latin-1", "utf-16-be"):  # whoever is confined cannot load them any more
    codecs.lookup(_needed)


def decode(file: BufferedReader, *rest: BufferedWriter | str) -> str:
    """Decode a file into open files for the levels of the ladder; the last two arguments are
    what may be taken in bytes, and the page.

    The facts as JSON.
    """
    outs = dict(zip(LADDER, rest, strict=False))

    def put_rows(number: int, rows: AnyPixels) -> None:
        out = outs[number]
        if isinstance(out, BufferedWriter):
            out.write(rows.data)

    def begin_again() -> None:
        for out in outs.values():
            if isinstance(out, BufferedWriter):
                out.seek(0)
                out.truncate()

    most_bytes, page = int(str(rest[-2])), int(str(rest[-1]))
    facts = take_in(file, put_rows, begin_again, most_bytes, page)
    return facts.model_dump_json()


def decode_into(runner: IsolatedRunner, file: Path, folder: Path, page: int = 1) -> SourceFacts:
    """Decode a page of `file` in a process of its own into the levels of a folder; its facts."""
    outs = [(level_path(folder, number), "wb") for number in LADDER]
    answer = runner.run(decode, str(runner.limits.memory_bytes * 3 // 4), str(page), opened=[(file, "rb"), *outs])
    facts = SourceFacts.model_validate_json(answer)
    for path, _ in outs:
        if path.stat().st_size == 0:
            path.unlink()
    return facts
