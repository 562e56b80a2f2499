"""Original + steps + place to pixels, at any scale.

Four bands, in this order: source (decoding, `core.intake`, and `core.cleaning`), picture (the steps' one transform),
framing with the one resampling, then what is done to the framed pixels (`core.treatment`), the place's canvas, and on
it the finish (`core.stamping`).
Preview and file call the same `draw`; a preview is nothing but a place of its own size.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
import pyvips

from lucidex.core.enlarging import enlarged
from lucidex.core.frame import Frame, Layer
from lucidex.core.geometry import Box, Placement, Point, Size, Window
from lucidex.core.grounds import Colour
from lucidex.core.levels import AnyPixels, Source, level_for, level_size
from lucidex.core.painting import paint
from lucidex.core.profiles import PROFILE_FIELD, with_profile
from lucidex.core.stamping import Stamp, stamped
from lucidex.core.transform import Transform, shift
from lucidex.core.treatment import Treatment

_EPSILON = 1e-6
MOST_FINER = 3
FINER_UP_TO_PIXELS = 60_000_000
UNTREATED = Treatment()
WARP_MARGIN = 6.0  # pixels around a turned window, at the warp's own scale, so that its Lanczos has neighbours


@dataclass(frozen=True)
class Plan:
    """All that decides the pixels of one result, as numbers: nothing else may enter `draw`.

    `total` leads from stored pixels to the picture, which is `picture` large; `unit` is the upright original's
    shorter side in drawn pixels; `layers` are the grounds that steps put into the picture; `ground` is the place's
    canvas around it, None for clear; `stamps` are laid over all of it.
    """

    total: Transform
    picture: Size
    placement: Placement
    level: int
    unit: float
    ground: Colour | None
    layers: tuple[Layer, ...] = ()
    treatment: Treatment = UNTREATED
    stamps: tuple[Stamp, ...] = ()

    @property
    def widened(self) -> "Plan":
        """The plan with as much of the picture around its window as the treatment looks at, in whole drawn pixels."""
        reach, placed = self.treatment.reach(self.unit), self.placement
        if not reach:
            return self
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
        return replace(self, placement=Placement(wider, drawn, left, top, placed.canvas))


def _fitting(there: float, wanted: int) -> int:
    return max(0, min(wanted, math.floor(there + _EPSILON)))


def plan(
    source: Source,
    frame: Frame,
    placement: Placement,
    ground: Colour | None,
    treatment: Treatment = UNTREATED,
    stamps: tuple[Stamp, ...] = (),
) -> Plan:
    """Decide transform and working scale. `ground` is the canvas colour, None for clear."""
    total = source.uprighting.then(frame.transform)
    density = max(_densities(total, placement))
    unit = placement.enlargement * frame.content_unit(frame.held_content(placement.window.centre))
    level = level_for(source.stored, 1 / density)
    return Plan(total, frame.size, placement, level, unit, ground, frame.layers, treatment, stamps)


Logos = Mapping[str, Source]  # by their SHA-256
NO_LOGOS: Logos = {}


def draw(source: Source, chosen: Plan, logos: Logos = NO_LOGOS) -> pyvips.Image:
    """Compute a result: 8-bit sRGB, 3 bands, or 4 with unpremultiplied alpha where it has clear areas.

    `logos` holds the sources of all that the plan stamps. The result has exactly the size of the placement's canvas.
    Raises pyvips.Error where memory is short.
    """
    return finished(source, framed(source, chosen), chosen, logos)


def framed(source: Source, chosen: Plan) -> pyvips.Image:
    """The first half: the part that is seen, resampled, in the colours that its treatment begins with.

    It stays the same while amounts of tone and effects change, as long as they look no further.
    """
    wide = chosen.widened
    part = _moved(source, wide) if _only_moves(source, wide) else _turned_freely(source, wide)
    return chosen.treatment.ready(part).copy_memory()


def finished(source: Source, part: pyvips.Image, chosen: Plan, logos: Logos = NO_LOGOS) -> pyvips.Image:
    """The second half: treatment, grounds, canvas and finish."""
    wide, placement = chosen.widened.placement, chosen.placement
    to_upright = _to_picture(wide).then(chosen.total.inverse).then(source.uprighting)
    to_content = to_upright.then(Transform(1 / source.upright.width, 0, 0, 1 / source.upright.height))
    treated = chosen.treatment.of(part, to_content, chosen.unit)
    if wide != placement:
        left, top = round(wide.left), round(wide.top)
        treated = treated.crop(left, top, placement.drawn.width, placement.drawn.height)
    # chosen colours are painted after the treatment, so that they come out as they were chosen
    painted = paint(treated, chosen.layers, _to_picture(placement))
    canvas = _on_canvas(painted, placement, chosen.ground).copy_memory()
    for stamp in chosen.stamps:
        canvas = stamped(canvas, draw_whole(logos[stamp.logo_sha256], stamp.box.size), stamp)
    return canvas.copy_memory() if chosen.stamps else canvas


def draw_whole(source: Source, drawn: Size) -> pyvips.Image:
    """An upright original at some size, such as a logo: on the same way as any picture, without steps."""
    whole = Window(0, 0, source.upright.width, source.upright.height)
    return draw(source, plan(source, Frame.of(source.upright), Placement(whole, drawn, 0, 0, drawn), None))


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
    box = _box_around(back, placement.window, chosen.level, WARP_MARGIN / shrink, bounds)
    part = source.level(chosen.level).crop(box.left, box.top, box.size.width, box.size.height)
    # an opaque picture is premultiplied as it is, so only one with clear areas of its own needs floats
    flat = part.premultiply().cast("float") if source.layout.has_alpha else part
    reduced = flat.resize(shrink, kernel="lanczos3") if shrink < 1 else flat
    scale_x, scale_y = reduced.width / box.size.width, reduced.height / box.size.height
    # from a pixel's middle in the result to picture, stored, level, box and reduced coordinates, and back by half
    to_reduced = (
        shift(0.5, 0.5)
        .then(_to_picture(placement))
        .then(back)
        .then(Transform(1 / chosen.level, 0, 0, 1 / chosen.level, -box.left, -box.top))
        .then(Transform(scale_x, 0, 0, scale_y, -0.5, -0.5))
    )
    finer = _finer(densities, placement.drawn)
    warped = _warp(reduced.numpy(), to_reduced, placement.drawn, finer)
    image = pyvips.Image.new_from_array(warped, interpretation=part.interpretation)
    image = with_profile(image, source.profile)
    return image.unpremultiply().rint().cast(part.format) if source.layout.has_alpha else image


def _finer(densities: list[float], drawn: Size) -> int:
    """How many times finer the warp samples, where the picture is pulled so that one end is reduced more."""
    uneven = max(densities) / min(densities)
    finer = 1 if uneven < 1.15 else min(MOST_FINER, math.ceil(uneven))
    return finer if drawn.pixels * finer**2 <= FINER_UP_TO_PIXELS else 1


def _warp(pixels: AnyPixels, to_pixels: Transform, drawn: Size, finer: int) -> AnyPixels:
    grid = Transform(1 / finer, 0, 0, 1 / finer, 0.5 / finer - 0.5, 0.5 / finer - 0.5)
    matrix = (grid.then(to_pixels) if finer > 1 else to_pixels).matrix
    size = (drawn.width * finer, drawn.height * finer)
    flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
    if to_pixels.is_affine:
        warped = cv2.warpAffine(pixels, matrix[:2], size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    else:
        warped = cv2.warpPerspective(pixels, matrix, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    if finer > 1:
        warped = cv2.resize(warped, (drawn.width, drawn.height), interpolation=cv2.INTER_AREA)
    warped = warped.reshape(drawn.height, drawn.width, -1)
    if warped.dtype == np.float32:  # Lanczos overshoots; alpha must stay within its range and colours within alpha
        alpha = np.clip(warped[..., -1:], 0, None)
        warped = np.concatenate([np.clip(warped[..., :-1], 0, None), alpha], axis=-1)
    return np.ascontiguousarray(warped)


def _box_around(back: Transform, window: Window, level: int, margin: float, bounds: Size) -> Box:
    """The whole-pixel box of a level that holds a turned window and a margin, held inside the level."""
    corners = [
        back.map(Point(window.left + i * window.width, window.top + j * window.height))
        for i in (0, 1)
        for j in (0, 1)
    ]
    xs, ys = [point.x / level for point in corners], [point.y / level for point in corners]
    left, right = _held(min(xs) - margin, max(xs) + margin, bounds.width)
    top, bottom = _held(min(ys) - margin, max(ys) + margin, bounds.height)
    return Box(left, top, Size(right - left, bottom - top))


def _held(low: float, high: float, most: int) -> tuple[int, int]:
    start = min(max(math.floor(low), 0), most - 1)
    return start, max(start + 1, min(math.ceil(high), most))


def _resample(source: Source, level: int, window: Window, drawn: Size) -> pyvips.Image:
    """The one resampling: a window of the stored pixels to exactly `drawn`.

    The scale is the window's own, the same for both sides unless stretching was asked for; the origin is a
    whole pixel of the level.
    """
    box = whole_box(window, level, level_size(source.stored, level))
    part = source.level(level).crop(box.left, box.top, box.size.width, box.size.height)
    across, down = drawn.width * level / window.width, drawn.height * level / window.height
    if abs(across - 1) < _EPSILON and abs(down - 1) < _EPSILON:
        return part.crop(0, 0, drawn.width, drawn.height)
    if not source.layout.has_alpha:
        return _resize(part, across, down, drawn)
    resized = _resize(part.premultiply(), across, down, drawn)
    return resized.unpremultiply().rint().cast(part.format)


def whole_box(window: Window, level: int, bounds: Size) -> Box:
    """The smallest box on a level's whole pixels that holds a window of its size, nearest to the window."""
    width = min(max(1, math.ceil(window.width / level - _EPSILON)), bounds.width)
    height = min(max(1, math.ceil(window.height / level - _EPSILON)), bounds.height)
    left = min(max(math.floor(window.left / level + 0.5 - _EPSILON), 0), bounds.width - width)
    top = min(max(math.floor(window.top / level + 0.5 - _EPSILON), 0), bounds.height - height)
    return Box(left, top, Size(width, height))


def _resize(part: pyvips.Image, across: float, down: float, drawn: Size) -> pyvips.Image:
    """Scale to exactly `drawn`: Lanczos with three lobes when reducing, `core.enlarging` when enlarging."""
    if across > 1 or down > 1:
        return _enlarge(part, across, down, drawn)
    resized = part.resize(across, vscale=down, kernel="lanczos3")
    wanting = max(0, drawn.width - resized.width), max(0, drawn.height - resized.height)
    if any(wanting):
        resized = resized.embed(0, 0, resized.width + wanting[0], resized.height + wanting[1], extend="copy")
    return resized.crop(0, 0, drawn.width, drawn.height)


def _enlarge(part: pyvips.Image, across: float, down: float, drawn: Size) -> pyvips.Image:
    """Enlarge by the given scale, then keep the first `drawn` pixels; a side that is reduced is reduced before."""
    if across < 1 or down < 1:
        part = part.resize(min(across, 1.0), vscale=min(down, 1.0), kernel="lanczos3")
    whole = Size(
        max(drawn.width, round(part.width * max(across, 1.0))), max(drawn.height, round(part.height * max(down, 1.0)))
    )
    large = enlarged(
        part.numpy().reshape(part.height, part.width, -1), whole, _white(part), part.format in {"float", "double"}
    )
    kept = np.ascontiguousarray(large[: drawn.height, : drawn.width])
    return with_profile(
        pyvips.Image.new_from_array(kept, interpretation=part.interpretation),
        bytes(part.get(PROFILE_FIELD)) if part.get_typeof(PROFILE_FIELD) else None,
    )


def _white(part: pyvips.Image) -> float:
    """The value of white, also where a premultiplied picture has become floats."""
    return 65_535.0 if part.interpretation in {"rgb16", "grey16"} or part.format == "ushort" else 255.0


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
        image = image if image.hasalpha() else image.bandjoin(255)
        colour = [0, 0, 0, 0]
    else:
        image = image.flatten(background=list(ground)) if image.hasalpha() else image
        colour = list(ground)
    canvas = placement.canvas
    return image.embed(
        placement.left, placement.top, canvas.width, canvas.height, extend="background", background=colour
    )
