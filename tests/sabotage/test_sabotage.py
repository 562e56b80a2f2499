"""Each invariant's test can fail: a small patch breaks the invariant, and the named test must notice."""

import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import pytest

from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migrating import migrate
from lucidex.services.workshop import Workshop

ROOT = Path(__file__).parents[2]
PATCHES = sorted((Path(__file__).parent / "patches").glob("*.patch"))


Runs = dict[str, "Future[tuple[str, subprocess.CompletedProcess[str]]]"]


@pytest.fixture(scope="module")
def runs(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Runs]:
    """Every patch with the test that must notice it, two at a time."""
    database = migrated_database(tmp_path_factory.mktemp("database"))
    with ThreadPoolExecutor(2) as pool:
        yield {
            patch.stem: pool.submit(sabotaged, patch, tmp_path_factory.mktemp(patch.stem), database)
            for patch in PATCHES
        }


def migrated_database(folder: Path) -> Path:
    """A database that is ready for use, to be copied: made once for all patches."""
    server = MariaDbServer(folder)
    server.start()
    workshop = Workshop(folder.parent / "no-files", server.url)
    migrate(workshop.database.engine)
    workshop.close()
    server.stop()
    return folder


def sabotaged(patch: Path, folder: Path, database: Path) -> tuple[str, "subprocess.CompletedProcess[str]"]:
    """The named test, and how it ended on the broken product."""
    test = patch.read_text().splitlines()[0].removeprefix("proves: ")
    for name in ("src", "tests"):
        # what was compiled before comes along with its times, so that only what the patch touches is compiled anew
        shutil.copytree(ROOT / name, folder / name)
    (folder / "demo").symlink_to(ROOT / "demo")
    shutil.copy(ROOT / "pyproject.toml", folder)
    command = ["git", "apply", "--unsafe-paths", f"--directory={folder}", str(patch)]
    applied = subprocess.run(command, cwd=folder, capture_output=True, text=True)
    assert applied.returncode == 0, f"{patch.name} no longer applies; make it anew: {applied.stderr}"
    hints = {"LUCIDEX_SABOTAGE": "1", "LUCIDEX_DATABASE": str(database)}
    environment = {**os.environ, "PYTHONPATH": str(folder / "src"), **hints}
    command = [sys.executable, "-m", "pytest", "-x", "-p", "no:cacheprovider", test]
    return test, subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True)


@pytest.mark.parametrize("patch", [patch.stem for patch in PATCHES])
def test_the_test_of_an_invariant_notices_sabotage(patch: str, runs: Runs) -> None:
    test, ran = runs[patch].result()
    assert ran.returncode == 1, f"{test} does not notice {patch}:\n{ran.stdout[-2_000:]}{ran.stderr[-500:]}"
    assert "1 failed" in ran.stdout
