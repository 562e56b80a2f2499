"""What should stay in view is cut."""

from lucidex.core.proof.warnings.base import Case, Found, Framed, ProofWarning, WayOut

NEAR_EDGE = 0.07  # of the window: a focal point this close to its edge is cut


def find(case: Case) -> Found | None:
    """Where nobody framed, and the focal point lies at the edge of what is shown, or outside."""
    if case.framed is not Framed.BY_PLACE or case.focal_point is None or case.geometry is None:
        return None
    window, spot = case.placement.window, case.geometry.to_picture(case.focal_point)
    across, down = (spot.x - window.left) / window.width, (spot.y - window.top) / window.height
    near = min(across, 1 - across, down, 1 - down)
    if near >= NEAR_EDGE:
        return None
    words = "focal point outside" if near < 0 else "focal point at the edge"
    return Found(words, "What should stay in view is cut by this framing; move it.")


WARNING = ProofWarning(
    kind="subject cut",
    reason="What the picture is about is not to be seen as a whole.",
    find=find,
    ways_out=(WayOut.ACCEPT, WayOut.FRAME),
)
