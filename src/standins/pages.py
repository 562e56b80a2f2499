"""The pages that stand-ins show of themselves."""

from pathlib import Path

from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined

_FOLDER = Path(__file__).parent / "templates"
_pages = Environment(loader=FileSystemLoader(_FOLDER), autoescape=True, undefined=StrictUndefined, trim_blocks=True)


def written(name: str, **values: object) -> str:
    """A page as HTML."""
    return _pages.get_template(name).render(**values)


def shown(name: str, **values: object) -> HTMLResponse:
    """The same as an answer that nobody keeps."""
    return HTMLResponse(written(name, **values), headers={"Cache-Control": "no-store"})
