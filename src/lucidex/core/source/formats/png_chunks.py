"""What a PNG file says of its colours and its movement, beside the pixels (Portable Network Graphics, third edition).

libvips reads the pixels and an embedded ICC profile; the chunks here are those that it passes over.
"""

import struct
from dataclasses import dataclass
from io import BufferedReader

from lucidex.core.source.profiles import (
    BT709_CURVE,
    D65,
    SRGB_CURVE,
    SRGB_PRIMARIES,
    WIDE_PRIMARIES,
    Curve,
    MatrixProfile,
    power_curve,
    primaries_of,
)

MAX_CHUNKS = 10_000
GAMMA_OF_SRGB = 0.45455  # what the standard asks writers of sRGB pictures to put into gAMA
GAMMA_SLACK = 0.005
XY_SLACK = 0.002
_READ_UP_TO = 64  # bytes of a chunk; all that are read here are shorter
_PRIMARIES = {
    1: (*SRGB_PRIMARIES, D65),
    5: ((0.64, 0.33), (0.29, 0.60), (0.15, 0.06), D65),
    6: ((0.630, 0.340), (0.310, 0.595), (0.155, 0.070), D65),
    9: (*WIDE_PRIMARIES, D65),
    12: ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060), D65),
}  # ITU-T H.273, table 2
_TRANSFERS = {
    1: BT709_CURVE,
    4: power_curve(2.2),
    5: power_curve(2.8),
    6: BT709_CURVE,
    8: power_curve(1.0),
    13: SRGB_CURVE,
    14: BT709_CURVE,
    15: BT709_CURVE,
}  # ITU-T H.273, table 3: those that describe what is shown on a usual screen

Chromaticities = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class PngColour:
    """Chunks beside the pixels. `coded` is cICP (primaries, transfer, matrix, full range); `frames` counts acTL's."""

    gamma: float | None = None
    chromaticities: Chromaticities | None = None
    is_srgb: bool = False
    has_profile: bool = False
    coded: tuple[int, int, int, int] | None = None
    frames: int = 1

    @property
    def is_plain(self) -> bool:
        """Whether the colours are sRGB's, or an embedded profile's, by the standard's order of precedence."""
        if self.coded is not None:
            return self.coded == (1, 13, 0, 1)
        return self.has_profile or self.is_srgb or (self._is_srgb_gamma and self._is_srgb_primaries)

    @property
    def _is_srgb_gamma(self) -> bool:
        return self.gamma is None or abs(self.gamma - GAMMA_OF_SRGB) <= GAMMA_SLACK

    @property
    def _is_srgb_primaries(self) -> bool:
        usual = (D65, *SRGB_PRIMARIES)
        declared = self.chromaticities or usual
        return all(
            abs(a - b) <= XY_SLACK
            for one, other in zip(declared, usual, strict=True)
            for a, b in zip(one, other, strict=True)
        )

    @property
    def curve(self) -> Curve | None:
        """From encoded to linear values; None where it is none that can be shown on a usual screen."""
        if self.coded is not None:
            return _TRANSFERS.get(self.coded[1])
        return SRGB_CURVE if self._is_srgb_gamma else power_curve(1 / (self.gamma or 1))

    @property
    def profile(self) -> bytes | None:
        """An ICC profile for what is said here; None where it cannot be shown rightly."""
        curve = self.curve
        if self.coded is not None:
            primaries, _, matrix, full_range = self.coded
            declared = _PRIMARIES.get(primaries) if (matrix, full_range) == (0, 1) else None
        else:
            white, *others = self.chromaticities or (D65, *SRGB_PRIMARIES)
            declared = (others[0], others[1], others[2], white)
        if curve is None or declared is None:
            return None
        try:
            return MatrixProfile(primaries_of(*declared), (curve, curve, curve)).written()
        except ValueError:
            return None


def read_png_colour(file: BufferedReader) -> PngColour:
    """The chunks of a PNG file before its pixels; what is broken or missing is as if it were not there."""
    declared: dict[str, object] = {}
    file.seek(8)
    for _ in range(MAX_CHUNKS):
        head = file.read(8)
        if len(head) < 8:
            break
        length, name = struct.unpack(">I4s", head)
        if name in {b"IDAT", b"IEND"}:
            break
        body = file.read(min(length, _READ_UP_TO))
        file.seek(length - len(body) + 4, 1)
        declared |= _read_chunk(name, body)
    return PngColour(**declared)  # type: ignore[arg-type]


def _read_chunk(name: bytes, body: bytes) -> dict[str, object]:
    if name == b"gAMA" and len(body) == 4 and (gamma := struct.unpack(">I", body)[0] / 100_000) > 0:
        return {"gamma": min(max(gamma, 0.05), 20.0)}
    if name == b"cHRM" and len(body) == 32:
        numbers = [value / 100_000 for value in struct.unpack(">8I", body)]
        return {"chromaticities": tuple(zip(numbers[::2], numbers[1::2], strict=True))}
    if name == b"cICP" and len(body) == 4:
        return {"coded": tuple(body)}
    if name == b"acTL" and len(body) == 8:
        return {"frames": max(1, struct.unpack(">II", body)[0])}
    known = {b"sRGB": "is_srgb", b"iCCP": "has_profile"}.get(name)
    return {known: True} if known else {}
