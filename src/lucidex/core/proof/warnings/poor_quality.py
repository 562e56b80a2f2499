"""A ceiling has cost so much quality that it is seen."""

from lucidex.core.encode.likeness import POOR_BELOW, likeness_words
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut
from lucidex.core.units import format_weight

POOR_QUALITY = "poor quality"


def find(case: Case) -> Found | None:
    """On finished pixels, beside those before they were encoded."""
    likeness = case.statistics.likeness if case.statistics else None
    if likeness is None or likeness >= POOR_BELOW or case.demand.max_bytes is None:
        return None
    words = likeness_words(likeness)
    allowed = format_weight(case.demand.max_bytes)
    said = f"To keep {allowed} it was compressed until it differs from the picture: {words} ({likeness:.0f} of 100)."
    return Found(words, f"{said} A smaller size, another format or a higher ceiling looks better.")


WARNING = ProofWarning(
    kind=POOR_QUALITY,
    reason="A place that asks for few bytes gets few details.",
    find=find,
    ways_out=(WayOut.WRITE_OTHERWISE,),
    unless=frozenset({"too heavy"}),
)
