"""Each invariant's test can fail: a small change breaks the invariant, and the named test must notice.

A change says which test proves it, and for each file which lines (they stand there once) become which others. What
was proved is remembered (`proved.json`, written by `tools/prove`): it is proved again where the change, a file that
it breaks or the file of its test is another one than then.
"""

import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest

from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migration import migrate
from lucidex.services.house.workshop import Workshop

ROOT = Path(__file__).parents[2]
CHANGES = sorted((Path(__file__).parent / "changes").glob("*.txt"))
PROVED = Path(__file__).parent / "proved.json"
ALL = "LUCIDEX_PROVE_ALL"  # set: nothing counts as proved
RENEWED = "LUCIDEX_PROVED"  # set to a file: what is proved by now is written there
ONE = re.compile(r"^in (\S+)\n<<<\n(.*?)===\n(.*?)>>>\n", re.MULTILINE | re.DOTALL)


@dataclass(frozen=True)
class Ran:
    """How the named test ended on the broken product."""

    test: str
    status: int
    output: str


def state_of(change: Path) -> str:
    """What the proof of a change depends on: itself, the files that it breaks and the file of its test, as a hash."""
    text = change.read_text()
    first, _ = text.split("\n", 1)
    files = [first.removeprefix("proves: ").partition("::")[0], *(name for name, _, _ in ONE.findall(text))]
    found = hashlib.sha256(text.encode())
    for name in sorted(set(files)):
        found.update(hashlib.sha256((ROOT / name).read_bytes()).digest())
    return found.hexdigest()


@pytest.fixture(scope="module")
def proved() -> dict[str, str]:
    """The state in which each change was proved last."""
    return {} if ALL in os.environ else dict(json.loads(PROVED.read_text()))


@pytest.fixture(scope="module")
def ran(tmp_path_factory: pytest.TempPathFactory, proved: dict[str, str]) -> Iterator[dict[str, Ran]]:
    """Every change that is not proved, with the test that must notice it, two at a time."""
    waiting = [change for change in CHANGES if proved.get(change.stem) != state_of(change)]
    found = _run(waiting, tmp_path_factory.mktemp("sabotaged")) if waiting else {}
    yield found
    if (renewed := os.environ.get(RENEWED)) is not None:
        noticed = {change.stem for change in CHANGES} - {name for name, one in found.items() if one.status != 1}
        states = {change.stem: state_of(change) for change in CHANGES if change.stem in noticed}
        Path(renewed).write_text(json.dumps(states, indent=0) + "\n")


def _run(changes: list[Path], folder: Path) -> dict[str, Ran]:
    tests = {change.stem: sabotaged(change, folder / change.stem) for change in changes}
    hints = {"LUCIDEX_SABOTAGE": "1", "LUCIDEX_DATABASE": str(migrated_database(folder / "database"))}
    asked = [
        {"folder": str(folder / name), "test": test, "output": str(folder / f"{name}.txt")}
        for name, test in tests.items()
    ]
    done = subprocess.run(
        [sys.executable, str(Path(__file__).parent / "runner.py")],
        input="\n".join(json.dumps(one) for one in asked),
        env={**os.environ, **hints},
        cwd=folder,
        capture_output=True,
        text=True,
        check=True,
    )
    ended = {one["folder"]: one["status"] for one in map(json.loads, done.stdout.splitlines())}
    return {name: Ran(test, ended[name], (folder / f"{name}.txt").read_text()) for name, test in tests.items()}


def migrated_database(folder: Path) -> Path:
    """A database that is ready for use, to be copied: made once for all changes."""
    server = MariaDbServer(folder)
    server.start()
    workshop = Workshop(folder.parent / "no-files", server.url)
    migrate(workshop.database.engine)
    workshop.close()
    server.stop()
    return folder


def sabotaged(change: Path, folder: Path) -> str:
    """A copy of the product with the change in it; the test that must notice it."""
    for name in ("src", "tests"):
        # what was compiled before comes along with its times, so that only what is changed is compiled anew
        shutil.copytree(ROOT / name, folder / name)
    (folder / "demo").symlink_to(ROOT / "demo")
    shutil.copy(ROOT / "pyproject.toml", folder)
    first, rest = change.read_text().split("\n", 1)
    assert ONE.sub("", rest) == "", f"{change.name} is not written as a change"
    for name, before, after in ONE.findall(rest):
        file = folder / name
        text = file.read_text()
        assert text.count(before) == 1, f"{change.name}: its lines stand {text.count(before)} times in {name}"
        file.write_text(text.replace(before, after))
    return first.removeprefix("proves: ")


@pytest.mark.parametrize("change", [change.stem for change in CHANGES])
def test_the_test_of_an_invariant_notices_sabotage(change: str, ran: dict[str, Ran]) -> None:
    if (one := ran.get(change)) is None:
        return  # it was proved, and nothing of it has changed
    assert one.status == 1, f"{one.test} does not notice {change}:\n{one.output[-2_000:]}"
    assert "1 failed" in one.output or "FAILED" in one.output
