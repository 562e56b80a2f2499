"""A place asks for colours that a format cannot say."""

from lucidex.core.encode import FORMATS
from lucidex.core.places.demand import COLOUR_WORDS
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """On the place and the format alone."""
    wanted = case.demand.colour
    if wanted in case.format.output.colours:
        return None
    able = ", ".join(one.label for one in FORMATS if wanted in one.colours)
    said = f"{case.format.label} files cannot be {COLOUR_WORDS[wanted]}, so this one is in RGB. {able} can."
    return Found("in RGB", said)


WARNING = ProofWarning(
    kind="colours lost",
    reason="A printer who asked for ink turns light into it in his own way.",
    find=find,
    ways_out=(WayOut.WRITE_OTHERWISE,),
)
