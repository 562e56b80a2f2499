"""The original came in although it is damaged."""

from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """Says what is missing."""
    return Found("damaged original", case.damage) if case.damage else None


WARNING = ProofWarning(
    kind="damaged",
    reason="What is missing in the original is missing in every file made of it.",
    find=find,
    ways_out=(WayOut.LEAVE_OUT,),
)
