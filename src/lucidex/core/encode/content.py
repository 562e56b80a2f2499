"""What a picture is to an encoder, measured on its pixels, and which formats suit that; with the reason in words."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np
import numpy.typing as npt

from lucidex.core.units import format_number

DRAWN_FROM = 0.7  # of the pixels are exactly as their neighbour: photographs reach 0.55, drawings begin at 0.9
TEXT_FROM = 0.75  # of the pixels lie near one of two greys
FEW_COLOURS = 256
PALE = 24  # code values between the bands: below it, ink on paper
_EVERY = 1_500_000  # pixels that are looked at, at most

Pixels = npt.NDArray[Any]


class Kind(StrEnum):
    """What a picture is to an encoder."""

    PHOTOGRAPH = "photograph"
    DRAWING = "drawing"
    FEW_COLOURS = "few colours"
    TEXT = "text"


@dataclass(frozen=True)
class Content:
    """Kind, how many colours (None for more than are counted), and whether something is clear."""

    kind: Kind
    colours: int | None
    is_clear: bool = False
    moves: bool = False

    @property
    def suits(self) -> tuple[str, ...]:
        """The names of the formats that suit it, the best one first."""
        if self.kind is Kind.PHOTOGRAPH:
            return ("webp", "avif") if self.is_clear else ("webp", "avif", "jpeg")
        return ("png", "webp")

    @property
    def advice(self) -> str:
        """One sentence: what it is, what suits it, and why."""
        if self.moves:
            return "It moves; what is written here is one still picture."
        if self.kind is Kind.PHOTOGRAPH:
            if self.is_clear:
                return "A photograph with clear parts: WebP and AVIF keep them and stay light, PNG weighs far more."
            suit = "WebP and AVIF suit it best, JPEG is read everywhere"
            return f"A photograph: {suit}; PNG keeps every grain and pays for it."
        if self.kind is Kind.FEW_COLOURS:
            count = format_number(self.colours or 0)
            return f"It has only {count} colours: PNG holds every one of them in few bytes."
        if self.kind is Kind.TEXT:
            return "Mostly text: PNG keeps its letters crisp; JPEG leaves a grey haze around them."
        return "A flat drawing: PNG and WebP keep its edges clean; JPEG leaves ripples along them."


def content_of(pixels: Pixels, moves: bool = False) -> Content:
    """Measure height × width × 3 or 4 bytes of sRGB."""
    is_clear = bool(pixels.shape[2] == 4 and (pixels[..., 3] < 255).any())
    colours = _colours(pixels)
    seen = pixels[_every(pixels)]
    if colours is not None and colours <= FEW_COLOURS:
        kind = Kind.FEW_COLOURS
    elif _flat_share(seen) < DRAWN_FROM:
        kind = Kind.PHOTOGRAPH
    else:
        kind = Kind.TEXT if _is_text(seen) else Kind.DRAWING
    return Content(kind, colours if kind is Kind.FEW_COLOURS else None, is_clear, moves)


def is_photograph(pixels: Pixels) -> bool:
    """Whether rows × width × 1 to 4 numbers of 8 or 16 bits are of a photograph; what is clear does not count."""
    has_alpha = pixels.shape[2] in {2, 4}
    seen = pixels[pixels[..., -1] > 0][None] if has_alpha else pixels
    if seen.dtype != np.uint8:
        seen = (seen >> 8).astype(np.uint8)
    return bool(seen.size) and content_of(seen).kind is Kind.PHOTOGRAPH


def _every(pixels: Pixels) -> tuple[slice, ...]:
    """Whole rows, evenly spread, so that neighbours stay neighbours."""
    return (slice(None, None, max(1, pixels.shape[0] * pixels.shape[1] // _EVERY)),)


def _colours(pixels: Pixels) -> int | None:
    """How many different colours there are; None where there are more than few."""
    packed: Pixels = pixels[..., 0].astype(np.uint32)
    for band in range(1, pixels.shape[2]):
        packed = packed << 8 | pixels[..., band]
    rows = packed[:: max(1, packed.shape[0] // 64)]
    if len(np.unique(rows)) > FEW_COLOURS:
        return None  # a few rows tell already
    count = len(np.unique(packed))
    return count if count <= FEW_COLOURS else None


def _flat_share(pixels: Pixels) -> float:
    if pixels.shape[1] < 2:
        return 0.0
    return float(np.mean((pixels[:, 1:] == pixels[:, :-1]).all(axis=2)))


def _is_text(pixels: Pixels) -> bool:
    """Ink on paper: hardly any colour, and nearly all of it close to the paper's grey or to one far from it."""
    bands = pixels[..., :3].astype(np.int16)
    if float(np.mean(bands.max(axis=2) - bands.min(axis=2) > PALE)) > 1 - TEXT_FROM:
        return False
    grey = bands.mean(axis=2)
    paper = float(np.median(grey))
    near = np.abs(grey - paper) < PALE
    return bool(np.mean(near) >= TEXT_FROM and np.mean(np.abs(grey - paper) > 96) > 0.01)
