"""The plain form of a step, from what the step declares: amounts, choices and colours, each with its sentence."""

from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cache
from typing import Any

from lucidex.core.steps.base import PreviewClass, Sentence, Step, Value
from lucidex.core.steps.curve import can_become_curve, can_become_levels

_STOPS = ".,;:"
_UNITS = (("_percent", ", %"), ("_px", ", px"), ("_degrees", ", degrees"))
_NOT_SHOWN = {
    "kind",
    "automatic",
    "found",
    "surface",
    "recipe",
    "begins_as",
    "faces",
    "doubtful",
    "text",
    "empty_fields",
    "marks",
}
COARSE_FROM, MIDDLING_FROM = 50, 5  # spans: above them an amount moves by 1 and by a tenth, below by a twentieth


class FieldKind(StrEnum):
    """What a parameter is set with."""

    AMOUNT = "amount"
    CHOICE = "choice"
    YES = "yes"
    COLOUR = "colour"
    GROUND = "ground"


@dataclass(frozen=True)
class StepField:
    """One parameter of a step. `rest` is its value at rest, where a double click leads back to."""

    name: str
    kind: FieldKind
    words: str
    sentence: str
    value: Any
    rest: Any = None
    least: float = 0
    most: float = 0
    fine: float = 1
    choices: tuple[str, ...] = ()


# fields that say something only where another one has a value
_ONLY_WITH: dict[str, tuple[tuple[str, set[object]], ...]] = {
    "colour": (("hidden", {"covered"}), ("ink", {"a colour of its own"})),
    "width_percent": (("width_px", {0}),),  # of a border
    "strength": (("hidden", {"softened", "coarsened"}),),
    "direction_degrees": (("softness", {"motion"}),),
    "radius_percent": (("outline", {"rounded"}),),
    "lean_degrees": (("outline", {"slanted"}),),
    "behind_strength": (("behind", {"a plate", "a soft shade", "an outline"}),),
}


def shown_field(step: Step, name: str) -> bool:
    """Whether a field of a step says something as its others are."""
    asked = ((other, values) for other, values in _ONLY_WITH.get(name, ()) if other in type(step).model_fields)
    return all(getattr(step, other) in values for other, values in asked)


def form_fields(step: Step) -> list[StepField]:
    """The parameters that the plain form shows, in the order in which the step declares them."""
    schema = _schema(type(step))
    shown = {name: one for name, one in schema["properties"].items() if name not in _NOT_SHOWN}
    found = (_field(step, name, one, schema.get("$defs", {})) for name, one in shown.items())
    return [field for field in found if field is not None]


@cache
def _schema(kind: type[Step]) -> dict[str, Any]:
    """What a kind of step declares; it is looked at and never changed."""
    return kind.model_json_schema()


def amount(step: Step, name: str) -> StepField:
    """One amount of a step."""
    return next(field for field in form_fields(step) if field.name == name)


def _field(step: Step, name: str, declared: dict[str, Any], kinds: dict[str, Any]) -> StepField | None:
    value, rest = getattr(step, name), declared.get("default")
    words, sentence = _words(name, declared), declared.get("description", "")
    if "enum" in kinds.get(declared.get("$ref", "").split("/")[-1], {}):
        choices = tuple(kinds[declared["$ref"].split("/")[-1]]["enum"])
        return StepField(name, FieldKind.CHOICE, words, sentence, value, rest, choices=choices)
    if declared.get("pattern", "").startswith("^(clear"):
        return StepField(name, FieldKind.GROUND, words, sentence, value, rest)
    if declared.get("type") == "boolean":
        return StepField(name, FieldKind.YES, words, sentence, value, rest)
    if declared.get("type") in {"number", "integer"}:
        least, most = declared["minimum"], declared["maximum"]
        return StepField(name, FieldKind.AMOUNT, words, sentence, value, rest, least, most, _fine(most - least))
    if "#[0-9a-f]{6}" in declared.get("pattern", ""):
        return StepField(name, FieldKind.COLOUR, words, "", value, rest)
    return None


def _words(name: str, declared: dict[str, Any]) -> str:
    """The title where a step gives one, else the parameter's name in words."""
    if (title := declared.get("title", "")) and title != name.replace("_", " ").title():
        return str(title)
    for ending, words in _UNITS:
        if name.endswith(ending):
            name = name.removesuffix(ending) + words
    return name.replace("_", " ").capitalize()


def _fine(span: float) -> float:
    return 1 if span >= COARSE_FROM else 0.1 if span >= MIDDLING_FROM else 0.05


@dataclass(frozen=True)
class Piece:
    """A piece of a sentence: words, or the value of a `field` with the stop that must stay on its line."""

    text: str
    field: str = ""
    stop: str = ""


def pieces(sentence: Sentence) -> list[Piece]:
    """A sentence in pieces; a stop or comma right behind a value belongs to it.

    >>> from lucidex.core.steps.base import Words
    >>> [(one.text, one.stop) for one in pieces((Words("Turned "), Value("by", "left"), Words(", twice.")))]
    [('Turned ', ''), ('left', ','), (' twice.', '')]
    """
    found: list[Piece] = []
    for part in sentence:
        if isinstance(part, Value):
            found.append(Piece(part.text, part.field))
            continue
        rest = part.text
        if found and found[-1].field:
            rest = part.text.lstrip(_STOPS)
            found[-1] = replace(found[-1], stop=part.text[: len(part.text) - len(rest)])
        if rest:
            found.append(Piece(rest))
    return found


def carries_on_as(step: Step) -> list[tuple[str, str]]:
    """How a simple correction can be carried on: value and words."""
    ways = [("levels", "as levels", can_become_levels(step)), ("curve", "as a curve", can_become_curve(step))]
    return [(value, words) for value, words, can in ways if can]


def judged_at_full_size(steps: tuple[Step, ...]) -> list[str]:
    """The kinds of steps whose reduced preview promises nothing, in words."""
    kinds = (step.kind.replace("_", " ") for step in steps)
    finished = (step.preview_class is PreviewClass.FINISHED for step in steps)
    return list(dict.fromkeys(kind for kind, is_so in zip(kinds, finished, strict=True) if is_so))
