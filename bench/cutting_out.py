"""Cut-outs beside graph cuts alone, on pictures whose true alpha is known.

    .venv/bin/python -m bench cutting_out

Made-up outlines (whole things, products, fur, hair, leaves, glass) of a photograph or of drawn colours are laid over
photographs of `bench/photographs.py`, half of them blurred; fitted and measured halves share no photograph. Each
gets one box, 8 pixels wider than what is to be seen; then two strokes, each along the largest part that is wrong.
Errors are means of absolute differences of alpha in thousandths, and of its gradient (sigma 1.4) squared in
millionths, as is usual; right is what is below 10 thousandths. Whatever is cut out without a hint counts as sure: of
the same pictures, where wrong is what is above 100 thousandths (a person in the ground is found instead of what was
laid over it), and of the photographs alone.
"""

import time
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from bench.photographs import Pixels, photographs
from lucidex.core.areas.shapes import Stroke
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.picture.raster import Raster
from lucidex.core.source.derivation import StoredPixels, restored
from lucidex.core.steps.cut_out import CutOut
from lucidex.core.steps.on_area import Gesture, Tool

WIDTH, HEIGHT, FINER = 1_000, 750, 4
KINDS = ("whole", "product", "fur", "hair", "leaves", "glass")
CASES = 24  # of each half
AROUND, RIGHT_BELOW, WRONG_FROM = 8, 10.0, 100.0
Alpha = npt.NDArray[Any]


@dataclass(frozen=True)
class Case:
    kind: str
    is_fitted: bool
    pixels: Pixels
    alpha: Alpha


class Canvas:
    """Lines and fills, drawn finer than they come out."""

    def __init__(self) -> None:
        self._drawn = np.zeros((HEIGHT * FINER, WIDTH * FINER), np.uint8)

    def fill(self, points: Alpha) -> None:
        cv2.fillPoly(self._drawn, [np.rint(points * FINER * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)

    def line(self, points: Alpha, width: float) -> None:
        wide = max(1, round(width * FINER))
        cv2.polylines(self._drawn, [np.rint(points * FINER * 16).astype(np.int32)], False, 255, wide, cv2.LINE_AA, 4)

    @property
    def alpha(self) -> Alpha:
        return cv2.resize(self._drawn, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA) / 255.0


def blob(random: np.random.Generator, middle: Alpha, size: float) -> Alpha:
    turn = np.linspace(0, 2 * np.pi, 240, endpoint=False)
    radius = np.full_like(turn, size)
    for wave in range(2, 6):
        radius *= 1 + 0.18 * random.normal() / wave * np.sin(wave * turn + random.uniform(0, 7))
    return middle + np.stack([1.1 * radius * np.cos(turn), radius * np.sin(turn)], axis=1)


def strands(canvas: Canvas, random: np.random.Generator, edge: Alpha, count: int, lengths: tuple[int, int]) -> None:
    middle = edge.mean(axis=0)
    for _ in range(count):
        root = edge[random.integers(len(edge))]
        out = (root - middle) / np.linalg.norm(root - middle) + 0.4 * random.normal(size=2)
        out /= np.linalg.norm(out)
        t = np.linspace(-0.3, 1, 14)[:, None]
        bent = 0.25 * random.normal() * t * t * np.array([-out[1], out[0]])
        canvas.line(root + random.uniform(*lengths) * (t * out + bent), random.uniform(0.35, 1.3))


def leaves(canvas: Canvas, random: np.random.Generator, middle: Alpha) -> None:
    along = np.linspace(0, 1, 20)
    stem = middle + np.stack([80 * along - 40 + 30 * np.sin(3 * along), 260 - 500 * along], axis=1)
    canvas.line(stem, 9)
    for _ in range(26):
        turn, length = random.uniform(-np.pi, 0) + 0.4 * random.normal(), random.uniform(60, 150)
        way, t = np.array([np.cos(turn), np.sin(turn)]), np.linspace(0, 1, 30)[:, None]
        broad = length * random.uniform(0.16, 0.3) * np.sin(np.pi * t) ** 0.8 * np.array([-way[1], way[0]])
        spine = stem[random.integers(2, 20)] + t * length * way
        canvas.fill(np.concatenate([spine + broad, (spine - broad)[::-1]]))


def outline(kind: str, random: np.random.Generator) -> Alpha:
    """The true alpha of a made-up thing."""
    canvas, middle = Canvas(), np.array([WIDTH / 2, HEIGHT / 2]) + random.uniform(-60, 60, 2)
    if kind == "product":
        w, h = random.uniform(100, 220), random.uniform(170, 270)
        bottle = [(0, 0.3), (0.35, 0.22), (0.35, 0), (0.65, 0), (0.65, 0.22), (1, 0.3), (1, 1), (0, 1)]
        canvas.fill(middle + (np.array(bottle) - 0.5) * (w, h))
    elif kind == "leaves":
        leaves(canvas, random, middle)
    elif kind == "glass":
        turn = np.linspace(0, 2 * np.pi, 90)
        canvas.fill(middle - (0, 70) + np.stack([130 * np.cos(turn), 160 * np.sin(turn)], axis=1))
        bowl = canvas.alpha
        deep = cv2.distanceTransform((bowl > 0.5).astype(np.uint8), cv2.DIST_L2, 5)
        foot = Canvas()
        foot.fill(middle + np.array([(-10, 80), (10, 80), (14, 230), (-14, 230)]))
        foot.fill(middle + np.array([(-90, 220), (90, 220), (90, 242), (-90, 242)]))
        return np.maximum(bowl * (0.35 + 0.65 * np.exp(-deep / 14)), foot.alpha)
    else:
        edge = blob(random, middle, random.uniform(130, 220))
        canvas.fill(edge)
        if kind != "whole":
            strands(canvas, random, edge, *((900, (8, 28)) if kind == "fur" else (420, (40, 110))))
    return canvas.alpha


def drawn(random: np.random.Generator) -> Pixels:
    """Colours that run into each other, with soft spots and grain."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH] / WIDTH
    first, second = random.uniform(20, 235, 3), random.uniform(20, 235, 3)
    across = (x * np.cos(turn := random.uniform(0, 6)) + y * np.sin(turn))[..., None]
    spots = cv2.GaussianBlur(random.normal(0, 180, (HEIGHT, WIDTH)), (0, 0), random.uniform(3, 30))
    mixed = first + (second - first) * across + spots[..., None] + random.normal(0, 3, (HEIGHT, WIDTH, 1))
    return np.asarray(np.clip(mixed, 0, 255), np.uint8)


def filling(pixels: Pixels) -> Pixels:
    """A photograph as large as a case."""
    scale = max(WIDTH / pixels.shape[1], HEIGHT / pixels.shape[0])
    size = (int(np.ceil(pixels.shape[1] * scale)), int(np.ceil(pixels.shape[0] * scale)))
    larger: Pixels = cv2.resize(pixels, size, interpolation=cv2.INTER_CUBIC).astype(np.uint8)
    return np.asarray(larger[:HEIGHT, :WIDTH])


def cases() -> Iterator[Case]:
    taken = list(photographs(WIDTH))
    for is_fitted in (True, False):
        those = [filling(pixels) for _, fits, pixels in taken if fits == is_fitted]
        for number in range(CASES):
            random = np.random.default_rng(2 * number + is_fitted)
            kind = KINDS[number % len(KINDS)]
            alpha = outline(kind, random)[..., None]
            subject, ground = (those[one] for one in random.choice(len(those), 2, replace=False))
            subject = subject if number % 2 else drawn(random)
            if random.random() < 0.5:
                ground = cv2.GaussianBlur(ground, (0, 0), 9)
            if kind == "glass":
                subject = 0.4 * subject + 140
            yield Case(
                kind, is_fitted, np.rint(alpha * subject + (1 - alpha) * ground).astype(np.uint8), alpha[..., 0]
            )


def looked_at(pixels: Pixels) -> Raster:
    return Raster(pixels, PictureGeometry.of(Size(pixels.shape[1], pixels.shape[0])))


def box_of(alpha: Alpha) -> tuple[int, int, int, int]:
    rows, columns = np.nonzero(alpha > 0.02)
    left, top = max(0, columns.min() - AROUND), max(0, rows.min() - AROUND)
    return int(left), int(top), int(min(WIDTH, columns.max() + AROUND)), int(min(HEIGHT, rows.max() + AROUND))


def boxed(case: Case) -> CutOut:
    raster, (left, top, right, bottom) = looked_at(case.pixels), box_of(case.alpha)
    gesture = Gesture(Tool.BOX, (Point(left, top), Point(right, bottom)))
    return CutOut().drawn(gesture, raster.geometry).found_on(raster)


def alpha_of(step: CutOut, pixels: Pixels) -> Alpha:
    out = restored(StoredPixels(pixels), step.restorations())
    return out[..., 3] / 255 if out.shape[2] == 4 else np.ones(out.shape[:2])


def corrected(step: CutOut, case: Case, alpha: Alpha) -> CutOut:
    """With a stroke along the largest part that is wrong."""
    wrong = np.abs(alpha - case.alpha) > 0.5
    count, labels, facts, _ = cv2.connectedComponentsWithStats(wrong.astype(np.uint8))
    if count < 2:
        return step
    part = labels == 1 + int(np.argmax(facts[1:, cv2.CC_STAT_AREA]))
    deep = cv2.distanceTransform(np.pad(part, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    rows, columns = np.nonzero(deep >= 0.7 * deep.max())
    order = np.argsort(rows if np.ptp(rows) > np.ptp(columns) else columns)
    way = tuple(Point(columns[k] + 0.5, rows[k] + 0.5) for k in order[:: max(1, len(order) // 30)])
    takes_away = bool(case.alpha[part].mean() < 0.5)
    raster = looked_at(case.pixels)
    gesture = Gesture(Tool.BRUSH, way, max(2.0, 0.7 * float(deep.max())), takes_away)
    after = step.with_shapes((*step.shapes, *step.shapes_of(gesture, raster.geometry)))
    assert isinstance(after.shapes[-1], Stroke)
    return after.found_on(raster)


def plain_cut(case: Case) -> Alpha:
    """Graph cuts alone in the same box, on all pixels of half the picture."""
    half = cv2.resize(case.pixels, (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
    left, top, right, bottom = (side // 2 for side in box_of(case.alpha))
    mask = np.zeros(half.shape[:2], np.uint8)
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.setRNGSeed(1)
    cv2.grabCut(half, mask, (left, top, right - left, bottom - top), *models, 5, cv2.GC_INIT_WITH_RECT)
    return cv2.resize((mask % 2).astype(np.float32), (WIDTH, HEIGHT), interpolation=cv2.INTER_LINEAR) > 0.5


def errors(alpha: Alpha, true: Alpha) -> tuple[float, float]:
    def slopes(values: Alpha) -> Alpha:
        soft = cv2.GaussianBlur(values.astype(np.float64), (0, 0), 1.4)
        return np.hypot(cv2.Sobel(soft, cv2.CV_64F, 1, 0) / 8, cv2.Sobel(soft, cv2.CV_64F, 0, 1) / 8)

    return 1e3 * float(np.abs(alpha - true).mean()), 1e6 * float(((slopes(alpha) - slopes(true)) ** 2).mean())


def main() -> None:
    cv2.setNumThreads(1)
    found = defaultdict[tuple[bool, str], list[tuple[str, float, float, float]]](list)
    sure = defaultdict[bool, list[float]](list)
    for case in cases():
        begun = time.perf_counter()
        plain = plain_cut(case)
        between = time.perf_counter()
        step = boxed(case)
        alpha = alpha_of(step, case.pixels)
        ended = time.perf_counter()
        for words, one, seconds in (
            ("graph cuts alone", plain, between - begun),
            ("one box", alpha, ended - between),
        ):
            found[case.is_fitted, words].append((case.kind, *errors(one, case.alpha), seconds))
        for _ in range(2):
            step = corrected(step, case, alpha)
            alpha = alpha_of(step, case.pixels)
        found[case.is_fitted, "and two strokes"].append((case.kind, *errors(alpha, case.alpha), 0.0))
        alone = CutOut().found_on(looked_at(case.pixels))
        if alone.rings:
            sure[case.is_fitted].append(errors(alpha_of(alone, case.pixels), case.alpha)[0])
    for (is_fitted, words), rows in found.items():
        where = "fitted on" if is_fitted else "measured on"
        wrong, steep, lasting = (np.array([row[k] for row in rows], np.float64) for k in (1, 2, 3))
        kinds = ", ".join(f"{kind} {np.mean([row[1] for row in rows if row[0] == kind]):.0f}" for kind in KINDS)
        right = f"{int((wrong < RIGHT_BELOW).sum())} of {len(rows)} right"
        took = f"; {lasting.mean():.1f} s" if lasting.any() else ""
        print(
            f"{words}, {where}: alpha off by {wrong.mean():.1f} ({kinds}), gradient {steep.mean():.0f}, {right}{took}"
        )
    for is_fitted, wrong_ones in sure.items():
        where = "fitted on" if is_fitted else "measured on"
        wrong_count = sum(one >= WRONG_FROM for one in wrong_ones)
        print(f"sure without a hint, {where}: {len(wrong_ones)} of {CASES}, of which {wrong_count} wrong")
    names = [name for name, _, pixels in photographs(1_024) if CutOut().found_on(looked_at(pixels)).rings]
    print(f"sure without a hint on the photographs alone: {len(names)} ({', '.join(names) or 'none'})")


if __name__ == "__main__":
    main()
