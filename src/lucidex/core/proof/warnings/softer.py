"""A picture has much less fine detail than the others in its place."""

from lucidex.core.proof.looks import Look
from lucidex.core.proof.statistics import fineness, is_soft
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut

FINENESS = Look("fineness", 1, fineness)


def find(case: Case) -> Found | None:
    """On finished pixels, beside those of the same place."""
    if not is_soft(case.saw(FINENESS), list(case.neighbours)):
        return None
    said = "It has much less fine detail than the other pictures in this place; it may look blurred beside them."
    return Found("softer than the others", said)


WARNING = ProofWarning(
    kind="softer",
    reason="One soft picture among sharp ones looks like a mistake.",
    find=find,
    look=FINENESS,
    ways_out=(WayOut.LEAVE_OUT,),
    unless=frozenset({"enlarged", "nearly empty"}),
)
