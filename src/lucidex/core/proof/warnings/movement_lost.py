"""A moving picture is written as a still one."""

from lucidex.core.proof.warnings.base import Case, Found, ProofWarning


def find(case: Case) -> Found | None:
    """On the number of frames that came in."""
    if case.frames < 2:
        return None
    return Found(
        "still picture", f"It came in with {case.frames} frames; the file shows one of them, and does not move."
    )


WARNING = ProofWarning(
    kind="movement lost",
    reason="What moved is expected to move.",
    find=find,
)
