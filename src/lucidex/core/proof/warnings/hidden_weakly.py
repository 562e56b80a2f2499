"""Something is hidden so weakly that it could be worked back."""

from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """Says so."""
    if not case.hides_weakly:
        return None
    return Found("hidden weakly", "What is hidden here could be worked back; its strength is below 80.")


WARNING = ProofWarning(
    kind="hidden weakly",
    reason="Whoever wants to read a plate or a name tries out what could be below.",
    find=find,
    ways_out=(WayOut.LEAVE_OUT,),
)
