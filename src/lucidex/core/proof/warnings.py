"""What deserves a warning before a picture leaves."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from lucidex.core.encode import FormatName
from lucidex.core.finish.compositing import Stamp
from lucidex.core.geometry.fit import Placement, Rule
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size, Window
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.proof.statistics import EMPTY_BELOW, PixelStatistics, is_soft
from lucidex.core.units import format_number, format_weight

SOFT_FROM = 1.02  # below this an enlargement cannot be seen
SLIGHTLY_UP_TO = 1.25
_SOFTNESS = (
    (SLIGHTLY_UP_TO, "will look hardly softer."),
    (2.0, "will look soft beside sharp neighbours."),
    (4.0, "will look blurred; look for a larger original."),
    (float("inf"), "will look like a blur of its colours; it needs a larger original."),
)
_STRETCH_TOLERANCE = 0.01
NEAR_EDGE = 0.07  # of the window: a focal point this close to its edge is cut


class FlagKind(StrEnum):
    """Kinds of warnings."""

    ENLARGED = "enlarged"
    STRETCHED = "stretched"
    CLEAR_LOST = "clear areas lost"
    TOO_HEAVY = "too heavy"
    SUBJECT_CUT = "subject cut"
    MOVED = "moved"
    LOGO_ENLARGED = "logo enlarged"
    NEARLY_EMPTY = "nearly empty"
    SOFTER = "softer"
    DAMAGED = "damaged"


@dataclass(frozen=True)
class Flag:
    """A warning: a few words for a narrow seat, and a sentence that explains."""

    kind: FlagKind
    words: str
    sentence: str


def damage_flags(damage: str | None) -> list[Flag]:
    """A warning where the original came in although it is damaged; `damage` says what is missing."""
    return [Flag(FlagKind.DAMAGED, "damaged original", damage)] if damage else []


def shape_flags(placement: Placement, rule: Rule) -> list[Flag]:
    """Warnings that need no pixels: enlarged, stretched."""
    flags = []
    factor = placement.enlargement
    if factor > SOFT_FROM:
        flags.append(_enlarged(factor))
    across = placement.drawn.width / placement.window.width
    down = placement.drawn.height / placement.window.height
    if rule is Rule.FILL and abs(across / down - 1) > _STRETCH_TOLERANCE:
        flags.append(Flag(FlagKind.STRETCHED, "stretched", "The picture is stretched: its proportions are not kept."))
    return flags


def _enlarged(factor: float) -> Flag:
    """An honest word by factor; the steps follow the likeness measured in `bench/methods.py`."""
    message = format_number(factor, 2 if factor < SLIGHTLY_UP_TO else 1)
    effect = next(words for most, words in _SOFTNESS if factor <= most)
    return Flag(
        FlagKind.ENLARGED, f"enlarged {message} ×", f"The picture is enlarged {message} times here and {effect}"
    )


def framing_flags(
    geometry: PictureGeometry, window: Window, focal: Point | None, is_chosen: bool, was_framed: bool
) -> list[Flag]:
    """Warnings about what a place shows: moved with the picture, or cut through (or past) the focal point.

    `focal` is in content coordinates. A framing that somebody chose on the picture as it is deserves none.
    """
    if is_chosen:
        return []
    if was_framed:
        return [
            Flag(
                FlagKind.MOVED,
                "moved with the picture",
                "The picture's shape changed after this place was framed; look whether it still fits.",
            )
        ]
    if focal is None:
        return []
    spot = geometry.to_picture(focal)
    near = min(
        (spot.x - window.left) / window.width,
        1 - (spot.x - window.left) / window.width,
        (spot.y - window.top) / window.height,
        1 - (spot.y - window.top) / window.height,
    )
    if near >= NEAR_EDGE:
        return []
    words = "focal point outside" if near < 0 else "focal point at the edge"
    return [Flag(FlagKind.SUBJECT_CUT, words, "What should stay in view is cut by this framing; move it.")]


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


def logo_flags(stamps: Sequence[Stamp], files: Mapping[str, Size]) -> list[Flag]:
    """A warning where a logo has fewer pixels than it fills; `files` are the sizes of the logos' files."""
    factors = [stamp.box.size.longest / files[stamp.logo_sha256].longest for stamp in stamps]
    if not factors or max(factors) <= SOFT_FROM:
        return []
    message = format_number(max(factors), 1)
    sentence = f"The logo's file has too few pixels: it is enlarged {message} times here. Bring in a larger one."
    return [Flag(FlagKind.LOGO_ENLARGED, f"logo enlarged {message} ×", sentence)]


def statistics_flags(statistics: PixelStatistics, neighbours: list[float]) -> list[Flag]:
    """Warnings about finished pixels: almost nothing in them, or much softer than the others of the same place."""
    if statistics.busy_share < EMPTY_BELOW:
        sentence = (
            "There is hardly anything to be seen in this part of the picture; look whether it is the right one."
        )
        return [Flag(FlagKind.NEARLY_EMPTY, "nearly empty", sentence)]
    if not is_soft(statistics.fineness, neighbours):
        return []
    sentence = "It has much less fine detail than the other pictures in this place; it may look blurred beside them."
    return [Flag(FlagKind.SOFTER, "softer than the others", sentence)]


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
