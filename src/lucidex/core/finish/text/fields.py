"""Fields in words: names in braces, which each picture and place fills in with its own."""

import re
from collections.abc import Mapping

_FIELD = re.compile(r"\{([^{}\n]{1,40})\}")
SHIPPED = ("caption", "credit", "place", "date")


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
