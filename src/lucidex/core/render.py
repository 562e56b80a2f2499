"""Original + steps + place to pixels, at any scale.

Four bands, in this order: source (`core.source`), picture (the steps' one transform),
framing with the one resampling, then what is done to the framed pixels (`core.picture.treatment`),
the place's canvas, and on it the finish (`core.finish`).
Preview and file call the same `draw`; a preview is nothing but a place of its own size.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
import pyvips

from lucidex.core.areas.sight import Sight
from lucidex.core.finish.assets import NO_ASSETS, Assets
from lucidex.core.finish.canvas import (
    Canvas,
    Finish,
    Given,
    Seat,
    drawn_in_order,
    given_room,
    lets_through,
    total_margins,
)
from lucidex.core.finish.findings import Finding
from lucidex.core.finish.overlay import drawn_alone
from lucidex.core.finish.text.faces import Face
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.picture_geometry import Layer, PictureGeometry
from lucidex.core.geometry.sizes import Box, Point, Size, Window
from lucidex.core.geometry.transform import Transform, box_around, shift
from lucidex.core.picture.colour import code_values, image_of
from lucidex.core.picture.ground_layers import paint
from lucidex.core.picture.grounds import Colour
from lucidex.core.picture.treatment import Treatment
from lucidex.core.resampling import WARP_MARGIN, resampled, resampled_floats, unpremultiplied, warped
from lucidex.core.source.pyramid import AnyPixels, Source, level_for, level_size

_EPSILON = 1e-6
MAX_FINER = 3
FINER_UP_TO_PIXELS = 60_000_000
UNTREATED = Treatment()
MAX_TREATED = 2.0  # enlargement: beyond it, effects are computed at this scale and what comes out is enlarged
MAX_REACH = 400  # drawn pixels around a part that effects may look at at its own scale


@dataclass(frozen=True)
class Plan:
    """All that decides the pixels of one result, as numbers: nothing else may enter `draw`.

    `total` leads from stored pixels to the picture, which is `picture` large; `unit` is the upright original's
    shorter side in drawn pixels; `layers` are the grounds that steps put into the picture; `ground` is the place's
    canvas around it, None for clear; `finish` is drawn onto all of it; `depth` are the bits of each number that comes
    out, 16 only where the plan keeps them.
    """

    total: Transform
    picture: Size
    placement: Placement
    level: int
    unit: float
    ground: Colour | None
    layers: tuple[Layer, ...] = ()
    treatment: Treatment = UNTREATED
    finish: tuple[Given, ...] = ()
    depth: int = 8

    @property
    def keeps_16_bits(self) -> bool:
        """Whether everything on its way can be computed in 16 bits."""
        return self.treatment.keeps_16_bits and not self.finish

    @property
    def working(self) -> "Plan":
        """The plan at the scale at which its treatment is computed.

        That is its own, unless effects that look around themselves meet a part that is enlarged a lot: there is
        nothing between its pixels that they could find, and what they look at would grow without bound.
        """
        placed = self.placement
        if placed.enlargement <= MAX_TREATED or self.treatment.reach(self.unit) <= MAX_REACH:
            return self
        scale = MAX_TREATED / placed.enlargement
        drawn = Size(max(1, math.ceil(placed.drawn.width * scale)), max(1, math.ceil(placed.drawn.height * scale)))
        return replace(self, placement=Placement(placed.window, drawn, 0, 0, drawn), unit=self.unit * scale)

    @property
    def widened(self) -> "Plan":
        """The working plan with as much around its window as the treatment looks at, in whole drawn pixels."""
        working = self.working
        reach, placed = working.treatment.reach(working.unit), working.placement
        if not reach:
            return working
        across, down = placed.window.width / placed.drawn.width, placed.window.height / placed.drawn.height
        window = placed.window
        left = _fitting(window.left / across, reach)
        top = _fitting(window.top / down, reach)
        right = _fitting((self.picture.width - window.left - window.width) / across, reach)
        bottom = _fitting((self.picture.height - window.top - window.height) / down, reach)
        drawn = Size(placed.drawn.width + left + right, placed.drawn.height + top + bottom)
        wider = Window(
            window.left - left * across, window.top - top * down, drawn.width * across, drawn.height * down
        )
        return replace(working, placement=Placement(wider, drawn, left, top, placed.canvas))


def _fitting(there: float, wanted: int) -> int:
    return max(0, min(wanted, math.floor(there + _EPSILON)))


def plan(
    source: Source,
    geometry: PictureGeometry,
    placement: Placement,
    ground: Colour | None,
    treatment: Treatment = UNTREATED,
    finish: tuple[Given, ...] = (),
) -> Plan:
    """Decide transform and working scale. `ground` is the canvas colour, None for clear."""
    total = source.uprighting.then(geometry.transform)
    density = max(_densities(total, placement))
    unit = placement.enlargement * geometry.content_unit(geometry.held_content(placement.window.centre))
    level = level_for(source.stored, 1 / density)
    return Plan(total, geometry.size, placement, level, unit, ground, geometry.layers, treatment, finish)


@dataclass(frozen=True)
class SourceAssets:
    """The assets of a plan, by their SHA-256: pictures, each drawn from its own source, and faces."""

    sources: Mapping[str, Source]
    faces: Mapping[str, Face] = field(default_factory=dict)

    def size(self, sha256: str) -> Size:
        """The upright size of one."""
        return self.sources[sha256].upright

    def picture(self, sha256: str, size: Size) -> pyvips.Image:
        """One at some size."""
        return draw_whole(self.sources[sha256], size)

    def face(self, sha256: str) -> Face:
        """One face."""
        return self.faces[sha256]


def draw(source: Source, chosen: Plan, assets: Assets = NO_ASSETS) -> pyvips.Image:
    """Compute a result: sRGB of the plan's depth, 3 bands, or 4 with unpremultiplied alpha where it has clear areas.

    `assets` holds all that its finish was said to need. The result has exactly the size of the placement's canvas.
    Raises pyvips.Error where memory is short.
    """
    return composed(source, resampled_window(source, chosen), chosen, assets).image


def resampled_window(source: Source, chosen: Plan) -> pyvips.Image:
    """The first half: the part that is seen, resampled, in the colours that its treatment begins with.

    It stays the same while amounts of tone and effects change, as long as they look no further.
    """
    wide = chosen.widened
    part = _moved(source, wide) if _only_moves(source, wide) else _turned_freely(source, wide)
    ready = chosen.treatment.ready(part, chosen.depth)
    return part if ready is part else ready.copy_memory()


@dataclass(frozen=True)
class Composition:
    """A result, and what was found while its finish was drawn."""

    image: pyvips.Image
    findings: tuple[Finding, ...] = ()


def composed(source: Source, part: pyvips.Image, chosen: Plan, assets: Assets = NO_ASSETS) -> Composition:
    """The second half: treatment, grounds, canvas and finish."""
    wide, working, placement = chosen.widened.placement, chosen.working, chosen.placement
    to_upright = _to_picture(wide).then(chosen.total.inverse).then(source.uprighting)
    to_content = to_upright.then(Transform(1 / source.upright.width, 0, 0, 1 / source.upright.height))
    treated = chosen.treatment.of(part, to_content, working.unit, chosen.depth)
    if wide != working.placement:
        left, top = round(wide.left), round(wide.top)
        treated = treated.crop(left, top, working.placement.drawn.width, working.placement.drawn.height)
    if working.placement.drawn != placement.drawn:
        treated = _enlarged(treated, placement.drawn)
    # chosen colours are painted after the treatment, so that they come out as they were chosen
    painted = paint(treated, chosen.layers, _to_picture(placement))
    if not chosen.finish:
        canvas = _on_canvas(painted, placement, chosen.ground)
        return Composition(canvas if canvas is part else canvas.copy_memory())
    canvas = _with_room(painted, placement, chosen.ground, chosen.finish)
    picture = Box(placement.left, placement.top, placement.drawn)
    whole = Box(0, 0, placement.canvas)
    begun = Canvas(canvas, picture, whole, whole, sight=_sight(source, chosen))
    finished = drawn_in_order(begun, chosen.finish, assets)
    return Composition(image_of(finished.pixels), finished.findings)


def _sight(source: Source, chosen: Plan) -> Sight:
    """How a canvas sees the upright original."""
    placed = chosen.placement
    to_drawn = source.uprighting.inverse.then(chosen.total).then(_to_picture(placed).inverse)
    return Sight(source.upright, to_drawn.then(shift(placed.left, placed.top)))


def _with_room(
    painted: pyvips.Image, placement: Placement, ground: Colour | None, finish: tuple[Given, ...]
) -> AnyPixels:
    """The part of a canvas that things around the picture leave, and clear room for them; pixels of one's own."""
    margins, canvas = total_margins(finish), placement.canvas
    inner = margins.box(canvas)
    own = replace(placement, left=placement.left - inner.left, top=placement.top - inner.top, canvas=inner.size)
    image = _on_canvas(painted, own, ground)
    if lets_through(finish) and not image.hasalpha():
        image = image.bandjoin(255)
    pixels = np.zeros((canvas.height, canvas.width, image.bands), np.uint8)
    rows, columns = slice(inner.top, inner.top + inner.size.height), slice(inner.left, inner.left + inner.size.width)
    pixels[rows, columns] = image.numpy()
    return pixels


def under(chosen: Plan) -> Plan:
    """The same without what lies over everything."""
    return replace(chosen, finish=tuple(one for one in chosen.finish if one.thing.seat is not Seat.OVER))


def reduced(source: Source, chosen: Plan, longest: int) -> Plan:
    """A plan whose finished size has sides of at most `longest` pixels; itself where it is no larger anyway."""
    placed = chosen.placement
    scale = longest / placed.canvas.longest
    if scale >= 1:
        return chosen
    size = Size(max(1, round(placed.canvas.width * scale)), max(1, round(placed.canvas.height * scale)))
    finish = given_room((one.thing for one in chosen.finish), size)
    box, whole = total_margins(finish).box(size), total_margins(chosen.finish).box(placed.canvas)
    across, down = box.size.width / whole.size.width, box.size.height / whole.size.height
    width = min(box.size.width, max(1, round(placed.drawn.width * across)))
    drawn = Size(width, min(box.size.height, max(1, round(placed.drawn.height * down))))
    left = box.left + min(round((placed.left - whole.left) * across), box.size.width - drawn.width)
    top = box.top + min(round((placed.top - whole.top) * down), box.size.height - drawn.height)
    placement = Placement(placed.window, drawn, left, top, size)
    density = max(_densities(chosen.total, placement))
    level, unit = level_for(source.stored, 1 / density), chosen.unit * placement.enlargement / placed.enlargement
    return replace(chosen, placement=placement, level=level, unit=unit, finish=finish)


def draw_finish(source: Source, chosen: Plan, below: pyvips.Image, assets: Assets) -> pyvips.Image:
    """What a plan draws onto the finished size, alone on a clear ground.

    `below` is the result of `under(chosen)`, at which things look that lie over it. What the outline cuts away, and
    the room of what shows the picture again, is covered in grey, so that the picture can be moved below.
    """
    placed = chosen.placement
    box = total_margins(chosen.finish).box(placed.canvas)
    picture = Box(placed.left, placed.top, placed.drawn)
    clear = np.zeros((placed.canvas.height, placed.canvas.width, 4), np.uint8)
    canvas = Canvas(clear, picture, box, box, below=below.numpy(), sight=_sight(source, chosen))
    return image_of(drawn_alone(canvas, chosen.finish, assets))


def draw_alone(
    thing: Finish, canvas: Size, inner: Box, below: pyvips.Image, part: Box, assets: Assets
) -> pyvips.Image:
    """One thing that lies over everything, alone on a clear ground: a part of the canvas, 4 bands.

    `below` is what it lies over in the result, as large as the canvas; things around the picture leave `inner` of it.
    """
    clear = np.zeros((canvas.height, canvas.width, 4), np.uint8)
    pixels = thing.draw(Canvas(clear, inner, inner, inner, below=below.numpy()), assets).pixels
    rows, columns = slice(part.top, part.top + part.size.height), slice(part.left, part.left + part.size.width)
    return image_of(pixels[rows, columns])


def _enlarged(treated: pyvips.Image, drawn: Size) -> pyvips.Image:
    pixels = treated.numpy()
    whole = Window(0, 0, treated.width, treated.height)
    return image_of(resampled(pixels, whole, drawn, pixels.shape[2] == 4))


def draw_whole(source: Source, drawn: Size) -> pyvips.Image:
    """An upright original at some size, such as a logo: on the same way as any picture, without steps."""
    whole = Window(0, 0, source.upright.width, source.upright.height)
    return draw(source, plan(source, PictureGeometry.of(source.upright), Placement(whole, drawn, 0, 0, drawn), None))


def _only_moves(source: Source, chosen: Plan) -> bool:
    """Whether pixels only change places and all of them exist."""
    if not chosen.total.is_quarter_turn:
        return False
    stored = chosen.total.inverse.map_window(chosen.placement.window)
    right, bottom = stored.left + stored.width, stored.top + stored.height
    inside = stored.left > -_EPSILON and stored.top > -_EPSILON
    return inside and right < source.stored.width + _EPSILON and bottom < source.stored.height + _EPSILON


def _to_picture(placement: Placement) -> Transform:
    """From pixels of the drawn part to pixels of the picture."""
    window, drawn = placement.window, placement.drawn
    return Transform(window.width / drawn.width, 0, 0, window.height / drawn.height, window.left, window.top)


def _densities(total: Transform, placement: Placement) -> list[float]:
    """Output pixels for each stored pixel, at nine points of the window; all alike where nothing is pulled."""
    if total.is_affine:
        return [placement.enlargement * total.scale_at(Point(0, 0))]
    back, window = total.inverse, placement.window
    places = [
        Point(window.left + i * window.width / 2, window.top + j * window.height / 2)
        for i in (0, 1, 2)
        for j in (0, 1, 2)
    ]
    return [placement.enlargement / back.scale_at(place) for place in places if back.depth(place) > 0]


def _moved(source: Source, chosen: Plan) -> pyvips.Image:
    """Crop, scale, and let whole pixels change places."""
    back = chosen.total.inverse
    drawn = chosen.placement.drawn.turned if back.swaps_axes else chosen.placement.drawn
    part = _resample(source, chosen.level, back.map_window(chosen.placement.window), drawn)
    return _turn(part, chosen.total)


def _turned_freely(source: Source, chosen: Plan) -> pyvips.Image:
    """Any transform: reduce first (never enlarge), then one warp to the place's pixels.

    Reducing first is what keeps a turn of 24 megapixels to a fraction of a second and of the memory; the warp
    then works at the place's own resolution by Lanczos over 8 × 8 pixels. Where nothing is reduced, the warp is
    the only resampling. Beyond the original its edge goes on; what shows there is painted by the layers.
    """
    placement, back = chosen.placement, chosen.total.inverse
    densities = _densities(chosen.total, placement)
    shrink = min(1.0, max(densities) * chosen.level)
    bounds = level_size(source.stored, chosen.level)
    to_level = Transform(1 / chosen.level, 0, 0, 1 / chosen.level, 0, 0)
    box = box_around(back.then(to_level), placement.window, WARP_MARGIN / shrink, bounds)
    reduced = _reduced(source, chosen.level, box, shrink)
    scale_x, scale_y = reduced.shape[1] / box.size.width, reduced.shape[0] / box.size.height
    # from a pixel's middle in the result to picture, stored, level, box and reduced coordinates, and back by half
    to_reduced = (
        shift(0.5, 0.5)
        .then(_to_picture(placement))
        .then(back)
        .then(to_level)
        .then(shift(-box.left, -box.top))
        .then(Transform(scale_x, 0, 0, scale_y, -0.5, -0.5))
    )
    turned = warped(reduced, to_reduced, placement.drawn, _finer(densities, placement.drawn))
    layout = source.layout
    return source.image_of(unpremultiplied(turned, layout.number_type) if layout.has_alpha else turned)


def _reduced(source: Source, level: int, box: Box, shrink: float) -> AnyPixels:
    """A box of a level, reduced; as premultiplied floats where it has clear areas of its own."""
    pixels, has_alpha = source.open_level(level), source.layout.has_alpha
    drawn = Size(max(1, round(box.size.width * shrink)), max(1, round(box.size.height * shrink)))
    if has_alpha:
        return resampled_floats(pixels, box.window, drawn, True)
    return resampled(pixels, box.window, drawn, False)


def _finer(densities: list[float], drawn: Size) -> int:
    """How many times finer the warp samples, where the picture is pulled so that one end is reduced more."""
    uneven = max(densities) / min(densities)
    finer = 1 if uneven < 1.15 else min(MAX_FINER, math.ceil(uneven))
    return finer if drawn.pixels * finer**2 <= FINER_UP_TO_PIXELS else 1


def _resample(source: Source, level: int, window: Window, drawn: Size) -> pyvips.Image:
    """The one resampling: a window of the stored pixels, with real edges, to exactly `drawn`.

    Its scale and its origin are the window's own, so that nothing is shifted by rounding; scales differ only where
    stretching was asked for.
    """
    inside = Window(window.left / level, window.top / level, window.width / level, window.height / level)
    pixels = resampled(source.open_level(level), inside, drawn, source.layout.has_alpha)
    return source.image_of(pixels)


def _turn(image: pyvips.Image, transform: Transform) -> pyvips.Image:
    linear = (round(transform.a), round(transform.b), round(transform.c), round(transform.d))
    return {
        (1, 0, 0, 1): lambda: image,
        (0, -1, 1, 0): lambda: image.rot90(),
        (-1, 0, 0, -1): lambda: image.rot180(),
        (0, 1, -1, 0): lambda: image.rot270(),
        (-1, 0, 0, 1): lambda: image.fliphor(),
        (1, 0, 0, -1): lambda: image.flipver(),
        (0, 1, 1, 0): lambda: image.rot90().fliphor(),
        (0, -1, -1, 0): lambda: image.rot270().fliphor(),
    }[linear]()


def _on_canvas(image: pyvips.Image, placement: Placement, ground: tuple[int, int, int] | None) -> pyvips.Image:
    if placement.covers_canvas:
        return image
    if ground is None:
        image = image if image.hasalpha() else image.bandjoin(code_values((255,), image))
        colour = [0, 0, 0, 0]
    else:
        colour = code_values(ground, image)
        image = image.flatten(background=colour) if image.hasalpha() else image
    canvas = placement.canvas
    return image.embed(
        placement.left, placement.top, canvas.width, canvas.height, extend="background", background=colour
    )
