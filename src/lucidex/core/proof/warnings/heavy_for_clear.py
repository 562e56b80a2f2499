"""Clear areas have made a heavy lossless file of a photograph, and nobody asked for that format."""

from lucidex.core.encode import FORMATS
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut
from lucidex.core.units import format_weight

HEAVY_BYTES_A_PIXEL, HEAVY_FROM = 1.0, 300_000


def find(case: Case) -> Found | None:
    """On the file's weight, where the format follows from clear areas alone and has no quality to lower."""
    output = case.format.output
    if case.byte_count is None or case.demand.format is not None or not case.has_clear_areas:
        return None
    if not output.keeps_clear or output.default_quality is not None:
        return None
    if case.byte_count < max(HEAVY_FROM, HEAVY_BYTES_A_PIXEL * case.placement.canvas.pixels):
        return None
    lighter = " and ".join(one.label for one in FORMATS if one.keeps_clear and one.default_quality is not None)
    weight = format_weight(case.byte_count)
    said = f"It is {output.label} because parts are clear, and weighs {weight}."
    return Found(f"{output.label}, for clear areas", f"{said} {lighter} keep them too, and are far lighter.")


WARNING = ProofWarning(
    kind="heavy for clear areas",
    reason="A lossless photograph is many times as heavy as it needs to be.",
    find=find,
    ways_out=(WayOut.WRITE_OTHERWISE,),
    unless=frozenset({"too heavy"}),
)
