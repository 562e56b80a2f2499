"""The picture's shape changed after somebody framed it for a place."""

from lucidex.core.proof.warnings.base import Case, Found, Framed, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """Where a framing by hand moved with the picture."""
    if case.framed is not Framed.MOVED:
        return None
    said = "The picture's shape changed after this place was framed; look whether it still fits."
    return Found("moved with the picture", said)


WARNING = ProofWarning(
    kind="moved",
    reason="What was chosen on another shape may cut what matters.",
    find=find,
    ways_out=(WayOut.ACCEPT, WayOut.FRAME),
)
