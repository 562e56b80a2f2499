"""The one resampling: a window with real edges, to whole pixels, at any scale, without a shift."""

from lucidex.core.resampling.resample import resampled, resampled_floats, unpremultiplied

__all__ = ["resampled", "resampled_floats", "unpremultiplied"]
