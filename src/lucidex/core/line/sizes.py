"""Sizes as they are typed: what the measures declare, paper and screens by name, shares of the own size."""

import re
from collections.abc import Iterator
from dataclasses import replace
from decimal import Decimal

from lucidex.core.geometry.fit import Rule
from lucidex.core.line.parts import NEED_COST, Found, NeedPart, SheetTurnPart, SizePart, StepPart, Typed
from lucidex.core.places.measures import (
    ALL_MEASURES,
    ExactSize,
    Height,
    Kind,
    LongestEdge,
    Measure,
    Percent,
    Width,
)
from lucidex.core.steps.crop import Crop, ShapeArea
from lucidex.core.units import LengthUnit, parse_decimal

_PATTERNS = tuple(
    (measure, pattern, is_plain) for measure in ALL_MEASURES for pattern, is_plain in measure.patterns()
)
_NUMBER = r"[+-]?\d{1,12}(?:[.,]\d{1,6})?"
_BARE = re.compile(rf"(?:(?:resize|scale|size|make|set)(?: it)?(?: to)? )?({_NUMBER})(?: (px|mm|cm|in))?")
_AT_MOST = re.compile(
    r"(?:max|maximum|at most|up to|within|no larger than|not larger than|no bigger than|no wider or higher than)"
    rf"(?: size)?(?: of)? ({_NUMBER})(?: (px|mm|cm|in))?|({_NUMBER})(?: (px|mm|cm|in))? (?:max|maximum|at most)"
)
_AT_MOST_ONE = re.compile(
    r"(max|maximum|at most|up to|no wider than|no higher than|no taller than) (?:(width|height)(?: of)? )?"
    rf"({_NUMBER})(?: (px|mm|cm|in))?(?: (wide|high|width|height|tall))?|"
    rf"()max (width|height)(?: of)? ({_NUMBER})(?: (px|mm|cm|in))?()"
)
_HEIGHT_FIRST = re.compile(
    rf"({_NUMBER})(?: px)? (?:high|tall|height)(?: and| by| x| ,)? ({_NUMBER})(?: px)? (?:wide|width)"
)
_SCALED = re.compile(r"(?:scale|resize|scale factor|factor|enlarge|reduce)(?: to| by)? (0?[.,]\d{1,3}|\d[.,]\d{1,3})")
_SQUARE = re.compile(rf"(?:square(?: of)? )?({_NUMBER})(?: (px|mm|cm|in))?( square)?")
_FACTOR = r"(\d{1,3}(?:[.,]\d{1,3})?)"
_AT_LEAST = re.compile(
    rf"(?:at least|min|minimum|not less than|no less than|no smaller than|not smaller than)(?: size| width| height)?"
    rf"(?: of)? ({_NUMBER}(?: x {_NUMBER})?)(?: (px|mm|cm|in))?(?: (wide|high))?"
)
_TIMES = re.compile(
    rf"{_FACTOR} (?:x|times)(?: larger| bigger| as large| as big| the size| size)?|x {_FACTOR}|"
    rf"(?:scale|enlarge|resize|magnify) (?:by {_FACTOR}(?: x| times)?|{_FACTOR} (?:x|times))"
)
_LESS = re.compile(
    rf"(?:shrink|reduce|smaller|downscale|scale down|decrease)(?: size)? by {_FACTOR} %|{_FACTOR} % (?:smaller|less|"
    rf"reduced)"
)
_MORE = re.compile(
    rf"(?:enlarge|grow|increase|larger|bigger|upscale|scale up)(?: size)? by {_FACTOR} %|{_FACTOR} % (?:larger|"
    rf"bigger|more)"
)
_DENSE_SCREEN = re.compile(r"(.+) at ([234]) x")  # so many pixels of a dense screen for each typed one
_NO_LARGER = re.compile(
    r"(?:max|maximum|at most|up to|within|no larger than|not larger than|no bigger than|fit within|inside) (?:size "
    r")?(.+)|"
    r"(.+) (?:max|maximum|at most)"
)
MAX_PERCENT = 3_000
MAX_BARE = 100  # so few pixels beside something else are no size of a picture
_SMALL = 60  # two bare numbers up to this, and a shape may be meant

SHARES = {
    **dict.fromkeys(
        (
            "half",
            "half size",
            "half the size",
            "halve",
            "1 / 2",
            "to half",
            "halved",
            "by half",
            "one half",
            "half as large",
            "half as big",
        ),
        50.0,
    ),
    **dict.fromkeys(
        ("double", "double size", "twice", "twice the size", "twice as large", "twice as big", "doubled"), 200.0
    ),
    **dict.fromkeys(("triple", "three times", "three times the size"), 300.0),
    **dict.fromkeys(("quarter", "quarter size", "a quarter", "1 / 4", "quarter of the size"), 25.0),
    **dict.fromkeys(("three quarters", "three quarter", "3 / 4 size"), 75.0),
    **dict.fromkeys(("two thirds", "two third", "2 / 3 size"), 66.667),
    **dict.fromkeys(("keep size", "keep the size", "keep own size", "unchanged size", "keep dimensions"), 100.0),
    **dict.fromkeys(("third", "one third", "a third", "1 / 3", "third of the size"), 33.333),
    **dict.fromkeys(("own size", "original size", "full size", "same size", "its own size", "as it is"), 100.0),
    **dict.fromkeys(("actual size", "size as it is", "natural size", "full resolution"), 100.0),
}
# of a screen, by the names that VESA and the display trade have given them
SCREENS = {
    **dict.fromkeys(("full hd", "1080 p", "fhd", "1080 i", "hd 1080"), (1920, 1080)),
    **dict.fromkeys(("hd", "720 p", "hd ready", "hd 720"), (1280, 720)),
    **dict.fromkeys(("4 k", "uhd", "4 k uhd", "ultra hd", "2160 p", "uhd 4 k"), (3840, 2160)),
    **dict.fromkeys(("8 k", "8 k uhd", "4320 p"), (7680, 4320)),
    **dict.fromkeys(("5 k",), (5120, 2880)),
    **dict.fromkeys(("qhd", "wqhd", "1440 p", "2 k", "quad hd"), (2560, 1440)),
    **dict.fromkeys(("wuxga",), (1920, 1200)),
    **dict.fromkeys(("wxga",), (1280, 800)),
    **dict.fromkeys(("wsxga",), (1680, 1050)),
    **dict.fromkeys(("uxga",), (1600, 1200)),
    **dict.fromkeys(("sxga",), (1280, 1024)),
    **dict.fromkeys(("xga",), (1024, 768)),
    **dict.fromkeys(("svga",), (800, 600)),
    **dict.fromkeys(("vga",), (640, 480)),
    **dict.fromkeys(("qvga",), (320, 240)),
    **dict.fromkeys(("dci 4 k", "cinema 4 k"), (4096, 2160)),
}
# millimetres, upright: ISO 216, ISO 269, ANSI/ASME Y14.1, and what print shops call their sheets
PAPER = {
    **{
        f"a{n}": size
        for n, size in enumerate(
            ((841, 1189), (594, 841), (420, 594), (297, 420), (210, 297), (148, 210), (105, 148), (74, 105), (52, 74))
        )
    },
    **{
        f"b{n}": size
        for n, size in enumerate(((1000, 1414), (707, 1000), (500, 707), (353, 500), (250, 353), (176, 250)))
    },
    "c4": (229, 324),
    "c5": (162, 229),
    "c6": (114, 162),
    "dl": (99, 210),
    **dict.fromkeys(("letter", "us letter", "letter size", "letter paper"), (215.9, 279.4)),
    **dict.fromkeys(("legal", "us legal"), (215.9, 355.6)),
    **dict.fromkeys(("tabloid", "ledger size"), (279.4, 431.8)),
    **dict.fromkeys(("business card", "visiting card"), (85, 55)),
    **dict.fromkeys(("postcard", "post card"), (148, 105)),
    "passport photo": (35, 45),
}
_PAPER = re.compile(
    rf"(?:paper |din |iso )?({'|'.join(sorted(PAPER, key=len, reverse=True))})(?: paper| page| sheet| format)?"
    r"(?: (landscape|portrait|wide|upright))?|(landscape|portrait) ({0})".replace("{0}", "|".join(PAPER))
)
_LYING = {
    **dict.fromkeys(("landscape", "horizontal", "lying", "in landscape", "landscape format"), True),
    **dict.fromkeys(("portrait", "vertical", "upright", "standing", "in portrait", "portrait format"), False),
}
_RESIZE = re.compile(
    r"(?:resize|scale|set|change|make|resized?|scaled?|size|dimensions)(?: it)?(?: size)?(?: to| in to)? (.+)"
)
# words that ask for a size without saying which: the question, and usual answers
_NEEDS = (
    (
        "longest, long, longest side, long side, longest edge, long edge, largest side",
        "How long shall the longest edge be?",
        ("longest edge 1200", "longest edge 1600", "longest edge 2400"),
        "longest_px",
    ),
    (
        "short side, shortest side, shortest edge, short edge, shortest",
        "How long shall the shortest edge be?",
        ("shortest edge 600", "shortest edge 1080"),
        "shortest_px",
    ),
    ("width, wide, w, set width", "How wide?", ("800 wide", "1200 wide", "1600 wide"), "width_px"),
    ("height, high, h, set height", "How high?", ("600 high", "900 high", "1200 high"), "height_px"),
    (
        "resize, resize to, scale, scale to, size, change size, new size, dimensions, rescale, set size",
        "To which size?",
        ("1200 wide", "longest edge 1600", "50 %", "1600x900"),
    ),
    (
        "smaller, make smaller, shrink, reduce, reduce size, downscale, too large, too big",
        "How much smaller?",
        ("50 %", "longest edge 1600", "under 500 kB"),
    ),
    (
        "larger, bigger, enlarge, make larger, make bigger, upscale, too small, increase size",
        "How much larger?",
        ("200 %", "longest edge 2400", "150 %"),
    ),
    ("max, maximum, at most, up to", "At most how much?", ("max 1600", "under 500 kB")),
    ("thumbnail, thumb, preview picture", "How large shall it be?", ("150x150", "300x200", "longest edge 320")),
    ("icon, favicon, page icon", "How large shall it be?", ("512x512 as png", "180x180 as png")),
    (
        "header, hero, cover photo, cover picture, cover image, title picture, title image, header picture, hero "
        "picture, "
        "header image, hero image",
        "How large is the place?",
        ("1600x640", "1920x600", "1600x900"),
    ),
    (
        "profile picture, profile photo, profile image, profile, portrait picture, avatar",
        "How large shall it be?",
        ("400x400", "800x800"),
    ),
    (
        "wallpaper, desktop background, desktop, screen background, full screen",
        "How large is the screen?",
        ("1920x1080", "2560x1440", "3840x2160"),
    ),
    (
        "for print, for printing, print, printing, to print",
        "How large is the print?",
        ("10x15 cm at 300 dpi", "13x18 cm at 300 dpi", "a4 at 300 dpi"),
    ),
)
NEEDS = {
    typed: NeedPart(question, instead, frozenset(said_by or ("measure",)))
    for words, question, instead, *said_by in _NEEDS
    for typed in words.split(", ")
}


def read_size(words: str) -> Iterator[Found]:
    """Every size that some words can mean, in the one form of `core.typed_text`."""
    for measure, pattern, is_plain in _PATTERNS:
        if (match := pattern.fullmatch(words)) is not None:
            numbers = _numbers(measure, match.groups())
            is_bare = (measure is Percent and words.split()[1:] == ["%"]) or words.startswith("x ")
            part = SizePart(measure, numbers, is_bare=is_bare, is_change=measure is Percent)
            yield Found(part, 1.0 if is_plain else 1.4)
            if measure is ExactSize:
                yield from _small(numbers)
    if (match := _DENSE_SCREEN.fullmatch(words)) is not None:
        for one in read_size(match[1]):
            if isinstance(one.part, SizePart) and not one.part.needs_resolution:
                numbers = tuple(Typed(number.amount * int(match[2]), number.unit) for number in one.part.numbers)
                yield Found(replace(one.part, numbers=numbers, is_bare=False), one.cost)
    yield from _by_name(words)
    yield from _bare(words)
    yield from _shares(words)


def _numbers(measure: type[Measure], found: tuple[str | None, ...]) -> tuple[Typed, ...]:
    """The numbers that a pattern found: a text for each, and behind a length its unit, if typed."""
    texts = iter(found)
    read = []
    for number in measure.numbers:
        amount = parse_decimal(str(next(texts)))
        unit = next(texts) if number.kind is Kind.LENGTH else None
        read.append(Typed(amount, LengthUnit(unit) if unit else None))
    return tuple(read)


def _small(numbers: tuple[Typed, ...]) -> Iterator[Found]:
    """What two small numbers without a unit can mean beside pixels."""
    if any(one.unit for one in numbers) or not all(0 < one.amount <= _SMALL for one in numbers):
        return
    across, down = (one.amount for one in numbers)
    if across == across.to_integral_value() and down == down.to_integral_value():
        yield Found(StepPart(Crop(area=ShapeArea(across=int(across), down=int(down)))), 0.9)
    for unit in (LengthUnit.CM, LengthUnit.INCH):
        printed = tuple(Typed(one.amount, unit) for one in numbers)
        yield Found(SizePart(ExactSize, printed, {"usual_resolution": 300.0}), 1.9)


def _by_name(words: str) -> Iterator[Found]:
    if (screen := SCREENS.get(words)) is not None:
        yield Found(SizePart(ExactSize, tuple(Typed(Decimal(side)) for side in screen)))
    if (match := _PAPER.fullmatch(words)) is not None:
        width, height = PAPER[match[1] or match[4]]
        if (match[2] or match[3]) in {"landscape", "wide"}:
            width, height = max(width, height), min(width, height)
        if (match[2] or match[3]) in {"portrait", "upright"}:
            width, height = min(width, height), max(width, height)
        sides = tuple(Typed(Decimal(str(side)), LengthUnit.MM) for side in (width, height))
        yield Found(SizePart(ExactSize, sides, is_sheet=True))
    if (is_landscape := _LYING.get(words)) is not None:
        yield Found(SheetTurnPart(is_landscape))


def _bare(words: str) -> Iterator[Found]:
    """A number alone: a width before anything else; with “at most”, what neither side exceeds."""
    if (match := _BARE.fullmatch(words)) is not None:
        number = (_typed(match[1], match[2]),)
        is_bare = match[2] is None or number[0].amount <= MAX_BARE
        for cost, measure in ((1.6, Width), (1.8, LongestEdge), (2.0, Height)):
            yield Found(SizePart(measure, number, is_bare=is_bare, is_change=not words[0].isdigit()), cost)
    if (match := _AT_MOST.fullmatch(words)) is not None:
        number = (_typed(match[1] or match[3], match[2] or match[4]),)
        yield Found(SizePart(LongestEdge, number, {"rule": Rule.SCALE_DOWN}), 1.0)
    if (match := _AT_MOST_ONE.fullmatch(words)) is not None:
        side = match[2] or match[5] or match[7] or {"no wider than": "width"}.get(match[1] or "", "")
        side = side or ("height" if (match[1] or "").startswith("no ") else "")
        if side:
            measure = Width if side in {"width", "wide"} else Height
            number = (_typed(match[3] or match[8], match[4] or match[9]),)
            yield Found(SizePart(measure, number, {"rule": Rule.SCALE_DOWN}), 0.9)
    if (match := _HEIGHT_FIRST.fullmatch(words)) is not None:
        yield Found(SizePart(ExactSize, (_typed(match[2], None), _typed(match[1], None))), 0.9)
    if (match := _SQUARE.fullmatch(words)) is not None and (words.startswith("square") or match[3]):
        yield Found(SizePart(ExactSize, (_typed(match[1], match[2]),) * 2), 0.9)
    if (match := _NO_LARGER.fullmatch(words)) is not None:
        for one in read_size(match[1] or match[2]):
            if isinstance(one.part, SizePart) and one.part.measure is ExactSize and not one.part.says:
                yield Found(replace(one.part, says={"rule": Rule.SCALE_DOWN}), one.cost)
    if (need := NEEDS.get(words)) is not None:
        yield Found(need, NEED_COST)
    if (match := _AT_LEAST.fullmatch(words)) is not None:
        said = " ".join(part for part in (match[1], match[2] or "px", match[3]) if part)
        question = "A place has an exact size, or a largest one. Which is meant?"
        yield Found(NeedPart(question, (said, f"at most {said}"), frozenset(), replaces=True), NEED_COST)
    if (match := _RESIZE.fullmatch(words)) is not None and not match[1].endswith(" to"):
        # what follows is a size like any other
        for one in read_size(match[1]):
            if isinstance(one.part, SizePart):
                yield Found(replace(one.part, is_change=True), one.cost)


def _shares(words: str) -> Iterator[Found]:
    """Parts and multiples of the own size."""
    share = SHARES.get(words)
    if (match := _SCALED.fullmatch(words)) is not None:
        share = 100 * float(parse_decimal(match[1]))
    for pattern, start, times in ((_TIMES, 0.0, 100), (_LESS, 100.0, -1), (_MORE, 100.0, 1)):
        if (match := pattern.fullmatch(words)) is not None:
            share = start + times * float(parse_decimal(next(number for number in match.groups() if number)))
    if share is not None and share <= MAX_PERCENT:
        percent = (Typed(Decimal(str(share))),)
        yield Found(SizePart(Percent, percent, is_bare=words.startswith("x "), is_change=True), 1.1)


def _typed(number: str, unit: str | None) -> Typed:
    return Typed(parse_decimal(number), LengthUnit(unit) if unit else None)
