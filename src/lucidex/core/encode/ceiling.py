"""A file under a ceiling of weight: the best setting that keeps it, found by encoding and not by guessing.

The logarithm of a file's weight is nearly straight over that of its quantisation, so a secant through the two nearest
weights, held inside a bracket of what fits and what does not, ends after three to four encodes (false position: W. H.
Press and others, Numerical Recipes, 1992). How colour is sampled is kept the same, or the weight would jump.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

MAX_ENCODES = 6
NEAR_ENOUGH = 0.97  # of the ceiling: nearer is not worth another encode
AIM = 0.985
MIN_QUALITY, MAX_QUALITY = 1, 95  # above it files grow and nothing more is seen
LOWER_EACH_TIME = 0.06
USUAL_SLOPE = 0.7  # of the logarithm of the weight, over the logarithm of how fine it is quantised


@dataclass(frozen=True)
class Weighed:
    """The file that was chosen, its quality, and how many encodes it took; too heavy where no setting fits."""

    content: bytes
    quality: int
    encodes: int
    fits: bool


def best_under(max_bytes: int, start: int, encode_at: Callable[[int], bytes]) -> Weighed:
    """The heaviest file that keeps a ceiling, or the lightest there is where none does.

    `start` is the quality to begin with, 1 to 95; `encode_at` gives the bytes for a quality. Takes at most six
    encodes: what is returned is within 3 % of the ceiling, or the next setting would exceed it, or it is the best of
    six. Where all of them exceed it, the last encode is the one of the lowest quality.
    """
    search = _Search(max_bytes, encode_at)
    quality = min(max(start, MIN_QUALITY), MAX_QUALITY)
    while True:
        search.try_quality(quality)
        following = search.next_quality()
        if following is None:
            return search.best()
        quality = following


def _fineness(quality: float) -> float:
    """The logarithm of how fine the quantisation is, on JPEG's customary scale (T. Lane's 5000 ÷ q and 200 − 2 q)."""
    return -math.log(50 / quality if quality < 50 else (100 - quality) / 50)


def _quality_at(fineness: float) -> float:
    """The quality of a fineness."""
    scale = math.exp(-fineness)
    return 50 / scale if scale > 1 else 100 - 50 * scale


class _Search:
    def __init__(self, max_bytes: int, encode_at: Callable[[int], bytes]) -> None:
        self._max_bytes, self._encode_at = max_bytes, encode_at
        self._weights: dict[int, int] = {}
        self._fitting: tuple[int, bytes] | None = None
        self._lightest: tuple[int, bytes] | None = None

    def try_quality(self, quality: int) -> None:
        content = self._encode_at(quality)
        self._weights[quality] = len(content)
        if len(content) <= self._max_bytes and (self._fitting is None or quality > self._fitting[0]):
            self._fitting = (quality, content)
        if self._lightest is None or len(content) < len(self._lightest[1]):
            self._lightest = (quality, content)

    def next_quality(self) -> int | None:
        """Where to look next; None where the search is over."""
        low = self._fitting[0] if self._fitting else MIN_QUALITY - 1
        over = [quality for quality, weight in self._weights.items() if weight > self._max_bytes and quality > low]
        high = min(over, default=MAX_QUALITY + 1)
        near = self._fitting is not None and len(self._fitting[1]) >= NEAR_ENOUGH * self._max_bytes
        if near or high - low <= 1 or len(self._weights) >= MAX_ENCODES:
            return None
        if self._fitting is None and len(self._weights) == MAX_ENCODES - 1:
            return MIN_QUALITY
        return min(max(self._aimed(low, high), low + 1), high - 1)

    def _aimed(self, low: int, high: int) -> int:
        """Where the straight line through the two nearest weights meets the ceiling."""
        known = sorted(self._weights)
        below, above = [q for q in known if q <= low], [q for q in known if q >= high]
        pair = (below[-1:] + above[:1]) if below and above else (known[:2] if above else known[-2:])
        near = pair[-1] if below and not above else pair[0]
        # as long as nothing fits, each look aims lower, so that the last one is not needed for the lowest setting
        aim = AIM if self._fitting else AIM - LOWER_EACH_TIME * (len(self._weights) - 1)
        wanted = math.log(aim * self._max_bytes / self._weights[near])
        return math.floor(_quality_at(_fineness(near) + wanted / self._slope(pair)))

    def _slope(self, pair: list[int]) -> float:
        if len(pair) < 2:
            return USUAL_SLOPE
        run = _fineness(pair[1]) - _fineness(pair[0])
        return max(math.log(self._weights[pair[1]] / self._weights[pair[0]]) / run, USUAL_SLOPE / 5)

    def best(self) -> Weighed:
        found = self._fitting or self._lightest
        assert found is not None  # noqa: S101
        return Weighed(found[1], found[0], len(self._weights), self._fitting is not None)
