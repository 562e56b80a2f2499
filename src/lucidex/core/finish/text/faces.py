"""The faces that words are set in, each a file with a family name of its own, so that no other one is ever taken."""

from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from hashlib import sha256
from pathlib import Path

from fontTools.ttLib import TTFont

FONTS = Path(__file__).parents[1] / "fonts"
FACES_REVISION = 1  # of how faces that are brought in are written anew


class Family(StrEnum):
    """The families that are shipped."""

    SANS = "sans"
    HUMANIST = "humanist"
    SERIF = "serif"
    SLAB = "slab"
    CONDENSED = "condensed"
    MONO = "mono"
    HAND = "hand"
    DISPLAY = "display"


class Weight(StrEnum):
    """How heavy letters are."""

    REGULAR = "regular"
    SEMI_BOLD = "semi-bold"
    BOLD = "bold"


_NUMBERS = {Weight.REGULAR: 400, Weight.SEMI_BOLD: 600, Weight.BOLD: 800}
_UPRIGHT_ONLY = frozenset({Family.SLAB, Family.HAND})
_OTHER_SCRIPTS = ("arabic", "hebrew", "thai", "devanagari", "cjk")


@dataclass(frozen=True)
class Face:
    """One file with letters; `family` is the name that it has inside."""

    family: str
    path: Path

    @property
    def letters(self) -> frozenset[int]:
        """The Unicode code points that it has letters for."""
        return _letters(self.path)

    def width_of(self, word: str) -> float:
        """About how wide a word is, in parts of the size: its letters side by side, as if none were joined."""
        known = _advances(self.path)
        return sum(known.get(ord(letter), 0.6) for letter in word)


@lru_cache(maxsize=64)
def _letters(path: Path) -> frozenset[int]:
    with TTFont(path, lazy=True) as font:
        return frozenset(font.getBestCmap())


@lru_cache(maxsize=16)
def _advances(path: Path) -> dict[int, float]:
    """How far each letter moves on, in parts of the size."""
    with TTFont(path, lazy=True) as font:
        moved, units = font["hmtx"], font["head"].unitsPerEm
        return {letter: moved[name][0] / units for letter, name in font.getBestCmap().items()}


def _shipped(name: str) -> Face:
    return Face(f"lucidex {name}", FONTS / f"{name}.ttf")


def has_slanted(family: Family) -> bool:
    """Whether a family has letters made slanted; nothing is slanted by force."""
    return family not in _UPRIGHT_ONLY


def shipped_face(family: Family, weight: Weight = Weight.REGULAR, slanted: bool = False) -> Face:
    """A face of a shipped family; upright where it has no other."""
    mark = "i" if slanted and has_slanted(family) else ""
    return _shipped(f"{family.value}-{_NUMBERS[weight]}{mark}")


@lru_cache(maxsize=1)
def faces_fingerprint() -> str:
    """A short name of all shipped faces: another file is another result."""
    digest = sha256()
    for path in sorted(FONTS.glob("*.ttf")):
        digest.update(path.name.encode() + path.read_bytes())
    return digest.hexdigest()[:16]


def stand_ins(weight: Weight) -> tuple[Face, ...]:
    """The faces that give the letters which the chosen one has not, in their order."""
    heavy = 400 if weight is Weight.REGULAR else 800
    others = (_shipped(f"{script}-{400 if script == 'cjk' else heavy}") for script in _OTHER_SCRIPTS)
    return shipped_face(Family.SANS, weight), *others


def own_face(path: Path) -> Face:
    """A face that was brought in, from its file, whose name is also the one that it has inside."""
    return Face(f"own {path.stem}", path)
