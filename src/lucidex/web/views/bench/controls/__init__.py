"""Controls of steps that need more than a plain form. Who adds one writes a file here and names it in `CONTROLS`."""

from lucidex.web.views.bench.control import Control, register
from lucidex.web.views.bench.controls import (
    areas,
    balance,
    crop,
    four_points,
    logo,
    look,
    room,
    straighten,
    text,
    tonal,
)

CONTROLS: tuple[Control, ...] = (
    crop.CONTROL,
    four_points.CONTROL,
    straighten.CONTROL,
    room.CONTROL,
    balance.CONTROL,
    look.CONTROL,
    logo.CONTROL,
    text.CONTROL,
    *tonal.CONTROLS,
    *areas.CONTROLS,
)
register(*CONTROLS)
ROUTERS = (*(control.routes for control in CONTROLS if control.routes is not None), areas.router)
