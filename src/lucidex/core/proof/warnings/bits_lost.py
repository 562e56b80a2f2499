"""The original has 16 bits, the file is for print or for working on, and has 8."""

from lucidex.core.encode import FORMATS
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """On numbers. Screens show 8 bits: files for them are not marked, nor where 8 bits are asked for."""
    output = case.format.output
    is_for_more = case.demand.pixels_per_inch is not None or output.keeps_16_bits
    if case.bits <= case.depth or case.demand.bits <= case.depth or not is_for_more:
        return None
    if output.keeps_16_bits:
        why = f"{output.label} would hold 16, but something on the way to this file works in 8"
    else:
        able = " and ".join(one.label for one in FORMATS if one.keeps_16_bits)
        why = f"{output.label} holds no more; {able} do"
    return Found("8 of 16 bits", f"The original has 16 bits for each colour, the file 8: {why}.")


WARNING = ProofWarning(
    kind="bits lost",
    reason="Where it is lightened a lot afterwards, or printed large, soft transitions may show steps.",
    find=find,
    ways_out=(WayOut.WRITE_OTHERWISE,),
)
