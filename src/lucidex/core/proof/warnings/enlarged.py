"""A picture is enlarged in a place."""

from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut
from lucidex.core.units import format_number

SOFT_FROM = 1.02  # below this an enlargement cannot be seen
SLIGHTLY_UP_TO = 1.25
_SOFTNESS = (  # the steps follow the likeness measured in `bench/methods.py`
    (SLIGHTLY_UP_TO, "will look hardly softer."),
    (2.0, "will look soft beside sharp neighbours."),
    (4.0, "will look blurred; look for a larger original."),
    (float("inf"), "will look like a blur of its colours; it needs a larger original."),
)


def find(case: Case) -> Found | None:
    """An honest word by factor."""
    factor = case.placement.enlargement
    if factor <= SOFT_FROM:
        return None
    said = format_number(factor, 2 if factor < SLIGHTLY_UP_TO else 1)
    effect = next(words for most, words in _SOFTNESS if factor <= most)
    return Found(f"enlarged {said} ×", f"The picture is enlarged {said} times here and {effect}")


WARNING = ProofWarning(
    kind="enlarged",
    reason="There are fewer pixels than the place asks for; what lies between them is not known.",
    find=find,
    ways_out=(WayOut.FRAME, WayOut.LEAVE_OUT),
)
