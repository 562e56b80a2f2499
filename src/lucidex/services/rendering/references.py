"""What files of some pixels are compared with."""

from collections.abc import Hashable

from lucidex.core.encode.likeness import Reference
from lucidex.services.house.caches import CappedCache
from lucidex.services.rendering.composing import Composer, on_ground, shown_by
from lucidex.services.rendering.render_requests import RenderRequest

REFERENCES_KEPT = 2  # each up to 60 MB


class References:
    """The last ones are kept, for the next file of the same pixels."""

    def __init__(self, composer: Composer) -> None:
        self._composer = composer
        self._kept: CappedCache[Hashable, Reference] = CappedCache(REFERENCES_KEPT)

    def likeness(self, content: bytes, rendering: RenderRequest) -> float:
        """How alike a file is to its pixels before they were encoded, 0 to 100."""
        key = (rendering.pixels_key, rendering.encoding.ground)
        kept = self._kept.get(key)
        if kept is None:
            kept = Reference(on_ground(self._composer.drawn(rendering), rendering))
            self._kept.put_if_absent(key, kept)
        return kept.likeness(shown_by(content, rendering))
