"""`python -m bench [all|run|intake|batch|tone|mending|…] …`: see the files of the names in `BENCHES`.

`all` prints the README's tables.

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

BENCHES = ("run", "intake", "gathering", "batch", "tone", "mending", "finishing", "weights", "likeness", "methods")
HEADS = {
    "run": "One picture",
    "intake": "Brought in",
    "gathering": "A thousand pictures in one folio",
    "batch": "Files in, archive out",
    "tone": "While a tone slider moves",
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
    """Each in a process of its own, one after the other, so that none inherits what another has warmed or filled."""
    print(conditions(), flush=True)
    for name in BENCHES:
        print(f"\n### {HEADS[name]} (`.venv/bin/python -m bench {name}`)\n", flush=True)
        subprocess.run([sys.executable, "-m", "bench", name], check=True)


if __name__ == "__main__":
    name = sys.argv.pop(1) if len(sys.argv) > 1 and sys.argv[1] in ("all", *BENCHES) else "run"
    if name == "all":
        measure_all()
    else:
        import_module(f"bench.{name}").main()
