"""Words at the size that was asked for, or the largest one below it at which they fit; turned, and as a mask."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from lucidex.core.areas.shapes import Masks
from lucidex.core.finish.text.breaking import hyphenated, language_of, with_hyphens, words_of
from lucidex.core.finish.text.letters import Run
from lucidex.core.finish.text.setting import Align, Setting, set_words
from lucidex.core.geometry.sizes import Size

SMALLEST_PX = 5.0
NARROWEST = 0.2  # of the size: the mean width of letters that are all narrow
TOLERATED = 1.25  # how much wider than its line a word may be before it is broken: below, letters a little smaller do
_TRIES = 12
_STEP_DOWN, _MOST_DOWN = 0.97, 0.4  # how much smaller the next try is, at least and at most


@dataclass(frozen=True)
class Fitted:
    """Words that fit into some room. `plain` is the unturned mask, with `pad` pixels around it; `angle_degrees` turns
    it clockwise. `size_px` is the size of its letters; `is_cut` says that even the smallest did not fit; `broken` are
    words that are divided between their syllables, as no line could hold them."""

    plain: Masks
    pad: int
    angle_degrees: float
    size_px: float
    is_cut: bool
    broken: tuple[str, ...] = ()

    @property
    def size(self) -> Size:
        """The box of the turned words with what is around them."""
        return turned_size(self.plain.shape[1] + 2 * self.pad, self.plain.shape[0] + 2 * self.pad, self.angle_degrees)

    @property
    def mask(self) -> Masks:
        """The turned words, as large as `size`."""
        size = self.size
        padded = np.pad(self.plain, self.pad)
        if self.angle_degrees == 0:
            return padded
        middle = (padded.shape[1] / 2 - 0.5, padded.shape[0] / 2 - 0.5)
        turn = cv2.getRotationMatrix2D(middle, -self.angle_degrees, 1.0)
        turn[:, 2] += (size.width / 2 - 0.5 - middle[0], size.height / 2 - 0.5 - middle[1])
        turned: Masks = cv2.warpAffine(padded, turn, (size.width, size.height), flags=cv2.INTER_CUBIC).clip(0, 1)
        return turned

    @property
    def corners(self) -> list[tuple[float, float]]:
        """The corners of the unturned box, turned, in pixels of `size`."""
        size, angle = self.size, math.radians(self.angle_degrees)
        across, down = self.plain.shape[1] / 2 + self.pad, self.plain.shape[0] / 2 + self.pad
        sides = ((-across, -down), (across, -down), (across, down), (-across, down))
        return [
            (
                size.width / 2 + x * math.cos(angle) - y * math.sin(angle),
                size.height / 2 + x * math.sin(angle) + y * math.cos(angle),
            )
            for x, y in sides
        ]


def turned_size(width: int, height: int, angle_degrees: float) -> Size:
    """The box around a turned box."""
    cos, sin = (abs(way(math.radians(angle_degrees))) for way in (math.cos, math.sin))
    across, down = width * cos + height * sin, width * sin + height * cos
    return Size(max(1, math.ceil(across - 1e-6)), max(1, math.ceil(down - 1e-6)))


def fitted(
    runs: Sequence[Run],
    room: Size,
    size_px: float,
    wrap_px: int,
    pad: float,
    angle_degrees: float,
    how: tuple[Align, float, float, bool],
) -> Fitted:
    """Words with `pad` (in parts of their size) around them, as large as asked for or as there is room.

    `how` is the alignment, the distance of lines and letters in parts of the size, and whether they are underlined.
    """
    align, spacing, apart, underlined = how
    letters = sum(not letter.isspace() for run in runs for letter in run.text)
    # larger than that no letters fit, however narrow they are; nothing is laid out that cannot fit
    most = math.sqrt(room.pixels / (max(1, letters) * NARROWEST * spacing))
    begins = max(min(size_px, SMALLEST_PX), min(size_px, most))
    setting = Setting(tuple(runs), begins, wrap_px, align, spacing, apart, underlined)
    for _ in range(_TRIES):
        around = max(0, math.ceil(pad * setting.size_px))
        setting = replace(setting, width_px=max(1, min(wrap_px, room.width) - 2 * around))
        wide = _too_wide(runs, setting)
        setting = replace(setting, runs=_divided(runs, wide))
        block = set_words(setting)
        made = Fitted(_inked(block.mask), around, angle_degrees, setting.size_px, block.is_cut, tuple(sorted(wide)))
        over = max(made.size.width / room.width, made.size.height / room.height)
        too_wide = block.mask.shape[1] > setting.width_px
        if over <= 1 and not block.is_cut and not too_wide:
            return made
        if setting.size_px <= SMALLEST_PX:
            break
        by = 2.0 if block.is_cut else block.mask.shape[1] / setting.width_px if too_wide else math.sqrt(over)
        smaller = setting.size_px * min(_STEP_DOWN, max(_MOST_DOWN, 1 / max(by, 1.0)))
        setting = replace(setting, size_px=max(SMALLEST_PX, smaller))
    return _cut(made, room)


def _inked(mask: Masks) -> Masks:
    """The rows from the first with ink to the last: what is above and below them is no part of what one sees."""
    rows = np.flatnonzero(mask.max(axis=1) > 0)
    return mask[rows[0] : rows[-1] + 1] if rows.size else mask


def _too_wide(runs: Sequence[Run], setting: Setting) -> frozenset[str]:
    """The words that a line is much too narrow for, and whose syllables are known."""
    widest = setting.width_px * TOLERATED / setting.size_px
    wide = {
        word
        for run in runs
        for word in words_of(run.text)
        if run.face.width_of(word) + setting.apart * len(word) > widest
    }
    language = language_of(_text(runs)) if wide else ""
    return frozenset(word for word in wide if hyphenated(word, language) != word)


def _divided(runs: Sequence[Run], wide: frozenset[str]) -> tuple[Run, ...]:
    """The runs, in which those words may be broken between their syllables."""
    if not wide:
        return tuple(runs)
    language = language_of(_text(runs))
    return tuple(Run(run.face, with_hyphens(run.text, wide, language)) for run in runs)


def _text(runs: Sequence[Run]) -> str:
    return "".join(run.text for run in runs)


def _cut(made: Fitted, room: Size) -> Fitted:
    """The first of the lines that the room holds; unturned, as nothing else can be promised."""
    pad = min(made.pad, (room.shortest - 1) // 2)
    rows, columns = max(1, room.height - 2 * pad), max(1, room.width - 2 * pad)
    return Fitted(made.plain[:rows, :columns], pad, 0.0, made.size_px, True, made.broken)
