"""What is asked for: a picture in a place, or on the screen, worked out and not yet rendered."""

from collections.abc import Hashable
from dataclasses import dataclass, replace
from functools import cached_property

from lucidex.core.document import PictureDocument
from lucidex.core.encode import JPEG, PNG, ColourModel, Effort, Encoding, FormatName, keeps_16_bits
from lucidex.core.encode.passing import Passage
from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.finish.assets import NO_ASSETS, Assets
from lucidex.core.finish.text.fields import Filling
from lucidex.core.framing.subject import Subject
from lucidex.core.geometry.fit import Placement, Rule, fit
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size, Window, check_output_size
from lucidex.core.keys import appearance_key, encoded_key, pixels_key, restoration_keys, stamped_key
from lucidex.core.picture.grounds import colour_of
from lucidex.core.places.demand import PlaceDemand, amended
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.names import result_name
from lucidex.core.proof.statistics import PixelStatistics
from lucidex.core.proof.warnings import Case, Flag, Framed, flags
from lucidex.core.render import UNTREATED, Plan, plan
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.key import SourceKey
from lucidex.core.source.pyramid import Source
from lucidex.core.stamp import NO_STAMP, Stamp, reserved_for, stamp_of
from lucidex.core.steps import StepEntry, assets_of
from lucidex.core.steps.bands import FindingStep, RestorationStep, of_kind
from lucidex.services.assets.assets import open_assets
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.sources import open_source
from lucidex.services.pictures.documents import PictureState, check_shown
from lucidex.services.pictures.framing import subject_in_use
from lucidex.services.rendering.passages import find_passage

MAX_PREVIEW_EDGE = 4_000
MAX_MAGNIFIED = 256  # shown pixels for each of the picture's
PREVIEW_QUALITY = 92


@dataclass(frozen=True)
class RenderRequest:
    """One result that is asked for, with everything that decides its bytes."""

    source_key: SourceKey
    steps: tuple[StepEntry, ...]
    source: Source
    chosen: Plan
    format: FormatName
    encoding: Encoding
    restorations: tuple[Restoration, ...] = ()
    assets: Assets = NO_ASSETS
    stamp: Stamp = NO_STAMP
    passage: Passage | None = None
    bits: int = 8  # of its original that are asked for

    @property
    def resampled_key(self) -> Hashable:
        """All that decides its framed pixels (`core.render.resampled_window`) within one process."""
        wide, treatment = self.chosen.widened, self.chosen.treatment
        ready_for = (treatment.tone is not None, bool(treatment.background_removals))
        restored = restoration_keys(self.restorations)[-1:]
        return (self.source_key, restored, wide.total, wide.placement, wide.level, wide.depth, ready_for)

    @cached_property
    def pixels_key(self) -> str:
        """The key of its pixels."""
        return pixels_key(self.source_key, self.steps, self.chosen)

    @cached_property
    def key(self) -> str:
        """The key of its bytes."""
        return stamped_key(encoded_key(self.pixels_key, self.format, self.encoding, self.passage), self.stamp)

    @cached_property
    def overlay_key(self) -> str:
        """The name of all that decides what is drawn onto the finished size: words look at what lies below them."""
        return self.pixels_key[:24]

    @property
    def size(self) -> Size:
        """The size that comes out."""
        return self.chosen.placement.canvas

    def written(self, name: FormatName, encoding: Encoding, passage: Passage | None = None) -> "RenderRequest":
        """The same in some format; 16 bits are kept where they are asked for and everything on the way keeps them."""
        is_deep = self.bits == 16 and keeps_16_bits(name, encoding) and self.chosen.keeps_16_bits
        chosen = replace(self.chosen, depth=16 if is_deep else 8)
        return replace(self, chosen=chosen, format=name, encoding=encoding, passage=passage)

    def carrying(self, stamp: Stamp) -> "RenderRequest":
        """The same with words in the file, for which a ceiling leaves room."""
        reserved = reserved_for(stamp, self.format) if self.encoding.max_bytes else 0
        return replace(self, stamp=stamp, encoding=replace(self.encoding, reserved_bytes=reserved))

    @property
    def made_from(self) -> "RenderRequest | None":
        """The result that this one is made from: what carries words is the same file before they are put in."""
        return replace(self, stamp=NO_STAMP) if self.stamp.is_there else None


@dataclass(frozen=True)
class PlacedPicture:
    """A picture in a place, worked out but not rendered. `first_format` is the one it has there alone."""

    rendering: RenderRequest
    demand: PlaceDemand
    case: Case
    file_name: str
    first_format: FormatName

    @property
    def placement(self) -> Placement:
        """Where the picture goes."""
        return self.rendering.chosen.placement

    @property
    def size(self) -> Size:
        """The size that comes out."""
        return self.rendering.size

    @cached_property
    def flags(self) -> tuple[Flag, ...]:
        """What deserves a look before the file is made."""
        return flags(self.case)

    def flags_at(self, byte_count: int, statistics: PixelStatistics | None = None) -> tuple[Flag, ...]:
        """The same, once the file is known."""
        return flags(replace(self.case, byte_count=byte_count, statistics=statistics))


def preview_key(state: PictureState, document: PictureDocument) -> str:
    """The name of all that decides previews of a picture, whatever their size and part."""
    return appearance_key(state.source_key, document.counting_in(None))


def in_place(
    workshop: Workshop, state: PictureState, output: OutputId, demand: PlaceDemand, called: str = ""
) -> PlacedPicture:
    """Work out a picture in an output of a place that is `called` so.

    A further format that is the first one anyway is that one.

    Raises OutOfRangeError where the size exceeds the limits, or the format cannot hold it.
    """
    check_shown(state, state.document)
    document, geometry, first = (
        state.document.filled(field_values(state, called)),
        state.geometry,
        OutputId.of(output.place),
    )
    asked = document.demand_for(first, demand)
    subject = subject_in_use(workshop, state)
    is_whole = document.shows_whole(geometry, output.place, asked, subject)
    if is_whole:
        demand = amended(demand, rule=Rule.CONTAIN, ground=subject.edge if subject else "#ffffff")
        asked = document.demand_for(first, demand)
    placement = document.placement(geometry, output.place, asked, subject)
    has_clear = document.comes_out_clear(geometry, placement, output.place, asked, state.facts.has_clear_areas)
    usual = usual_format(state, document, placement, has_clear)
    first_format, _ = document.written_as(first, asked, usual)
    output = first if output.format == first_format else output
    demand = document.demand_for(output, demand)
    name, quality = document.written_as(output, demand, usual)
    ground = colour_of(demand.ground)
    is_found = bool(name.output.qualities) and document.finds_quality(output, demand)
    encoding = Encoding(
        quality,
        demand.pixels_per_inch,
        ground or (255, 255, 255),
        max_bytes=demand.max_bytes if is_found else None,
        colour=demand.colour,
        effort=Effort.QUICK if demand.is_quick else Effort.THOROUGH,
    )
    rendering = _rendering(workshop, state, document, geometry, placement, ground if _fills(placement) else None)
    finish = document.finish(output.place, placement.canvas)
    assets = open_assets(workshop, assets_of(document.finish_steps(output.place)))
    rendering = replace(
        rendering,
        steps=document.counting_in(output.place),
        chosen=replace(rendering.chosen, finish=finish),
        assets=assets,
        bits=min(state.facts.bits, demand.bits),
    ).written(_holding(name, placement.canvas), encoding)
    stamp = stamp_of(document.texts, state.facts.recorded, demand.carries, is_changed=document.invents)
    rendering = rendering.carrying(stamp)
    if _is_as_it_came(state, rendering, demand) and document.settings(output).quality is None:
        rendering = replace(rendering, passage=find_passage(workshop, state, rendering.chosen.total))
    depth = rendering.chosen.depth if rendering.passage is None else state.facts.bits
    case = replace(_case(state, document, output, demand, rendering, subject), has_clear_areas=has_clear, depth=depth)
    if is_whole and output.place not in document.framings:
        case = replace(case, framed=Framed.WHOLE, subject=None if document.hides else subject)
    file_name = result_name(state.file_name, placement.canvas, name, document.hides)
    return PlacedPicture(rendering, demand, case, file_name, first_format)


def usual_format(
    state: PictureState, document: PictureDocument, placement: Placement, has_clear_areas: bool
) -> FormatName:
    """What suits a picture in a place where nobody chose a format; a PNG to which nothing is done stays one."""
    is_untouched = not document.active_steps and placement == _whole(state.facts.upright)
    if is_untouched and has_clear_areas and state.facts.format == PNG.label:
        return PNG
    return document.usual_format(has_clear_areas, state.facts.is_photograph)


def _whole(size: Size) -> Placement:
    return Placement(Window(0, 0, size.width, size.height), size, 0, 0, size)


def _case(
    state: PictureState,
    document: PictureDocument,
    output: OutputId,
    demand: PlaceDemand,
    rendering: RenderRequest,
    subject: Subject | None,
) -> Case:
    """What warnings may look at before the file is made."""
    framing = document.framings.get(output.place)
    is_proposed = framing is not None and framing.proposal is not None
    itself = is_proposed or document.is_framed_by_itself(output.place, demand, subject)
    by_somebody = Framed.MOVED if document.has_moved(state.geometry, output.place) else Framed.CHOSEN
    framed = Framed.BY_ITSELF if itself else by_somebody if framing else Framed.BY_PLACE
    return Case(
        rendering.chosen.placement,
        demand,
        rendering.format,
        damage=state.facts.damage,
        geometry=state.geometry,
        framed=framed if demand.is_cropped else None,
        focal_point=document.focal_point_xy if demand.is_cropped else None,
        subject=subject if demand.is_cropped and not document.hides else None,  # hidden is not named either
        finish=rendering.chosen.finish,
        assets=rendering.assets,
        waits_for_hint=any(step.waits_for_hint for step in of_kind(document.active_steps, FindingStep)),
        hides_weakly=any(step.hides_weakly for step in of_kind(document.active_steps, RestorationStep)),
        carries_texts=rendering.stamp.is_there,
        frames=state.facts.frames,
        bits=state.facts.bits,
    )


def _is_as_it_came(state: PictureState, rendering: RenderRequest, demand: PlaceDemand) -> bool:
    """Whether a file shows the stored pixels and nothing else, and nothing is asked for that changes its bytes."""
    facts, chosen = state.facts, rendering.chosen
    untouched = chosen.treatment == UNTREATED and not (chosen.finish or chosen.layers or rendering.restorations)
    is_plain = facts.frames == facts.pages == 1 and facts.damage is None and facts.profile is None
    is_light = (
        demand.max_bytes is None
        or state.byte_count + reserved_for(rendering.stamp, rendering.format) <= demand.max_bytes
    )
    return (
        untouched
        and is_plain
        and is_light
        and chosen.placement == _whole(chosen.picture)
        and chosen.total.is_quarter_turn
        and chosen.picture.pixels == facts.upright.pixels
        and rendering.format.label == facts.format
        and demand.quality is None
        and demand.pixels_per_inch is None
        and demand.colour is ColourModel.RGB
        and demand.bits >= facts.bits
    )


def field_values(state: PictureState, called: str) -> dict[str, str]:
    """What the fields in words become on a picture, in a place that is called so."""
    document = state.document
    return Filling(document.texts, state.facts, called, document.words).values


def _fills(placement: Placement) -> bool:
    return not placement.covers_canvas


def _holding(name: FormatName, size: Size) -> FormatName:
    if size.longest > name.output.max_edge:
        limit = f"{name.output.max_edge:,}".replace(",", " ")
        raise OutOfRangeError(f"{name.label} holds at most {limit} pixels along a side; {size} needs another format.")
    return name


def _rendering(
    workshop: Workshop,
    state: PictureState,
    document: PictureDocument,
    geometry: PictureGeometry,
    placement: Placement,
    ground: tuple[int, int, int] | None,
) -> RenderRequest:
    restorations = document.restorations
    source = open_source(workshop, state.source_key, state.facts, restorations)
    suits = PNG if document.shows_clear(geometry, state.facts.has_alpha) else JPEG
    return RenderRequest(
        state.source_key,
        document.counting_in(None),
        source,
        plan(source, geometry, placement, ground, document.treatment),
        suits,
        Encoding(PREVIEW_QUALITY if suits == JPEG else None, effort=Effort.DRAFT),
        restorations,
    )


def up_to(document: PictureDocument, step_id: str | None) -> PictureDocument:
    """The document as it stood before a step. NotFoundError where the step is not in it; all steps for None."""
    if step_id is None:
        return document
    for index, entry in enumerate(document.steps):
        if entry.id == step_id:
            return document.model_copy(update={"steps": document.steps[:index]})
    raise NotFoundError("This step is no longer in the list.")


def without_steps(document: PictureDocument, ids: set[str]) -> PictureDocument:
    """The document as if some steps were left out."""
    kept = tuple(entry for entry in document.steps if entry.id not in ids)
    return document.model_copy(update={"steps": kept})


def on_screen(
    workshop: Workshop, state: PictureState, document: PictureDocument, box: Size, part: Window | None
) -> RenderRequest:
    """The whole prepared picture no larger than `box`, or a part of it drawn to exactly `box`."""
    if part is None:
        return for_screen(workshop, state, box, document)
    return part_for_screen(workshop, state, part, box, document)


def for_screen(workshop: Workshop, state: PictureState, box: Size, document: PictureDocument) -> RenderRequest:
    """The whole prepared picture, no larger than `box`."""
    check_shown(state, document)
    check_output_size(box)
    geometry = document.geometry(state.facts.upright)
    placement = fit(
        geometry.size, Size(min(box.width, MAX_PREVIEW_EDGE), min(box.height, MAX_PREVIEW_EDGE)), Rule.SCALE_DOWN
    )
    return _rendering(workshop, state, document, geometry, placement, None)


def part_for_screen(
    workshop: Workshop, state: PictureState, part: Window, box: Size, document: PictureDocument
) -> RenderRequest:
    """A window of the prepared picture (its pixels), drawn to exactly `box`; for looking closer."""
    check_shown(state, document)
    geometry = document.geometry(state.facts.upright)
    left, top = max(part.left, 0.0), max(part.top, 0.0)
    width = min(part.left + part.width, geometry.size.width) - left
    height = min(part.top + part.height, geometry.size.height) - top
    if width <= 0 or height <= 0:
        raise OutOfRangeError("This part lies outside the picture.")
    if max(box.width / width, box.height / height) > MAX_MAGNIFIED:
        raise OutOfRangeError(f"Nothing is shown more than {MAX_MAGNIFIED} times as large as it is.")
    drawn = check_output_size(Size(min(box.width, MAX_PREVIEW_EDGE), min(box.height, MAX_PREVIEW_EDGE)))
    placement = Placement(Window(left, top, width, height), drawn, 0, 0, drawn)
    return _rendering(workshop, state, document, geometry, placement, None)
