"""What steps were called earlier: stored ones are brought up to date when they are read."""

from typing import Any

KINDS = {"depths": "shadows_highlights", "bring_back": "deconvolve"}
FIELDS = {"saturation": {"gentle": "vibrance"}}  # by kind


def renamed(stored: Any) -> Any:  # noqa: ANN401 - whatever JSON holds
    """Any stored JSON with the present names in the steps that it holds, at any depth of at most a step in a look."""
    if isinstance(stored, list):
        return [renamed(one) for one in stored]
    if not isinstance(stored, dict):
        return stored
    kind = stored.get("kind")
    if not isinstance(kind, str):
        return {name: renamed(value) for name, value in stored.items()}
    fields = FIELDS.get(kind, {})
    said = {fields.get(name, name): renamed(value) for name, value in stored.items()}
    return {**said, "kind": KINDS.get(kind, kind)}
