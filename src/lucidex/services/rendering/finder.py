"""Looking at a picture: the raster on which steps find their numbers, and the spot that draws attention."""

from lucidex.core.document import PictureDocument
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.picture.raster import Raster
from lucidex.core.picture.saliency import CANONICAL_EDGE, focal_point
from lucidex.services.house.workshop import Workshop
from lucidex.services.pictures.documents import PictureState
from lucidex.services.rendering.composing import Composer
from lucidex.services.rendering.render_requests import for_screen


class Finder:
    """Looks at prepared pictures."""

    def __init__(self, workshop: Workshop, composer: Composer) -> None:
        self._workshop, self._composer = workshop, composer

    def raster(self, state: PictureState, document: PictureDocument, edge: int = CANONICAL_EDGE) -> Raster:
        """A document's picture on the canonical raster, or a finer one: what automatic steps look at."""
        canonical = Size(edge, edge)
        with self._composer.shown:
            image = self._composer.drawn(for_screen(self._workshop, state, canonical, document))
        return Raster(image.numpy(), document.geometry(state.facts.upright))

    def suggest_focal_point(self, state: PictureState) -> Point:
        """The content point of the prepared picture that draws attention."""
        raster = self.raster(state, state.document)
        found = focal_point(raster.pixels)
        geometry = raster.geometry
        return geometry.held_content(Point(found.x * geometry.size.width, found.y * geometry.size.height))
