"""A file under a ceiling of weight: the best setting that keeps it, found by encoding and not by guessing.

The logarithm of a file's weight is nearly straight over that of its quantisation, so a secant through the two nearest
weights, held inside a bracket of what fits and what does not, ends after three to four encodes (false position: W. H.
Press and others, Numerical Recipes, 1992). Settings that give the same file are tried once: a format names those that
differ.
"""

import math
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass

MAX_ENCODES = 6
NEAR_ENOUGH = 0.97  # of the ceiling: nearer is not worth another encode
AIM = 0.985
LOWER_EACH_TIME = 0.06
USUAL_SLOPE = 0.7  # of the logarithm of the weight, over the logarithm of how fine it is quantised
ALL_QUALITIES = tuple(range(1, 101))


@dataclass(frozen=True)
class Weighed:
    """The file that was chosen, its quality, and how many encodes it took; too heavy where no setting fits."""

    content: bytes
    quality: int
    encodes: int
    fits: bool


def best_under(
    max_bytes: int,
    start: int,
    encode_at: Callable[[int], bytes],
    qualities: Sequence[int] = ALL_QUALITIES,
    most: int = MAX_ENCODES,
) -> Weighed:
    """The heaviest file that keeps a ceiling, or the lightest there is where none does.

    `start` is the quality to begin with, `qualities` are those that give different files, ascending, of 1 to 100;
    `encode_at` gives the bytes for one. Takes at most `most` encodes: what is returned is within 3 % of the ceiling,
    or the next setting would exceed it, or it is the best of so many. Where all of them exceed it, the last encode is
    the one of the lowest quality.
    """
    search = _Search(max_bytes, encode_at, qualities, most)
    index = min(bisect_left(qualities, start), len(qualities) - 1)
    while True:
        search.try_setting(index)
        following = search.next_setting()
        if following is None:
            return search.best()
        index = following


def fineness(quality: float) -> float:
    """The logarithm of how fine the quantisation is, on JPEG's customary scale (T. Lane's 5000 ÷ q and 200 − 2 q)."""
    return -math.log(50 / quality if quality < 50 else (100.5 - quality) / 50.5)


def quality_at(fine: float) -> float:
    """The quality of a fineness."""
    scale = math.exp(-fine)
    return 50 / scale if scale > 1 else 100.5 - 50.5 * scale


class _Search:
    """What was weighed so far. Settings are places in the list of qualities."""

    def __init__(
        self, max_bytes: int, encode_at: Callable[[int], bytes], qualities: Sequence[int], most: int
    ) -> None:
        self._max_bytes, self._encode_at, self._qualities, self._most = max_bytes, encode_at, qualities, most
        self._weights: dict[int, int] = {}
        self._fitting: tuple[int, bytes] | None = None
        self._lightest: tuple[int, bytes] | None = None

    def try_setting(self, setting: int) -> None:
        content = self._encode_at(self._qualities[setting])
        self._weights[setting] = len(content)
        if len(content) <= self._max_bytes and (self._fitting is None or setting > self._fitting[0]):
            self._fitting = (setting, content)
        if self._lightest is None or len(content) < len(self._lightest[1]):
            self._lightest = (setting, content)

    def next_setting(self) -> int | None:
        """Where to look next; None where the search is over."""
        low = self._fitting[0] if self._fitting else -1
        over = [setting for setting, weight in self._weights.items() if weight > self._max_bytes and setting > low]
        high = min(over, default=len(self._qualities))
        near = self._fitting is not None and len(self._fitting[1]) >= NEAR_ENOUGH * self._max_bytes
        if near or high - low <= 1 or len(self._weights) >= self._most:
            return None
        if self._fitting is None and len(self._weights) == self._most - 1:
            return 0
        return min(max(self._aimed(low, high), low + 1), high - 1)

    def _aimed(self, low: int, high: int) -> int:
        """Where the straight line through the two nearest weights meets the ceiling."""
        known = sorted(self._weights)
        below, above = [s for s in known if s <= low], [s for s in known if s >= high]
        pair = (below[-1:] + above[:1]) if below and above else (known[:2] if above else known[-2:])
        if len(pair) == 2 and self._weights[pair[0]] == self._weights[pair[1]]:
            return (low + high) // 2  # the same file: there is no line
        near = pair[-1] if below and not above else pair[0]
        # as long as nothing fits, each look aims lower, so that the last one is not needed for the lowest setting
        aim = AIM if self._fitting else AIM - LOWER_EACH_TIME * (len(self._weights) - 1)
        wanted = math.log(aim * self._max_bytes / self._weights[near])
        there = quality_at(self._fineness(near) + wanted / self._slope(pair))
        return bisect_right(self._qualities, there) - 1

    def _slope(self, pair: list[int]) -> float:
        if len(pair) < 2:
            return USUAL_SLOPE
        run = self._fineness(pair[1]) - self._fineness(pair[0])
        return max(math.log(self._weights[pair[1]] / self._weights[pair[0]]) / run, USUAL_SLOPE / 5)

    def _fineness(self, setting: int) -> float:
        return fineness(self._qualities[setting])

    def best(self) -> Weighed:
        found = self._fitting or self._lightest
        assert found is not None  # noqa: S101
        return Weighed(found[1], self._qualities[found[0]], len(self._weights), self._fitting is not None)
