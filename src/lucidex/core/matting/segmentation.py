"""Which part of a picture is its subject: a rough mask, from what somebody has pointed at, or by itself where that is
sure.

What lies within a box is divided by iterated graph cuts (C. Rother, V. Kolmogorov and A. Blake, GrabCut, 2004),
helped by strokes that keep or drop, and by people that are known. By itself only people with a face, and what stands
on a plain ground, are taken for the subject: on photographs, nothing else was found often enough.
"""

import math
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.matting.person import person_likelihood
from lucidex.core.picture.ground_surface import (
    content_grid,
    find_shadows,
    fit_ground,
    ground_at,
    is_plain,
    with_shadows,
)
from lucidex.core.picture.raster import Raster

COARSE_EDGE, EDGE = 256, 480  # pixels along the longer side of what is divided
NEAR_EDGE = 4  # coarse pixels: where the finer raster is asked
AROUND = 1.0  # of a box: how much of its surroundings says what ground is
ROUNDS, FINER_ROUNDS = 5, 1
SEED = 1  # the first clusters of colours are drawn by chance: always the same one
UNLIKELY, CERTAIN = 0.3, 0.95  # of a person
CERTAIN_WITHIN = 7  # pixels from where it is not
AGREEING = 0.85  # of both together: a person whom colours and network draw alike
GAPS_WITHIN, SURELY_GROUND = 0.05, 2.0  # of the longer side; in natural logarithms of likelihoods
LEAST_ISLAND, LARGEST_HOLE = 0.03, 0.001  # of the largest part; of all
BORDER = 0.02  # of the shorter side
SAME_BOUNDS = 0.6  # overlap over union: a box that is drawn around a person, and not around something near
LEAST, MOST = 0.01, 0.9  # of the picture: less, or more, is no subject that is sure
ONE_THING = 0.8  # of what stands on a plain ground hangs together: stars, or letters, are no subject
OFF_GROUND = 2.5  # times the ground's grain
LEAST_OFF = 10.0  # code values
GRAIN_SHARE = 90  # per cent of the border's pixels are ground

Bytes = npt.NDArray[np.uint8]
Floats = npt.NDArray[Any]
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Hints:
    """What somebody pointed at, each height × width as the raster: the subject lies `within` (None: anywhere), `kept`
    pixels are it and `dropped` ones are not."""

    within: Mask | None
    kept: Mask
    dropped: Mask

    @property
    def are_none(self) -> bool:
        """Whether nothing was said of where it is."""
        return self.within is None and not self.kept.any()


@dataclass(frozen=True)
class Found:
    """The subject's pixels on a raster, and whether what was found by itself is a person."""

    mask: Mask
    is_person: bool = False


def find_subject(raster: Raster, hints: Hints) -> Found | None:
    """The subject of a picture; None where it is not sure, or where what was pointed at leaves nothing.

    Strokes that drop are followed in every case. The same raster and hints give the same mask.
    """
    found = _by_itself(raster, hints) if hints.are_none else _pointed_at(raster.pixels, hints)
    return found if found is not None and found.mask.any() else None


def _by_itself(raster: Raster, hints: Hints) -> Found | None:
    likely = person_likelihood(raster.pixels[..., :3])
    if likely is not None:
        mask = _divided(raster.pixels, _labels(likely > UNLIKELY, hints, likely))
        together = float((mask & (likely > 0.5)).sum()) / max(float((mask | (likely > 0.5)).sum()), 1.0)
        if together >= AGREEING and _is_sized(mask):
            return Found(_cleaned(mask, hints), is_person=True)
    standing = _on_plain_ground(raster)
    if standing is None or not _is_sized(standing):
        return None
    cleaned = _cleaned(standing, hints)
    return Found(cleaned) if _largest_share(cleaned) >= ONE_THING else None


def _is_sized(mask: Mask) -> bool:
    return LEAST <= float(mask.mean()) <= MOST


def _on_plain_ground(raster: Raster) -> Mask | None:
    """What differs from a ground that is nearly the same all around; None without one."""
    surface = fit_ground(raster)
    if surface is None or not is_plain(raster, surface):
        return None
    height, width = raster.pixels.shape[:2]
    ground = ground_at(
        with_shadows(surface, find_shadows(raster, surface)), *content_grid(raster.to_content, width, height)
    )
    apart = np.abs(cv2.blur(raster.pixels[..., :3], (3, 3)) - ground).max(axis=-1)
    border = np.concatenate([apart[0], apart[-1], apart[:, 0], apart[:, -1]])
    limit = max(LEAST_OFF, OFF_GROUND * float(np.percentile(border, GRAIN_SHARE)))
    return np.asarray(apart > limit)


def _pointed_at(pixels: Bytes, hints: Hints) -> Found:
    within = np.ones(pixels.shape[:2], bool) if hints.within is None else hints.within
    rows, columns = np.nonzero(within | hints.kept)
    if not rows.size:
        return Found(np.zeros_like(within))
    top, bottom = _grown(rows, pixels.shape[0])
    left, right = _grown(columns, pixels.shape[1])
    part = (slice(top, bottom), slice(left, right))
    here = Hints(within[part], hints.kept[part], hints.dropped[part])
    likely = None if hints.within is None else person_likelihood(pixels[..., :3])
    if likely is not None and _overlap(_bounds(within), _bounds(likely > CERTAIN)) < SAME_BOUNDS:
        likely = None
    labels = _labels(within[part], here, None if likely is None else likely[part])
    if hints.within is None:  # only strokes: what they do not say is ground until colours tell otherwise
        labels[labels == cv2.GC_PR_FGD] = cv2.GC_PR_BGD
    mask = np.zeros_like(within)
    mask[part] = _divided(pixels[part], labels)
    return Found(_cleaned(mask, hints))


def _bounds(mask: Mask) -> tuple[int, int, int, int]:
    """Left, top, right and bottom of what surrounds a mask."""
    rows, columns = np.nonzero(mask)
    if not rows.size:
        return 0, 0, 0, 0
    return int(columns.min()), int(rows.min()), int(columns.max()) + 1, int(rows.max()) + 1


def _overlap(a: tuple[int, int, int, int], b: tuple[int, int, int, int]) -> float:
    """What two boxes share, of what they cover together."""
    across, down = min(a[2], b[2]) - max(a[0], b[0]), min(a[3], b[3]) - max(a[1], b[1])
    shared = max(across, 0) * max(down, 0)
    together = sum((box[2] - box[0]) * (box[3] - box[1]) for box in (a, b)) - shared
    return shared / max(together, 1)


def _grown(seats: npt.NDArray[np.intp], length: int) -> tuple[int, int]:
    """From where to where rows or columns reach, with some of what is around."""
    first, last = int(seats.min()), int(seats.max()) + 1
    more = math.ceil(AROUND * (last - first))
    return max(0, first - more), min(length, last + more)


def _labels(within: Mask, hints: Hints, likely: Floats | None) -> Bytes:
    """What is known of each pixel, in the numbers of OpenCV's GrabCut."""
    labels = np.where(within, np.uint8(cv2.GC_PR_FGD), np.uint8(cv2.GC_BGD)).astype(np.uint8)
    if likely is not None:
        labels[within & (likely < UNLIKELY)] = cv2.GC_PR_BGD
        side = np.ones((2 * CERTAIN_WITHIN + 1,) * 2, np.uint8)
        labels[within & (cv2.erode((likely > CERTAIN).astype(np.uint8), side) > 0)] = cv2.GC_FGD
    if not (labels == cv2.GC_BGD).any():  # drawn around all of the picture: its border is the likeliest ground
        deep = max(1, round(BORDER * min(labels.shape)))
        inner = np.zeros(labels.shape, bool)
        inner[deep:-deep, deep:-deep] = True
        labels[~inner] = cv2.GC_BGD
    labels[hints.kept] = cv2.GC_FGD
    labels[hints.dropped] = cv2.GC_BGD
    return labels


def _divided(pixels: Bytes, labels: Bytes) -> Mask:
    """The pixels that graph cuts take for the subject: of a coarse raster, then near its edge of a finer one.

    A cut through all of a fine raster can take ten seconds where both sides look alike. As a cut is short, it closes
    the gaps between leaves or strands: near the edge, what looks like ground much more is taken out again.
    """
    coarse = _cut(*_reduced(pixels, labels, COARSE_EDGE), ROUNDS)[0]
    known = cv2.resize(coarse, labels.shape[::-1], interpolation=cv2.INTER_NEAREST)
    near = _near_edge(known.astype(np.uint8), NEAR_EDGE * max(labels.shape) / COARSE_EDGE)
    finer = np.where(near & (labels >= cv2.GC_PR_BGD), known + 2, known).astype(np.uint8)
    finer = np.where(labels < cv2.GC_PR_BGD, labels, finer).astype(np.uint8)
    colours, small = _reduced(pixels, finer, EDGE)
    said = _reduced(pixels, labels, EDGE)[1]
    ours, ground, subject = _cut(colours, small, FINER_ROUNDS)
    gaps = _near_edge(ours, GAPS_WITHIN * max(ours.shape)) & (said != cv2.GC_FGD)
    if gaps.any() and subject.any():
        rather = _log_likelihood(subject, colours) - _log_likelihood(ground, colours)
        ours = np.where(gaps & (rather < -SURELY_GROUND), 0, ours)
    smooth = cv2.resize(ours.astype(np.float32), labels.shape[::-1], interpolation=cv2.INTER_LINEAR)
    return np.asarray(smooth > 0.5)


def _near_edge(mask: Bytes, within: float) -> Mask:
    side = 2 * math.ceil(within) + 1
    square = np.ones((side, side), np.uint8)
    return np.asarray(cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_GRADIENT, square) > 0)


def _reduced(pixels: Bytes, labels: Bytes, edge: int) -> tuple[Bytes, Bytes]:
    """Colours and labels at no more than so many pixels along the longer side."""
    height, width = labels.shape
    scale = min(1.0, edge / max(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    colours = cv2.resize(np.ascontiguousarray(pixels[..., :3]), size, interpolation=cv2.INTER_AREA)
    return colours.astype(np.uint8), cv2.resize(labels, size, interpolation=cv2.INTER_NEAREST).astype(np.uint8)


def _cut(colours: Bytes, labels: Bytes, rounds: int) -> tuple[Bytes, Floats, Floats]:
    """1 for the subject's pixels and 0 for others; and what both sides' colours are, as OpenCV says it: nought where
    there was nothing to tell apart."""
    ground, subject = np.zeros((1, 65)), np.zeros((1, 65))
    if (labels % 2 == 0).any() and (labels % 2 == 1).any():  # odd numbers are the subject's
        cv2.setRNGSeed(SEED)
        cv2.grabCut(colours, labels, (0, 0, 0, 0), ground, subject, rounds, cv2.GC_INIT_WITH_MASK)
    return (labels % 2).astype(np.uint8), ground, subject


def _log_likelihood(model: Floats, colours: Bytes) -> Floats:
    """Of each colour, in a mixture of five normal distributions: weights, means and covariances one after another."""
    numbers, found = model.ravel(), np.zeros(colours.shape[:2])
    weights, means, covariances = numbers[:5], numbers[5:20].reshape(5, 3), numbers[20:].reshape(5, 3, 3)
    for weight, mean, covariance in zip(weights, means, covariances, strict=True):
        if weight > 0:
            apart = colours - mean
            squared = (apart @ np.linalg.inv(covariance) * apart).sum(axis=2)
            found += weight / math.sqrt(np.linalg.det(covariance)) * np.exp(-squared / 2)
    return np.log(found + 1e-300)


def _cleaned(mask: Mask, hints: Hints) -> Mask:
    """Without small islands and small holes; what was pointed at holds."""
    mask = (mask | hints.kept) & ~hints.dropped
    mask = _without_small(mask, LEAST_ISLAND, hints.kept)
    holes = ~mask & ~_without_small(~mask, 0.0, hints.dropped, least=LARGEST_HOLE * mask.size)
    return mask | holes


def _largest_share(mask: Mask) -> float:
    """How much of a mask its largest part is."""
    facts = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)[2]
    areas = facts[1:, cv2.CC_STAT_AREA]
    return float(areas.max()) / float(areas.sum()) if areas.size else 0.0


def _without_small(mask: Mask, share: float, kept: Mask, least: float = 0.0) -> Mask:
    """The parts that are large enough beside the largest one, at least so many pixels, or touch what is kept."""
    count, labels, facts, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=4)
    if count <= 1:
        return mask
    areas = facts[:, cv2.CC_STAT_AREA].astype(np.float64)
    stays = areas >= max(least, share * areas[1:].max())
    stays[np.unique(labels[kept])] = True
    stays[0] = False
    return np.asarray(stays[labels])
