"""A ceiling for all files of a folio together, shared out so that all of them look equally like their pictures."""

import math
import time
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from lucidex.core.document import PictureDocument
from lucidex.core.encode import FormatName
from lucidex.core.encode.likeness import POOR_BELOW, likeness_words
from lucidex.core.encode.weighing import Point
from lucidex.core.errors import OutOfRangeError
from lucidex.core.places.output_id import OutputId
from lucidex.core.source.facts import SourceFacts
from lucidex.core.units import format_weight
from lucidex.services.folios.folios import FolioView, read_folio
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import Alter
from lucidex.services.pictures.folio_history import recorded
from lucidex.services.pictures.many_documents import Wanted, all_or_none, change_all_in
from lucidex.services.proof.proof_sheet import ProofCell, proof_rows
from lucidex.services.proof.weigh import Weighing
from lucidex.services.rendering.renderer import Renderer

AT_ONCE_S = 2.0  # of measuring, then whoever asked hears how far it is
POINTS = 3  # of each curve, before anything is shared out
MOST_ROUNDS = 4  # of measuring what was shared out and doing it anew
FINEST, NEAR_ENOUGH = 100.0, 0.25
_measured: OwnCache[str, dict[int, Point]] = OwnCache(8_192)


@dataclass(frozen=True)
class Sharing:
    """How far it is: files measured of those to be measured; at the end a sentence, and whether it was done."""

    done: int
    total: int
    sentence: str = ""
    is_over: bool = False
    is_poor: bool = False


@dataclass(frozen=True)
class _Part:
    """A file with a curve of weight against likeness, as far as it is known."""

    weighing: Weighing
    name: FormatName
    known: dict[int, Point]

    @property
    def curve(self) -> list[Point]:
        return sorted(self.known.values(), key=lambda point: point.quality)

    def held(self, likeness: float) -> float:
        """A likeness, or the one at which the file keeps the ceiling of its own place."""
        ceiling = self.weighing.placed.demand.max_bytes
        if ceiling is None:
            return likeness
        light = [point.likeness for point in self.curve if point.byte_count <= ceiling]
        heavy = [point.likeness for point in self.curve if point.byte_count > ceiling]
        if not heavy:
            return likeness
        low, high = max(light, default=0.0), min(heavy)
        while high - low > NEAR_ENOUGH:
            middle = (low + high) / 2
            low, high = (middle, high) if self._bytes_at(middle) <= ceiling else (low, middle)
        return min(likeness, low)

    def bytes_at(self, likeness: float) -> float:
        """What the file weighs at a likeness, read off between two points, the nearest end beyond them."""
        return self._bytes_at(self.held(likeness))

    def _bytes_at(self, likeness: float) -> float:
        curve = self.curve
        for below, above in pairwise(curve):
            if below.likeness <= likeness < above.likeness:
                share = (likeness - below.likeness) / (above.likeness - below.likeness)
                return math.exp(math.log(below.byte_count) + share * math.log(above.byte_count / below.byte_count))
        return float(curve[0].byte_count if likeness < curve[0].likeness else curve[-1].byte_count)

    def quality_at(self, likeness: float) -> int:
        """The quality of a format that is nearest below a likeness."""
        likeness = self.held(likeness)
        curve, found = self.curve, float(self.known[min(self.known)].quality)
        for below, above in pairwise(curve):
            if below.likeness <= likeness:
                share = (likeness - below.likeness) / max(above.likeness - below.likeness, 1e-6)
                found = below.quality + min(share, 1.0) * (above.quality - below.quality)
        fitting = [quality for quality in self.name.output.qualities if quality <= found + 1e-9]
        return fitting[-1] if fitting else self.name.output.qualities[0]

    def measure(self, quality: int) -> None:
        self.known[quality] = self.weighing.point(self.name, quality)


def share_out(
    renderer: Renderer,
    workshop: Workshop,
    actor: Actor,
    folio_id: int,
    max_bytes: int,
    even_if_poor: bool = False,
) -> Sharing:
    """Measure for a while, and once everything is measured write all files so that they keep a ceiling together.

    To be called until it is over. Files without a quality, and those that pass as they came in, count as they are.
    Where the files would look poor nothing is written, unless `even_if_poor`.
    """
    folio = read_folio(workshop, actor, folio_id)
    cells = [
        cell
        for row in proof_rows(workshop, actor, folio)
        for cell in row.cells
        if cell.is_made and cell.placed is not None
    ]
    if not cells:
        raise OutOfRangeError("There is no file yet that could be shared out.")
    until = time.monotonic() + AT_ONCE_S
    parts = {cell.output + str(cell.state.picture_id): _part(renderer, workshop, cell) for cell in cells}
    fixed = [cell for cell in cells if parts[cell.output + str(cell.state.picture_id)] is None]
    curves = [part for part in parts.values() if part is not None]
    total = len(cells)
    fixed_bytes = 0
    for count, cell in enumerate(fixed):
        assert cell.placed is not None  # noqa: S101
        fixed_bytes += renderer.files.render_file(cell.placed.rendering).byte_count
        if time.monotonic() > until:
            return Sharing(count, total)
    for count, part in enumerate(curves):
        for quality in part.name.output.ladder[:POINTS]:
            if quality not in part.known:
                part.measure(quality)
            if time.monotonic() > until:
                return Sharing(len(fixed) + count, total)
    return _settled(workshop, actor, folio, curves, fixed_bytes, max_bytes, even_if_poor, until, total)


def _settled(
    workshop: Workshop,
    actor: Actor,
    folio: FolioView,
    curves: Sequence[_Part],
    fixed_bytes: int,
    max_bytes: int,
    even_if_poor: bool,
    until: float,
    total: int,
) -> Sharing:
    left = max_bytes - fixed_bytes
    if not curves or sum(part.curve[0].byte_count for part in curves) > left:
        least = fixed_bytes + sum(part.curve[0].byte_count for part in curves)
        return Sharing(
            total, total, f"Nothing was changed: together they weigh at least {format_weight(least)}.", True
        )
    aim = float(left)
    for _ in range(MOST_ROUNDS):
        likeness = _shared_likeness(curves, aim)
        chosen = {id(part): part.quality_at(likeness) for part in curves}
        for part in curves:
            if chosen[id(part)] not in part.known:
                part.measure(chosen[id(part)])
                if time.monotonic() > until:
                    return Sharing(total - 1, total)
        weight = sum(part.known[chosen[id(part)]].byte_count for part in curves)
        if weight <= left:
            break
        aim *= min(0.99, left / weight)
    points = [part.known[chosen[id(part)]] for part in curves]
    least_alike = min(point.likeness for point in points)
    together = f"{format_weight(fixed_bytes + weight)} of {format_weight(max_bytes)}"
    words = likeness_words(least_alike)
    if weight > left:
        said = f"It could not be shared out within {format_weight(max_bytes)}. Nothing was changed."
        return Sharing(total, total, said, True)
    if least_alike < POOR_BELOW and not even_if_poor:
        said = f"With {format_weight(max_bytes)} together, some would come out with “{words}”. Nothing was changed."
        return Sharing(total, total, said, True, is_poor=True)
    _write(workshop, actor, folio, curves, chosen, f"All files together at most {format_weight(max_bytes)}")
    return Sharing(total, total, f"Shared out: {together}. The one that lost most: {words}.", True)


def _part(renderer: Renderer, workshop: Workshop, cell: ProofCell) -> _Part | None:
    """A cell's curve; None for a file that has none."""
    assert cell.placed is not None  # noqa: S101
    rendering = cell.placed.rendering
    name = rendering.format
    if not name.output.ladder or name.output.default_quality is None or rendering.passage is not None:
        return None
    weighing, cache = Weighing(renderer, workshop, cell), _measured.of(workshop)
    key = weighing.rendering(name, name.output.ladder[0]).key  # names all that decides its files, but for the quality
    cache.put_if_absent(key, {})
    known = cache.get(key)
    return _Part(weighing, name, {} if known is None else known)


def _shared_likeness(curves: Sequence[_Part], left: float) -> float:
    """The likeness at which all curves together weigh what is left, by halving."""
    low, high = 0.0, FINEST
    for _ in range(30):
        middle = (low + high) / 2
        if sum(part.bytes_at(middle) for part in curves) <= left:
            low = middle
        else:
            high = middle
    return low


def _write(
    workshop: Workshop,
    actor: Actor,
    folio: FolioView,
    curves: Sequence[_Part],
    chosen: dict[int, int],
    summary: str,
) -> None:
    """Every file's own quality, as one action of the folio.

    ChangedMeanwhileError where a picture was changed since: what was measured may not be its file any more.
    """
    alters: dict[int, list[Alter]] = {}
    versions: dict[int, int] = {}
    for part in curves:
        state, output = part.weighing.cell.state, part.weighing.cell.output
        versions[state.picture_id] = state.version
        alters.setdefault(state.picture_id, []).append(_with_quality(output, chosen[id(part)]))
    with workshop.database.begin() as session, recorded(session, actor, folio.folio.id, summary, [*alters]):
        wanted = {one: Wanted(edits.several(*of_picture), versions[one]) for one, of_picture in alters.items()}
        all_or_none(change_all_in(session, actor, wanted, summary))


def _with_quality(output: OutputId, quality: int) -> Alter:
    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        own = document.settings(output).model_copy(update={"quality": quality})
        return edits.set_output(output, own)(document, facts)

    return alter
