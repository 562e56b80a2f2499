"""The README's figures: written by `bench all`, with the commit that they are of, and how old they are.

    .venv/bin/python -m bench age

They stand between two marks. Whoever writes by hand writes outside of these.
"""

import re
import subprocess
from pathlib import Path

ROOT = Path(__file__).parents[1]
README = ROOT / "README.md"
RENEWED_AFTER = 60  # commits of `src`
_FIGURES = re.compile(r"<!-- figures of (\w+) on ([\d-]+) -->\n.*?<!-- end of the figures -->\n", re.DOTALL)


def replaced(text: str, figures: str, commit: str, date: str) -> str:
    """A text with other figures. ValueError where its marks are missing."""
    if not _FIGURES.search(text):
        raise ValueError("The README's two marks of its figures are missing.")
    written = f"<!-- figures of {commit} on {date} -->\n\n{figures.strip()}\n\n<!-- end of the figures -->\n"
    return _FIGURES.sub(lambda _: written, text)


def in_short(output: str) -> str:
    """What a bench prints, without the details that it indents; tables, and other lines, each by themselves."""
    kept = [line.rstrip() for line in output.splitlines() if not line.startswith("  ") and line.strip()]
    begins = {index - 1 for index, line in enumerate(kept) if line.startswith("|---")}
    apart = "\n".join(
        f"\n{line}" if index in begins else line if line.startswith("|") else f"\n{line}\n"
        for index, line in enumerate(kept)
    )
    return re.sub(r"\n{3,}", "\n\n", apart).strip()


def written_into_readme(figures: str, date: str) -> None:
    """Put figures into the README, as of the commit that is checked out."""
    README.write_text(replaced(README.read_text(), figures, _git("rev-parse", "--short=12", "HEAD"), date))


def age() -> str:
    """How many commits of `src` the README's figures are behind, in a sentence."""
    found = _FIGURES.search(README.read_text())
    if found is None:
        return "The README has no figures of its own."
    commit, date = found.groups()
    try:
        behind = int(_git("rev-list", "--count", f"{commit}..HEAD", "--", "src"))
    except (subprocess.CalledProcessError, FileNotFoundError):
        return f"The README's figures are of {date}; how many commits ago that was cannot be told here."
    due = " Renew them: .venv/bin/python -m bench all." if behind > RENEWED_AFTER else ""
    return f"The README's figures are of {date}, {behind} commits of src ago.{due}"


def _git(*arguments: str) -> str:
    return subprocess.run(["git", *arguments], cwd=ROOT, check=True, capture_output=True, text=True).stdout.strip()


def main() -> None:
    """Say it."""
    print(age())
