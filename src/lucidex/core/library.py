"""The core as a library: open a file, render it for a place, encode it. Without the rest of the product.

Files are decoded in this process: bytes from strangers belong into a process of their own (`lucidex.work`).
"""

from collections import defaultdict
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyvips

from lucidex.core.document import PictureDocument
from lucidex.core.encode import Encoding, FormatName, encode
from lucidex.core.encode.content import is_photograph
from lucidex.core.finish.assets import NO_ASSETS, Assets
from lucidex.core.picture.grounds import colour_of
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.output_id import OutputId
from lucidex.core.render import draw, plan
from lucidex.core.source.decoder import take_in
from lucidex.core.source.derivation import StoredPixels, restored
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.formats import Part
from lucidex.core.source.pyramid import AnyPixels, Source
from lucidex.core.stamp import NO_TEXTS, Stamp, Texts, reserved_for, stamped

PLACE = OutputId("1")
AS_IT_IS = PictureDocument()


@dataclass(frozen=True)
class OpenedPicture:
    """A decoded file: its pixels at four scales, and what is known of it."""

    source: Source
    facts: SourceFacts


def open_picture(path: Path | str, page: int = 1, density: int | None = None) -> OpenedPicture:
    """Decode a file of any format that is read (`lucidex.core.source.formats`); a page of it, counted from 1.

    `density` is how densely a drawing is drawn, in the unit of its format (`SourceFormat.drawn`).

    All its pixels are held in memory, at four scales: height × width × bands of 8 or 16 bits. Raises
    UnreadableFileError or TooLargeError with a sentence that says what and why, and OSError where there is no such
    file.
    """
    rows: dict[int, list[AnyPixels]] = defaultdict(list)
    with Path(path).open("rb") as file:
        facts = take_in(
            file, lambda number, some: rows[number].append(some.copy()), rows.clear, part=Part(page, density)
        )
    levels = {number: np.concatenate(parts) for number, parts in rows.items()}
    return OpenedPicture(
        Source(facts.stored, facts.orientation, facts.layout, facts.profile, levels.__getitem__), facts
    )


def render_picture(
    picture: OpenedPicture, demand: PlaceDemand, document: PictureDocument = AS_IT_IS, assets: Assets = NO_ASSETS
) -> pyvips.Image:
    """A picture as its document has it, in a place: 8-bit sRGB of 3 bands, or 4 with unpremultiplied alpha.

    The document's framing and finish for the place `1` count. `assets` holds what its finish needs. The result has
    exactly the size that the demand asks for. Raises OutOfRangeError where that exceeds the limits.

    >>> import tempfile
    >>> from lucidex.core import open_picture, read_demand
    >>> with tempfile.NamedTemporaryFile(suffix=".png") as file:
    ...     pyvips.Image.black(640, 400, bands=3).pngsave(file.name)
    ...     image = render_picture(open_picture(file.name), read_demand("320x200").demand())
    >>> image.width, image.height, image.bands
    (320, 200, 3)
    """
    source = _restored(picture, document)
    geometry = document.geometry(source.upright)
    placement = document.placement(geometry, PLACE.place, demand)
    ground = None if placement.covers_canvas else colour_of(demand.ground)
    finish = document.finish(PLACE.place, placement.canvas)
    chosen = plan(source, geometry, placement, ground, document.treatment, finish)
    return draw(source, chosen, assets)


def _restored(picture: OpenedPicture, document: PictureDocument) -> Source:
    source, restorations = picture.source, document.restorations
    if not restorations:
        return source
    stored = StoredPixels(source.open_level(1), source.orientation, source.profile)
    return source.of_pixels(restored(stored, restorations))


def _usual_format(image: pyvips.Image) -> FormatName:
    is_clear = bool(image.hasalpha())
    return AS_IT_IS.usual_format(is_clear, is_clear and is_photograph(image.numpy()))


def write(
    image: pyvips.Image, demand: PlaceDemand, format: FormatName | None = None, texts: Texts = NO_TEXTS
) -> bytes:
    """The bytes of a rendered picture for a place: its format, quality, ceiling and resolution.

    Without a format of the place's or one's own, JPEG; where something is clear WebP, or PNG for what is drawn.
    `texts` are put into the file as XMP; a ceiling counts them. Raises OutOfRangeError where there are some and the
    format carries none.

    >>> from lucidex.core import read_demand
    >>> content = write(pyvips.Image.black(64, 32, bands=3), read_demand("64x32 as png").demand())
    >>> content[1:4]
    b'PNG'
    """
    name, quality = AS_IT_IS.written_as(PLACE, demand, _usual_format(image))
    name = format or name
    quality = None if name.output.default_quality is None else quality or name.output.default_quality
    ceiling = demand.max_bytes if name.output.qualities and AS_IT_IS.finds_quality(PLACE, demand) else None
    ground = colour_of(demand.ground) or (255, 255, 255)
    stamp = Stamp(texts=texts)
    encoding = Encoding(
        quality, demand.pixels_per_inch, ground, max_bytes=ceiling, reserved_bytes=reserved_for(stamp, name)
    )
    return stamped(encode(image, name, encoding), name, stamp)
