"""Renderings: previews for the screen, finished files for places. Both come from the same `core.render`."""

from lucidex.services.house.workshop import Workshop
from lucidex.services.rendering.composing import PIXEL_CACHE_BYTES, Composer
from lucidex.services.rendering.files import Files
from lucidex.services.rendering.finder import Finder
from lucidex.services.rendering.judging import Judge
from lucidex.services.rendering.references import References
from lucidex.services.rendering.screen import Screen


class Renderer:
    """What computes pixels for one process, by duty: `screen`, `files`, `judge`, `finder`."""

    def __init__(self, workshop: Workshop, files_at_once: int = 2, kept_bytes: int = PIXEL_CACHE_BYTES) -> None:
        composer = Composer(kept_bytes)
        references = References(composer)
        self.files = Files(workshop, composer, references, files_at_once)
        self.screen = Screen(workshop, composer, self.files)
        self.judge = Judge(workshop, composer, references, self.files)
        self.finder = Finder(workshop, composer)
