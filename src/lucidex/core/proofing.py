"""What deserves a warning before a picture leaves."""

from dataclasses import dataclass
from enum import StrEnum

from lucidex.core.encode import FormatName
from lucidex.core.geometry import Placement, Rule
from lucidex.core.places import PlaceDemand
from lucidex.core.units import format_number, format_weight

SOFT_FROM = 1.02  # below this an enlargement cannot be seen
_STRETCH_TOLERANCE = 0.01


class FlagKind(StrEnum):
    """Kinds of warnings."""

    ENLARGED = "enlarged"
    STRETCHED = "stretched"
    CLEAR_LOST = "clear areas lost"
    TOO_HEAVY = "too heavy"


@dataclass(frozen=True)
class Flag:
    """A warning: a few words for a narrow seat, and a sentence that explains."""

    kind: FlagKind
    words: str
    sentence: str


def shape_flags(placement: Placement, rule: Rule) -> list[Flag]:
    """Warnings that need no pixels: enlarged, stretched."""
    flags = []
    factor = placement.enlargement
    if factor > SOFT_FROM:
        said = format_number(factor, 1)
        flags.append(
            Flag(
                FlagKind.ENLARGED,
                f"enlarged {said} ×",
                f"The picture is enlarged {said} times here and will look soft.",
            )
        )
    across = placement.drawn.width / placement.window.width
    down = placement.drawn.height / placement.window.height
    if rule is Rule.FILL and abs(across / down - 1) > _STRETCH_TOLERANCE:
        flags.append(Flag(FlagKind.STRETCHED, "stretched", "The picture is stretched: its proportions are not kept."))
    return flags


def clear_flags(has_clear_areas: bool, name: FormatName, ground: str) -> list[Flag]:
    """A warning where clear areas meet a format without them."""
    if not has_clear_areas or name.output.keeps_clear:
        return []
    colour = "white" if ground in {"clear", "#ffffff"} else ground
    return [
        Flag(
            FlagKind.CLEAR_LOST,
            f"clear areas turn {colour}",
            f"{name.label} has no clear areas: they turn {colour}.",
        )
    ]


def weight_flags(byte_count: int, demand: PlaceDemand) -> list[Flag]:
    """A warning where the file exceeds the place's ceiling."""
    if demand.max_bytes is None or byte_count <= demand.max_bytes:
        return []
    over = format_weight(byte_count - demand.max_bytes)
    return [
        Flag(
            FlagKind.TOO_HEAVY,
            f"{over} over",
            f"The file is {over} heavier than the {format_weight(demand.max_bytes)} allowed. "
            "Lower the quality or choose another format.",
        )
    ]
