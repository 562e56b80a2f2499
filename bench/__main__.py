"""`python -m bench [all|run|intake|batch|tone|mending|…] …`: see the files of the names in `BENCHES`.

`all` writes the README's figures; `age` says how old they are.

They are started from here, because a process that is forked imports the file it was started by once more; of a
package's `__main__` it does not.
"""

import os
import platform
import subprocess
import sys
from datetime import UTC, datetime
from importlib import import_module

import pyvips

from bench.figures import in_short, written_into_readme

BENCHES = (
    "run",
    "intake",
    "gathering",
    "batch",
    "tone",
    "automatics",
    "noise",
    "specks",
    "framing",
    "cutting_out",
    "mending",
    "finishing",
    "weights",
    "likeness",
    "methods",
)
HEADS = {
    "run": "One picture",
    "intake": "Brought in",
    "gathering": "A thousand pictures in one folio",
    "batch": "Files in, archive out",
    "tone": "While a tone slider moves",
    "automatics": "Photographs, right ones and spoilt ones",
    "noise": "Less noise, in decibels",
    "specks": "Specks found, and mended",
    "framing": "Windows that cut what a picture is of",
    "cutting_out": "Cut-outs whose true alpha is known",
    "mending": "Dabs",
    "finishing": "Drawn onto the finished size",
    "weights": "Bytes at equal likeness",
    "likeness": "Likeness beside a costly metric",
    "methods": "Which methods enlarge and reduce",
}


def conditions() -> str:
    """On what the figures hold: a machine that is not quiet is seen by its load."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 1e9
    versions = ".".join(str(pyvips.version(part)) for part in range(3))
    return (
        f"{datetime.now(UTC):%Y-%m-%d}, {len(os.sched_getaffinity(0))} cores, {memory:.0f} GB, "
        f"Python {platform.python_version()}, libvips {versions}, "
        f"load {os.getloadavg()[0]:.1f} before it began and nothing else running."
    )


def measure_all() -> None:
    """Each in a process of its own, one after the other, so that none inherits what another has warmed or filled; and
    all of it into the README. What one says is what its file says it measures, and its tables."""
    parts = [conditions()]
    for name in BENCHES:
        print(f"{datetime.now(UTC):%H:%M} {name}", flush=True)
        measured = subprocess.run(
            [sys.executable, "-m", "bench", name], check=True, stdout=subprocess.PIPE, text=True
        )
        said = (import_module(f"bench.{name}").__doc__ or "").strip().splitlines()[0]
        print(measured.stdout, flush=True)
        parts.append(
            f"### {HEADS[name]}\n\n{said} (`.venv/bin/python -m bench {name}`)\n\n{in_short(measured.stdout)}"
        )
    written_into_readme("\n\n".join(parts), f"{datetime.now(UTC):%Y-%m-%d}")


if __name__ == "__main__":
    known = ("all", "age", *BENCHES)
    name = sys.argv.pop(1) if len(sys.argv) > 1 and sys.argv[1] in known else "run"
    if name == "all":
        measure_all()
    else:
        import_module("bench.figures" if name == "age" else f"bench.{name}").main()
