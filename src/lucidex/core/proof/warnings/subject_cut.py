"""What should stay in view is cut: the focal point, a face, what lies on a plain ground, or what draws attention."""

from lucidex.core.framing.subject import Kept
from lucidex.core.framing.window import kept_shares, kept_weight
from lucidex.core.geometry.sizes import Point, Window
from lucidex.core.proof.warnings.base import Case, Found, Framed, ProofWarning, WayOut

NEAR_EDGE = 0.07  # of the window: a focal point this close to its edge is cut
WHOLE_FROM = 0.97  # of a box: the rest is the air around it
WEIGHT_FROM = 0.75  # of what draws attention
CUT = {
    Kept.FACE: ("a face is cut", "A face is cut by this framing: {share} % of it, with hair and chin, is in view."),
    Kept.OBJECT: ("cut through it", "Only {share} % of what lies on the plain ground is in view."),
}


def find(case: Case) -> Found | None:
    """Where nobody framed."""
    if case.framed not in {Framed.BY_PLACE, Framed.BY_ITSELF} or case.geometry is None:
        return None
    if case.focal_point is not None:
        return _focal_point_cut(case.geometry.to_picture(case.focal_point), case.placement.window)
    return _subject_cut(case)


def _focal_point_cut(spot: Point, window: Window) -> Found | None:
    """It lies at the edge of what is shown, or outside."""
    across, down = (spot.x - window.left) / window.width, (spot.y - window.top) / window.height
    near = min(across, 1 - across, down, 1 - down)
    if near >= NEAR_EDGE:
        return None
    words = "focal point outside" if near < 0 else "focal point at the edge"
    return Found(words, "What should stay in view is cut by this framing; move it.")


def _subject_cut(case: Case) -> Found | None:
    """A box that must stay whole does not, or much of what draws attention lies outside."""
    geometry, subject, window = case.geometry, case.subject, case.placement.window
    if geometry is None or subject is None:
        return None
    cut = [one for one in kept_shares(geometry, window, subject) if one.share < WHOLE_FROM]
    if cut:
        worst = min(cut, key=lambda one: one.share)
        words, sentence = CUT[worst.box.kind]
        return Found(words, sentence.format(share=round(100 * worst.share)))
    kept = kept_weight(geometry, window, subject)
    if subject.boxes or not subject.is_concentrated or kept >= WEIGHT_FROM:
        return None
    return Found("much is outside", f"About {round(100 * (1 - kept))} % of what draws attention is not in view.")


WARNING = ProofWarning(
    kind="subject cut",
    reason="What the picture is about is not to be seen as a whole.",
    find=find,
    ways_out=(WayOut.ACCEPT, WayOut.FRAME),
)
