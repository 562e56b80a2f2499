"""Names in docstrings, comments and documents lead somewhere: a module, something in one, a file."""

import ast
import io
import re
import tokenize
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCES = ROOT / "src" / "lucidex"
ROOMS = {path.name for path in SOURCES.iterdir() if path.is_dir()}
NAME = re.compile(r"`((?:[a-z_][a-z0-9_]*\.)+[A-Za-z_][A-Za-z0-9_]*)(?:\(\))?`")
FILE = re.compile(r"`((?:[a-z_0-9-]+/)+[a-z_0-9-]+\.(?:py|js|html|css|json|txt|md))\b")


def said_in(file: Path) -> Iterator[str]:
    """The docstrings and comments of a module."""
    text = file.read_text()
    for token in tokenize.generate_tokens(io.StringIO(text).readline):
        if token.type == tokenize.COMMENT:
            yield token.string
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
            yield ast.get_docstring(node) or ""


def leads_somewhere(dotted: str) -> bool:
    """Whether a name such as `core.render.framed` or `work.isolation` is there."""
    parts = dotted.split(".")
    for length in range(len(parts), 0, -1):
        if not (found := _file_of(parts[:length])):
            continue
        return length == len(parts) or _has(found, parts[length:])
    return False


def _file_of(parts: list[str]) -> Path | None:
    folder = SOURCES.joinpath(*parts)
    return next((one for one in (folder.with_suffix(".py"), folder / "__init__.py") if one.is_file()), None)


def _has(file: Path, names: list[str]) -> bool:
    body: list[ast.stmt] = ast.parse(file.read_text()).body
    for name in names:
        found = next((node for node in body if name in _bound_by(node)), None)
        if found is None:
            return False
        body = found.body if isinstance(found, ast.ClassDef) else []
    return True


def _bound_by(node: ast.stmt) -> set[str]:
    if isinstance(node, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
        return {node.name}
    if isinstance(node, ast.ImportFrom | ast.Import):
        return {one.asname or one.name for one in node.names}
    targets = node.targets if isinstance(node, ast.Assign) else [getattr(node, "target", None)]
    return {name.id for target in targets if target for name in ast.walk(target) if isinstance(name, ast.Name)}


def test_names_in_docstrings_and_comments_exist() -> None:
    said = {name: file for file in SOURCES.rglob("*.py") for text in said_in(file) for name in NAME.findall(text)}
    assert len(said) > 30
    lost = {name: file for name, file in said.items() if name.split(".")[0] in ROOMS and not leads_somewhere(name)}
    assert lost == {}


def test_files_that_documents_name_exist() -> None:
    for document in (*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")):
        said = [path for path in FILE.findall(document.read_text()) if "NAME" not in path]
        lost = [path for path in said if not any((at / path).exists() for at in (ROOT, SOURCES))]
        assert (document.name, lost) == (document.name, [])


def test_a_name_that_leads_nowhere_is_noticed() -> None:
    assert leads_somewhere("core.render.plan")
    assert leads_somewhere("web.shell.view.View.folder")
    assert not leads_somewhere("core.render.plain")
    assert not leads_somewhere("work.isolated")
