"""Something was to be cut out, and what that is was not sure."""

from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """Says so."""
    if not case.waits_for_hint:
        return None
    sentence = "What stays is not sure here, so nothing was cut out. On the bench, one drag around it is enough."
    return Found("not cut out", sentence)


WARNING = ProofWarning(
    kind="not cut out",
    reason="The others of this place stand without their ground.",
    find=find,
    ways_out=(WayOut.LEAVE_OUT,),
)
