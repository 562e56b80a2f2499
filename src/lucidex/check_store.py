"""`python -m lucidex.check_store`: compares every stored file with its hash, while the product runs or not.

Results that differ are made anew when they are wanted; originals that differ are named, with their pictures. With
`--clean`, what is kept no longer is taken away as well (docs/keeping.md); with `--mend FOLDER`, copies of them are
looked for there and stored anew. The exit status is 1 where an original stays damaged.
"""

import argparse
import sys
from pathlib import Path

from lucidex.core.errors import UserError
from lucidex.launch.terminal import opened_workshop
from lucidex.services.keeping.retention import check_store, clean_up, mend_from


def main(arguments: list[str] | None = None) -> int:
    """Look through the stores; the exit status."""
    parser = argparse.ArgumentParser(prog="python -m lucidex.check_store", description="Are stored files whole?")
    parser.add_argument("--data", type=Path, default=Path("var"), help="data folder (default ./var)")
    parser.add_argument("--clean", action="store_true", help="take away what is kept no longer")
    parser.add_argument("--mend", type=Path, metavar="FOLDER", help="look there for what is missing or damaged")
    wanted = parser.parse_args(arguments)
    try:
        with opened_workshop(wanted.data) as workshop:
            checked = check_store(workshop)
            mended = mend_from(workshop, checked.damaged, wanted.mend) if wanted.mend else []
            kept = clean_up(workshop) if wanted.clean else None
    except UserError as error:
        print(f"lucidex: {error.sentence}", file=sys.stderr)
        return 1
    print(f"{checked.originals} originals, {len(checked.damaged)} damaged or missing.")
    for sha256, pictures in checked.damaged.items():
        state = "whole again" if sha256 in mended else "damaged or missing"
        print(f"  {sha256}: {state}; {', '.join(pictures) or 'no picture has it'}")
    if left := len(checked.damaged) - len(mended):
        print(
            f"{left} can be mended from a copy: name a folder that may hold one with --mend FOLDER (files are known "
            "by what they hold), or bring the file in once more. All that was done to the pictures stays."
        )
    print(f"{checked.results} results, {checked.made_anew} of them will be made anew.")
    if kept is not None:
        print(
            f"Taken away: {kept.results} results, {kept.pictures} pictures, {kept.originals} originals, "
            f"{kept.runs} runs, {kept.orphans} files that nothing spoke of."
        )
    return 1 if len(checked.damaged) > len(mended) else 0


if __name__ == "__main__":
    raise SystemExit(main())
