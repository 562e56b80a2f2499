"""What every warning declares, and what it can look at."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from pydantic import JsonValue

from lucidex.core.encode import FormatName
from lucidex.core.finish.assets import NO_ASSETS, Assets
from lucidex.core.finish.canvas import Given
from lucidex.core.framing.subject import Subject
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.proof.looks import Look
from lucidex.core.proof.statistics import PixelStatistics


class WayOut(StrEnum):
    """What can be done about a warning; each has its button on the sheet."""

    FRAME = "frame it"
    ACCEPT = "it is right"
    WRITE_OTHERWISE = "ways out"
    LEAVE_OUT = "leave it out"
    PLATE = "on a plate"
    OTHER_COLOUR = "other colour"


class Framed(StrEnum):
    """How the part that a place shows came about."""

    BY_PLACE = "by the place"
    BY_ITSELF = "by itself"
    WHOLE = "whole, by itself"
    MOVED = "by somebody, before the picture's shape changed"
    CHOSEN = "by somebody"


@dataclass(frozen=True)
class Case:
    """All that is known of a picture in a place: numbers first; the file's weight and statistics once it is made.

    `bits` are those of the original, `depth` those of the file; `neighbours` is how fine the other pictures of the
    place are (`proof.statistics`), `frames` counts those of a moving picture.
    """

    placement: Placement
    demand: PlaceDemand
    format: FormatName
    has_clear_areas: bool = False
    damage: str | None = None
    geometry: PictureGeometry | None = None
    focal_point: Point | None = None
    subject: Subject | None = None
    framed: Framed | None = None
    finish: tuple[Given, ...] = ()
    assets: Assets = NO_ASSETS
    byte_count: int | None = None
    statistics: PixelStatistics | None = None
    neighbours: tuple[float, ...] = ()
    hides_weakly: bool = False
    waits_for_hint: bool = False
    carries_texts: bool = False
    frames: int = 1
    bits: int = 8
    depth: int = 8

    def saw(self, look: Look) -> JsonValue:
        """What a look has measured on the finished pixels; None before they are there."""
        return self.statistics.saw(look) if self.statistics else None


@dataclass(frozen=True)
class Found:
    """A few words for a narrow seat, and a sentence that explains."""

    words: str
    sentence: str


@dataclass(frozen=True)
class Flag:
    """A warning about one picture in one place."""

    kind: str
    words: str
    sentence: str
    reason: str
    ways_out: tuple[WayOut, ...] = ()


@dataclass(frozen=True)
class ProofWarning:
    """One kind of warning: what it looks for, why that matters, and what can be done.

    `unless` names kinds that say the same already. `find` answers None where all is well, or where what it looks at
    is not known yet. What it measures on finished pixels it declares as `look`, and asks for by `case.saw(LOOK)`.
    """

    kind: str
    reason: str
    find: Callable[[Case], Found | None]
    ways_out: tuple[WayOut, ...] = ()
    unless: frozenset[str] = frozenset()
    look: Look | None = None
