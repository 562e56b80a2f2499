"""A place that cuts shows all of a picture, because no part of its shape keeps what must stay whole."""

from lucidex.core.proof.warnings.base import Case, Found, Framed, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """Where it came about by itself."""
    if case.framed is not Framed.WHOLE:
        return None
    why = f"No part of this shape keeps {case.subject.words if case.subject else 'what it should'} whole"
    return Found("shown whole", f"{why}, so all of the picture is shown, on the colour of its edge.")


WARNING = ProofWarning(
    kind="shown whole",
    reason="There is room beside it that the place would fill otherwise.",
    find=find,
    ways_out=(WayOut.ACCEPT, WayOut.FRAME),
)
