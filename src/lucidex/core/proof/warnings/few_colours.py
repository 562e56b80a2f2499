"""A format with few colours shows that some are missing."""

from lucidex.core.encode.likeness import LOOKS_THE_SAME, likeness_words
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """On the finished file, beside the pixels before it."""
    likeness = case.statistics.likeness if case.statistics else None
    if not case.format.output.has_few_colours or likeness is None or likeness >= LOOKS_THE_SAME:
        return None
    return Found(
        "colours are missing",
        f"{case.format.label} holds 256 colours; the others are mixed of dots: {likeness_words(likeness)}.",
    )


WARNING = ProofWarning(
    kind="few colours",
    reason="Soft passages turn into dots and bands.",
    find=find,
    ways_out=(WayOut.WRITE_OTHERWISE,),
    unless=frozenset({"poor quality"}),
)
