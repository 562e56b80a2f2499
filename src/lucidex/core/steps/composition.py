"""What the steps of a list add up to: on the original's own pixels, on framed ones, and on the finished size."""

from collections.abc import Iterable

from lucidex.core.picture.background_removal import BackgroundRemoval
from lucidex.core.picture.tone.amounts import Tone
from lucidex.core.picture.treatment import Treatment
from lucidex.core.source.derivation import LocalChange, Restoration
from lucidex.core.steps.bands import BackgroundStep, EffectStep, RestorationStep, ToneStep, of_kind
from lucidex.core.steps.base import Step


def restorations_of(steps: Iterable[Step]) -> tuple[Restoration, ...]:
    """What is done to the original, in the order of the list."""
    found = tuple(one for step in of_kind(steps, RestorationStep) for one in step.restorations())
    return tuple(one.knowing(found) if isinstance(one, LocalChange) else one for one in found)


def treatment_of(steps: tuple[Step, ...]) -> Treatment:
    """Grounds taken away, the one development, and the effects in their fixed order; those of a kind as listed."""
    found = (step.effect() for step in of_kind(steps, EffectStep))
    effects = sorted((effect for effect in found if effect is not None), key=lambda effect: effect.seat)
    return Treatment(background_removals_of(steps), tone_of(steps), tuple(effects))


def background_removals_of(steps: Iterable[Step]) -> tuple[BackgroundRemoval, ...]:
    """The grounds that are taken away, in the order of the list."""
    found = (step.background_removal() for step in of_kind(steps, BackgroundStep))
    return tuple(one for one in found if one is not None)


def tone_of(steps: Iterable[Step]) -> Tone | None:
    """What the steps add to the one development; None where that is nothing."""
    total = Tone()
    for step in of_kind(steps, ToneStep):
        total = total.plus(step.tone())
    return None if total.is_neutral else total
