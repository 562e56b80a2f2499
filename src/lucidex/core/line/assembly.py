"""Pieces of meaning put together to deeds: which size a format belongs to, what a length is in pixels."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

from pydantic import ValidationError

from lucidex.core.encode import FormatName
from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.geometry.fit import Rule
from lucidex.core.line.deeds import AddStep, Deed, HangPlace, Obey, ReadDemand, UseName, Wishes, Write
from lucidex.core.line.parts import (
    CommandPart,
    DegreePart,
    FillPart,
    FormatPart,
    NamePart,
    NeedPart,
    Part,
    SheetTurnPart,
    SizePart,
    StepPart,
    UnknownPart,
    WishPart,
)
from lucidex.core.places.demand import explain_limits
from lucidex.core.units import LengthUnit, format_number

MAX_DEEDS = 12
UNDIVIDED = 0.9  # two things with nothing between them
USUAL_RESOLUTIONS = (300, 150)
PRINTED = 1.4  # so much likelier are centimetres or inches where a resolution is typed

_Thing = SizePart | NamePart


class NotTogetherError(NotUnderstoodError):
    """Two pieces stand side by side of which it is not clear that they are two things: their numbers."""

    def __init__(self, first: int, second: int) -> None:
        super().__init__(
            "It is not clear what belongs together. Put a comma between two things, or say what the number is."
        )
        self.first, self.second = first, second


Model = TypeVar("Model", bound=Wishes)


@dataclass(frozen=True)
class Assembled:
    """Deeds, what speaks against them being meant together, and whether steps stand beside others undivided."""

    deeds: tuple[Deed, ...]
    extra: float
    is_loose: bool


def assembled(parts: Sequence[Part]) -> Assembled:
    """The deeds of some pieces, in their order.

    Raises NotUnderstoodError or OutOfRangeError where they cannot be done, or clash; NotTogetherError where two of
    them stand side by side that may be one thing.
    """
    for at, part in enumerate(parts):
        beside = [parts[one] for one in (_beside(parts, at, -1), _beside(parts, at, +1)) if one is not None]
        if isinstance(part, FillPart) and part.is_hint and not any(isinstance(one, SizePart) for one in beside):
            raise NotUnderstoodError("What it is for is said, and no size.")
        if isinstance(part, WishPart) and part.needs_size and not any(isinstance(one, SizePart) for one in parts):
            raise NotUnderstoodError("A resolution is said, and no size.")
    things: list[tuple[_Thing, dict[str, object]]] = []
    loose: dict[str, object] = {}
    deeds: list[Deed | int] = []
    extra, divided, vague, group = 0.0, True, False, 0
    waiting: dict[str, object] = {}
    before_at, is_loose = 0, False
    for at, part in enumerate(parts):
        if isinstance(part, SheetTurnPart):
            raise NotUnderstoodError("It is said how a sheet lies, and no sheet.")
        if isinstance(part, FillPart | UnknownPart | NeedPart):
            divided = divided or (isinstance(part, FillPart) and part.divides)
            if isinstance(part, FillPart) and part.divides:
                group = len(things)
            continue
        if isinstance(part, WishPart | FormatPart):
            # a wish belongs to the size before it, else to the one that follows; behind a comma, to all before it
            targets = things[group:] or (things if not waiting and things else [])
            for _, said in targets:
                _add(said, part)
            if not targets:
                _add(waiting, part)
            continue
        if not divided and (_is_vague(part) or vague):
            raise NotTogetherError(before_at, at)
        extra += 0 if divided else UNDIVIDED
        vague, before_at = _is_vague(part), at
        if isinstance(part, SizePart | NamePart):
            said = dict(part.says) if isinstance(part, SizePart) else {}
            for name, value in waiting.items():
                _put(said, name, value)
            waiting = {}
            is_loose = is_loose or (not divided and isinstance(deeds[-1], AddStep))
            deeds.append(len(things))
            things.append((part, said))
        elif isinstance(part, StepPart):
            before = deeds[-1] if deeds else None
            # “portrait 4:5” says one thing twice; “turn left, turn left” two things
            if divided or not (isinstance(before, AddStep) and before.step == part.step):
                is_loose = is_loose or not divided
                deeds.append(AddStep(part.step, part.offered))
        elif isinstance(part, CommandPart):
            deeds.append(Obey(part.command))
        divided = False
    printed = sum(
        "usual_resolution" in part.says and "pixels_per_inch" in said
        for part, said in things
        if isinstance(part, SizePart)
    )
    extra -= PRINTED * printed
    loose = waiting
    made: list[Deed] = [_thing(*things[deed]) if isinstance(deed, int) else deed for deed in deeds]
    if loose:
        made.append(Write(_checked(Wishes, _tidied(loose))))
        extra += 0.8 if "ground" in loose else 0.0  # it says little about room, and may be meant as a step
    if len(made) > MAX_DEEDS:
        raise OutOfRangeError(f"At most {MAX_DEEDS} sizes or steps at once; these are {len(made)}.")
    if sum(isinstance(deed, Obey) for deed in made) and len(made) > 1:
        extra += 1.0
    return Assembled(tuple(made), extra, is_loose)


def turned(parts: Sequence[Part]) -> tuple[Part, ...]:
    """The pieces with sheets of paper lying or standing as the line says."""
    turn = next((part for part in parts if isinstance(part, SheetTurnPart)), None)
    if turn is None or not any(isinstance(part, SizePart) and part.is_sheet for part in parts):
        return tuple(parts)
    found: list[Part] = []
    for part in parts:
        if isinstance(part, SizePart) and part.is_sheet:
            numbers = sorted(part.numbers, key=lambda one: one.amount, reverse=turn.is_landscape)
            found.append(replace(part, numbers=tuple(numbers)))
        else:
            found.append(FillPart() if part is turn else part)
    return tuple(found)


def by_degrees(parts: Sequence[Part]) -> tuple[Part, ...]:
    """The pieces with steps as strong as the words beside them say; words that can say nothing there are unknown.

    A degree belongs to the step behind it, else to the one before it: slightly lighter, lighter a bit. Where
    something is asked back it may stand: much smaller.
    """
    left = list(parts)
    for at, part in enumerate(parts):
        if not isinstance(part, DegreePart):
            continue
        beside = [_beside(parts, at, +1), _beside(parts, at, -1)]
        step_at = next((one for one in beside if one is not None and isinstance(left[one], StepPart)), None)
        meant = left[step_at] if step_at is not None else None
        scaled = meant.step.by_degree(part.factor) if isinstance(meant, StepPart) else None
        asks = any(one is not None and isinstance(parts[one], NeedPart) for one in beside)
        left[at] = FillPart() if scaled is not None or asks else UnknownPart(part.words)
        if scaled is not None and step_at is not None:
            left[step_at] = StepPart(scaled)
    return tuple(left)


def _beside(parts: Sequence[Part], at: int, way: int) -> int | None:
    """The next piece that says something, before or behind; None across a divider."""
    at += way
    while 0 <= at < len(parts):
        part = parts[at]
        if not isinstance(part, FillPart | DegreePart):
            return at
        if isinstance(part, FillPart) and part.divides:
            return None
        at += way
    return None


def needed_resolution(parts: Sequence[Part]) -> NeedPart | None:
    """What is missing where a length in centimetres or inches has no resolution."""
    lengths = [
        part
        for part in parts
        if isinstance(part, SizePart) and part.needs_resolution and "usual_resolution" not in part.says
    ]
    if not lengths or any(isinstance(part, WishPart) and "pixels_per_inch" in part.says for part in parts):
        return None
    size = lengths[0]
    typed = " x ".join(format_number(float(one.amount), 3) for one in size.numbers) + f" {size.unit}"
    name = {"width": " wide", "height": " high", "longest": " longest edge", "shortest": " shortest edge"}
    typed += name.get(str(size.measure.model_fields["by"].default), "")
    verb = "need" if len(size.numbers) > 1 else "needs"
    return NeedPart(f"{typed} {verb} a resolution.", tuple(f"{typed} at {one} dpi" for one in USUAL_RESOLUTIONS))


def _is_vague(part: Part) -> bool:
    """Whether it means what it means only alone, or behind a comma: a bare number, a word of some name, a command."""
    if isinstance(part, CommandPart):
        return True
    return (isinstance(part, SizePart) and part.is_bare) or (isinstance(part, NamePart) and part.is_guess)


def _add(said: dict[str, object], part: WishPart | FormatPart) -> None:
    if isinstance(part, WishPart):
        for name, value in part.says.items():
            _put(said, name, value)
        return
    if part.quality is not None:
        _put(said, "quality", part.quality)
    formats = said.setdefault("formats", [])
    assert isinstance(formats, list)  # noqa: S101
    if part.name not in formats:
        formats.append(part.name)
    if part.is_further and len(formats) == 1:
        said["is_further"] = True


def _put(said: dict[str, object], name: str, value: object) -> None:
    if name in said and said[name] != value and name != "formats":
        raise NotUnderstoodError(f"Two different values were typed for the same thing ({name.replace('_', ' ')}).")
    said[name] = value


def _thing(part: _Thing, said: Mapping[str, object]) -> Deed:
    if isinstance(part, NamePart):
        return UseName(part.name, part.is_guess, _checked(Wishes, _tidied(said)))
    resolution = said.get("pixels_per_inch", said.get("usual_resolution"))
    said = {**said, "pixels_per_inch": resolution}
    if part.needs_resolution and resolution is None:
        raise NotUnderstoodError(needed_resolution([part]).sentence)  # type: ignore[union-attr]
    values = part.values(resolution if isinstance(resolution, float) else None)
    unit = part.unit if part.unit is not LengthUnit.PX else None
    return HangPlace(_checked(ReadDemand, {**_tidied(said), "measure": values, "unit": unit}), part.is_change)


def _tidied(said: Mapping[str, object]) -> dict[str, object]:
    """Formats as the first and further ones; room is asked for where its colour is."""
    found = {name: value for name, value in said.items() if name not in {"formats", "is_further", "usual_resolution"}}
    formats = said.get("formats")
    if isinstance(formats, list):
        names: list[FormatName] = formats
        if said.get("is_further"):
            found["also"] = tuple(names)
        else:
            found["format"], found["also"] = names[0], tuple(names[1:]) or None
    if "ground" in found and "rule" not in found:
        found["rule"] = Rule.CONTAIN
    return found


def _checked(model: type[Model], values: dict[str, object]) -> Model:
    try:
        return model.model_validate(values)
    except ValidationError as error:
        raise OutOfRangeError(explain_limits(error)) from error
