"""Under a ceiling, format and quality are found together: of the quick formats, the one whose file looks best."""

import math
from dataclasses import dataclass

from lucidex.core.encode import FORMAT_NAMES, FormatName
from lucidex.core.encode.likeness import WORDS, likeness_words
from lucidex.core.places.demand import PlaceDemand, amended
from lucidex.core.places.output_id import OutputId
from lucidex.core.units import format_weight
from lucidex.services.documents import PictureState
from lucidex.services.render_requests import in_place
from lucidex.services.renderer import Renderer
from lucidex.services.workshop import Workshop

MAX_PIXELS = 2_000_000  # larger files are compared on a copy of this size, under a ceiling that shrinks as it does
WORTH_IT = 0.4  # of likeness: less is not worth a format that fewer programs read
LOOKS_THE_SAME = WORDS[0][0]


@dataclass(frozen=True)
class FoundFormat:
    """A format that looks better than the usual one under a ceiling, and a sentence that says so."""

    name: FormatName
    words: str


def better_format(
    renderer: Renderer, workshop: Workshop, state: PictureState, place_id: int, demand: PlaceDemand
) -> FoundFormat | None:
    """A better format for a picture in a place with a ceiling; None where the usual one is good, or one is chosen."""
    output = OutputId.of(str(place_id))
    own = state.document.settings(output)
    if demand.max_bytes is None or demand.format is not None or demand.quality or own.format or own.quality:
        return None
    placed = in_place(workshop, state, output, demand)
    usual = placed.rendering.format
    if usual.output.default_quality is None:
        return None
    smaller = _smaller(demand, placed.size.pixels)
    usual_likeness = _likeness(renderer, workshop, state, output, amended(smaller, format=usual))
    if usual_likeness >= LOOKS_THE_SAME:
        return None
    found = {
        name: _likeness(renderer, workshop, state, output, amended(smaller, format=name))
        for name in FORMAT_NAMES
        if name != usual and name.output.default_quality is not None and not name.output.is_slow
    }
    best = max(found, key=lambda name: found[name], default=None)
    if best is None or found[best] < usual_likeness + WORTH_IT:
        return None
    said = f"Written as {best.label}: with {format_weight(demand.max_bytes)} it is {_words(found[best])}"
    return FoundFormat(best, f"{said}, as {usual.label} {_words(usual_likeness)}.")


def _words(likeness: float) -> str:
    return f"{likeness:.0f} of 100 alike ({likeness_words(likeness)})"


def _smaller(demand: PlaceDemand, pixels: int) -> PlaceDemand:
    """The demand on a copy that is quickly tried."""
    percent = math.floor(100 * math.sqrt(MAX_PIXELS / pixels)) if pixels > MAX_PIXELS else 100
    measure = demand.measure.at_percent(percent) if percent < 100 else None
    if measure is None or demand.max_bytes is None:
        return demand
    return amended(
        demand, measure=measure.model_dump(), max_bytes=max(100, round(demand.max_bytes * (percent / 100) ** 2))
    )


def _likeness(
    renderer: Renderer, workshop: Workshop, state: PictureState, output: OutputId, demand: PlaceDemand
) -> float:
    statistics = renderer.render_file(in_place(workshop, state, output, demand).rendering).statistics
    return float(statistics.likeness) if statistics and statistics.likeness is not None else 0.0
