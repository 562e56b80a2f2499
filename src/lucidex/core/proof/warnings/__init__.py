"""What deserves a look before a picture leaves. Whoever adds a warning writes a file here and names it in `WARNINGS`.

A warning looks at numbers, or at finished pixels once they are there, and says a few words, a sentence, why it
matters and what can be done. The proof sheet, the wall and the API show what is found.
"""

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
    poor_quality,
    resolution_lost,
    softer,
    stretched,
    subject_cut,
    texts_lost,
    too_heavy,
)
from lucidex.core.proof.warnings.base import Case, Flag, Found, Framed, ProofWarning, WayOut

WARNINGS: tuple[ProofWarning, ...] = (
    damaged.WARNING,
    hidden_weakly.WARNING,
    enlarged.WARNING,
    stretched.WARNING,
    clear_lost.WARNING,
    asset_enlarged.WARNING,
    *finish_findings.ALL,
    moved.WARNING,
    subject_cut.WARNING,
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


def flags(case: Case) -> tuple[Flag, ...]:
    """All that deserves a look, as far as the case is known, in the order of the list."""
    found: dict[str, Flag] = {}
    for one in WARNINGS:
        seen = one.find(case)
        if seen is not None and not one.unless & found.keys():
            found[one.kind] = Flag(one.kind, seen.words, seen.sentence, one.reason, one.ways_out)
    return tuple(found.values())


__all__ = ["WARNINGS", "Case", "Flag", "Found", "Framed", "ProofWarning", "WayOut", "flags"]
