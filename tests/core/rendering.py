"""Renders in memory, without stores: what the core's tests share."""

import numpy as np
import pyvips

from lucidex.core.document import Framing, PictureDocument
from lucidex.core.finish.assets import Assets
from lucidex.core.finish.text.faces import Face, Family, shipped_face
from lucidex.core.geometry.sizes import Size
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.render import draw, draw_whole, plan
from lucidex.core.source.pyramid import PixelLayout, Source, levels_of, reduce_level
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import Step
from tests.conftest import Pixels, picture


def source_of(pixels: Pixels, orientation: int = 1) -> Source:
    """A decoded source over an array of height × width × bands."""
    height, width, bands = pixels.shape
    layout = PixelLayout(bands, "uchar", "srgb", bands == 4)
    stored = Size(width, height)
    levels: dict[int, Pixels] = {}
    for number in levels_of(stored):
        level = pixels if number == 1 else reduce_level(pixels, number, layout.has_alpha)
        levels[number] = np.ascontiguousarray(level)
    return Source(stored, orientation, layout, None, levels.__getitem__)


def entries(*steps: Step) -> tuple[StepEntry, ...]:
    """A list of active steps."""
    return tuple(StepEntry.model_validate({"id": f"s{i}", "step": step.model_dump()}) for i, step in enumerate(steps))


class AnyAssets:
    """Whatever a step names is a small picture with clear areas."""

    _source = source_of(picture(24, 16, 4, seed=5))

    def size(self, sha256: str) -> Size:
        return self._source.upright

    def picture(self, sha256: str, size: Size) -> pyvips.Image:
        return draw_whole(self._source, size)

    def face(self, sha256: str) -> Face:
        return shipped_face(Family.HAND)


def rendered(
    source: Source,
    demand: PlaceDemand,
    *steps: Step,
    framing: Framing | None = None,
    ground: tuple[int, int, int] | None = (255, 255, 255),
    assets: Assets | None = None,
) -> Pixels:
    """The pixels of a picture in a place."""
    document = PictureDocument(steps=entries(*steps), framings={"1": framing} if framing else {})
    geometry = document.geometry(source.upright)
    placement = document.placement(geometry, "1", demand)
    finish = document.finish("1", placement.canvas)
    image = draw(source, plan(source, geometry, placement, ground, document.treatment, finish), assets or AnyAssets())
    pixels: Pixels = image.numpy()
    return pixels
