"""Amounts typed with the words of a step: `exposure +0,5`, `contrast 20 %`, `+10 brightness`."""

import re
from collections.abc import Mapping

from annotated_types import Ge, Le
from pydantic.fields import FieldInfo

from lucidex.core.units import parse_decimal

_NUMBER = r"([+-]?\d{1,4}(?:[.,]\d{1,3})?)(?: %)?"
_WORDS = r"((?:[^\W\d_]+ ){0,3}[^\W\d_]+?)"
_WORDS_FIRST = re.compile(rf"{_WORDS}(?: by| to)? {_NUMBER}")
_MORE = frozenset({"more", "increase", "raise", "boost", "add", "up", "plus", "higher"})
_LESS = frozenset({"less", "decrease", "reduce", "lower", "down", "minus"})
_NUMBER_FIRST = re.compile(rf"{_NUMBER} {_WORDS}")


def typed_amount(text: str, amounts: Mapping[str, str]) -> dict[str, float] | None:
    """The parameter and its value that words with a number mean, or None where they mean something else.

    `amounts` names the parameter of each word; with a minus before it, it is meant the other way round.

    >>> typed_amount("reduce contrast by 20 %", {"contrast": "contrast_percent"})
    {'contrast_percent': -20.0}
    """
    if (match := _WORDS_FIRST.fullmatch(text)) is not None:
        words, number = match[1], match[2]
    elif (match := _NUMBER_FIRST.fullmatch(text)) is not None:
        number, words = match[1], match[2]
    else:
        return None
    sign, words = 1, words.removesuffix(" by").removesuffix(" to")
    if words not in amounts:
        sign, words = _direction(words)
    field = amounts.get(words)
    if field is None:
        return None
    amount = float(parse_decimal(number)) * sign
    return {field.removeprefix("-"): -amount if field.startswith("-") else amount}


def within_limits(field: FieldInfo, value: float) -> float:
    """A value held within what a parameter allows."""
    least = max((float(limit.ge) for limit in field.metadata if isinstance(limit, Ge)), default=value)  # type: ignore[arg-type]
    most = min((float(limit.le) for limit in field.metadata if isinstance(limit, Le)), default=value)  # type: ignore[arg-type]
    return round(min(max(value, least), most), 3)


def _direction(words: str) -> tuple[int, str]:
    """Which way words ask for more of something, and of what: `reduce contrast` and `contrast down` ask for less."""
    first, _, rest = words.partition(" ")
    if rest and first in _MORE | _LESS:
        return (1 if first in _MORE else -1), rest
    before, _, last = words.rpartition(" ")
    if before and last in _MORE | _LESS:
        return (1 if last in _MORE else -1), before
    return 1, words
