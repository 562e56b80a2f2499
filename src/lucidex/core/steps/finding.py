"""What may be asked of any step about what it finds by itself; one that finds nothing has the plain answer."""

from collections.abc import Callable, Collection

from lucidex.core.picture.raster import Raster
from lucidex.core.steps.bands import FindingStep
from lucidex.core.steps.base import Step


def looks_by_itself(step: Step) -> bool:
    """Whether it looks at the picture when it is told to."""
    return isinstance(step, FindingStep)


def found(step: Step, look: Callable[[int], Raster]) -> Step:
    """The step with what it finds; `look` gives the picture before it, so many pixels along its longer side."""
    return step.found_on(look(step.looked_at_edge)) if isinstance(step, FindingStep) else step


def looking_anew(step: Step) -> Step:
    """The step as it looks by itself again, whatever was changed by hand."""
    return step.by_itself if isinstance(step, FindingStep) else step


def looks_again(step: Step, changed: Collection[str]) -> bool:
    """Whether what it finds depends on one of the parameters that were changed."""
    return isinstance(step, FindingStep) and not step.found_by.isdisjoint(changed)


def set_by_hand(step: Step, changed: Collection[str]) -> Step:
    """The step after somebody has changed parameters: what it would find is theirs where they changed it."""
    if not isinstance(step, FindingStep) or step.finds.isdisjoint(changed):
        return step
    return step.model_copy(update=dict(step.by_hand))


def lightened(step: Step, amount: float) -> Step:
    """The step so that what comes out is lighter, -100 to 100, in its own way."""
    return step.lightened(amount) if isinstance(step, FindingStep) else step


def without_findings(step: Step) -> dict[str, object]:
    """What it says without what it found, which differs from picture to picture."""
    found_fields = step.finds | step.found_fields if isinstance(step, FindingStep) else frozenset[str]()
    return step.model_dump(mode="json", exclude=set(found_fields))


def is_automatic(step: Step) -> bool:
    """Whether its values were found by itself."""
    return isinstance(step, FindingStep) and bool(step.finds) and bool(getattr(step, "automatic", False))


def was_set_by_hand(step: Step) -> bool:
    """Whether somebody has set values that it could find by itself."""
    return isinstance(step, FindingStep) and bool(step.finds) and not is_automatic(step)


def found_nothing(step: Step) -> bool:
    """Whether it looked by itself, and all its values stay at rest."""
    if not isinstance(step, FindingStep) or not is_automatic(step):
        return False
    rest = type(step).model_fields
    return all(getattr(step, name) == rest[name].default for name in step.finds)
