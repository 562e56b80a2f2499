"""Where a picture's subject probably is: what hangs together with nothing of the border, and differs from what does.

The picture is taken apart into regions of one colour each (R. Achanta and others, SLIC superpixels, 2012). A region
is ground as far as the border makes up much of the edge of all that is like it (boundary connectivity, over geodesic
distances in Lab), and weighs by how it differs from ground (W. Zhu and others, Saliency Optimization from Robust
Background Detection, 2014).
Sharpness beside blur weighs too.
"""

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.framing.regions_kernel import regions

EDGE = 256  # pixels of the longer side on which it is looked for
REGION_SIDE = 20  # pixels, about
COMPACTNESS = 20.0
ROUNDS = 6
SIGMA_ALIKE = 10.0  # of Lab distance along the way: within it, regions are of one thing
SIGMA_GROUND = 1.0
SIGMA_NEAR = 0.25  # of the picture's diagonal: how far a difference of colour counts
LEAST_SHARP, SHARP_ALONE = 0.1, 0.5  # of the weight: without any sharpness, and by sharpness alone
FINE_SIGMAS = (1.0, 3.0)  # pixels: detail that is fine, and around it
_GREY = 128

Map = npt.NDArray[Any]
Bytes = npt.NDArray[np.uint8]


def attention(pixels: Bytes) -> Map:
    """How much each spot belongs to the subject, 0 to 1: height × width as `pixels`' own, reduced to `EDGE`.

    `pixels`: height × width × 3 or 4 bytes of sRGB; what is clear weighs nothing.
    """
    small, cover = _small(pixels)
    lab = cv2.cvtColor(small.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    labels, count = _regions(lab)
    colours, middles, areas = _measured(lab, labels, count)
    touching = _touching(labels, count)
    ground = _ground(colours, areas, touching, labels)
    differs = _contrast(colours, middles, areas, ground, small.shape[:2])
    sharp = _mean(_sharpness(small), labels, count, areas)
    is_sharp = _levelled(sharp)
    weight = _levelled(differs * (1 - ground)) * (LEAST_SHARP + (1 - LEAST_SHARP) * is_sharp)
    weight += SHARP_ALONE * is_sharp * (1 - ground)
    drawn: Map = _levelled(weight)[labels] * cover
    return np.asarray(cv2.GaussianBlur(drawn.astype(np.float32), (0, 0), 2.0))


def _small(pixels: Bytes) -> tuple[Bytes, Map]:
    height, width = pixels.shape[:2]
    share = min(1.0, EDGE / max(height, width))
    size = max(8, round(width * share)), max(8, round(height * share))
    cover = np.ones((size[1], size[0]), np.float32)
    if pixels.shape[2] == 4:
        alpha = pixels[..., 3:].astype(np.float32) / 255
        cover = cv2.resize(alpha[..., 0], size, interpolation=cv2.INTER_AREA)
        pixels = np.rint(pixels[..., :3] * alpha + _GREY * (1 - alpha)).astype(np.uint8)
    small = cv2.resize(np.ascontiguousarray(pixels[..., :3]), size, interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.uint8), cover


def _regions(lab: Map) -> tuple[npt.NDArray[np.intp], int]:
    """The number of each pixel's region, and how many there are; each begins as a square and takes what is alike."""
    soft = np.asarray(cv2.GaussianBlur(lab, (0, 0), 1), np.float32)
    height, width = soft.shape[:2]
    across, down = max(1, round(width / REGION_SIDE)), max(1, round(height / REGION_SIDE))
    labels = regions(soft, across, down, COMPACTNESS / REGION_SIDE, ROUNDS)
    known, numbered = np.unique(labels, return_inverse=True)
    return numbered.reshape(labels.shape).astype(np.intp), len(known)


def _measured(lab: Map, labels: npt.NDArray[np.intp], count: int) -> tuple[Map, Map, Map]:
    """Mean colour, middle (fractions of the diagonal) and area of each region."""
    height, width = labels.shape
    flat = labels.ravel()
    areas = np.maximum(np.bincount(flat, minlength=count), 1).astype(float)
    bands = [np.bincount(flat, lab[..., band].ravel(), count) / areas for band in range(3)]
    y, x = np.mgrid[0:height, 0:width] / np.hypot(height, width)
    middles = [np.bincount(flat, axis.ravel(), count) / areas for axis in (x, y)]
    return np.stack(bands, 1), np.stack(middles, 1), areas


def _mean(values: Map, labels: npt.NDArray[np.intp], count: int, areas: Map) -> Map:
    mean: Map = np.bincount(labels.ravel(), values.ravel(), count) / areas
    return mean


def _touching(labels: npt.NDArray[np.intp], count: int) -> npt.NDArray[np.intp]:
    """Pairs of regions that touch; those at the border touch one another too, as if all around were one."""
    pairs = [
        np.stack([labels[:, 1:].ravel(), labels[:, :-1].ravel()], 1),
        np.stack([labels[1:].ravel(), labels[:-1].ravel()], 1),
    ]
    edge = _at_border(labels)
    one, other = np.meshgrid(edge, edge)
    joined = np.concatenate([*pairs, np.stack([one.ravel(), other.ravel()], 1)])
    joined = joined[joined[:, 0] != joined[:, 1]]
    return np.unique(np.sort(joined, axis=1), axis=0)


def _at_border(labels: npt.NDArray[np.intp]) -> npt.NDArray[np.intp]:
    return np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))


def _ground(colours: Map, areas: Map, touching: npt.NDArray[np.intp], labels: npt.NDArray[np.intp]) -> Map:
    """How probably each region is ground, 0 to 1."""
    count = len(colours)
    steps = np.linalg.norm(colours[touching[:, 0]] - colours[touching[:, 1]], axis=1)
    steps = np.maximum(steps - np.percentile(steps, 20) if steps.size else steps, 0) + 1e-3
    far = _shortest(count, touching, steps)
    alike = np.exp(-(far**2) / (2 * SIGMA_ALIKE**2))
    at_border = np.zeros(count)
    at_border[_at_border(labels)] = 1
    spanning, along = alike.sum(1), alike @ at_border
    connected = along / np.sqrt(np.maximum(spanning, 1e-6))
    ground: Map = 1 - np.exp(-(connected**2) / (2 * SIGMA_GROUND**2))
    return ground


def _shortest(count: int, touching: npt.NDArray[np.intp], steps: Map) -> Map:
    """The shortest way between any two regions (R. W. Floyd, Algorithm 97, 1962)."""
    far = np.full((count, count), np.inf)
    far[touching[:, 0], touching[:, 1]] = far[touching[:, 1], touching[:, 0]] = steps
    np.fill_diagonal(far, 0)
    for over in range(count):
        np.minimum(far, far[:, over, None] + far[None, over], out=far)
    return far


def _contrast(colours: Map, middles: Map, areas: Map, ground: Map, shape: tuple[int, ...]) -> Map:
    """How each region differs from ground, near ground most."""
    apart = np.linalg.norm(colours[:, None] - colours[None], axis=2)
    far = np.linalg.norm(middles[:, None] - middles[None], axis=2)
    near = np.exp(-(far**2) / (2 * SIGMA_NEAR**2))
    differs: Map = (apart * near * (ground * areas)[None]).sum(1)
    return differs


def _sharpness(small: Bytes) -> Map:
    grey = cv2.cvtColor(small, cv2.COLOR_RGB2GRAY).astype(np.float32)
    detail = np.abs(grey - cv2.GaussianBlur(grey, (0, 0), FINE_SIGMAS[0]))
    return np.asarray(cv2.GaussianBlur(detail, (0, 0), FINE_SIGMAS[1]))


def _levelled(values: Map) -> Map:
    """From 0 for the least twentieth to 1 for the strongest hundredth: a small thing is not clipped to the rest."""
    low, high = np.percentile(values, (5, 99))
    levelled: Map = np.clip((values - low) / max(float(high - low), 1e-6), 0, 1)
    return levelled
