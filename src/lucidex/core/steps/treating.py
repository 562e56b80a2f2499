"""What the steps of a list do to pixels: to the original's own, and to framed ones."""

from lucidex.core.picture.treatment import Treatment
from lucidex.core.source.restoration import Restoration
from lucidex.core.steps.base import Step
from lucidex.core.steps.clear_ground import background_removals
from lucidex.core.steps.detail import EffectStep, RestorationStep
from lucidex.core.steps.tone import tone_of
from lucidex.core.steps.two_tone import TwoToneStep


def treatment_of(steps: tuple[Step, ...]) -> Treatment:
    """Clearings, the one development, and the effects in their fixed order; those of one kind as in the list."""
    found = (step.effect() for step in steps if isinstance(step, EffectStep))
    effects = sorted((effect for effect in found if effect is not None), key=lambda effect: effect.seat)
    return Treatment(background_removals(steps), tone_of(steps), tuple(effects))


def restorations_of(steps: tuple[Step, ...]) -> tuple[Restoration, ...]:
    """What is done to the original, in the order of the list."""
    found = (step.restoration() for step in steps if isinstance(step, RestorationStep))
    return tuple(restoration for restoration in found if restoration is not None)


def leaves_clear(steps: tuple[Step, ...]) -> bool:
    """Whether something of the picture becomes clear."""
    return bool(background_removals(steps)) or any(
        isinstance(step, TwoToneStep) and step.leaves_clear for step in steps
    )
