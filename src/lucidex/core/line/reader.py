"""What a typed line means: several readings, the likeliest first, or a sentence about what is missing.

A line is cut into tokens (`core.typed_text`), each stretch of tokens is looked up in vocabularies and small patterns
(steps and measures bring their own), the cheapest ways to cover all of the line are found (`paths`), and their pieces
are put together to deeds. No word is dropped: a way that leaves one over is no reading.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import islice, product

from pydantic import ValidationError

from lucidex.core.encode import TYPED_NAMES
from lucidex.core.errors import NotUnderstoodError, OutOfRangeError, UserError
from lucidex.core.line.assembly import NotTogetherError, assembled, by_degrees, needed_resolution, turned
from lucidex.core.line.commands import COMMANDS, DEGREES, DIVIDERS, FILLERS, read_command, read_fill
from lucidex.core.line.deeds import Deed, HangPlace, UseName
from lucidex.core.line.everyday import in_english
from lucidex.core.line.known_words import ASKED, EXPLAINED, SAME
from lucidex.core.line.parts import (
    NEED_COST,
    FillPart,
    FormatPart,
    Found,
    NamePart,
    NeedPart,
    Part,
    RefusedPart,
    SizePart,
    StepPart,
    UnknownPart,
    WishPart,
)
from lucidex.core.line.paths import Way, best_ways
from lucidex.core.line.quoted import PLACEHOLDERS, Lifted, bare, lifted
from lucidex.core.line.sizes import NEEDS as SIZE_NEEDS
from lucidex.core.line.sizes import PAPER, SCREENS, SHARES, read_size
from lucidex.core.line.wishes import NEEDS as WISH_NEEDS
from lucidex.core.line.wishes import RULES, read_wish
from lucidex.core.places.demand import explain_limits
from lucidex.core.spelling import near_words
from lucidex.core.steps import ALL_STEPS, all_offers
from lucidex.core.typed_text import in_one_form, tokens_of
from lucidex.core.units import LengthUnit

MAX_LINE = 300  # characters
MAX_TOKENS = 90
MAX_READINGS = 5
NEAR_COST = 1.5  # for each word that was read as another one
AS_LIKELY = 0.45  # readings that are no dearer than the best one by this are asked about where they clash
JUST_AS_LIKELY = 0.01  # the same in other units, with nothing to tell them apart: 4x6 in centimetres, or in inches
FAR_FETCHED = 1.6  # what is dearer than the best one by more is not shown
SAID_OTHERWISE = 1.2  # a way that is dearer by so much and says all is meant, before anything is asked
UNKNOWN_COST = 12.0
PREFIX_COST = 0.6
EXPLAINED_COST = 1.4

_Slips = tuple[tuple[str, str], ...]
_NO_SLIPS: _Slips = ()
PASSED_OVER = frozenset({"it", "the", "a", "an", "this", "my", "me", "all", "picture", "image", "photo"})
MAX_SPELLINGS = 16  # of a line with words that may be misspelt
_PATTERN_WORDS_TYPED = (
    "wide high width height tall longest shortest edge side square shape ratio aspect place multiple "
    "multiples under below most than less more lighter heavier quality keep left right top bottom centre "
    "least minimum min "
    "around each sides rotate turn straighten crop room margin border logo cover strip resize scale percent "
    "resolution format background ground landscape portrait paper brightness contrast warmth exposure "
    "saturation vibrance shadows highlights sharpen blur noise perspective clockwise anticlockwise white "
    "black clear transparent grey wider higher larger smaller times enlarge enlarged never reduce corner "
    "stops brighter darker warmer cooler level"
)
_UNITS = frozenset(("px", "°", "mm", "cm", "m", "in", "dpi", "kb", "mb", "k", "b", "x"))
_PATTERN_WORDS = frozenset(_PATTERN_WORDS_TYPED.split())


@dataclass(frozen=True)
class Reading:
    """One thing that a line can mean.

    `misspelt` are words that were read as others, `completes` the whole line where it was taken for the beginning of
    one, `left_out` words that nothing is known of (such a reading is only proposed). It `is_loose` where steps stand
    beside other things with nothing between them.
    """

    deeds: tuple[Deed, ...]
    cost: float
    misspelt: tuple[tuple[str, str], ...] = ()
    completes: str | None = None
    left_out: tuple[str, ...] = ()
    is_loose: bool = False

    @property
    def words(self) -> str:
        """All that it does, in words."""
        return "; ".join(deed.words for deed in self.deeds)


@dataclass(frozen=True)
class Readings:
    """What a line can mean. With a `question`, somebody has to choose; without readings, `trouble` says why."""

    readings: tuple[Reading, ...] = ()
    question: str | None = None
    trouble: UserError | None = None

    @property
    def meant(self) -> Reading | None:
        """The one that is done without another word; None where somebody has to choose, or nothing is understood."""
        return self.readings[0] if self.readings and self.question is None else None


@dataclass(frozen=True)
class Named:
    """A place or a routine that goes by a name of its own; `hint` is what it is for, which proposes it too."""

    name: str
    hint: str = ""


def read_line(text: str, names: Sequence[Named] = ()) -> Readings:
    """What a typed line means. `names` are places and routines that go by names of their own.

    >>> [reading.words for reading in read_line("1600x900 and bw").readings][0]
    '1600 × 900; Black and white, from 30 red, 59 green, 11 blue.'
    """
    quoted = lifted(text[: MAX_LINE + 1])
    words = [token.text for token in tokens_of("help" if text.strip() == "?" else quoted.line)]
    if not words:
        return Readings(
            trouble=NotUnderstoodError("Type a size such as 1600x900, or what should change, such as bw.")
        )
    if len(text) > MAX_LINE or len(words) > MAX_TOKENS:
        return Readings(
            trouble=NotUnderstoodError(f"A line has at most {MAX_LINE} characters and {MAX_TOKENS} words.")
        )
    try:
        found = _Search(words, _Names(names), quoted).readings(text)
    except UserError as error:
        return Readings(trouble=error)
    whole = bare(text)
    if whole is not None and (found.meant is None or found.meant.left_out or found.meant.misspelt):
        return read_line(whole, names)
    return found


class _Names:
    """Names of places and routines, in the one form; a word of a name proposes it."""

    def __init__(self, names: Sequence[Named]) -> None:
        self.whole: dict[str, str] = {}
        self.by_word: dict[str, list[str]] = {}
        for one in names:
            plain = in_one_form(one.name)
            self.whole.setdefault(plain, one.name)
            self.whole.setdefault(" ".join(plain.replace(",", " ").split()), one.name)
            pieces = [piece.strip() for piece in plain.split(",")]
            hints = {*plain.replace(",", " ").split(), *pieces, in_one_form(one.hint)} - FILLERS - DIVIDERS
            for words in hints:
                if len(words) > 2 and not words[0].isdigit():
                    self.by_word.setdefault(words, []).append(one.name)

    def meanings(self, words: str) -> Iterator[Found]:
        if (name := self.whole.get(words)) is not None:
            yield Found(NamePart(name), 0.3)
        for number, name in enumerate(self.by_word.get(words, ())[:MAX_READINGS]):
            yield Found(NamePart(name, is_guess=True), 1.8 + number / 100)
        if words in self.by_word:
            yield Found(FillPart(is_hint=True), 1.2)


class _Search:
    """One line that is read."""

    def __init__(self, words: Sequence[str], names: _Names, quoted: Lifted) -> None:
        self._words, self._names, self._quoted = words, names, quoted

    def readings(self, text: str) -> Readings:
        found = self._found(text)
        put_back = self._quoted.put_back
        readings = tuple(
            replace(one, completes=put_back(one.completes)) if one.completes else one for one in found.readings
        )
        return replace(found, readings=readings, question=found.question and put_back(found.question))

    def _found(self, text: str) -> Readings:
        covered, misspelt = self._covered(self._words), _NO_SLIPS
        translated = [] if _is_understood(covered) else list(self._translated())
        for words in translated:
            if _is_understood(ways := self._covered(words)):
                covered = ways
                break
        if not _is_understood(covered) and (better := self._respelt()) is not None:
            covered, misspelt = better
        if not _is_understood(covered) and (begun := self._begun()):
            return begun
        for words in translated if not _is_understood(covered) else ():
            if begun := _Search(words, self._names, self._quoted)._begun():
                return begun
        return self._told(covered, misspelt, text)

    def _covered(self, words: Sequence[str]) -> list[Way]:
        ways = best_ways(words, lambda stretch: [*_meanings(stretch), *self._names.meanings(stretch)])
        ways = [replace(way, parts=turned(self._quoted.saying(way.parts))) for way in ways]
        return sorted(ways, key=lambda way: all(isinstance(part, FillPart) for part in way.parts))

    def _translated(self) -> Iterator[list[str]]:
        """The line as languages read it in which all of its words are known."""

        def is_known(word: str) -> bool:
            own = (_vocabulary(), self._names.by_word, PLACEHOLDERS, _UNITS)
            return not word[0].isalpha() or any(word in words for words in own)

        for words in in_english(self._words, is_known):
            if words != list(self._words):
                yield words

    def _respelt(self) -> tuple[list[Way], _Slips] | None:
        """The ways of the cheapest spelling in which every word is known."""
        vocabulary = [*_sorted_vocabulary(), *self._names.by_word, *PLACEHOLDERS]
        known = set(vocabulary)
        near = [[word] if word in known else near_words(word, vocabulary) or [word] for word in self._words]
        best: tuple[list[Way], _Slips] | None = None
        for spelt in islice(product(*near), MAX_SPELLINGS):
            changed = tuple((was, now) for was, now in zip(self._words, spelt, strict=True) if was != now)
            covered = self._covered(spelt) if changed else []
            if _is_understood(covered) and (best is None or covered[0].cost < best[0][0].cost):
                best = covered, changed
        return best

    def _begun(self) -> Readings | None:
        """Readings of the phrases that begin as the line ends."""
        for start in range(len(self._words)):
            before, begun = self._words[:start], " ".join(self._words[start:])
            if start and self._words[start - 1] not in DIVIDERS:
                continue
            phrases = _beginning_with(begun, self._names)
            ways = [(phrase, self._covered([*before, *phrase.split()])) for phrase in phrases[: 2 * MAX_READINGS]]
            found = []
            for phrase, covered in ways:
                for reading in _put_together(covered[:1] if _is_understood(covered) else []):
                    whole = " ".join([*before, phrase])
                    found.append(replace(reading, completes=whole, cost=reading.cost + PREFIX_COST))
            readings = _apart(found)
            if readings:
                # a word that is only half there is taken as the one that it must become
                rest = readings[0].completes.removeprefix(" ".join(self._words)) if readings[0].completes else " "
                question = None if len(readings) == 1 and rest.isalpha() else "Which one?"
                return Readings(readings, question)
        return None

    def _told(self, covered: list[Way], misspelt: _Slips, text: str) -> Readings:
        if covered and _is_understood(covered) and (missing := needed_resolution(covered[0].parts)) is not None:
            others = _put_together(covered[1:], tells=False)
            return _asking(_apart([*self.choices(missing.instead), *others]), missing.sentence)
        try:
            readings = _apart([replace(one, misspelt=misspelt) for one in _put_together(covered)])
        except NotTogetherError as error:
            return self._side_by_side(covered[0], error)
        except UserError as error:
            return Readings(trouble=error)
        if (need := _need(covered)) is not None:
            return _asking(self.choices(self._with(covered[0], need)), need.sentence)
        if readings and not readings[0].left_out:
            return Readings(readings, _question(readings))
        unknown = (
            readings[0].left_out
            if readings
            else [w.word for way in covered[:1] for w in way.parts if isinstance(w, UnknownPart)]
        )
        said = ", ".join(f"“{word[:30]}”" for word in unknown[:3]) or f"“{text.strip()[:60]}”"
        if readings and readings[0].deeds:
            return Readings(readings[:1], f"{said} is not understood. Without it:")
        near = self._nearest()
        if near:
            return Readings(near, f"{said} is not understood. Is one of these meant?")
        message = f"{said} is not understood. Type a size such as 1600x900, or what should change, such as bw."
        return Readings(trouble=NotUnderstoodError(message))

    def _with(self, way: Way, need: NeedPart) -> list[str]:
        """The line with what could be typed to say what is missing."""
        if need.replaces:
            span = way.span(way.parts.index(need))
            before, after = way.words[: span.start], way.words[span.stop :]
            return [" ".join([*before, one, *after]) for one in need.instead]
        meant = [part for part in way.parts if not isinstance(part, FillPart | NeedPart)]
        line = f"{' '.join(self._words)} " if meant else ""
        return [line + one for one in need.instead]

    def _side_by_side(self, way: Way, error: NotTogetherError) -> Readings:
        """Two things that may be one: both as two, and each of them alone."""
        first, second = (way.span(number) for number in (error.first, error.second))
        one, other = (" ".join(way.words[span]) for span in (first, second))
        apart = [*way.words[: first.stop], ",", *way.words[second.start :]]
        alone = [[*way.words[: first.stop]], [*way.words[: first.start], *way.words[second.start :]]]
        found = self.choices([" ".join(words) for words in (apart, *alone)])
        sentence = f"“{one}” and “{other}”: two things, or one of them? It is not clear what belongs together."
        return _asking(found, sentence)

    def choices(self, phrases: Sequence[str]) -> tuple[Reading, ...]:
        """What phrases mean, in their own order."""
        found = []
        for number, phrase in enumerate(phrases):
            ways = self._covered([token.text for token in tokens_of(phrase)])
            cheapest = _put_together(ways, tells=False)[:1]
            found += [replace(one, completes=phrase, cost=number / 100) for one in cheapest]
        return _apart(found)

    def _nearest(self) -> tuple[Reading, ...]:
        """Phrases that share most words with the line."""
        mine = {word for word in self._words if word not in FILLERS and word not in DIVIDERS and len(word) > 2}
        shared = [(len(mine & set(phrase.split())), -len(phrase), phrase) for phrase in _phrases()]
        best = sorted((one for one in shared if one[0]), reverse=True)[:MAX_READINGS]
        return self.choices([phrase for _, _, phrase in best])


def _asking(readings: tuple[Reading, ...], sentence: str) -> Readings:
    """A question with what answers it; where nothing can, it is said as it is."""
    return Readings(readings, sentence) if readings else Readings(trouble=NotUnderstoodError(sentence))


def _is_understood(ways: list[Way]) -> bool:
    """Whether the cheapest way knows all words, and says anything."""
    parts = ways[0].parts if ways else ()
    return not any(isinstance(part, UnknownPart) for part in parts) and any(
        not isinstance(part, FillPart) for part in parts
    )


@lru_cache(maxsize=8_192)
def _meanings(stretch: str) -> tuple[Found, ...]:
    """Everything that a stretch of words means, whoever asks."""
    found: list[Found] = []
    words = stretch.split()
    if len(words) > 1 and (kept := [word for word in words if word not in PASSED_OVER]) and len(kept) < len(words):
        # “rotate it 90”, “crop to a square”: the same without its small words
        found += [
            replace(one, cost=one.cost + 0.05)
            for one in _meanings(" ".join(kept))
            if not isinstance(one.part, UnknownPart | FillPart)
        ]
    if (offer := _offers().get(stretch)) is not None:
        found += offer
    else:
        found += _read_steps(stretch)
    found += [*read_size(stretch), *read_wish(stretch), *read_command(stretch), *read_fill(stretch)]
    if (meant := SAME.get(stretch)) is not None:
        found += [one for one in _meanings(meant) if not isinstance(one.part, UnknownPart | FillPart)]
    if (asked := ASKED.get(stretch)) is not None:
        found.append(Found(asked, NEED_COST))
    if (sentence := EXPLAINED.get(stretch)) is not None:
        found.append(Found(RefusedPart(sentence), EXPLAINED_COST))
    if " " not in stretch:
        found.append(Found(UnknownPart(stretch), UNKNOWN_COST))
    return tuple(found)


def _read_steps(stretch: str) -> Iterator[Found]:
    for kind in ALL_STEPS:
        try:
            step = kind.read(stretch)
        except ValidationError as error:
            yield Found(RefusedPart(explain_limits(error)), 1.5)
            continue
        if step is not None:
            yield Found(StepPart(step))
        elif (asked := kind.asks(stretch)) is not None:
            yield Found(NeedPart(asked.question, asked.instead, frozenset(), replaces=True), NEED_COST)


@lru_cache(maxsize=1)
def _offers() -> Mapping[str, list[Found]]:
    found: dict[str, list[Found]] = {}
    for offer in all_offers():
        for typed in offer.typed:
            found.setdefault(in_one_form(typed), []).append(Found(StepPart(offer.step, offer.words[0])))
    return found


@lru_cache(maxsize=1)
def _phrases() -> tuple[str, ...]:
    """All fixed phrases, those of the lists first."""
    lists = [in_one_form(offer.words[0]) for offer in all_offers()]
    return tuple(dict.fromkeys([*lists, *_offers(), *COMMANDS, *SCREENS, *PAPER, *SHARES, *RULES]))


@lru_cache(maxsize=1)
def _vocabulary() -> frozenset[str]:
    """Every word that some phrase or pattern knows."""
    words = {
        word
        for phrase in (*_phrases(), *SIZE_NEEDS, *WISH_NEEDS, *DIVIDERS, *DEGREES, *SAME, *ASKED, *EXPLAINED)
        for word in phrase.split()
    }
    return frozenset(words | FILLERS | _PATTERN_WORDS | TYPED_NAMES.keys())


@lru_cache(maxsize=1)
def _sorted_vocabulary() -> tuple[str, ...]:
    return tuple(sorted(_vocabulary()))


def _beginning_with(begun: str, names: _Names) -> list[str]:
    if len(begun) < 2 or begun[0].isdigit():
        return []
    phrases = [*names.whole, *_phrases()]
    starting = [phrase for phrase in phrases if phrase.startswith(begun) and phrase != begun]
    inside = (
        [phrase for phrase in phrases if f" {begun}" in phrase and phrase not in starting] if len(begun) > 2 else []
    )
    return starting + inside


def _put_together(ways: list[Way], tells: bool = True) -> list[Reading]:
    """A reading of each way that makes one.

    Where it `tells`: OutOfRangeError if the cheapest way is understood and cannot be done, NotUnderstoodError if the
    pieces of none belong together.
    """
    readings: list[Reading] = []
    clash: NotUnderstoodError | None = None
    for way in ways:
        tells_here = tells and way is ways[0] and _is_understood([way])
        refused = next((part.sentence for part in way.parts if isinstance(part, RefusedPart)), None)
        try:
            if refused is not None:
                raise OutOfRangeError(refused)
            parts = by_degrees(way.parts)
            made = assembled(parts)
        except OutOfRangeError:
            if tells_here:
                raise
            continue
        except NotUnderstoodError as error:
            clash = clash or (error if tells_here else None)
            continue
        left_out = tuple(part.word for part in parts if isinstance(part, UnknownPart))
        if made.deeds and _unmet(way.parts) is None:
            readings.append(Reading(made.deeds, way.cost + made.extra, left_out=left_out, is_loose=made.is_loose))
    if clash is not None and not any(not one.left_out for one in readings):
        raise clash
    return readings


def _apart(readings: list[Reading]) -> tuple[Reading, ...]:
    """The cheapest readings that differ in what they do."""
    found: dict[str, Reading] = {}
    for reading in sorted(readings, key=lambda one: (bool(one.left_out), one.cost)):
        found.setdefault(reading.words, reading)
    if not found:
        return ()
    first = next(iter(found.values()))
    near = [one for one in found.values() if one.cost - first.cost <= FAR_FETCHED and one.left_out == first.left_out]
    return tuple(near[:MAX_READINGS])


def _need(ways: list[Way]) -> NeedPart | None:
    """What is missing, where the cheapest way says too little."""
    if not _is_understood(ways) or (need := _unmet(ways[0].parts)) is None:
        return None
    near = [way for way in ways if way.cost - ways[0].cost <= SAID_OTHERWISE and _is_understood([way])]
    return None if any(need in way.parts and _unmet(way.parts) is None for way in near) else need


def _unmet(parts: Sequence[Part]) -> NeedPart | None:
    """The first thing that is asked for and nowhere said: of “resize to 50 %” nothing is missing."""
    said: set[str] = set()
    for part in parts:
        if isinstance(part, SizePart):
            said |= {"measure", *part.says, *(number.field for number in part.measure.numbers)}
        elif isinstance(part, WishPart):
            said |= set(part.says)
        elif isinstance(part, FormatPart):
            said |= {"format"} | ({"quality"} if part.quality else set())
    return next((part for part in parts if isinstance(part, NeedPart) and not part.said_by & said), None)


def _question(readings: tuple[Reading, ...]) -> str | None:
    """Where readings of different kinds are as likely, somebody has to choose."""
    first = readings[0]
    if any(isinstance(deed, UseName) and deed.is_guess for deed in first.deeds):
        return "One of these places?"
    if first.misspelt and any(_is_another_word(was, now) for was, now in first.misspelt):
        return f"“{first.misspelt[0][0]}” is not known. Is “{first.misspelt[0][1]}” meant?"
    if first.is_loose:
        return "Are these two things? A comma between them says so."
    rivals = [one for one in readings[1:] if one.cost - first.cost < AS_LIKELY and _clash(first, one)]
    rivals += [one for one in readings[1:] if one.cost - first.cost < JUST_AS_LIKELY and _units(one) != _units(first)]
    return "Which one is meant?" if rivals else None


def _units(reading: Reading) -> list[LengthUnit | None]:
    return [deed.read.unit for deed in reading.deeds if isinstance(deed, HangPlace)]


def _is_another_word(was: str, now: str) -> bool:
    """Whether letters stand for other letters: less often a slip of the finger than a word of its own."""
    return len(was) == len(now) and sorted(was) != sorted(now)


def _clash(first: Reading, other: Reading) -> bool:
    """Whether two readings are different things, and not a thing more or less likely."""
    kinds = [[type(deed) for deed in one.deeds] for one in (first, other)]
    return kinds[0] != kinds[1] or any(isinstance(deed, UseName) for deed in first.deeds)
