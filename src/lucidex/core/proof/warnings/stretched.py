"""The proportions of a picture are not kept."""

from lucidex.core.geometry.fit import Rule
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning

TOLERANCE = 0.01


def find(case: Case) -> Found | None:
    """Where the place stretches, by more than nobody sees."""
    placement = case.placement
    across = placement.drawn.width / placement.window.width
    down = placement.drawn.height / placement.window.height
    if case.demand.rule is not Rule.FILL or abs(across / down - 1) <= TOLERANCE:
        return None
    return Found("stretched", "The picture is stretched: its proportions are not kept.")


WARNING = ProofWarning(
    kind="stretched",
    reason="People and round things look wrong when they are stretched.",
    find=find,
)
