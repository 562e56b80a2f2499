"""The steps that change tone and colour point by point: what looks are made of, and what stands under Tone."""

from lucidex.core.steps.base import Step
from lucidex.core.steps.colour import Balance, BalanceByTone, BlackAndWhite, Saturation
from lucidex.core.steps.curve import Curve, Levels
from lucidex.core.steps.tone import Exposure, Light, Range, ShadowsHighlights

POINTWISE_STEPS: tuple[type[Step], ...] = (
    Exposure,
    Light,
    Range,
    ShadowsHighlights,
    Balance,
    Saturation,
    Levels,
    Curve,
    BalanceByTone,
    BlackAndWhite,
)
