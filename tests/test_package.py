"""The product as a package: a wheel holds all that it needs, and its core is a library."""

import ast
import json
import os
import re
import subprocess
import sys
import tomllib
import zipfile
from importlib.metadata import packages_distributions
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
USED = """
import sys
from lucidex.core import open_picture, read_demand, render_picture, write
demand = read_demand("90x60 as webp").demand()
content = write(render_picture(open_picture(sys.argv[1]), demand), demand)
from lucidex.core.places.book import shipped_book
from lucidex.core.steps.looks import shipped_looks
from lucidex.records.migration import migrate
from lucidex.web import views
from lucidex.web.shell.templating import environment
environment.get_template("bench/bench.html")
print(len(content), len(shipped_book().places), len(shipped_looks()))
"""


@pytest.fixture(scope="module")
def wheel(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("wheel")
    # from a copy, so that nothing is left beside the sources; with what is installed, so that nothing is fetched
    copied = subprocess.run(
        ["cp", "-r", "src", "pyproject.toml", "README.md", "LICENSE", "THIRD-PARTY.md", str(folder)], cwd=ROOT
    )
    assert copied.returncode == 0
    command = [sys.executable, "-m", "pip", "wheel", "-q", "--no-build-isolation", "--no-deps", "-w", "built", "."]
    built = subprocess.run(command, cwd=folder, capture_output=True, text=True)
    assert built.returncode == 0, built.stderr[-2_000:]
    (found,) = (folder / "built").glob("lucidex-*.whl")
    return found


def test_the_core_is_a_library_without_the_application(tmp_path: Path) -> None:
    wanted = application()
    others = sorted(name for name, of in packages_distributions().items() if {one.lower() for one in of} & wanted)
    assert {"fastapi", "sqlalchemy", "uvicorn"} <= set(others)
    hidden = f"import sys; sys.modules.update(dict.fromkeys({others}))"
    script = f"{hidden}; import lucidex.core; from lucidex.launch.entry import main; main()"
    used = subprocess.run([sys.executable, "-c", script], cwd=tmp_path, capture_output=True, text=True)
    assert used.returncode == 1
    assert "lucidex[app]" in used.stderr


def application() -> set[str]:
    """The distributions that only the application needs."""
    extra = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["optional-dependencies"]["app"]
    return {one.replace(">", " ").split()[0].lower() for one in extra}


def test_a_wheel_says_what_it_is_and_under_which_licence(wheel: Path) -> None:
    with zipfile.ZipFile(wheel) as packed:
        names = packed.namelist()
        metadata = packed.read(next(name for name in names if name.endswith("METADATA"))).decode()
    assert "License-Expression: MIT" in metadata
    assert "Classifier: Typing :: Typed" in metadata
    assert any(name.endswith("licenses/LICENSE") for name in names)


def test_what_is_in_the_wheel_is_all_that_is_needed(wheel: Path, tmp_path: Path) -> None:
    with zipfile.ZipFile(wheel) as packed:
        packed.extractall(tmp_path / "installed")
    picture = ROOT / "demo" / "pictures" / "seal.png"
    environment = {**os.environ, "PYTHONPATH": str(tmp_path / "installed")}
    used = subprocess.run(
        [sys.executable, "-c", USED, str(picture)], cwd=tmp_path, env=environment, capture_output=True, text=True
    )
    assert used.returncode == 0, used.stderr[-2_000:]
    weight, places, looks = map(int, used.stdout.split())
    assert (weight > 100, places > 10, looks > 5) == (True, True, True)


def test_all_that_is_imported_is_declared_with_bounds() -> None:
    """Nothing works only because something else brings it along."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    extra = project["optional-dependencies"]
    assert [one for one in [*project["dependencies"], *extra["app"], *extra["dev"]] if ">=" not in one] == []
    everything = project["dependencies"] + extra["app"]
    for folder, declared in (("src/lucidex/core", project["dependencies"]), ("src", everything)):
        assert not missing_from({one.replace(">", " ").split()[0].lower() for one in declared}, ROOT / folder)


def missing_from(declared: set[str], folder: Path) -> set[str]:
    """What modules of a folder import and nobody has declared."""
    brought_by = packages_distributions()
    missing = set()
    for path in folder.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            names = [one.name for one in node.names] if isinstance(node, ast.Import) else []
            if isinstance(node, ast.ImportFrom) and node.module and not node.level:
                names = [node.module]
            for top in {name.partition(".")[0] for name in names} - {"lucidex", "standins", *sys.stdlib_module_names}:
                if not declared & {one.lower().replace("_", "-") for one in brought_by.get(top, ())}:
                    missing.add(top)
    return missing


@pytest.mark.parametrize("name", ["requirements.txt", "requirements-dev.txt", "package-lock.json"])
def test_what_is_pinned_names_no_machine(name: str) -> None:
    text = (ROOT / name).read_text()
    assert not re.search(r"^--|\"resolved\"|file:/|/opt/|/home/", text, re.MULTILINE)


def test_the_licence_is_the_same_everywhere() -> None:
    assert tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["license"] == "MIT"
    assert json.loads((ROOT / "package.json").read_text())["license"] == "MIT"
    assert (ROOT / "LICENSE").read_text().startswith("MIT License")
