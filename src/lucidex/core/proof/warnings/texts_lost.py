"""Texts are asked for in a format that has no place for them."""

from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """From the format alone."""
    if not case.carries_texts or case.format.output.stamp is not None:
        return None
    said = f"{case.format.label} has no place for texts; caption, credit and licence stay out."
    return Found("texts left out", said)


WARNING = ProofWarning(
    kind="texts lost",
    reason="A picture without its credit is easily used without it.",
    find=find,
    ways_out=(WayOut.WRITE_OTHERWISE,),
)
