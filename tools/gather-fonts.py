"""Make the shipped faces of `core/finish/fonts` from the families' own files.

    python tools/gather-fonts.py FOLDER-WITH-NODE-MODULES CJK-FILE

Each face becomes a plain one of its own: a family name of ours, so that no other file can be taken for it, no hints
(letters are drawn finer and reduced), and the letters that the family has of the scripts that it is offered for.
"""

import sys
from pathlib import Path

from fontTools import subset
from fontTools.ttLib import TTFont

FACES = Path(__file__).parents[1] / "src/lucidex/core/finish/fonts"
SCRIPTS = [(0x20, 0x590), (0x1E00, 0x2C80), (0xA640, 0xA800), (0xFB00, 0xFB07), (0xFFFC, 0xFFFE)]
WEIGHTS = {400: "400Regular", 600: "600SemiBold", 800: "800ExtraBold"}
FAMILIES = {
    "sans": ("inter", "Inter"),
    "humanist": ("source-sans-3", "SourceSans3"),
    "serif": ("source-serif-4", "SourceSerif4"),
    "slab": ("roboto-slab", "RobotoSlab"),
    "condensed": ("fira-sans-condensed", "FiraSansCondensed"),
    "mono": ("jetbrains-mono", "JetBrainsMono"),
    "hand": ("caveat", "Caveat"),
    "display": ("playfair-display", "PlayfairDisplay"),
    "arabic": ("noto-sans-arabic", "NotoSansArabic"),
    "hebrew": ("noto-sans-hebrew", "NotoSansHebrew"),
    "thai": ("noto-sans-thai", "NotoSansThai"),
    "devanagari": ("noto-sans-devanagari", "NotoSansDevanagari"),
}
OTHER_SCRIPTS = {"arabic", "hebrew", "thai", "devanagari"}
HEAVIEST = {"hand": "700Bold"}  # where there is no heavier one


def made(source: Path, name: str, every: bool) -> None:
    """One face, plain, under a name of ours."""
    options = subset.Options()
    options.hinting, options.glyph_names, options.notdef_outline = False, False, True
    options.name_IDs, options.drop_tables = [0, 13, 14], [*options.drop_tables, "STAT", "meta", "gasp"]
    font = TTFont(source, recalcTimestamp=False)
    letters = font.getBestCmap()
    subsetter = subset.Subsetter(options)
    subsetter.populate(unicodes=[one for one in letters if every or any(a <= one < b for a, b in SCRIPTS)])
    subsetter.subset(font)
    for number, words in ((1, f"lucidex {name}"), (2, "Regular"), (3, name), (4, name), (6, name)):
        font["name"].setName(words, number, 3, 1, 0x409)
    font["OS/2"].usWeightClass, font["OS/2"].fsSelection, font["head"].macStyle = 400, 0x40, 0
    font.save(FACES / f"{name}.ttf")


def main() -> None:
    """All of them, with the licences."""
    packages, cjk = Path(sys.argv[1]) / "node_modules/@expo-google-fonts", Path(sys.argv[2])
    FACES.mkdir(exist_ok=True)
    for key, (package, file) in FAMILIES.items():
        for weight, folder in WEIGHTS.items():
            if key in OTHER_SCRIPTS and weight == 600:
                continue
            for slant, mark in (("", ""), ("_Italic", "i")):
                own = HEAVIEST.get(key, folder) if weight == 800 else folder
                source = packages / package / f"{own}{slant}" / f"{file}_{own}{slant}.ttf"
                if source.exists():
                    made(source, f"{key}-{weight}{mark}", key in OTHER_SCRIPTS)
        (FACES / f"{key}.LICENSE").write_text((packages / package / "LICENSE_FONT").read_text())
    made(cjk, "cjk-400", True)


if __name__ == "__main__":
    main()
