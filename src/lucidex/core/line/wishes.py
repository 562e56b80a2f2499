"""What is typed about a file or a place beside its size: format, quality, weight, rule, ground, side, resolution."""

import re
from collections.abc import Iterator

from lucidex.core.encode import TYPED_NAMES, ColourModel
from lucidex.core.errors import UserError
from lucidex.core.geometry.fit import Anchor, Rule
from lucidex.core.line.parts import NEED_COST, FormatPart, Found, NeedPart, RefusedPart, WishPart
from lucidex.core.picture.grounds import GROUND, read_ground
from lucidex.core.stamp.packet import Carried
from lucidex.core.units import parse_weight

RULES = {
    **dict.fromkeys(
        ("cover the place", "cover", "fill", "fill the place", "crop to fit", "crop to fill"), Rule.COVER
    ),
    **dict.fromkeys(
        (
            "crop to size",
            "cropped",
            "cut to fit",
            "fill frame",
            "fill the frame",
            "covering",
            "crop and resize",
            "crop and resize to",
            "resize and crop",
            "resize and crop to",
            "crop and scale to",
        ),
        Rule.COVER,
    ),
    **dict.fromkeys(
        ("show whole", "whole", "contain", "fit", "letterbox", "letterboxed", "fit inside"), Rule.CONTAIN
    ),
    **dict.fromkeys(
        (
            "fit into",
            "fit to",
            "fit in",
            "contain in",
            "contained in",
            "whole picture",
            "without cropping",
            "no cropping",
        ),
        Rule.CONTAIN,
    ),
    **dict.fromkeys(
        (
            "do not crop",
            "without cutting",
            "without cutting anything",
            "uncropped",
            "no crop",
            "contained",
            "fitted",
            "with room",
        ),
        Rule.CONTAIN,
    ),
    **dict.fromkeys(
        (
            "no larger than",
            "fit within",
            "within",
            "scale to fit",
            "resize to fit",
            "scale down",
            "shrink only",
            "shrink to fit",
            "inside",
        ),
        Rule.SCALE_DOWN,
    ),
    **dict.fromkeys(
        ("only if larger", "down only", "only smaller", "downscale only", "reduce to fit"), Rule.SCALE_DOWN
    ),
    **dict.fromkeys(("stretch", "stretched", "squeeze", "stretch to fit", "squash", "ignore proportions"), Rule.FILL),
    **dict.fromkeys(("ignore aspect ratio", "without proportions"), Rule.FILL),
}
_NEVER_ENLARGED = frozenset(
    (
        "not enlarged",
        "never enlarged",
        "do not enlarge",
        "no upscaling",
        "without enlarging",
        "never enlarge",
        "no enlarging",
        "not larger",
        "do not upscale",
        "no enlargement",
    )
)
_QUALITIES = {
    **dict.fromkeys(
        (
            "best quality",
            "highest quality",
            "maximum quality",
            "max quality",
            "very high quality",
            "quality best",
            "full quality",
        ),
        95,
    ),
    **dict.fromkeys(("lossless", "without loss", "no loss", "losslessly", "without any loss"), 100),
    **dict.fromkeys(("high quality", "good quality", "quality high", "quality good"), 90),
    **dict.fromkeys(("medium quality", "normal quality", "average quality", "quality medium"), 75),
    **dict.fromkeys(("low quality", "lower quality", "poor quality", "quality low"), 55),
}
_WEIGHT_UNIT = r"(kb|mb|b|k)"
_WEIGHT = r"(\d{1,9}(?:[.,]\d{1,6})?)"
_UNDER = (
    "under|below|less than|lighter than|smaller than|at most|max|maximum|up to|no more than|not more than|not over|"
    "no larger than|not larger than|no heavier than|not heavier than|within|down to|to|<|< than|compress to|reduce "
    "to|"
    "shrink to|maximum size|max size|file size|weight|size|make|limit|limit to|less|keep under|keep below|not exceed|"
    "compress under|compress below|compressed to|target|about|around|as|in|small as|or|size under|file under|with"
)
_CEILING = re.compile(
    rf"(?:(?:it )?(?:{_UNDER}) )?(?:it )?(?:{_UNDER} )?{_WEIGHT} {_WEIGHT_UNIT}(?: (?:max|maximum|at most|or less|"
    rf"limit|file|size|or lighter|or smaller|tops))?"
)
_DENSITY = re.compile(
    r"(at |with )?(\d{1,5}(?:[.,]\d{1,3})?) (?:dpi|px per in|px / in|dots per in)|(?:resolution|dpi)(?: of| to)? "
    r"(\d{1,5})|at (\d{2,4})"
)
_FORMATS = "|".join(sorted(TYPED_NAMES, key=len, reverse=True))
_FORMAT = re.compile(
    rf"(?:(?:save|export|convert|write|written|store|output|change|make|turn|file)(?: it)?(?: this)? )?"
    rf"(?:(as|to|in|into|for|also as|and also as|also|plus|format) )?(?:a |an )?({_FORMATS})(?: (?:file|format|"
    rf"picture|version|too|as well))?"
)
_QUALITY = re.compile(
    r"(?:at |with )?(?:quality|q)(?: of| at| to)? (\d{1,3})(?: %)?|(?:at |with )?(\d{1,3})(?: %)? quality"
)
_FORMAT_QUALITY = re.compile(rf"(?:as |to )?({_FORMATS}) (?:at )?(\d{{1,3}})(?: %)?")
_UNWRITTEN = re.compile(r"(?:save |export |convert )?(?:as |to |in )?(bmp|heic|heif|svg|ico|eps|raw|jp2)")
_CARRIED = {
    f"{start}{words}{end}": (group,)
    for group, several in (
        (Carried.TEXTS, ("texts", "texts and rights", "credit", "rights", "caption", "copyright")),
        (Carried.CAMERA, ("camera", "camera data", "camera and date", "camera and lens")),
        (Carried.LOCATION, ("location", "the location", "gps", "coordinates")),
    )
    for words in several
    for start, end in (
        ("with ", ""),
        ("keep ", ""),
        ("carry ", ""),
        ("with ", " in the file"),
        ("with ", " embedded"),
    )
}
_NOTHING_CARRIED_TYPED = (
    "no metadata, without metadata, remove metadata, strip metadata, delete metadata, clean metadata, no exif, "
    "without exif, remove exif, strip exif, no gps, without gps, remove gps, no location, without location, "
    "remove location, no camera data, without camera data, without texts, no texts, pixels alone, "
    "nothing but pixels, remove the location, without a location, remove all metadata, strip all metadata, no data, "
    "anonymous file"
)
_NOTHING_CARRIED = frozenset(_NOTHING_CARRIED_TYPED.split(", "))
_COLOURS = {
    **dict.fromkeys(("cmyk", "in cmyk", "as cmyk", "cmyk for print", "four colours"), ColourModel.CMYK),
    **dict.fromkeys(("rgb", "in rgb", "as rgb"), ColourModel.RGB),
    **dict.fromkeys(("one band", "one band of grey", "grey channel"), ColourModel.GREY),
}
_PACE = {
    **dict.fromkeys(("write quickly", "written quickly", "quick files"), True),
    **dict.fromkeys(("write thoroughly", "written thoroughly", "thorough files", "smallest files"), False),
}
_BITS = {
    **dict.fromkeys(("8 bits", "8 bit", "in 8 bits", "in 8 bit", "with 8 bits", "8 bits each"), 8),
    **dict.fromkeys(("16 bits", "16 bit", "in 16 bits", "in 16 bit", "with 16 bits", "keep 16 bits"), 16),
}
_KEEP = re.compile(
    r"(?:keep|keeping|kept|anchor|align|aligned)(?: to| at)?(?: the)? ((?:top|bottom|upper|lower)?(?: ?(?:left|"
    r"right))?|centre|middle)"
    r"(?: side| edge| corner| part)?"
)
_ON_GROUND = re.compile(
    rf"(?:on|with|onto|against|over)(?: a| the)? {GROUND}(?: (?:background|ground|room|margins|bars))?|"
    rf"{GROUND} (?:bars|margins|room around it|letterbox)|(?:background|ground|bars|fill)(?: colour)?(?: in| of)? "
    rf"{GROUND}|{GROUND} (?:background|ground)"
)
_GROUNDS_ALONE = frozenset({"white", "black", "clear", "transparent"})
_COLOUR_ALONE = re.compile(rf"(?:in )?{GROUND}")
COLOUR_ALONE_COST = 2.5  # beside any reading of which it is a part
# words that ask for something without saying how much: what says it, the question, and usual answers
_NEEDS = (
    (
        "compress, compressed, lighter file, smaller file, file smaller, make file smaller, file lighter, "
        "file too large, file too big, file too heavy, too heavy, lighter to load, optimise for web, for web, for "
        "the web, "
        "weight, lighter weight, less weight, reduce file size, file size, compression, under, below, less than",
        {"max_bytes", "quality", "format"},
        "How light shall the file be?",
        ("under 200 kB", "under 500 kB", "as webp"),
    ),
    ("quality, q", {"quality"}, "Which quality, from 1 to 100?", ("quality 80", "quality 60", "quality 90")),
    (
        "format, convert, convert to, save as, export as, as, file format, file type",
        {"format"},
        "Which format?",
        tuple(f"as {name}" for name in dict.fromkeys(TYPED_NAMES.values())),
    ),
    (
        "dpi, resolution, change resolution",
        {"pixels_per_inch"},
        "How many pixels per inch?",
        ("300 dpi", "150 dpi", "72 dpi"),
    ),
    (
        "background, change background, background colour, ground",
        {"ground"},
        "What shall be done to the ground?",
        ("remove background", "white background"),
    ),
)
NEEDS = {
    typed: NeedPart(question, instead, frozenset(said_by))
    for words, said_by, question, instead in _NEEDS
    for typed in words.split(", ")
}


def read_wish(words: str) -> Iterator[Found]:
    """Everything that some words can mean for a file or a place, in the one form of `core.typed_text`."""
    if (rule := RULES.get(words)) is not None:
        yield Found(WishPart({"rule": rule}))
    if words in _NEVER_ENLARGED:
        yield Found(WishPart({"enlarges": False}))
    if (quality := _QUALITIES.get(words)) is not None:
        yield Found(WishPart({"quality": quality}))
    if (match := _CEILING.fullmatch(words)) is not None:
        yield _ceiling(match[1], match[2], is_said=not words[0].isdigit())
    if (match := _DENSITY.fullmatch(words)) is not None:
        number = (match[2] or match[3] or match[4]).replace(",", ".")
        yield Found(WishPart({"pixels_per_inch": float(number)}, needs_size=bool(match[4])), 1.6 if match[4] else 1.0)
    if (match := _FORMAT.fullmatch(words)) is not None:
        is_further = match[1] in {"also as", "and also as", "also", "plus"} or words.endswith((" too", " as well"))
        yield Found(FormatPart(TYPED_NAMES[match[2]], is_further))
    if (
        (match := _FORMAT_QUALITY.fullmatch(words)) is not None
        and 1 <= int(match[2]) <= 100
        and _has_quality(match[1])
    ):
        yield Found(FormatPart(TYPED_NAMES[match[1]], quality=int(match[2])), 1.1)
    if (match := _UNWRITTEN.fullmatch(words)) is not None:
        labels = [name.label for name in dict.fromkeys(TYPED_NAMES.values())]
        yield Found(
            RefusedPart(f"{match[1].upper()} is not written here. {', '.join(labels[:-1])} and {labels[-1]} are.")
        )
    if (match := _QUALITY.fullmatch(words)) is not None:
        yield Found(WishPart({"quality": int(match[1] or match[2])}))
    if (groups := _CARRIED.get(words)) is not None:
        yield Found(WishPart({"carries": groups}))
    if words in _NOTHING_CARRIED:
        yield Found(WishPart({"carries": ()}))
    if (colour := _COLOURS.get(words)) is not None:
        yield Found(WishPart({"colour": colour}))
    if (bits := _BITS.get(words)) is not None:
        yield Found(WishPart({"bits": bits}))
    if (is_quick := _PACE.get(words)) is not None:
        yield Found(WishPart({"is_quick": is_quick}))
    if (match := _KEEP.fullmatch(words)) is not None and (anchor := _anchor(match[1])) is not None:
        yield Found(WishPart({"anchor": anchor}))
    if (match := _ON_GROUND.fullmatch(words)) is not None:
        ground = read_ground(next(part for part in match.groups() if part))
        yield Found(WishPart({"ground": ground}), 1.2)
    elif words in _GROUNDS_ALONE:
        yield Found(WishPart({"ground": read_ground(words)}), 1.6)
    if (need := NEEDS.get(words)) is not None:
        yield Found(need, NEED_COST)
    if words not in _GROUNDS_ALONE and _COLOUR_ALONE.fullmatch(words) is not None:
        instead = (f"recolour {words}", f"border {words}", f"fill background with {words}")
        yield Found(NeedPart(f"What shall be {words}?", instead, frozenset(), replaces=True), COLOUR_ALONE_COST)


def _has_quality(typed: str) -> bool:
    return bool(TYPED_NAMES[typed].output.qualities)


def _ceiling(amount: str, unit: str, is_said: bool) -> Found:
    # 4k alone is a screen
    cost = 1.7 if unit == "k" and not is_said and len(amount) < 2 else 1.0
    try:
        return Found(WishPart({"max_bytes": parse_weight(f"{amount} {'kb' if unit == 'k' else unit}")}), cost)
    except UserError as error:
        return Found(RefusedPart(error.sentence))


def _anchor(words: str) -> Anchor | None:
    plain = " ".join(words.replace("upper", "top").replace("lower", "bottom").replace("middle", "centre").split())
    return next((anchor for anchor in Anchor if anchor.value == plain), None)
