"""Judging finished files: how alike they are to the pixels before they were encoded, and both to look at."""

from lucidex.core.source.pyramid import AnyPixels
from lucidex.services.house.workshop import Workshop
from lucidex.services.rendering.composing import Composer, on_ground, shown_by
from lucidex.services.rendering.files import Files
from lucidex.services.rendering.references import References
from lucidex.services.rendering.render_requests import RenderRequest
from lucidex.services.rendering.results import StoredResult, note_likeness


class Judge:
    """Compares what was finished with what it was made of."""

    def __init__(self, workshop: Workshop, composer: Composer, references: References, files: Files) -> None:
        self._workshop, self._composer = workshop, composer
        self._references, self._files = references, files

    def judged(self, rendering: RenderRequest) -> tuple[StoredResult, float]:
        """The finished file, and its likeness to the pixels before they were encoded, 0 to 100."""
        result = self._files.render_file(rendering)
        known = result.statistics.likeness if result.statistics else None
        if known is not None:
            return result, known
        with self._composer.shown:
            likeness = self._references.likeness(self._files.content(result), rendering)
        with self._workshop.database.begin() as session:
            note_likeness(session, rendering.key, likeness)
        return result, likeness

    def pixels_before(self, rendering: RenderRequest) -> AnyPixels:
        """The pixels of a file before they are encoded, on the ground of its place: height × width × 3 bytes."""
        with self._composer.shown, self._workshop.heavy(rendering.size.pixels):
            return on_ground(self._composer.drawn(rendering), rendering)

    def pixels_of(self, result: StoredResult, rendering: RenderRequest) -> AnyPixels:
        """What a finished file shows on the ground of its place: height × width × 3 bytes."""
        return shown_by(self._files.content(result), rendering)
