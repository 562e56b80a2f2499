"""What deserves a look before a picture leaves. Whoever adds a warning writes a file here and names it in `WARNINGS`.

A warning looks at numbers, or at what it has measured on finished pixels (`look`: faces in them, say), and says a few
words, a sentence, why it matters and what can be done. The proof sheet, the wall and the API show what is found.
"""

from lucidex.core.proof.looks import Look
from lucidex.core.proof.statistics import PixelStatistics
from lucidex.core.proof.warnings import (
    asset_enlarged,
    bits_lost,
    clear_lost,
    colours_lost,
    damaged,
    enlarged,
    few_colours,
    finish_findings,
    heavy_for_clear,
    hidden_weakly,
    moved,
    movement_lost,
    nearly_empty,
    not_cut_out,
    poor_quality,
    resolution_lost,
    shown_whole,
    softer,
    stretched,
    subject_cut,
    texts_lost,
    too_heavy,
)
from lucidex.core.proof.warnings.base import Case, Flag, Found, Framed, ProofWarning, WayOut
from lucidex.core.source.pyramid import AnyPixels

WARNINGS: tuple[ProofWarning, ...] = (
    damaged.WARNING,
    hidden_weakly.WARNING,
    not_cut_out.WARNING,
    enlarged.WARNING,
    stretched.WARNING,
    clear_lost.WARNING,
    asset_enlarged.WARNING,
    *finish_findings.ALL,
    moved.WARNING,
    subject_cut.WARNING,
    shown_whole.WARNING,
    too_heavy.WARNING,
    poor_quality.WARNING,
    few_colours.WARNING,
    movement_lost.WARNING,
    resolution_lost.WARNING,
    texts_lost.WARNING,
    colours_lost.WARNING,
    bits_lost.WARNING,
    heavy_for_clear.WARNING,
    nearly_empty.WARNING,
    softer.WARNING,
)


LOOKS: tuple[Look, ...] = tuple({one.look.name: one.look for one in WARNINGS if one.look is not None}.values())


def looked_at(pixels: AnyPixels) -> PixelStatistics:
    """What all warnings measure on finished pixels: height × width × 3 or 4 bytes of sRGB."""
    return PixelStatistics({look.name: look.at(pixels) for look in LOOKS})


def flags(case: Case) -> tuple[Flag, ...]:
    """All that deserves a look, as far as the case is known, in the order of the list."""
    found: dict[str, Flag] = {}
    for one in WARNINGS:
        seen = one.find(case)
        if seen is not None and not one.unless & found.keys():
            found[one.kind] = Flag(one.kind, seen.words, seen.sentence, one.reason, one.ways_out)
    return tuple(found.values())


__all__ = [
    "LOOKS",
    "WARNINGS",
    "Case",
    "Flag",
    "Found",
    "Framed",
    "Look",
    "ProofWarning",
    "WayOut",
    "flags",
    "looked_at",
]
