"""Weigh: what a picture in one place weighs in every format and quality, and how it looks; all of it measured."""

from dataclasses import dataclass, replace
from enum import StrEnum

from lucidex.core.encode import FORMAT_NAMES, FormatName
from lucidex.core.encode.content import Content, Kind, content_of
from lucidex.core.encode.differing import spots_that_differ
from lucidex.core.encode.likeness import LOOKS_THE_SAME, POOR_BELOW
from lucidex.core.encode.weighing import Point, lightest_alike, where_less_shows
from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change
from lucidex.services.proof.output_choices import Scope, Written, write_as
from lucidex.services.proof.proof_sheet import ProofCell
from lucidex.services.rendering.render_requests import PlacedPicture, RenderRequest
from lucidex.services.rendering.renderer import Renderer

SPOTS = 4
_contents: OwnCache[str, Content] = OwnCache(512)


class Looks(StrEnum):
    """How a file is to look beside its picture."""

    SAME = "the same"
    SLIGHT = "slightly different"

    @property
    def least(self) -> float:
        """The likeness from which it does."""
        return LOOKS_THE_SAME if self is Looks.SAME else POOR_BELOW


@dataclass(frozen=True)
class Weighing:
    """A picture in one place, to be weighed."""

    renderer: Renderer
    workshop: Workshop
    cell: ProofCell

    @property
    def placed(self) -> PlacedPicture:
        """The picture in its place. NotFoundError where it cannot be made."""
        if self.cell.placed is None:
            raise NotFoundError(self.cell.trouble or "This place cannot be made of this picture.")
        return self.cell.placed

    @property
    def names(self) -> tuple[FormatName, ...]:
        """The formats that have a curve and keep what is clear here; all of them, where nothing is."""
        clear = self.placed.case.has_clear_areas
        longest = self.placed.size.longest
        return tuple(
            name
            for name in FORMAT_NAMES
            if name.output.ladder and longest <= name.output.max_edge and (name.output.keeps_clear or not clear)
        )

    @property
    def current(self) -> Point | None:
        """The file as it is written now, where it lies on a curve."""
        placed = self.placed
        name = placed.rendering.format
        if not name.output.ladder or placed.rendering.passage is not None:
            return None
        result, likeness = self.renderer.judge.judged(placed.rendering)
        found = result.statistics.quality if result.statistics else None
        quality = found or placed.rendering.encoding.quality or name.output.exact_quality or 0
        return Point(name, quality, result.byte_count, likeness)

    def rendering(self, name: FormatName, quality: int) -> RenderRequest:
        """The file in some format and quality. OutOfRangeError where there is none of these."""
        if quality not in name.output.qualities or name not in self.names:
            raise OutOfRangeError(f"{name.label} has no quality {quality} here.")
        output = name.output
        exact = output.default_quality is None and quality == output.exact_quality
        encoding = replace(self.placed.rendering.encoding, quality=None if exact else quality, max_bytes=None)
        return self.placed.rendering.written(name, encoding)

    def point(self, name: FormatName, quality: int) -> Point:
        """One point of a curve, measured."""
        if name not in self.names:
            raise OutOfRangeError(f"{name.label} has no curve here.")
        nearest = min(name.output.qualities, key=lambda one: (abs(one - quality), one))
        result, likeness = self.renderer.judge.judged(self.rendering(name, nearest))
        return Point(name, nearest, result.byte_count, likeness)

    def ladder(self, name: FormatName) -> tuple[int, ...]:
        """The qualities at which a curve is measured; few colours are of no use to a photograph."""
        output = name.output
        if output.default_quality is None and self.content.kind is Kind.PHOTOGRAPH:
            return tuple(quality for quality in output.ladder if quality == output.exact_quality)
        return output.ladder

    def known(self) -> list[Point]:
        """The points of all ladders that were measured already."""
        asked = {
            self.rendering(name, quality).key: (name, quality) for name in self.names for quality in self.ladder(name)
        }
        renderings = [self.rendering(*one) for one in asked.values()]
        found = []
        for key, result in self.renderer.files.known(renderings).items():
            likeness = result.statistics.likeness if result.statistics else None
            if likeness is not None:
                found.append(Point(*asked[key], result.byte_count, likeness))
        return found

    def lightest(self, name: FormatName, likeness: float = LOOKS_THE_SAME) -> Point | None:
        """The lightest file of a format that is at least so alike; None where it has none."""
        known = [point for point in self.known() if point.format == name]
        return lightest_alike(likeness, lambda quality: self.point(name, quality), name.output.qualities, known)

    def best_under_ceiling(self, name: FormatName) -> Point | None:
        """The best file of a format under the place's ceiling; None without a ceiling, or where none keeps it."""
        ceiling = self.placed.demand.max_bytes
        if ceiling is None or name not in self.names:
            return None
        encoding = self.placed.rendering.encoding
        start = name.output.default_quality
        searched = replace(encoding, quality=start, max_bytes=ceiling)
        result, likeness = self.renderer.judge.judged(self.placed.rendering.written(name, searched))
        if result.byte_count > ceiling:
            return None
        found = result.statistics.quality if result.statistics else None
        return Point(name, found or start or 0, result.byte_count, likeness)

    def enough(self, looks: Looks) -> Point | None:
        """The lightest file that looks so, in the format that it has; None where there is none."""
        name = self.placed.rendering.format
        return self.lightest(name, looks.least) if name in self.names else None

    @property
    def bits_words(self) -> str | None:
        """What becomes of an original's 16 bits; None where it has no more than 8, or no more are asked for."""
        placed = self.placed
        if placed.rendering.bits == 8:
            return None
        if not placed.rendering.chosen.keeps_16_bits:
            return "The original has 16 bits for each colour; something on the way to this place works in 8."
        able = " and ".join(name.label for name in FORMAT_NAMES if name.output.keeps_16_bits)
        return (
            f"The original has 16 bits for each colour: {able} without loss keep them, other files have the 8 that "
            "screens show."
        )

    @property
    def content(self) -> Content:
        """What the picture is to an encoder."""
        cache, key = _contents.of(self.workshop), self.placed.rendering.pixels_key
        known = cache.get(key)
        if known is None:
            moves = self.cell.state.facts.frames > 1
            clear = self.placed.case.has_clear_areas
            known = replace(content_of(self.renderer.screen.pixels(self.placed.rendering), moves), is_clear=clear)
            cache.put_if_absent(key, known)
        return known

    def spots(self, name: FormatName, quality: int, spot: tuple[int, int]) -> list[tuple[int, int]]:
        """Where a file differs most from its picture: the middles of spots of this size, in its pixels."""
        rendering = self.rendering(name, quality)
        before = self.renderer.judge.pixels_before(rendering)
        after = self.renderer.judge.pixels_of(self.renderer.files.render_file(rendering), rendering)
        return spots_that_differ(before, after, spot, SPOTS)


def knees(points: list[Point]) -> dict[FormatName, tuple[float, float]]:
    """Where less begins to show on each curve, as bytes and likeness, as far as it was measured."""
    found = {}
    for name in dict.fromkeys(point.format for point in points):
        there = where_less_shows(point for point in points if point.format == name)
        if there is not None:
            found[name] = there
    return found


def take(workshop: Workshop, actor: Actor, cell: ProofCell, name: FormatName, quality: int, scope: Scope) -> str:
    """Write the picture so from now on, as far as `scope` says; a sentence about what was done."""
    if cell.output.format is not None and cell.output.format != name:
        raise OutOfRangeError(
            f"This file is the further format {cell.output.format.label}; only its quality is chosen."
        )
    written = Written(name, quality)
    if scope is not Scope.CELL or cell.output.format is not None:
        return write_as(workshop, actor, cell, written, scope)
    settings = cell.state.document.settings(cell.output).model_copy(update={"format": name, "quality": quality})
    summary = f"Written as {written.words} for “{cell.place.name}”"
    change(
        workshop, actor, cell.state.picture_id, cell.state.version, summary, edits.set_output(cell.output, settings)
    )
    return f"“{cell.state.file_name}” is written as {written.words} for “{cell.place.name}”."
