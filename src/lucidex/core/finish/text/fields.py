"""Fields in words: names in braces, which each picture and place fills in with its own.

Whoever adds one names it in `FIELDS`. Words are filled in before a result gets its key, so whatever a field says is
in the key of all that shows it.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from lucidex.core.source.facts import SourceFacts
from lucidex.core.stamp.texts import NO_TEXTS, Texts
from lucidex.core.units import format_date

_FIELD = re.compile(r"\{([^{}\n]{1,40})\}")


@dataclass(frozen=True)
class Filling:
    """What fields can tell of: a picture's texts and facts, how its place is called, and what somebody has typed."""

    texts: Texts = NO_TEXTS
    facts: SourceFacts | None = None
    place: str = ""
    own: Mapping[str, str] = field(default_factory=dict)

    @property
    def values(self) -> dict[str, str]:
        """What each field becomes, by its name; those of the product are filled in by themselves."""
        return {**self.own, **{name: say(self) for name, say in FIELDS.items()}}


def _date(of: Filling) -> str:
    return format_date(of.facts.recorded.taken_at) if of.facts else ""


FIELDS: dict[str, Callable[[Filling], str]] = {
    "caption": lambda of: of.texts.caption,
    "credit": lambda of: of.texts.credit,
    "place": lambda of: of.place,
    "date": _date,
}


def field_name(written: str) -> str:
    """A name as it is compared: `{ Caption }` is `{caption}`."""
    return " ".join(written.split()).casefold()


def fields_of(text: str) -> tuple[str, ...]:
    """The names of the fields in a text, each once, in their order."""
    return tuple(dict.fromkeys(name for written in _FIELD.findall(text) if (name := field_name(written))))


def filled_in(text: str, values: Mapping[str, str]) -> tuple[str, tuple[str, ...]]:
    """A text with its fields filled in, once, and the names of those without a value, which are left out of it.

    >>> filled_in("{caption}, {price}", {"caption": "Seed swap"})
    ('Seed swap', ('price',))
    """
    empty = [name for name in fields_of(text) if not values.get(name, "").strip()]
    lines = []
    for line in text.split("\n"):
        made = _FIELD.sub(lambda found: values.get(field_name(found[1]), "").strip(), line)
        if made != line and any(name in empty for name in fields_of(line)):
            made = re.sub(r"\s{2,}", " ", made).strip(" ,;:·–—-|/")
            if not made:
                continue
        lines.append(made)
    return "\n".join(lines), tuple(empty)
