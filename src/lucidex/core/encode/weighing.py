"""Weight against likeness: measured points of a format's curve, what is read off it, and searches along it."""

import math
from bisect import bisect_left
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from lucidex.core.encode import FormatName
from lucidex.core.encode.ceiling import MAX_ENCODES
from lucidex.core.encode.likeness import LOOKS_THE_SAME, likeness_words

NEAR_ENOUGH = 1.0  # of likeness: nearer to what is wanted is not worth another encode


@dataclass(frozen=True)
class Point:
    """A file that was made: its format and quality, what it weighs in bytes, and its likeness, 0 to 100."""

    format: FormatName
    quality: int
    byte_count: int
    likeness: float

    @property
    def words(self) -> str:
        """How it looks, in words; a file without loss says so."""
        return "no loss" if self.is_exact else likeness_words(self.likeness)

    @property
    def is_exact(self) -> bool:
        """Whether it is without loss."""
        return self.quality == self.format.output.exact_quality


def where_less_shows(points: Iterable[Point], wanted: float = LOOKS_THE_SAME) -> tuple[float, float] | None:
    """Where a curve comes down to a likeness: the bytes, read off between two points, and that likeness.

    None where the points lie all on one side of it. Likeness is taken as straight over the logarithm of the weight.
    """
    curve = sorted(points, key=lambda one: one.byte_count)
    for below, above in pairwise(curve):
        if below.likeness < wanted <= above.likeness:
            share = (wanted - below.likeness) / (above.likeness - below.likeness)
            return math.exp(
                math.log(below.byte_count) + share * math.log(above.byte_count / below.byte_count)
            ), wanted
    return None


def lightest_alike(
    wanted: float,
    measure_at: Callable[[int], Point],
    qualities: Sequence[int],
    known: Iterable[Point] = (),
) -> Point | None:
    """The lightest file that is at least so alike; None where no quality is.

    `known` are points that were measured already, so that the search begins between them. Takes at most six encodes
    beyond those; what is returned is within a point of what was wanted, or the next quality below is less alike than
    that, or it is the lightest of those that were measured.
    """
    measured = {point.quality: point for point in known if point.quality in qualities}
    for _ in range(MAX_ENCODES):
        alike = [point for point in measured.values() if point.likeness >= wanted]
        best = min(alike, key=lambda point: point.quality, default=None)
        low = max((point.quality for point in measured.values() if _is_below(point, best, wanted)), default=None)
        if best is not None and best.likeness - wanted <= NEAR_ENOUGH:
            return best
        following = _between(low, best, measured, qualities, wanted)
        if following is None:
            return best
        measured[following] = measure_at(following)
    return min(
        (point for point in measured.values() if point.likeness >= wanted),
        key=lambda point: point.byte_count,
        default=None,
    )


def _is_below(point: Point, best: Point | None, wanted: float) -> bool:
    return point.likeness < wanted and (best is None or point.quality < best.quality)


def _between(
    low: int | None, best: Point | None, measured: dict[int, Point], qualities: Sequence[int], wanted: float
) -> int | None:
    """The next quality to try: where the straight line between two points meets what is wanted."""
    bottom = -1 if low is None else qualities.index(low)
    top = len(qualities) if best is None else qualities.index(best.quality)
    if top - bottom <= 1:
        return None
    if low is None or best is None:
        # nothing on one side yet: half of the way to that end
        return qualities[(bottom + top) // 2]
    under = measured[low]
    share = (wanted + NEAR_ENOUGH / 2 - under.likeness) / (best.likeness - under.likeness)
    aimed = low + share * (best.quality - low)
    return qualities[min(max(bisect_left(qualities, aimed), bottom + 1), top - 1)]
