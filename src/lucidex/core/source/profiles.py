"""Colour profiles: what one does, and a clean one written anew from its numbers.

A profile from outside is parsed in the decoding process only. What leaves that process was written here, from three
primaries and three curves (ICC.1:2001-04, 6.3.1.2: three-component matrix-based input profiles), so that whoever
renders later never meets a foreign structure. What a profile does to colours decides, never its name.
"""

import struct
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.encode.base import SRGB_PROFILE

PROFILE_FIELD = "icc-profile-data"
MAX_PROFILE_BYTES = 8_000_000
MAX_TAGS = 100
MAX_CURVE_POINTS = 4_096
GRID = 9  # steps along each axis of the colours by which profiles are compared
SAME_WITHIN = 1.01  # code values of 8 bits
D50 = (0.9642, 1.0, 0.8249)
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
_PARAMETERS = {0: 1, 1: 3, 2: 4, 3: 5, 4: 7}  # numbers of a parametric curve, by its type

Matrix = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Curve:
    """From encoded to linear values: a table of 16-bit entries, or parameters (ICC.1:2010, 10.16; `kind` 0 to 4)."""

    table: tuple[int, ...] = ()
    kind: int | None = None
    parameters: tuple[float, ...] = ()

    @property
    def tag(self) -> bytes:
        """The curve as the contents of a tag."""
        if self.kind is not None:
            numbers = [round(value * 65_536) for value in self.parameters]
            return struct.pack(f">4s4xHxx{len(numbers)}i", b"para", self.kind, *numbers)
        return struct.pack(f">4s4xI{len(self.table)}H", b"curv", len(self.table), *self.table)


SRGB_CURVE = Curve(kind=3, parameters=(2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045))
BT709_CURVE = Curve(kind=3, parameters=(1 / 0.45, 1 / 1.099, 0.099 / 1.099, 1 / 4.5, 0.081))


def power_curve(gamma: float) -> Curve:
    """A plain power: encoded values to this exponent are linear."""
    return Curve(kind=0, parameters=(gamma,))


@dataclass(frozen=True)
class MatrixProfile:
    """Primaries as XYZ under D50 (columns red, green, blue), and one curve for each channel."""

    primaries: tuple[tuple[float, float, float], ...]
    curves: tuple[Curve, Curve, Curve]

    def written(self) -> bytes:
        """An ICC profile of version 2 (or 4, where a curve is parametric)."""
        tags = [
            (b"desc", _description("primaries and curves")),
            (b"cprt", b"text\0\0\0\0none\0"),
            (b"wtpt", _xyz(D50)),
        ]
        tags += [(name, _xyz(one)) for name, one in zip((b"rXYZ", b"gXYZ", b"bXYZ"), self.primaries, strict=True)]
        tags += [(name, one.tag) for name, one in zip((b"rTRC", b"gTRC", b"bTRC"), self.curves, strict=True)]
        offset, table, body = 128 + 4 + 12 * len(tags), b"", b""
        for name, contents in tags:
            table += struct.pack(">4sII", name, offset + len(body), len(contents))
            body += contents + bytes(-len(contents) % 4)
        size = offset + len(body)
        version = 0x04300000 if any(curve.kind is not None for curve in self.curves) else 0x02400000
        head = struct.pack(
            ">I4xI4s4s4s12x4s4x4x4x4x8xI3i", size, version, b"mntr", b"RGB ", b"XYZ ", b"acsp", 0, *_fixed(D50)
        )
        return head.ljust(128, b"\0") + struct.pack(">I", len(tags)) + table + body


def _fixed(values: tuple[float, ...]) -> list[int]:
    return [round(value * 65_536) for value in values]


def _xyz(values: tuple[float, float, float]) -> bytes:
    return struct.pack(">4s4x3i", b"XYZ ", *_fixed(values))


def _description(text: str) -> bytes:
    encoded = text.encode() + b"\0"
    return struct.pack(f">4s4xI{len(encoded)}s", b"desc", len(encoded), encoded) + bytes(78)


def primaries_of(
    red: tuple[float, float], green: tuple[float, float], blue: tuple[float, float], white: tuple[float, float]
) -> tuple[tuple[float, float, float], ...]:
    """XYZ under D50 of three primaries given with their white as chromaticities x, y.

    Source: SMPTE RP 177 for the scale of the primaries, the Bradford adaptation of ICC.1:2010, annex E.
    ValueError where they span no colours.
    """
    xyz = np.array([_from_xy(*one) for one in (red, green, blue)]).T
    target = np.array(_from_xy(*white))
    try:
        scaled = xyz * np.linalg.solve(xyz, target)
    except np.linalg.LinAlgError as error:
        raise ValueError("the primaries span no colours") from error
    cones = _BRADFORD @ target
    adapting = np.linalg.inv(_BRADFORD) @ np.diag((_BRADFORD @ np.array(D50)) / cones) @ _BRADFORD
    adapted = adapting @ scaled
    if not np.isfinite(adapted).all() or np.abs(adapted).max() > 4:
        raise ValueError("the primaries span no colours")
    return tuple((float(x), float(y), float(z)) for x, y, z in adapted.T)


def _from_xy(x: float, y: float) -> tuple[float, float, float]:
    if not 1e-4 < y <= 1:
        raise ValueError("a chromaticity lies outside its range")
    return x / y, 1.0, (1 - x - y) / y


D65 = (0.3127, 0.3290)
SRGB_PRIMARIES = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06))
WIDE_PRIMARIES = ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046))  # of ITU-R BT.2020


def tags_of(profile: bytes) -> dict[bytes, bytes]:
    """The contents of a profile's tags; those that point outside are left out."""
    found: dict[bytes, bytes] = {}
    try:
        (count,) = struct.unpack_from(">I", profile, 128)
        for index in range(min(count, MAX_TAGS)):
            signature, offset, size = struct.unpack_from(">4sII", profile, 132 + 12 * index)
            if offset + size <= len(profile):
                found[signature] = profile[offset : offset + size]
    except struct.error:
        return found
    return found


def profile_description(profile: bytes) -> str | None:
    """The name inside an ICC profile, or None where it has none; to be shown, never to decide by.

    Source: ICC.1:2022, 9.2.41 (profileDescriptionTag), 10.15 (multiLocalizedUnicodeType); ICC.1:2001-04 for
    textDescriptionType.
    """
    tag = tags_of(profile).get(b"desc", b"")
    try:
        if tag[:4] == b"mluc":
            length, offset = struct.unpack_from(">II", tag, 20)
            name = tag[offset : offset + min(length, 400)].decode("utf-16-be", "replace")
        elif tag[:4] == b"desc":
            (length,) = struct.unpack_from(">I", tag, 8)
            name = tag[12 : 12 + min(length, 200)].decode("latin-1")
        else:
            return None
    except struct.error:
        return None
    return " ".join("".join(c for c in name if c.isprintable()).split()) or None


def rebuilt(profile: bytes) -> bytes | None:
    """A clean profile with the same primaries and curves, or None where the profile is made of more than these."""
    tags = tags_of(profile)
    if b"A2B0" in tags or not {b"rXYZ", b"gXYZ", b"bXYZ", b"rTRC", b"gTRC", b"bTRC"} <= tags.keys():
        return None
    try:
        primaries = tuple(_read_xyz(tags[name]) for name in (b"rXYZ", b"gXYZ", b"bXYZ"))
        red, green, blue = (_read_curve(tags[name]) for name in (b"rTRC", b"gTRC", b"bTRC"))
    except (struct.error, ValueError):
        return None
    return MatrixProfile(primaries, (red, green, blue)).written()


def _read_xyz(tag: bytes) -> tuple[float, float, float]:
    x, y, z = struct.unpack_from(">3i", tag, 8)
    return x / 65_536, y / 65_536, z / 65_536


def _read_curve(tag: bytes) -> Curve:
    if tag[:4] == b"para":
        (kind,) = struct.unpack_from(">H", tag, 8)
        if kind not in _PARAMETERS:
            raise ValueError("an unknown kind of curve")
        numbers = struct.unpack_from(f">{_PARAMETERS[kind]}i", tag, 12)
        return Curve(kind=kind, parameters=tuple(number / 65_536 for number in numbers))
    (count,) = struct.unpack_from(">I", tag, 8)
    if tag[:4] != b"curv" or count > MAX_CURVE_POINTS:
        raise ValueError("no curve that is known here")
    return Curve(table=struct.unpack_from(f">{count}H", tag, 12))


def _grid() -> pyvips.Image:
    steps = np.rint(np.linspace(0, 65_535, GRID)).astype(np.uint16)
    colours = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(1, -1, 3)
    return pyvips.Image.new_from_array(np.ascontiguousarray(colours), interpretation="rgb16")


def with_profile(image: pyvips.Image, profile: bytes | None) -> pyvips.Image:
    """The image carrying a profile."""
    if profile is None:
        return image
    tagged = image.copy()
    tagged.set_type(pyvips.GValue.blob_type, PROFILE_FIELD, profile)
    return tagged


def as_srgb(image: pyvips.Image, depth: int) -> pyvips.Image:
    """sRGB of an image that carries a profile: relative colorimetric, with black point compensation."""
    return image.icc_transform(
        SRGB_PROFILE, embedded=True, intent="relative", black_point_compensation=True, depth=depth
    )


def _grid_through(profile: bytes) -> Matrix:
    out: Matrix = as_srgb(with_profile(_grid(), profile), 16).numpy().astype(np.float64) / 257
    return out


def does_like_srgb(profile: bytes) -> bool:
    """Whether RGB colours come out of a profile as they went in, within a code value of 8 bits.

    Raises pyvips.Error where the profile cannot be used for RGB.
    """
    return bool(np.abs(_grid_through(profile) - _grid().numpy() / 257).max() <= SAME_WITHIN)


def do_alike(one: bytes, other: bytes) -> bool:
    """Whether two RGB profiles lead to the same sRGB colours, within a code value of 8 bits."""
    return bool(np.abs(_grid_through(one) - _grid_through(other)).max() <= SAME_WITHIN)
