"""Looking at a decoded original for its subject."""

import pyvips

from lucidex.core.framing.finding import LOOKED_AT_EDGE, find_subject
from lucidex.core.framing.subject import Subject
from lucidex.core.geometry.sizes import Size, largest_within
from lucidex.core.picture.colour import in_8_bits
from lucidex.core.render import draw_whole
from lucidex.core.source.pyramid import Source


def subject_in(source: Source) -> Subject:
    """What a source shows, looked for on the canonical raster of the whole upright original."""
    upright = source.upright
    small = largest_within(upright, Size(LOOKED_AT_EDGE, LOOKED_AT_EDGE))
    drawn: pyvips.Image = draw_whole(source, small if small.longest < upright.longest else upright)
    return find_subject(in_8_bits(drawn).colourspace("srgb").numpy())
