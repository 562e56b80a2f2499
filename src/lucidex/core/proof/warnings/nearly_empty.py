"""Almost nothing is to be seen in a file."""

from lucidex.core.proof.statistics import EMPTY_BELOW
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """On finished pixels."""
    if case.statistics is None or case.statistics.busy_share >= EMPTY_BELOW:
        return None
    said = "There is hardly anything to be seen in this part of the picture; look whether it is the right one."
    return Found("nearly empty", said)


WARNING = ProofWarning(
    kind="nearly empty",
    reason="A framing can miss all that there is in a picture.",
    find=find,
    ways_out=(WayOut.FRAME, WayOut.LEAVE_OUT),
)
