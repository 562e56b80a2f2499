"""Pixels and arithmetic: a library without database, HTTP, clock or environment.

Open a file, say what a place asks for, render and write it:

>>> import tempfile, pyvips
>>> with tempfile.NamedTemporaryFile(suffix=".png") as file:
...     pyvips.Image.black(1200, 800, bands=3).pngsave(file.name)
...     picture = open_picture(file.name)
>>> banner = read_demand("600x240 as webp").demand()
>>> document = PictureDocument(steps=(StepEntry(id="a", step=Exposure(stops=0.5)),))
>>> content = write(render_picture(picture, banner, document), banner)
>>> content[8:12]
b'WEBP'
"""

from lucidex.core.document import Framing, PictureDocument
from lucidex.core.encode import Encoding, FormatName
from lucidex.core.errors import OutOfRangeError, TooLargeError, UnreadableFileError, UserError
from lucidex.core.library import OpenedPicture, open_picture, render_picture, write
from lucidex.core.line.places import read_demand
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.steps import ALL_STEPS, StepEntry
from lucidex.core.steps.tone import Exposure

__all__ = [
    "ALL_STEPS",
    "Encoding",
    "Exposure",
    "FormatName",
    "Framing",
    "OpenedPicture",
    "OutOfRangeError",
    "PictureDocument",
    "PlaceDemand",
    "StepEntry",
    "TooLargeError",
    "UnreadableFileError",
    "UserError",
    "open_picture",
    "read_demand",
    "render_picture",
    "write",
]
