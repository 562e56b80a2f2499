"""Remarks on a picture that came in: each a small function on what is known of it, in words with a reason.

Whoever adds one writes a function and names it in `REMARKS`; the sheet, its search and its count follow.
"""

from collections.abc import Callable
from dataclasses import dataclass

from lucidex.core.proof.warnings.enlarged import SOFT_FROM
from lucidex.core.source.facts import SourceFacts
from lucidex.core.stamp.texts import Texts
from lucidex.core.units import format_number

PREVIEW_BELOW = 400  # pixels along the longer side: what is smaller is mostly a reduced copy
NAMED = 3  # places in one remark


@dataclass(frozen=True)
class Seen:
    """What is known of a picture: its facts and texts, others that are the same or look so, and too large places.

    `enlarged` are names of places with the factor by which it would be enlarged there; `larger` is a picture of the
    folio that looks nearly the same and has more pixels.
    """

    facts: SourceFacts
    texts: Texts
    same_as: str | None = None
    like: str | None = None
    larger: str | None = None
    enlarged: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True)
class Remark:
    """Words, the reason or what to do, and whether it needs somebody (or is only said)."""

    words: str
    reason: str
    needs_somebody: bool = True


Find = Callable[[Seen], Remark | None]


def damaged(seen: Seen) -> Remark | None:
    """A file that came in as far as it could be decoded."""
    if seen.facts.damage is None:
        return None
    return Remark(
        seen.facts.damage.removesuffix("."), "It came in as far as it could be read. Look for another copy."
    )


def preview(seen: Seen) -> Remark | None:
    """So few pixels that it is probably a reduced copy."""
    if seen.facts.upright.longest >= PREVIEW_BELOW:
        return None
    if seen.larger is not None:
        return Remark(f"probably a preview of “{seen.larger}”", "The larger one is in this folio too. Use that.")
    return Remark(f"only {seen.facts.upright}: probably a preview", "Look for the full picture where it came from.")


def same(seen: Seen) -> Remark | None:
    """The same file twice."""
    if seen.same_as is None:
        return None
    return Remark(f"the same file as “{seen.same_as}”", "Both came from one file, byte for byte.")


def alike(seen: Seen) -> Remark | None:
    """Another file that looks nearly the same."""
    if seen.like is None or seen.same_as is not None or (seen.larger and seen.facts.upright.longest < PREVIEW_BELOW):
        return None
    if seen.larger is None:
        return Remark(f"“{seen.like}” is nearly the same", "It has fewer pixels than this one.", needs_somebody=False)
    return Remark(f"nearly the same as “{seen.like}”", f"They look alike; “{seen.larger}” has more pixels.")


def too_small(seen: Seen) -> Remark | None:
    """Places of the folio in which it would be enlarged."""
    found = [(name, factor) for name, factor in seen.enlarged if factor > SOFT_FROM]
    if not found:
        return None
    words = ", ".join(f"“{name}” ({format_number(factor, 1)}\u00a0×)" for name, factor in found[:NAMED])
    more = f" and {len(found) - NAMED} more" if len(found) > NAMED else ""
    return Remark(f"too small for {words}{more}", "It has fewer pixels than the place asks for, and would look soft.")


def rights(seen: Seen) -> Remark | None:
    """Nobody said under which rights it may be used."""
    if seen.texts.rights_are_known:
        return None
    return Remark("rights unknown", "Nobody said yet under which licence it may be used.")


def text_missing(seen: Seen) -> Remark | None:
    """No alternative text."""
    if seen.texts.alternative.strip():
        return None
    return Remark("text missing", "Whoever cannot see it reads or hears nothing in its place.")


def sideways(seen: Seen) -> Remark | None:
    """The camera was turned."""
    if seen.facts.orientation == 1:
        return None
    return Remark("taken sideways, set upright", "Its file says how the camera was held.", needs_somebody=False)


def moving(seen: Seen) -> Remark | None:
    """More than one frame."""
    if seen.facts.frames <= 1:
        return None
    return Remark(f"moves in {seen.facts.frames} frames; this is the first", "Only the first is worked on.", False)


def pages(seen: Seen) -> Remark | None:
    """More than one page."""
    if seen.facts.pages <= 1:
        return None
    return Remark(f"one of {seen.facts.pages} pages", "Others can be taken beside it.", False)


REMARKS: tuple[Find, ...] = (
    damaged, preview, same, alike, too_small, rights, text_missing, sideways, moving, pages,
)  # fmt: skip


def remarks_on(seen: Seen) -> tuple[Remark, ...]:
    """All that is to be said of a picture, what needs somebody first."""
    return tuple(found for find in REMARKS if (found := find(seen)) is not None)
