"""The one resampling, a window with real edges to whole pixels at any scale, and the one warp; without a shift."""

from lucidex.core.resampling.resample import resampled, resampled_floats, unpremultiplied
from lucidex.core.resampling.warp import MARGIN as WARP_MARGIN
from lucidex.core.resampling.warp import warped

__all__ = ["WARP_MARGIN", "resampled", "resampled_floats", "unpremultiplied", "warped"]
