"""Steps that are set against the histogram, by their plain form or their own."""

from lucidex.web.views.bench.control import Control

CONTROLS = tuple(
    Control(kind, histogram=True) for kind in ("exposure", "light", "range", "shadows_highlights", "levels", "curve")
)
