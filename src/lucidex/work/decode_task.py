"""The task that decodes a file from outside; runs isolated."""

import codecs
import os
from dataclasses import replace
from io import BufferedReader, BufferedWriter
from pathlib import Path

import pyvips

from lucidex.core.errors import TookTooLongError
from lucidex.core.source.decoder import WHOLE, take_in
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.fonts import FONTS_LIST
from lucidex.core.source.formats import HEAD_BYTES, Part, format_of
from lucidex.core.source.limits import USUAL_LIMITS, IntakeLimits
from lucidex.core.source.pyramid import LADDER, AnyPixels
from lucidex.records.changed_boxes import level_path
from lucidex.work.isolation import IsolatedRunner, Limits

BRIEFLY_S = 12  # of computing, for what is drawn: seconds by the clock say how busy a machine is

pyvips.cache_set_max(0)
for _needed in ("utf-8", "latin-1", "utf-16-be"):  # whoever is confined cannot load them any more
    codecs.lookup(_needed)


def decode(file: BufferedReader, *rest: BufferedWriter | str) -> str:
    """Decode a file into open files for the levels of the ladder.

    The last two arguments are what may be taken in bytes of memory, and the part with the limits as
    `page@density@plainly@bytes@pixels` (a density of 0 is the usual one).

    The facts as JSON.
    """
    os.environ["FONTCONFIG_FILE"] = str(FONTS_LIST)  # of this process only
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

    page, density, plainly, most_file, most_pixels = (int(number) for number in str(rest[-1]).split("@"))
    limits = IntakeLimits(file_bytes=most_file, pixels=most_pixels)
    facts = take_in(
        file, put_rows, begin_again, int(str(rest[-2])), Part(page, density or None, bool(plainly)), limits
    )
    return facts.model_dump_json()


def decode_into(
    runner: IsolatedRunner, file: Path, folder: Path, part: Part = WHOLE, limits: IntakeLimits = USUAL_LIMITS
) -> SourceFacts:
    """Decode a part of `file` in a process of its own into the levels of a folder; its facts."""
    outs = [(level_path(folder, number), "wb") for number in LADDER]

    def run(part: Part, within: Limits) -> str:
        wanted = f"{part.page}@{part.density or 0}@{int(part.plainly)}@{limits.file_bytes}@{limits.pixels}"
        memory = str(within.memory_bytes * 3 // 4)
        return runner.run(decode, memory, wanted, opened=[(file, "rb"), *outs], limits=within)

    with file.open("rb") as opened:
        form = format_of(opened.read(HEAD_BYTES))
    if form is None or not form.has_effects:
        answer = run(part, runner.limits)
    else:  # what is drawn may take minutes in a few lines: it gets seconds, and then it is drawn without its effects
        briefly = replace(runner.limits, processor_seconds=BRIEFLY_S)
        try:
            answer = run(part, briefly)
        except TookTooLongError:
            answer = run(replace(part, plainly=True), briefly)
    facts = SourceFacts.model_validate_json(answer)
    for path, _ in outs:
        if path.stat().st_size == 0:
            path.unlink()
    return facts
