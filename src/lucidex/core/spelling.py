"""Near words: what a word that nobody knows was probably meant to be.

Nearness is the number of letters that are missing, added, changed or exchanged with their neighbour (optimal string
alignment: F. Damerau, A technique for computer detection and correction of spelling errors, 1964).
"""

from collections.abc import Collection

from rapidfuzz import process
from rapidfuzz.distance import OSA

SHORTEST = 4  # letters: shorter words have too many neighbours
LONGEST = 24


def _is_slip(word: str, meant: str) -> bool:
    """Whether a short word is another one with a letter left out, struck twice, or exchanged with its neighbour.

    Any other letter makes another word of it: bluer is no slip for blur, nor face for fade.
    """
    twice = (word[:at] + word[at + 1 :] for at in range(1, len(word)) if word[at] == word[at - 1])
    return len(meant) > len(word) or sorted(meant) == sorted(word) or meant in twice or word == f"{meant}s"


def near_words(word: str, known: Collection[str], most: int = 2) -> list[str]:
    """The known words that a word may have been meant to be, all as near: a slip up to six letters, two beyond.

    >>> near_words("lnadscape", ["landscape", "escape"])
    ['landscape']
    """
    if not SHORTEST <= len(word) <= LONGEST or not word.isalpha():
        return []
    slips = 1 if len(word) <= 6 else 2
    near = process.extract(word, known, scorer=OSA.distance, score_cutoff=slips, limit=12)
    # another first letter makes another word, unless letters changed places
    near = [one for one in near if one[0][0] == word[0] or sorted(one[0]) == sorted(word)]
    if len(word) <= 6:
        near = [one for one in near if _is_slip(word, one[0])]
    # the first letter is seldom wrong, so of two that are as near the one that shares it goes first
    ranked = sorted(near, key=lambda one: (one[1], one[0][0] != word[0], abs(len(one[0]) - len(word)), one[0]))
    return [one for one, slips, _ in ranked[:most] if slips == ranked[0][1]]
