"""A place names a resolution, and the format cannot say it."""

from lucidex.core.encode import FORMATS
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut
from lucidex.core.units import format_number


def find(case: Case) -> Found | None:
    """On the place and the format alone."""
    density = case.demand.pixels_per_inch
    if density is None or case.format.output.keeps_resolution:
        return None
    able = ", ".join(one.label for one in FORMATS if one.keeps_resolution)
    said = f"{case.format.label} files cannot say {format_number(density)} pixels per inch; the pixels are all there."
    return Found("resolution not in the file", f"{said} {able} can.")


WARNING = ProofWarning(
    kind="resolution lost",
    reason="A layout program will place it at a size of its own.",
    find=find,
    ways_out=(WayOut.WRITE_OTHERWISE,),
)
