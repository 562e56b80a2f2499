"""What the steps of a list do to pixels: to the original's own, and to framed ones."""

from lucidex.core.cleaning import Cleaning
from lucidex.core.steps.base import Step
from lucidex.core.steps.clear_ground import clearings
from lucidex.core.steps.detail import CleaningStep, EffectStep
from lucidex.core.steps.tone import tone_of
from lucidex.core.steps.two_tone import TwoToneStep
from lucidex.core.treatment import Treatment


def treatment_of(steps: tuple[Step, ...]) -> Treatment:
    """Clearings, the one development, and the effects in their fixed order; those of one kind as in the list."""
    found = (step.effect() for step in steps if isinstance(step, EffectStep))
    effects = sorted((effect for effect in found if effect is not None), key=lambda effect: effect.seat)
    return Treatment(clearings(steps), tone_of(steps), tuple(effects))


def cleanings_of(steps: tuple[Step, ...]) -> tuple[Cleaning, ...]:
    """What is done to the original, in the order of the list."""
    found = (step.cleaning() for step in steps if isinstance(step, CleaningStep))
    return tuple(cleaning for cleaning in found if cleaning is not None)


def leaves_clear(steps: tuple[Step, ...]) -> bool:
    """Whether something of the picture becomes clear."""
    return bool(clearings(steps)) or any(isinstance(step, TwoToneStep) and step.leaves_clear for step in steps)
