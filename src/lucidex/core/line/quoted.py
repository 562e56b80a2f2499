"""Words between quotation marks: kept as they were typed, while everything around them is read in the one form."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from lucidex.core.line.parts import Part, StepPart
from lucidex.core.steps.bands import WordedStep

MAX_QUOTED = 6
# an inch mark follows a number; a quotation mark does not
_QUOTED = re.compile(r'(?<![\w"])"([^"\n]+)"(?!\w)|[“„]([^“”„\n]+)[”“]|«([^«»\n]+)»|»([^«»\n]+)«')
_WRITTEN = re.compile(
    r"\s*write (?!text\b|title\b|heading\b|words\b)(\S.*?)"
    r"((?: (?:at|in|on|to)(?: the)?)? (?:(?:top|bottom|upper|lower)(?: left| right)?|centre|center|middle)"
    r"(?: corner)?)",
    re.IGNORECASE,
)
_BARE = re.compile(r"\s*(?:add |write )?(?:a )?(?:text|title|heading|words)(?: saying)?:?\s+(\S.*)", re.IGNORECASE)
PLACEHOLDERS = tuple(f"quoted{letter}" for letter in "abcdef")


@dataclass(frozen=True)
class Lifted:
    """A line with placeholders for what was quoted in it."""

    line: str
    words: tuple[str, ...] = ()

    def put_back(self, text: str) -> str:
        """A text with the quoted words in the seats of their placeholders."""
        for placeholder, words in zip(PLACEHOLDERS, self.words, strict=False):
            text = text.replace(placeholder, f"“{words}”")
        return text

    def saying(self, parts: Sequence[Part]) -> tuple[Part, ...]:
        """Parts with the quoted words in the steps that use them."""
        values = dict(zip(PLACEHOLDERS, self.words, strict=False))
        return tuple(
            replace(part, step=part.step.saying(values))
            if isinstance(part, StepPart) and isinstance(part.step, WordedStep)
            else part
            for part in parts
        )


def lifted(line: str) -> Lifted:
    """The quoted words of a line, taken out of it.

    >>> lifted('text "Seed swap, Saturday" bottom right')
    Lifted(line='text quoteda bottom right', words=('Seed swap, Saturday',))
    """
    words: list[str] = []

    def taken(match: re.Match[str]) -> str:
        found = next(group for group in match.groups() if group is not None).strip()
        if not found or len(words) == MAX_QUOTED:
            return match.group()
        words.append(found)
        return f" {PLACEHOLDERS[len(words) - 1]} "

    plain = _QUOTED.sub(taken, line)
    return Lifted(" ".join(plain.split()) if words else line, tuple(words))


def bare(line: str) -> str | None:
    """A line that begins with `text` and quotes nothing, with all that follows as the words; None for other lines.

    Behind `write`, a seat at the end is one: “write Seeds at the top”.

    >>> bare("text Seed swap")
    'text “Seed swap”'
    """
    if any(mark in line for mark in '“”„«»"'):
        return None
    if (match := _WRITTEN.fullmatch(line)) is not None:
        return f"text “{match[1].strip()}”{match[2]}"
    return None if (match := _BARE.fullmatch(line)) is None else f"text “{match[1].strip()}”"
