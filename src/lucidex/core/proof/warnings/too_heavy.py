"""A file exceeds its place's ceiling."""

from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut
from lucidex.core.units import format_weight


def find(case: Case) -> Found | None:
    """Once the file's weight is known."""
    ceiling = case.demand.max_bytes
    if ceiling is None or case.byte_count is None or case.byte_count <= ceiling:
        return None
    over = format_weight(case.byte_count - ceiling)
    sentence = f"The file is {over} heavier than the {format_weight(ceiling)} allowed."
    return Found(f"{over} over", f"{sentence} Lower the quality or choose another format.")


WARNING = ProofWarning(
    kind="too heavy",
    reason="The place may refuse the file, or make it lighter in its own way.",
    find=find,
    ways_out=(WayOut.WRITE_OTHERWISE, WayOut.LEAVE_OUT),
)
