"""How the places hang: all to one common scale, in rows, with air between them."""

from dataclasses import dataclass

from lucidex.core.geometry import Size

WALL_WIDTH = 236
WALL_HEIGHT = 560
CAPTION_HEIGHT = 62
CAPTION_WIDTH = 108
GAP = 16
SMALLEST_SIDE = 22
LARGEST_FRAME_HEIGHT = 190


@dataclass(frozen=True)
class Seat:
    """A frame on the wall, in screen pixels; `magnified` times larger than the common scale."""

    index: int
    width: int
    height: int
    magnified: int


@dataclass(frozen=True)
class Hanging:
    """All frames in rows, and the common scale (screen pixels for each pixel of a place)."""

    rows: tuple[tuple[Seat, ...], ...]
    scale: float


def hang(sizes: list[Size]) -> Hanging:
    """Find the largest scale at which all frames fit the wall; below a third of it the wall scrolls."""
    if not sizes:
        return Hanging((), 1.0)
    scale = min(
        1.0,
        WALL_WIDTH / max(size.width for size in sizes),
        LARGEST_FRAME_HEIGHT / max(size.height for size in sizes),
    )
    least = scale / 3
    hanging = _rows(sizes, scale)
    while _height(hanging) > WALL_HEIGHT and scale > least:
        scale *= 0.94
        hanging = _rows(sizes, scale)
    return hanging


def _rows(sizes: list[Size], scale: float) -> Hanging:
    rows: list[list[Seat]] = []
    room = 0
    for index, size in enumerate(sizes):
        seat = _seat(index, size, scale)
        needed = max(seat.width, CAPTION_WIDTH)
        if rows and needed <= room:
            rows[-1].append(seat)
            room -= needed + GAP
        else:
            rows.append([seat])
            room = WALL_WIDTH - needed - GAP
    return Hanging(tuple(tuple(row) for row in rows), scale)


def _seat(index: int, size: Size, scale: float) -> Seat:
    magnified = 1
    while size.longest * scale * magnified < SMALLEST_SIDE:
        magnified += 1
    width = max(1, round(size.width * scale * magnified))
    return Seat(index, width, max(1, round(size.height * scale * magnified)), magnified)


def _height(hanging: Hanging) -> int:
    return sum(max(seat.height for seat in row) + CAPTION_HEIGHT + GAP for row in hanging.rows)
