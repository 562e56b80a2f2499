"""Under a ceiling, format and quality are found together: of all formats the one whose file looks best."""

import math
from dataclasses import dataclass

from lucidex.core.encode import FORMAT_NAMES, FormatName
from lucidex.core.encode.likeness import LOOKS_THE_SAME, POOR_BELOW, likeness_words
from lucidex.core.places.demand import PlaceDemand, amended
from lucidex.core.places.output_id import OutputId
from lucidex.core.units import format_weight
from lucidex.services.house.workshop import Workshop
from lucidex.services.pictures.documents import PictureState
from lucidex.services.rendering.render_requests import in_place
from lucidex.services.rendering.renderer import Renderer

MAX_PIXELS = 700_000  # larger files are compared on a copy of this size, under a ceiling that shrinks as it does
WORTH_IT = 2.0  # of likeness: less is not worth a format that fewer programs read


@dataclass(frozen=True)
class FoundFormat:
    """What was found about formats under a ceiling, in a sentence; with a better format, or None."""

    name: FormatName | None
    words: str


def better_format(
    renderer: Renderer, workshop: Workshop, state: PictureState, place_id: int, demand: PlaceDemand
) -> FoundFormat | None:
    """What suits a picture in a place with a ceiling; None where the usual format is good, or one is chosen.

    Formats are tried in their order, the slow ones last, until one looks the same.
    """
    output = OutputId.of(str(place_id))
    own = state.document.settings(output)
    if demand.max_bytes is None or demand.format is not None or demand.quality or own.format or own.quality:
        return None
    placed = in_place(workshop, state, output, demand)
    usual = placed.rendering.format
    smaller = _smaller(demand, placed.size.pixels)
    found: dict[FormatName, float] = {}
    for name in _tried(usual, placed.case.has_clear_areas, placed.size.longest):
        found[name] = _likeness(renderer, workshop, state, output, amended(smaller, format=name))
        if found[name] >= LOOKS_THE_SAME:
            break
    best = max(found, key=lambda name: found[name])
    allowed = format_weight(demand.max_bytes)
    if found[best] < POOR_BELOW:
        least = f"With {allowed} no format comes closer than {_words(found[best])}, as {best.label}"
        better = best if _is_worth_it(found, best, usual) else None
        return FoundFormat(better, f"{least}. Click its weight to see what more bytes would give.")
    if not _is_worth_it(found, best, usual):
        return None
    said = f"Written as {best.label}: with {allowed} it is {_words(found[best])}"
    return FoundFormat(best, f"{said}, as {usual.label} {_words(found[usual])}.")


def _tried(usual: FormatName, has_clear_areas: bool, longest: int) -> list[FormatName]:
    """The usual format, then the others that can hold the picture, the slow ones last."""
    others = [
        name
        for name in FORMAT_NAMES
        if name != usual
        and name.output.ladder
        and name.output.default_quality is not None
        and longest <= name.output.max_edge
        and (name.output.keeps_clear or not has_clear_areas)
    ]
    return [usual, *sorted(others, key=lambda name: name.output.is_slow)]


def _is_worth_it(found: dict[FormatName, float], best: FormatName, usual: FormatName) -> bool:
    return best != usual and found[best] >= found[usual] + WORTH_IT


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
    placed = in_place(workshop, state, output, demand)
    result, likeness = renderer.judge.judged(placed.rendering)
    return likeness if demand.max_bytes is not None and result.byte_count <= demand.max_bytes else 0.0
