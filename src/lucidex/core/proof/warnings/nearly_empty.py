"""Almost nothing is to be seen in a file."""

from lucidex.core.proof.looks import Look
from lucidex.core.proof.statistics import EMPTY_BELOW, busy_share
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut

BUSY_SHARE = Look("busy share", 1, busy_share)


def find(case: Case) -> Found | None:
    """On finished pixels."""
    share = case.saw(BUSY_SHARE)
    if not isinstance(share, float) or share >= EMPTY_BELOW:
        return None
    said = "There is hardly anything to be seen in this part of the picture; look whether it is the right one."
    return Found("nearly empty", said)


WARNING = ProofWarning(
    kind="nearly empty",
    reason="A framing can miss all that there is in a picture.",
    find=find,
    look=BUSY_SHARE,
    ways_out=(WayOut.FRAME, WayOut.LEAVE_OUT),
)
