"""A run in the background, as a run works: niced, one file after the other, until it is stopped.

python -m bench.background PHOTOGRAPH
"""

import os
import sys
from pathlib import Path

import pyvips

from bench.run import FOUR, by_libvips


def main() -> None:
    os.nice(10)
    pyvips.concurrency_set(1)
    print("running", flush=True)
    while True:
        by_libvips(Path(sys.argv[1]), FOUR)


if __name__ == "__main__":
    main()
