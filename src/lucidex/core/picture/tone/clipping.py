"""What can be read off a result: its histogram, how much of it is clipped and where, and the colour at a spot."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from lucidex.core.luma import BT709_LUMA

BINS = 128
SAMPLED_UP_TO = 40_000  # pixels: of more, every second or third in each direction is counted
HATCH = 6  # drawn pixels from one mark to the next
LOST_LIGHT, LOST_DARK = (165, 42, 28), (230, 230, 230)
CHANNELS = ("luma", "red", "green", "blue")

Bytes = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Histogram:
    """How often each tone occurs in luma, red, green and blue: `BINS` numbers each, in per mille of the commonest.

    `black` and `white` are shares of all pixels that are clipped: no light in all channels, all light in one.
    """

    luma: tuple[int, ...]
    red: tuple[int, ...]
    green: tuple[int, ...]
    blue: tuple[int, ...]
    black: float
    white: float


def histogram(pixels: Bytes) -> Histogram:
    """The histogram of height × width × 3 or 4 bytes of sRGB; clear pixels do not count."""
    every = max(1, int(np.ceil(np.sqrt(pixels.shape[0] * pixels.shape[1] / SAMPLED_UP_TO))))
    seen = pixels[::every, ::every].reshape(-1, pixels.shape[2])
    colours = np.ascontiguousarray(seen[seen[:, 3] > 127, :3] if seen.shape[1] == 4 else seen)
    luma = np.rint(colours @ np.array(BT709_LUMA, np.float32)).astype(np.uint8)
    red, green, blue = (_shares(colours[:, channel]) for channel in range(3))
    dark, light = clipped(colours)
    total = max(1, len(colours))
    return Histogram(_shares(luma), red, green, blue, float(dark.sum()) / total, float(light.sum()) / total)


def _shares(plane: Bytes) -> tuple[int, ...]:
    counts = np.bincount(plane, minlength=256).reshape(BINS, -1).sum(axis=1)
    # the two ends are often towers; the rest would be flat beside them
    top = max(float(np.sort(counts)[-4]), float(counts.max()) / 8, 1.0)
    shares: list[int] = np.rint(1000 * np.minimum(counts / top, 1.0)).astype(int).tolist()
    return tuple(shares)


def clipped(colours: Bytes) -> tuple[npt.NDArray[np.bool_], npt.NDArray[np.bool_]]:
    """Where nothing is left in the dark (all channels at 0), and in the light (one channel at 255)."""
    red, green, blue = (colours[..., channel] for channel in range(3))
    most = np.maximum(np.maximum(red, green), blue)
    return most == 0, most == 255


def marked(pixels: Bytes) -> Bytes:
    """A copy with marks over what is clipped: upright strokes over lost light, level ones over lost dark."""
    dark, light = clipped(pixels)
    height, width = dark.shape
    upright = np.arange(width) % HATCH < HATCH // 2
    level = (np.arange(height) % HATCH < HATCH // 2)[:, None]
    out = pixels.copy()
    out[light & upright, :3] = LOST_LIGHT
    out[dark & level, :3] = LOST_DARK
    return out


def colour_at(pixels: Bytes, x: float, y: float, reach: int = 1) -> tuple[int, int, int] | None:
    """The mean colour around a spot (fractions of width and height), None where that is clear."""
    height, width = pixels.shape[:2]
    column, row = min(max(int(x * width), 0), width - 1), min(max(int(y * height), 0), height - 1)
    around = pixels[max(0, row - reach) : row + reach + 1, max(0, column - reach) : column + reach + 1]
    if around.shape[2] == 4 and around[..., 3].max() == 0:
        return None
    red, green, blue = np.rint(around[..., :3].reshape(-1, 3).mean(axis=0)).astype(int).tolist()
    return red, green, blue
