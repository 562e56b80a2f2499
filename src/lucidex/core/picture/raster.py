"""The prepared picture on the canonical raster: what all that looks at a picture looks at."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.transform import Transform

Bytes = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Raster:
    """The prepared picture on the canonical raster: height × width × 3 or 4 bytes (sRGB), and its frame."""

    pixels: Bytes
    geometry: PictureGeometry

    @property
    def to_picture(self) -> Transform:
        """From raster pixels to pixels of the picture."""
        height, width = self.pixels.shape[:2]
        return Transform(self.geometry.size.width / width, 0, 0, self.geometry.size.height / height)

    @property
    def to_content(self) -> Transform:
        """From raster pixels to fractions of the upright original."""
        upright = self.geometry.upright
        return self.to_picture.then(self.geometry.transform.inverse).then(
            Transform(1 / upright.width, 0, 0, 1 / upright.height)
        )

    @property
    def unit(self) -> float:
        """The upright original's shorter side in raster pixels, as seen in the middle."""
        centre = self.geometry.held_content(self.geometry.window.centre)
        return self.geometry.content_unit(centre) * float(self.pixels.shape[1]) / self.geometry.size.width
