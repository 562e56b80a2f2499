"""A logo has fewer pixels than it fills."""

from lucidex.core.finish.canvas import total_margins
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning
from lucidex.core.proof.warnings.enlarged import SOFT_FROM
from lucidex.core.units import format_number


def find(case: Case) -> Found | None:
    """The largest factor of all pictures among the assets."""
    canvas = case.placement.canvas
    inner = total_margins(case.finish).box(canvas)
    boxes = [pair for one in case.finish for pair in one.thing.boxes(canvas, inner, case.assets)]
    factors = [box.size.longest / case.assets.size(file.sha256).longest for file, box in boxes]
    if not factors or max(factors) <= SOFT_FROM:
        return None
    said = format_number(max(factors), 1)
    sentence = f"The logo's file has too few pixels: it is enlarged {said} times here. Bring in a larger one."
    return Found(f"logo enlarged {said} ×", sentence)


WARNING = ProofWarning(
    kind="logo enlarged",
    reason="A mark with soft edges is seen at once beside a sharp picture.",
    find=find,
)
