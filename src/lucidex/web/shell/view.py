"""What a view is: a folder of `web/views` with its routes, its templates and its scripts beside each other.

A view's templates lie in its `templates/` and are named after its folder (`gather/foot.html`); its scripts lie in its
`js/`, its built stylesheet in its `static/`. A page whose template belongs to a view carries that view's script and
stylesheet and nothing of any other.
"""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from posixpath import join, normpath

from fastapi import APIRouter

WEB = Path(__file__).parents[1]
MAIN = "shell/js/main.js"
_NAMED = re.compile(r'^import .*"(\.[^"]+\.js)";$', re.MULTILINE)


@dataclass(frozen=True)
class View:
    """A view, by the name of its folder; `script` and `style` are files in its `js/` and `static/`.

    `words` is what its templates may use beside what every template may.
    """

    name: str
    routers: tuple[APIRouter, ...]
    script: str = ""
    style: str = ""
    words: Mapping[str, object] = field(default_factory=dict)

    @property
    def folder(self) -> str:
        """Where it lies, below `web`."""
        return f"views/{self.name}"

    @property
    def templates(self) -> Path:
        """Where its templates lie."""
        return WEB / self.folder / "templates"


@dataclass(frozen=True)
class Carried:
    """What a page carries, as addresses below `web`: its scripts, all that these fetch, and its view's stylesheet."""

    scripts: tuple[str, ...]
    modules: tuple[str, ...]
    stylesheet: str = ""


def carried_by(view: View | None) -> Carried:
    """What a page of a view carries; one of no view carries what every page does."""
    own = f"{view.folder}/js/{view.script}" if view and view.script else ""
    scripts = (MAIN, own) if own else (MAIN,)
    modules = tuple(dict.fromkeys(module for script in scripts for module in fetched_with(script)))
    return Carried(scripts, modules, f"{view.folder}/static/{view.style}" if view and view.style else "")


@cache
def fetched_with(entry: str) -> tuple[str, ...]:
    """A script and all that it names at its head, and what these name: what a page fetches side by side.

    >>> fetched_with("views/weigh/js/weigh_curve.js")
    ('views/weigh/js/weigh_curve.js',)
    """
    return tuple(dict.fromkeys(_with_its_own(entry, set())))


def _with_its_own(entry: str, seen: set[str]) -> Iterator[str]:
    if entry in seen:
        return
    seen.add(entry)
    yield entry
    for named in _NAMED.findall((WEB / entry).read_text()):
        yield from _with_its_own(normpath(join(entry, "..", named)), seen)
