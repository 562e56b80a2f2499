"""Parts of pictures at any size. Source: IIIF Image API 3.0 and its compliance levels; level 2 is kept, and more."""

import re
from dataclasses import dataclass
from typing import Literal

import pyvips

from standins.source.catalogue import Entry

CONTEXT = "http://iiif.io/api/image/3/context.json"
MEDIA_TYPE = f'application/ld+json;profile="{CONTEXT}"'
MAX_EDGE, MAX_AREA = 8_000, 30_000_000
TILE, FACTORS = 512, (1, 2, 4)
FORMATS = {"jpg": (".jpg[Q=88]", "image/jpeg"), "png": (".png", "image/png"), "webp": (".webp[Q=88]", "image/webp")}
QUALITIES = ("default", "color", "gray", "bitonal")
_NUMBER = r"(\d+(?:\.\d+)?)"

Quality = Literal["default", "color", "gray", "bitonal"]


class WrongRequestError(ValueError):
    """What is asked for is against the rules: status 400."""


class NotDoneError(ValueError):
    """The rules know it, and it is not done here: status 501."""


@dataclass(frozen=True)
class Region:
    """A part of a picture in its own pixels."""

    left: int
    top: int
    width: int
    height: int


def information(base: str, entry: Entry) -> dict[str, object]:
    """info.json."""
    return {
        "@context": CONTEXT,
        "id": f"{base}/images/{entry.id}",
        "type": "ImageService3",
        "protocol": "http://iiif.io/api/image",
        "profile": "level2",
        "width": entry.width,
        "height": entry.height,
        "maxWidth": MAX_EDGE,
        "maxHeight": MAX_EDGE,
        "maxArea": MAX_AREA,
        "sizes": [
            {"width": -(-entry.width // factor), "height": -(-entry.height // factor)} for factor in reversed(FACTORS)
        ],
        "tiles": [{"width": TILE, "scaleFactors": list(FACTORS)}],
        "rights": entry.licence,
        "extraFormats": ["webp"],
        "extraQualities": ["color", "gray", "bitonal"],
        "extraFeatures": ["mirroring", "sizeUpscaling", "regionSquare", "profileLinkHeader"],
    }


def read_region(text: str, width: int, height: int) -> Region:
    """`full`, `square`, `x,y,w,h` or `pct:x,y,w,h`, cut at the picture's edges."""
    if text == "full":
        return Region(0, 0, width, height)
    if text == "square":
        side = min(width, height)
        return Region((width - side) // 2, (height - side) // 2, side, side)
    numbers = r",".join([_NUMBER] * 4)
    if (match := re.fullmatch(r"(\d+),(\d+),(\d+),(\d+)", text)) is not None:
        left, top, across, down = (int(one) for one in match.groups())
    elif (match := re.fullmatch(f"pct:{numbers}", text)) is not None:
        shares = [float(one) / 100 for one in match.groups()]
        left, across = round(shares[0] * width), round(shares[2] * width)
        top, down = round(shares[1] * height), round(shares[3] * height)
    else:
        raise WrongRequestError("The region is none of full, square, x,y,w,h and pct:x,y,w,h.")
    if across < 1 or down < 1 or left >= width or top >= height:
        raise WrongRequestError("The region holds no pixel of the picture.")
    return Region(left, top, min(across, width - left), min(down, height - top))


def read_size(text: str, region: Region) -> tuple[int, int]:
    """`max`, `w,`, `,h`, `pct:n`, `w,h`, `!w,h`, each with `^` before it where it may be larger than the region."""
    may_grow, text = text.startswith("^"), text.removeprefix("^")
    whole = region.width / region.height
    if text == "max":
        size = _grown(region) if may_grow else (region.width, region.height)
    elif (match := re.fullmatch(r"(\d+),", text)) is not None:
        size = int(match[1]), round(int(match[1]) / whole)
    elif (match := re.fullmatch(r",(\d+)", text)) is not None:
        size = round(int(match[1]) * whole), int(match[1])
    elif (match := re.fullmatch(f"pct:{_NUMBER}", text)) is not None:
        share = float(match[1]) / 100
        size = round(region.width * share), round(region.height * share)
        if share > 1 and not may_grow:
            raise WrongRequestError("More than 100 percent is asked for with ^.")
    elif (match := re.fullmatch(r"(\d+),(\d+)", text)) is not None:
        size = int(match[1]), int(match[2])
    elif (match := re.fullmatch(r"!(\d+),(\d+)", text)) is not None:
        scale = min(int(match[1]) / region.width, int(match[2]) / region.height, float("inf") if may_grow else 1.0)
        size = max(1, round(region.width * scale)), max(1, round(region.height * scale))
        if min(int(match[1]), int(match[2])) < 1:
            raise WrongRequestError("A size has at least one pixel.")
    else:
        raise WrongRequestError("The size is none of max, w, ,h pct:n w,h and !w,h.")
    return _checked(size, region, may_grow)


def _grown(region: Region) -> tuple[int, int]:
    scale = min(MAX_EDGE / region.width, MAX_EDGE / region.height, (MAX_AREA / (region.width * region.height)) ** 0.5)
    scale = max(1.0, scale)
    return int(region.width * scale), int(region.height * scale)


def _checked(size: tuple[int, int], region: Region, may_grow: bool) -> tuple[int, int]:
    if min(size) < 1:
        raise WrongRequestError("A size has at least one pixel.")
    if max(size) > MAX_EDGE or size[0] * size[1] > MAX_AREA:
        raise WrongRequestError("That is larger than maxWidth, maxHeight or maxArea.")
    if not may_grow and (size[0] > region.width or size[1] > region.height):
        raise WrongRequestError("That is larger than the region; ask for it with ^.")
    return size


def read_rotation(text: str) -> tuple[bool, int]:
    """Whether it is mirrored first, and quarter turns clockwise."""
    match = re.fullmatch(f"(!?){_NUMBER}", text)
    if match is None or not 0 <= float(match[2]) <= 360:
        raise WrongRequestError("The rotation is no number from 0 to 360.")
    if float(match[2]) % 90:
        raise NotDoneError("Only quarter turns are done here.")
    return bool(match[1]), int(float(match[2])) // 90 % 4


def deliver(entry: Entry, region: str, size: str, rotation: str, quality: str, suffix: str) -> tuple[bytes, str]:
    """The bytes of what is asked for, and their media type. WrongRequestError, NotDoneError."""
    if suffix not in FORMATS:
        raise WrongRequestError(f"There is no format {suffix[:10]}.")
    if quality not in QUALITIES:
        raise WrongRequestError(f"There is no quality {quality[:10]}.")
    part = read_region(region, entry.width, entry.height)
    width, height = read_size(size, part)
    mirrored, quarters = read_rotation(rotation)
    settings, media_type = FORMATS[suffix]
    is_untouched = (width, height) == (entry.width, entry.height) == (part.width, part.height)
    if is_untouched and not (mirrored or quarters) and suffix == "jpg" and quality in {"default", "color"}:
        return entry.file.read_bytes(), media_type
    image = pyvips.Image.new_from_file(str(entry.file))
    image = image.crop(part.left, part.top, part.width, part.height)
    if (width, height) != (part.width, part.height):
        image = image.resize(width / part.width, vscale=height / part.height)
        image = image.crop(0, 0, min(width, image.width), min(height, image.height))
        if (image.width, image.height) != (width, height):
            image = image.embed(0, 0, width, height, extend="copy")
    image = image.fliphor() if mirrored else image
    for _ in range(quarters):
        image = image.rot90()
    if quality in {"gray", "bitonal"}:
        image = image.colourspace("b-w")
    if quality == "bitonal":
        image = image > 127
    return bytes(image.write_to_buffer(settings)), media_type
