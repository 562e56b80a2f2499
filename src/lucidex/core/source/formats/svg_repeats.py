"""How many parts of a drawing are drawn in the end, where parts repeat others: counted without drawing any.

Source: SVG 2, 5.5 (`use`), 13.3 (patterns), 14 (clipping and masking). A few lines in which each one repeats the one
before ten times mean more parts than could ever be drawn.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

MOST_COUNTED = 10**9
_REFERENCE = re.compile(r"url\(\s*['\"]?#([^'\")\s]{1,200})")
_TAKES_PART = {"fill", "stroke", "mask", "clip-path", "marker", "marker-start", "marker-mid", "marker-end", "style"}
_DRAWS_NOTHING = {"lineargradient", "radialgradient", "filter"}


@dataclass
class _Named:
    """A part that others can repeat: how many parts it has itself, those with a name in it, and what it repeats."""

    parts: int = 0
    inside: list["_Named"] = field(default_factory=list)
    repeats: list[str] = field(default_factory=list)
    draws: bool = True


class Repeats:
    """Told of every element in turn, it counts what they come to."""

    def __init__(self) -> None:
        self._root = _Named()
        self._open = [self._root]  # the named part that each open element stands in
        self._by_id: dict[str, _Named] = {}

    def begin(self, plain_name: str, attributes: dict[str, str]) -> None:
        """An element begins; its name in small letters, without a prefix."""
        part = self._open[-1]
        if name := attributes.get("id"):
            part = _Named(draws=plain_name not in _DRAWS_NOTHING)
            self._open[-1].inside.append(part)
            self._by_id.setdefault(name, part)
        self._open.append(part)
        part.parts += 1
        part.repeats += _repeated(plain_name, attributes)

    def end(self) -> None:
        """The innermost element ends."""
        self._open.pop()

    def count(self) -> int:
        """How many parts are drawn, at most `MOST_COUNTED`; what repeats itself counts once."""
        counted: dict[int, int] = {}
        waiting = [(self._root, False)]
        begun: set[int] = set()
        while waiting:
            part, is_ready = waiting.pop()
            if is_ready:
                found = part.parts + sum(counted.get(id(other), 0) for other in self._within(part))
                counted[id(part)] = min(found, MOST_COUNTED) if part.draws else 0
            elif id(part) not in begun:
                begun.add(id(part))
                waiting.append((part, True))
                waiting += [(other, False) for other in self._within(part) if id(other) not in begun]
        return counted[id(self._root)]

    def _within(self, part: _Named) -> Iterator[_Named]:
        yield from part.inside
        for name in part.repeats:
            if name in self._by_id:
                yield self._by_id[name]


def _repeated(plain_name: str, attributes: dict[str, str]) -> list[str]:
    found = []
    for key, value in attributes.items():
        if plain_name == "use" and key.rpartition(":")[2] == "href" and value.strip().startswith("#"):
            found.append(value.strip()[1:])
        elif key in _TAKES_PART and "url(" in value:
            found += _REFERENCE.findall(value[:10_000])
    return found
