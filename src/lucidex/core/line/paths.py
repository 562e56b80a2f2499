"""The best ways to cover a line with pieces of meaning.

A line is a row of tokens, and every stretch of a few tokens may have meanings of its own. From left to right, the few
cheapest ways to reach each token are kept (a beam over the stretches: dynamic programming after R. Bellman), so that
the effort grows with the length of the line and not with the number of its readings.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import count

from lucidex.core.line.parts import Found, Part

MAX_STRETCH = 13  # tokens of one piece: “crop 100 px off the left side” has seven
KEPT_WAYS = 24
PIECE_COST = 0.05  # fewer pieces are better


@dataclass(frozen=True)
class Way:
    """Pieces that cover the line, what they cost together, and behind which word each of them ends."""

    cost: float
    parts: tuple[Part, ...]
    ends: tuple[int, ...] = ()
    words: tuple[str, ...] = ()  # all of the line

    def span(self, number: int) -> slice:
        """The words of a piece."""
        return slice(self.ends[number - 1] if number else 0, self.ends[number])


def best_ways(words: Sequence[str], meanings: Callable[[str], Sequence[Found]]) -> list[Way]:
    """The cheapest ways to cover all words, cheapest first; none where some word has no meaning.

    `meanings` gives what a stretch of words means, as a text with blanks between them.
    """
    reached: list[list[Way]] = [[] for _ in range(len(words) + 1)]
    reached[0] = [Way(0.0, ())]
    for start in range(len(words)):
        if not reached[start]:
            continue
        here = _cheapest(reached[start])
        for end in range(start + 1, min(len(words), start + MAX_STRETCH) + 1):
            for found in meanings(" ".join(words[start:end])):
                cost = found.cost + PIECE_COST
                reached[end] += [Way(way.cost + cost, (*way.parts, found.part), (*way.ends, end)) for way in here]
    return [replace(way, words=tuple(words)) for way in _cheapest(reached[-1])]


def _cheapest(ways: list[Way]) -> list[Way]:
    order = count()
    return [way for _, _, way in sorted((way.cost, next(order), way) for way in ways)[:KEPT_WAYS]]
