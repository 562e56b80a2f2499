"""Jinja with the product's filters."""

from collections.abc import Iterable
from datetime import datetime
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from fastapi import Request
from jinja2 import ChoiceLoader, Environment, FileSystemLoader, PrefixLoader, StrictUndefined
from markupsafe import Markup
from starlette.responses import HTMLResponse, RedirectResponse, Response

from lucidex.core.encode.likeness import likeness_words
from lucidex.core.keys import appearance_key
from lucidex.core.source.formats import FORMATS, READABLE
from lucidex.core.source.key import SourceKey
from lucidex.core.units import format_number, format_weight
from lucidex.services.keeping.retention import disk_words
from lucidex.services.rendering.render_requests import preview_key
from lucidex.web.request.security import csrf_token, refusal_before
from lucidex.web.shell.static_files import ADDRESS
from lucidex.web.shell.view import View, carried_by

HERE = Path(__file__).parent


def _day(moment: datetime) -> Markup:
    """A moment of the records, which are in UTC; the page's script says it in the zone of whoever looks.

    >>> _day(datetime(2026, 11, 26, 9, 37))
    Markup('<time datetime="2026-11-26T09:37:00Z" data-utc>26 November 2026, 09:37 UTC</time>')
    """
    words = f"{moment.day} {moment:%B %Y, %H:%M} UTC"
    return Markup('<time datetime="{}Z" data-utc>{}</time>').format(f"{moment:%Y-%m-%dT%H:%M:%S}", words)


def _browser(message: str) -> str:
    """What a browser says of itself, short enough for a list: the system it names, or else its first word.

    >>> _browser("Something/5.0 (X11; Linux x86_64) Engine/1"), _browser("script/0.28"), _browser("")
    ('a browser on X11; Linux x86_64', 'script/0.28', 'an unnamed browser')
    """
    _, bracket, rest = message.partition("(")
    if bracket:
        return f"a browser on {rest.partition(')')[0][:40]}"
    return message.split(" ")[0][:40] or "an unnamed browser"


def _query(**parts: object) -> str:
    given = {name: value for name, value in parts.items() if value is not None}
    return "?" + urlencode(given) if given else ""


def _asked_query(asked: Iterable[int], place: str = "") -> str:
    """The steps of a routine that are ticked, and a place, as an address carries them."""
    return "?" + urlencode([("ask", seat) for seat in sorted(asked)] + [("place", place)])


def _points(points: Iterable[tuple[float, float]]) -> str:
    """Points of a curve as they are typed: 0:0 25:20 100:100."""
    return " ".join(f"{format_number(x)}:{format_number(y)}" for x, y in points)


_of_views = PrefixLoader({})
_views: dict[str, View] = {}
environment = Environment(
    loader=ChoiceLoader([_of_views, FileSystemLoader(HERE / "templates")]),
    autoescape=True,
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)
environment.filters |= {
    "weight": format_weight,
    "number": format_number,
    "day": _day,
    "points": _points,
    "browser": _browser,
}
environment.globals |= {
    "preview_key": preview_key,
    "logo_name": lambda sha256: appearance_key(SourceKey.of_file(sha256), ()),
    "likeness_words": likeness_words,
    "query": _query,
    "asked_query": _asked_query,
    "assets": ADDRESS,
    "faces_revision": "2",
    "accepted": ",".join(suffix for form in FORMATS for suffix in form.suffixes) + ",.zip,image/*",
    "readable": READABLE,
}


def add_view(view: View) -> None:
    """Let pages know of a view: its templates under its name, its script and stylesheet."""
    _views[view.name] = view
    if view.templates.is_dir():
        _of_views.mapping = {**_of_views.mapping, view.name: FileSystemLoader(view.templates)}
    environment.globals |= view.words


def render(request: Request, template: str, **values: Any) -> str:
    """A template as text."""
    return environment.get_template(template).render(
        request=request, csrf=csrf_token(request), limits=request.app.state.context.workshop.limits, **values
    )


def page(request: Request, template: str, status_code: int = 200, **values: Any) -> HTMLResponse:
    """A whole page; where the disk runs short, that is said on every one of them."""
    words = disk_words(request.app.state.context.workshop) if values.get("actor") else ""
    carried = carried_by(_views.get(template.partition("/")[0]))
    refused = refusal_before(request) if status_code < 400 else None
    text = render(request, template, disk_words=words, carried=carried, refused=refused, **values)
    return HTMLResponse(text, status_code)


def lead_to(request: Request, path: str) -> Response:
    """On to a page after a form: by htmx, or plainly where somebody was faster than the page's scripts."""
    if request.headers.get("hx-request") == "true":
        return Response(headers={"HX-Redirect": path})
    return RedirectResponse(path, 303)


def partial(request: Request, template: str, **values: Any) -> HTMLResponse:
    """A part that htmx exchanges."""
    return HTMLResponse(render(request, template, **values))
