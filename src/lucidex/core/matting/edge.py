"""The edge of a subject, of which a rough mask is known: how much of each pixel is it, and which colour it has there.

Alpha follows from the matting Laplacian (A. Levin, D. Lischinski and Y. Weiss, A closed-form solution to natural
image matting, 2008): within each window it is as near as possible to a linear function of the colour. It is solved by
conjugate gradients without a matrix, first on half the raster. The colours of both sides follow by blur fusion
(M. Forte and F. Pitié, Approximate fast foreground colour estimation, 2021).
"""

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.cancellation import check_wanted
from lucidex.core.matting.laplacian_kernel import laplacian_times, window_coefficients, window_statistics

Floats = npt.NDArray[Any]
Mask = npt.NDArray[np.bool_]

REGULARISATION = 1e-5  # of colours squared, 0 to 1
WINDOW_RADIUS = 2  # pixels
CARRIED_RADIUS = 1
ROUNDS = 60
ENOUGH = 3e-3  # the residual left, of the one at the beginning
SMALLEST = 96  # pixels of the shorter side: below, no half raster helps
KNOWN_FROM = 0.99  # of a pixel of the half raster
FUSION_WINDOWS = (91, 7)  # pixels: first far, then near


class _Laplacian:
    """The matting Laplacian of all windows that hold an unknown pixel."""

    def __init__(self, colours: Floats, unknown: Mask, radius: int) -> None:
        side = 2 * radius + 1
        near = cv2.dilate(unknown.astype(np.uint8), np.ones((side, side), np.uint8)) > 0
        near[:radius] = near[-radius:] = near[:, :radius] = near[:, -radius:] = False
        self.near = near
        self._rows, self._columns = np.nonzero(near)
        self._colours, self._radius = colours, radius
        self._means, self._inverses = np.empty((self._rows.size, 3)), np.empty((self._rows.size, 6))
        window_statistics(colours, self._rows, self._columns, radius, REGULARISATION, self._means, self._inverses)
        self._out = np.empty(colours.shape[:2])

    def times(self, alpha: Floats) -> Floats:
        """The Laplacian times an alpha; what is given holds until the next one."""
        windows = (self._colours, self._rows, self._columns, self._radius, self._means, self._inverses)
        laplacian_times(*windows, alpha, self._out)
        return self._out

    def coefficients(self, alpha: Floats) -> tuple[Floats, Floats]:
        """Of the windows: by what alpha grows with each colour (height × width × 3), and what is added."""
        slope, added = np.zeros_like(self._colours), np.zeros_like(alpha)
        windows = (self._colours, self._rows, self._columns, self._radius, self._means, self._inverses)
        window_coefficients(*windows, alpha, slope, added)
        return slope, added


def solved_alpha(colours: Floats, inside: Mask, outside: Mask) -> Floats:
    """How much of each pixel is the subject, 0 to 1: 1 `inside`, 0 `outside`, and between them what colours tell.

    `colours` are height × width × 3 floats of 64 bits, 0 to 1. Raises NoLongerWantedError where nobody waits for it
    any more.
    """
    height, width = inside.shape
    begun = np.full((height, width), 0.5)
    if min(height, width) >= SMALLEST:
        half = (width // 2, height // 2)
        coarse = cv2.resize(colours, half, interpolation=cv2.INTER_AREA)
        less = (cv2.resize(one.astype(np.float64), half, interpolation=cv2.INTER_AREA) for one in (inside, outside))
        known = [np.asarray(one > KNOWN_FROM) for one in less]
        begun = cv2.resize(solved_alpha(coarse, *known), (width, height), interpolation=cv2.INTER_LINEAR)
    return _solved(colours, inside, outside, begun)


def _solved(colours: Floats, inside: Mask, outside: Mask, begun: Floats) -> Floats:
    unknown = ~(inside | outside)
    alpha = np.where(inside, 1.0, np.where(outside, 0.0, begun))
    if not unknown.any() or min(unknown.shape) <= 2 * WINDOW_RADIUS:
        return alpha
    laplacian, free = _Laplacian(colours, unknown, WINDOW_RADIUS), unknown.astype(np.float64)
    plainly = -laplacian.times(np.where(unknown, 0.5, alpha)) * free
    least = ENOUGH**2 * float(np.vdot(plainly, plainly))
    residual = -laplacian.times(alpha) * free
    direction, length = residual.copy(), float(np.vdot(residual, residual))
    for _ in range(ROUNDS):
        if length <= least:
            break
        check_wanted()
        along = laplacian.times(direction) * free
        step = length / float(np.vdot(direction, along))
        alpha += step * direction
        residual -= step * along
        before, length = length, float(np.vdot(residual, residual))
        direction = residual + length / before * direction
    return np.clip(alpha, 0, 1)


def separated(colours: Floats, alpha: Floats) -> tuple[Floats, Floats]:
    """The subject's and the ground's colours at every pixel, 0 to 1, each height × width × 3."""
    ours, theirs = colours, colours
    for side in FUSION_WINDOWS:
        ours, theirs = _fused(colours, ours, theirs, alpha, side)
    return ours, theirs


def _fused(colours: Floats, ours: Floats, theirs: Floats, alpha: Floats, side: int) -> tuple[Floats, Floats]:
    def blurred(values: Floats) -> Floats:
        found: Floats = cv2.blur(values, (side, side), borderType=cv2.BORDER_REPLICATE)
        return found

    own, rest = alpha[..., None], 1 - alpha[..., None]
    near = blurred(ours * own) / (blurred(alpha)[..., None] + 1e-5)
    far = blurred(theirs * rest) / (blurred(1 - alpha)[..., None] + 1e-5)
    return foreground(colours, alpha, near, far), far


def foreground(colours: Floats, alpha: Floats, near: Floats, far: Floats) -> Floats:
    """The subject's own colours where a pixel mixes both: `near` and `far` are what both sides look like there."""
    own = alpha[..., None]
    found: Floats = np.clip(near + own * (colours - own * near - (1 - own) * far), 0, 1)
    return found


def carried(colours: Floats, alpha: Floats) -> tuple[Floats, Floats]:
    """How alpha follows from the colour near each pixel, so that it is found at any scale: height × width × 3 by
    which it grows with each colour, and height × width that is added (K. He and J. Sun, Fast guided filter, 2015)."""
    unknown = np.asarray((alpha > 0) & (alpha < 1))
    if min(alpha.shape) <= 2 * CARRIED_RADIUS:
        return np.zeros_like(colours), alpha
    laplacian = _Laplacian(colours, unknown, CARRIED_RADIUS)
    slope, added = laplacian.coefficients(alpha)
    side = (2 * CARRIED_RADIUS + 1,) * 2
    near = cv2.blur(laplacian.near.astype(np.float64), side)
    known = near > 0
    scale = np.where(known, 1 / np.where(known, near, 1), 0)
    slope, added = cv2.blur(slope, side) * scale[..., None], cv2.blur(added, side) * scale
    return slope, np.where(known, added, alpha)
