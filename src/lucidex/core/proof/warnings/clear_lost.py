"""Clear areas meet a format without them."""

from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut


def find(case: Case) -> Found | None:
    """Says which colour they become."""
    if not case.has_clear_areas or case.format.output.keeps_clear:
        return None
    colour = "white" if case.demand.ground in {"clear", "#ffffff"} else case.demand.ground
    return Found(f"clear areas turn {colour}", f"{case.format.label} has no clear areas: they turn {colour}.")


WARNING = ProofWarning(
    kind="clear areas lost",
    reason="What was made to lie on any ground shows a ground of its own.",
    find=find,
    ways_out=(WayOut.WRITE_OTHERWISE,),
)
