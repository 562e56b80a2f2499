"""Each invariant's test can fail: a small patch breaks the invariant, and the named test must notice."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
PATCHES = sorted((Path(__file__).parent / "patches").glob("*.patch"))


@pytest.mark.parametrize("patch", PATCHES, ids=lambda path: path.stem)
def test_the_test_of_an_invariant_notices_sabotage(patch: Path, tmp_path: Path) -> None:
    test = patch.read_text().splitlines()[0].removeprefix("proves: ")
    for folder in ("src", "tests"):
        shutil.copytree(ROOT / folder, tmp_path / folder, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    applied = subprocess.run(
        ["git", "apply", "--unsafe-paths", f"--directory={tmp_path}", str(patch)],
        cwd=tmp_path,
        capture_output=True,
        text=True,
    )
    assert applied.returncode == 0, f"{patch.name} no longer applies; make it anew: {applied.stderr}"
    environment = {**os.environ, "PYTHONPATH": str(tmp_path / "src")}
    ran = subprocess.run(
        [sys.executable, "-m", "pytest", "-x", "-p", "no:cacheprovider", test],
        cwd=tmp_path,
        env=environment,
        capture_output=True,
        text=True,
    )
    assert ran.returncode == 1, f"{test} does not notice {patch.name}:\n{ran.stdout[-2_000:]}{ran.stderr[-500:]}"
    assert "1 failed" in ran.stdout
