"""Requests of Micropub as they are sent: form-encoded, multipart or JSON. Source: W3C Recommendation, 23 May 2017."""

import json
from dataclasses import dataclass, field
from typing import Any

from starlette.datastructures import FormData, UploadFile

from standins.site.posts import Properties

ACTIONS = {"create", "update", "delete", "undelete"}
MAX_VALUES = 200
_OWN_WORDS = {"h", "action", "url", "access_token"}


class WrongRequestError(ValueError):
    """The request is not as the standard says."""


@dataclass(frozen=True)
class Request:
    """What is asked for. `url` is the page that it is about; `files` are sent along with a new one, by property."""

    action: str
    url: str = ""
    properties: Properties = field(default_factory=dict)
    replace: Properties = field(default_factory=dict)
    add: Properties = field(default_factory=dict)
    delete: Properties | list[str] = field(default_factory=list)
    files: tuple[tuple[str, UploadFile], ...] = ()
    access_token: str | None = None


def of_form(form: FormData) -> Request:
    """A form-encoded or multipart request. A property with several values is said as `name[]`."""
    texts: dict[str, list[object]] = {}
    files = []
    for name, value in form.multi_items():
        plain = name.removesuffix("[]")
        if isinstance(value, UploadFile):
            files.append((plain, value))
        else:
            texts.setdefault(plain, []).append(value)
    if sum(len(values) for values in texts.values()) > MAX_VALUES:
        raise WrongRequestError("That are too many values.")
    action = str(texts.get("action", ["create"])[0])
    url, token = str(texts.get("url", [""])[0]), texts.get("access_token")
    own = {name: values for name, values in texts.items() if name not in _OWN_WORDS and not name.startswith("mp-")}
    if action == "create":
        _check_kind(f"h-{texts.get('h', ['entry'])[0]}")
    elif action == "update":
        raise WrongRequestError("An update is sent as JSON.")
    return Request(_action(action), url, own, files=tuple(files), access_token=str(token[0]) if token else None)


def of_json(content: bytes) -> Request:
    """A request in JSON."""
    try:
        held = json.loads(content)
    except (ValueError, RecursionError) as error:
        raise WrongRequestError("The request is no JSON.") from error
    if not isinstance(held, dict):
        raise WrongRequestError("The request is no JSON object.")
    if "action" not in held:
        kinds = held.get("type")
        if not isinstance(kinds, list) or not kinds:
            raise WrongRequestError("A new page says its type.")
        _check_kind(str(kinds[0]))
        return Request("create", properties=_values(held.get("properties", {})))
    action, gone = _action(str(held["action"])), held.get("delete", [])
    removed = [str(one) for one in gone] if isinstance(gone, list) else _values(gone)
    return Request(
        action,
        str(held.get("url", "")),
        replace=_values(held.get("replace", {})),
        add=_values(held.get("add", {})),
        delete=removed,
    )


def _check_kind(kind: str) -> None:
    if kind != "h-entry":
        raise WrongRequestError("Only pages of the type h-entry are kept here.")


def _action(name: str) -> str:
    if name not in ACTIONS:
        raise WrongRequestError(f"There is no action {name[:20]}.")
    return name


def _values(held: Any) -> Properties:  # noqa: ANN401 - whatever was sent
    """Properties as lists; the standard lets no other form count."""
    if not isinstance(held, dict) or not all(isinstance(values, list) for values in held.values()):
        raise WrongRequestError("Every property is a list of values.")
    if sum(len(values) for values in held.values()) > MAX_VALUES:
        raise WrongRequestError("That are too many values.")
    return {str(name): values for name, values in held.items()}


def updated(before: Properties, request: Request) -> Properties:
    """The properties after an update: replaced, then added, then deleted."""
    after = {**before, **request.replace}
    for name, values in request.add.items():
        after[name] = [*after.get(name, []), *(value for value in values if value not in after.get(name, []))]
    if isinstance(request.delete, list):
        return {name: values for name, values in after.items() if name not in request.delete}
    for name, values in request.delete.items():
        kept = [value for value in after.get(name, []) if value not in values]
        if kept:
            after[name] = kept
        else:
            after.pop(name, None)
    return after
