"""`python -m lucidex.check_store`: compares every stored file with its hash, while the product runs or not.

Results that differ are made anew when they are wanted; originals that differ are named, with their pictures. With
`--clean`, what is kept no longer is taken away as well (docs/keeping.md). The exit status is 1 where an original is
damaged.
"""

import argparse
import sys
from pathlib import Path

from lucidex.core.errors import UserError
from lucidex.launch.terminal import opened_workshop
from lucidex.services.retention import check_store, clean_up


def main(arguments: list[str] | None = None) -> int:
    """Look through the stores; the exit status."""
    parser = argparse.ArgumentParser(prog="python -m lucidex.check_store", description="Are stored files whole?")
    parser.add_argument("--data", type=Path, default=Path("var"), help="data folder (default ./var)")
    parser.add_argument("--clean", action="store_true", help="take away what is kept no longer")
    wanted = parser.parse_args(arguments)
    try:
        with opened_workshop(wanted.data) as workshop:
            checked = check_store(workshop)
            kept = clean_up(workshop) if wanted.clean else None
    except UserError as error:
        print(f"lucidex: {error.sentence}", file=sys.stderr)
        return 1
    print(f"{checked.originals} originals, {len(checked.damaged)} damaged or missing.")
    for sha256, pictures in checked.damaged.items():
        print(f"  {sha256}: {', '.join(pictures) or 'no picture has it'}")
    print(f"{checked.results} results, {checked.made_anew} of them will be made anew.")
    if kept is not None:
        print(
            f"Taken away: {kept.results} results, {kept.pictures} pictures, {kept.originals} originals, "
            f"{kept.runs} runs, {kept.orphans} files that nothing spoke of."
        )
    return 1 if checked.damaged else 0


if __name__ == "__main__":
    raise SystemExit(main())
