"""Mutated files of every format through the intake, in a confined process: taken, or refused with a sentence.

python -m tests.services.fuzzing [MUTATIONS OF EACH FORMAT, usually 2000]
"""

import gc
import json
import os
import random
import sys
from collections import Counter
from io import BufferedRandom
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from lucidex.core.errors import TooLargeError, UnreadableFileError, UserError
from lucidex.core.source.decoder import take_in
from lucidex.work.isolation import IsolatedRunner, Limits
from tests.conftest import smooth_picture
from tests.core.test_formats_in import by_pillow, heic, pdf, svg

MOST_BYTES = 300_000_000
SCRATCH_FILES = 20
SMALL = smooth_picture(64, 48)
SEEDS = {
    "JPEG": lambda: by_pillow("JPEG", SMALL, progressive=True),
    "PNG": lambda: by_pillow("PNG", SMALL),
    "WebP": lambda: by_pillow("WEBP", SMALL),
    "GIF": lambda: by_pillow("GIF", SMALL),
    "TIFF": lambda: by_pillow("TIFF", SMALL, compression="tiff_lzw"),
    "AVIF": lambda: by_pillow("AVIF", SMALL),
    "HEIC": lambda: heic(SMALL),
    "JPEG 2000": lambda: by_pillow("JPEG2000", SMALL),
    "BMP": lambda: by_pillow("BMP", SMALL),
    "ICO": lambda: by_pillow("ICO", SMALL, sizes=[(64, 48), (16, 16)]),
    "PDF": lambda: pdf(2),
    "SVG": lambda: svg(
        '<g transform="scale(2)"><rect width="20" height="20" fill="#c02020"/><path d="M0 0h9z"/></g>'
    ),
    "TGA": lambda: by_pillow("TGA", SMALL, compression="tga_rle"),
}


def mutated(content: bytes, chance: random.Random) -> bytes:
    """Cut, with bytes changed, doubled or left out; the first ones mostly stay, so that the format is met."""
    changed = bytearray(content)
    for _ in range(chance.choice((1, 1, 2, 4, 16))):
        at = chance.randrange(min(12, len(changed) - 1), len(changed))
        kind = chance.randrange(5)
        if kind == 0:
            changed[at] = chance.randrange(256)
        elif kind == 1:
            changed[at] ^= 1 << chance.randrange(8)
        elif kind == 2:
            changed[at : at + 4] = chance.choice((b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff"))
        elif kind == 3:
            del changed[at : at + chance.randrange(1, 40)]
        else:
            changed[at:at] = changed[max(0, at - 30) : at]
        if len(changed) < 20:
            break
    return bytes(changed)


def try_some(*given: BufferedRandom | str) -> str:
    """Outcomes of so many mutations of a format, as JSON: how many of each, and what went wrong otherwise.

    Given are files to write them into, one after the other (whoever is confined can make none, and what was mapped of
    one must not be cut off at once), a seed, the format's name and the count.
    """
    files = [one for one in given if not isinstance(one, str)]
    seed, name, count = (one for one in given if isinstance(one, str))
    content, chance = SEEDS[name](), random.Random(f"{name} {seed}")
    outcomes: Counter[str] = Counter()
    wrong: list[str] = []
    gc.freeze()  # only what is made from now on is looked through after each file
    for number in range(int(count)):
        tried, scratch = mutated(content, chance), files[number % len(files)]
        gc.collect()  # what was mapped of it before is let go of
        scratch.seek(0)
        scratch.truncate()
        scratch.write(tried)
        scratch.flush()
        try:
            with open(os.dup(scratch.fileno()), "rb") as reader:
                facts = take_in(reader, lambda number, rows: None, most_bytes=MOST_BYTES)
            outcomes["taken" if facts.damage is None else "marked"] += 1
        except (UnreadableFileError, TooLargeError) as error:
            outcomes["refused"] += 1
            if not error.sentence.startswith(("It ", "Its ")):
                wrong.append(f"{error.sentence}")
        except Exception as error:  # noqa: BLE001 - whatever else comes out is what is looked for
            wrong.append(f"{type(error).__name__}: {str(error)[:200]}; {tried.hex()[:4_000]}")
    return json.dumps({"outcomes": dict(outcomes), "wrong": wrong[:5]})


def outcomes_of(runner: IsolatedRunner, seed: str, name: str, count: int) -> dict[str, Any]:
    """The same, in a process of its own."""
    with TemporaryDirectory() as folder:
        scratch = [(Path(folder) / f"fuzzed-{number}", "w+b") for number in range(SCRATCH_FILES)]
        return dict(json.loads(runner.run(try_some, seed, name, str(count), opened=scratch)))


def main(count: int) -> int:
    """Try so many of each; the number of formats in which something went wrong."""
    runner, troubles = IsolatedRunner(limits=Limits(seconds=3_600, processor_seconds=3_600)), 0
    for name in SEEDS:
        for start in range(0, count, 200):
            try:
                found = outcomes_of(runner, str(start), name, min(200, count - start))
            except UserError as error:
                found = {"outcomes": {}, "wrong": [f"the process ended: {error.sentence} (from {start})"]}
            print(name, start, found["outcomes"], *found["wrong"], flush=True)
            troubles += bool(found["wrong"])
    return troubles


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 2_000))
