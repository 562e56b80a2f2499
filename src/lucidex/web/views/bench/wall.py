"""How the places hang: all to one common scale, in rows, with air between them."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from statistics import median

from lucidex.core.geometry.sizes import Size

WALL_WIDTH = 150
WALL_HEIGHT = 590
CAPTION_HEIGHT = 62
CAPTION_WIDTH = 92
GAP = 14
SMALLEST_SIDE = 22
LARGEST_FRAME_HEIGHT = 170
SCALE_STEP = 0.96
MIN_SHARE = 0.3
USUAL_UP_TO = 3.0  # times the median longest edge; what is larger does not make all others tiny


@dataclass(frozen=True)
class Seat:
    """A frame on the wall, in screen pixels; `magnified` or `reduced` times apart from the common scale.

    A narrow one keeps its caption as narrow as its seat, so that two stand side by side.
    """

    index: int
    width: int
    height: int
    magnified: int
    reduced: int
    caption_beside: bool = False
    narrow: bool = False


@dataclass(frozen=True)
class Hanging:
    """All frames in rows, and the common scale (screen pixels for each pixel of a place)."""

    rows: tuple[tuple[Seat, ...], ...]
    scale: float

    @property
    def height(self) -> int:
        """Screen pixels from the first frame to the last caption."""
        return sum(max(_seat_height(seat) for seat in row) + GAP for row in self.rows)


def hang(sizes: list[Size]) -> Hanging:
    """The largest common scale at which all frames fit the wall; where none does, the wall scrolls.

    Two ways are tried at each scale: one frame a row with the caption beside the narrow ones, and several
    frames a row with the captions below.
    """
    if not sizes:
        return Hanging((), 1.0)
    limit = USUAL_UP_TO * median(size.longest for size in sizes)
    usual = [size for size in sizes if size.longest <= limit]
    widest = WALL_WIDTH / max(size.width for size in usual)
    largest = min(1.0, widest, LARGEST_FRAME_HEIGHT / max(size.height for size in usual))
    scale = largest
    while scale > largest * MIN_SHARE:
        for arrange in (_one_a_row, _several_a_row):
            hanging = arrange(sizes, scale)
            if hanging.height <= WALL_HEIGHT:
                return hanging
        scale *= SCALE_STEP
    ways: tuple[Callable[[list[Size], float], Hanging], ...] = (_one_a_row, _several_a_row)
    return min((arrange(sizes, scale) for arrange in ways), key=lambda hanging: hanging.height)


def _one_a_row(sizes: list[Size], scale: float) -> Hanging:
    seats = [_seat(index, size, scale) for index, size in enumerate(sizes)]
    room_beside = WALL_WIDTH - CAPTION_WIDTH - GAP
    rows = tuple((replace(seat, caption_beside=seat.width <= room_beside),) for seat in seats)
    return Hanging(rows, scale)


def _several_a_row(sizes: list[Size], scale: float) -> Hanging:
    rows: list[list[Seat]] = []
    room = 0
    for index, size in enumerate(sizes):
        seat = _seat(index, size, scale)
        needed = max(seat.width, CAPTION_WIDTH)
        if rows and needed <= room:
            rows[-1].append(replace(seat, narrow=seat.width <= CAPTION_WIDTH))
            room -= needed + GAP
        else:
            rows.append([replace(seat, narrow=seat.width <= CAPTION_WIDTH)])
            room = WALL_WIDTH - needed - GAP
    return Hanging(tuple(tuple(row) for row in rows), scale)


def _seat(index: int, size: Size, scale: float) -> Seat:
    magnified = 1
    while size.longest * scale * magnified < SMALLEST_SIDE:
        magnified += 1
    reduced = 1
    while size.width * scale > WALL_WIDTH * reduced or size.height * scale > 2 * LARGEST_FRAME_HEIGHT * reduced:
        reduced += 1
    shown = scale * magnified / reduced
    return Seat(index, max(1, round(size.width * shown)), max(1, round(size.height * shown)), magnified, reduced)


def _seat_height(seat: Seat) -> int:
    return max(seat.height, CAPTION_HEIGHT) if seat.caption_beside else seat.height + CAPTION_HEIGHT
