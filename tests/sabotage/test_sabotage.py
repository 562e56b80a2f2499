"""Each invariant's test can fail: a small patch breaks the invariant, and the named test must notice."""

import json
import os
import shutil
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

import pytest

from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migrating import migrate
from lucidex.services.workshop import Workshop

ROOT = Path(__file__).parents[2]
PATCHES = sorted((Path(__file__).parent / "patches").glob("*.patch"))


@dataclass(frozen=True)
class Ran:
    """How the named test ended on the broken product."""

    test: str
    status: int
    output: str


@pytest.fixture(scope="module")
def ran(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Ran]:
    """Every patch with the test that must notice it, two at a time."""
    folder = tmp_path_factory.mktemp("sabotaged")
    tests = {patch.stem: sabotaged(patch, folder / patch.stem) for patch in PATCHES}
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
    """A database that is ready for use, to be copied: made once for all patches."""
    server = MariaDbServer(folder)
    server.start()
    workshop = Workshop(folder.parent / "no-files", server.url)
    migrate(workshop.database.engine)
    workshop.close()
    server.stop()
    return folder


def sabotaged(patch: Path, folder: Path) -> str:
    """A copy of the product with the patch in it; the test that must notice it."""
    for name in ("src", "tests"):
        # what was compiled before comes along with its times, so that only what the patch touches is compiled anew
        shutil.copytree(ROOT / name, folder / name)
    (folder / "demo").symlink_to(ROOT / "demo")
    shutil.copy(ROOT / "pyproject.toml", folder)
    command = ["git", "apply", "--unsafe-paths", f"--directory={folder}", str(patch)]
    applied = subprocess.run(command, cwd=folder, capture_output=True, text=True)
    assert applied.returncode == 0, f"{patch.name} no longer applies; make it anew: {applied.stderr}"
    return patch.read_text().splitlines()[0].removeprefix("proves: ")


@pytest.mark.parametrize("patch", [patch.stem for patch in PATCHES])
def test_the_test_of_an_invariant_notices_sabotage(patch: str, ran: dict[str, Ran]) -> None:
    one = ran[patch]
    assert one.status == 1, f"{one.test} does not notice {patch}:\n{one.output[-2_000:]}"
    assert "1 failed" in one.output or "FAILED" in one.output
