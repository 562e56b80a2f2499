"""Draws what the source of free pictures holds into demo/source, with a catalogue (a few minutes on two cores).

python demo/draw_free_pictures.py [ID …]
"""

import importlib
import json
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
import pyvips

sys.path.insert(0, str(Path(__file__).parent))

FOLDER = Path(__file__).parent / "source"
QUALITY = 80
BY, SA, ZERO = (
    "http://creativecommons.org/licenses/by/4.0/",
    "http://creativecommons.org/licenses/by-sa/4.0/",
    "http://creativecommons.org/publicdomain/zero/1.0/",
)
WREN, OSSIAN, LISBET, TAMSIN, ILARI = "Wren Halloway", "Ossian Merrow", "Lisbet Aune", "Tamsin Oake", "Ilari Koivu"
# id, title, words, maker, licence, size, scene, how
PICTURES = (
    (
        "autumn-lake",
        "Hills in autumn over a still lake",
        "autumn lake hills dawn mist morning water wide calm october",
        WREN,
        BY,
        (2400, 1200),
        "landscape",
        {"season": "autumn", "light": "dawn", "seed": 3},
    ),
    (
        "autumn-ridge",
        "Autumn ridge at dusk",
        "autumn hills dusk evening sunset warm red horizon",
        WREN,
        BY,
        (2400, 1350),
        "landscape",
        {"season": "autumn", "light": "dusk", "water": False, "seed": 14, "sun": 0.35},
    ),
    (
        "golden-wood",
        "Golden wood",
        "autumn forest trees trunks leaves gold light path october",
        OSSIAN,
        SA,
        (2400, 1100),
        "forest",
        {"kind": "autumn", "seed": 2},
    ),
    (
        "beech-leaves",
        "Beech and oak leaves",
        "autumn leaves beech oak ground fallen red brown background texture",
        LISBET,
        ZERO,
        (2200, 1467),
        "leaves",
        {"seed": 1},
    ),
    (
        "one-november",
        "November wood, upright",
        "autumn forest mist trees tall upright november",
        OSSIAN,
        SA,
        (1400, 2000),
        "forest",
        {"kind": "autumn", "seed": 21, "light": 0.6},
    ),
    (
        "harvest-table",
        "Harvest on a table",
        "autumn pumpkin squash apple lemon harvest kitchen still life food vegetables",
        TAMSIN,
        BY,
        (2100, 1400),
        "fruit",
        {
            "fruit": (
                ("pumpkin", 0.36, 0.6, 0.26),
                ("squash", 0.68, 0.66, 0.17),
                ("apple", 0.55, 0.76, 0.11),
                ("lemon", 0.44, 0.83, 0.07),
            ),
            "seed": 5,
        },
    ),
    (
        "three-pumpkins",
        "Three pumpkins",
        "autumn pumpkin orange october harvest vegetables",
        TAMSIN,
        ZERO,
        (2200, 1238),
        "fruit",
        {
            "fruit": (("pumpkin", 0.27, 0.62, 0.24), ("pumpkin", 0.55, 0.55, 0.30), ("pumpkin", 0.79, 0.68, 0.17)),
            "wall": "#5c6470",
            "table": "#3a2d24",
            "light": 0.5,
            "seed": 9,
        },
    ),
    (
        "red-apples",
        "Apples",
        "apple red fruit autumn food orchard market",
        TAMSIN,
        BY,
        (1800, 1800),
        "fruit",
        {
            "fruit": (
                ("apple", 0.3, 0.64, 0.17),
                ("apple", 0.6, 0.6, 0.19),
                ("apple", 0.47, 0.8, 0.16),
                ("apple", 0.8, 0.75, 0.15),
            ),
            "wall": "#c9c2b0",
            "table": "#8a6a48",
            "seed": 3,
        },
    ),
    (
        "plums",
        "Plums at night",
        "plum fruit dark purple food still life",
        TAMSIN,
        SA,
        (2000, 1334),
        "fruit",
        {
            "fruit": (
                ("plum", 0.34, 0.68, 0.15),
                ("plum", 0.52, 0.74, 0.16),
                ("plum", 0.67, 0.64, 0.14),
                ("plum", 0.43, 0.86, 0.13),
            ),
            "wall": "#2f2b33",
            "table": "#29211d",
            "seed": 6,
        },
    ),
    (
        "lemons",
        "Lemons",
        "lemon yellow fruit summer food kitchen",
        TAMSIN,
        BY,
        (1500, 2000),
        "fruit",
        {
            "fruit": (("lemon", 0.36, 0.62, 0.17), ("lemon", 0.64, 0.69, 0.18), ("lemon", 0.45, 0.85, 0.15)),
            "wall": "#7fa3a0",
            "table": "#e5dcc8",
            "light": 0.6,
            "seed": 8,
        },
    ),
    (
        "spring-meadow",
        "Meadow in spring",
        "spring meadow flowers blossom hills green april sky",
        WREN,
        ZERO,
        (2400, 1350),
        "landscape",
        {"season": "spring", "light": "noon", "water": False, "seed": 8},
    ),
    (
        "summer-meadow",
        "Meadow in summer",
        "summer meadow poppies flowers hills blue sky july",
        WREN,
        BY,
        (2200, 1467),
        "landscape",
        {"season": "summer", "light": "noon", "water": False, "seed": 17, "sun": 0.3},
    ),
    (
        "summer-lake",
        "Lake in summer",
        "summer lake hills water reflection green quiet",
        WREN,
        BY,
        (2400, 1029),
        "landscape",
        {"season": "summer", "light": "dawn", "seed": 23},
    ),
    (
        "winter-lake",
        "Lake under snow",
        "winter snow lake hills grey cold january quiet",
        ILARI,
        SA,
        (2400, 1200),
        "landscape",
        {"season": "winter", "light": "grey", "seed": 5},
    ),
    (
        "winter-evening",
        "Snow at dusk",
        "winter snow dusk evening hills sunset cold december",
        ILARI,
        BY,
        (2200, 1238),
        "landscape",
        {"season": "winter", "light": "dusk", "seed": 31},
    ),
    (
        "winter-moon",
        "Moon over snow",
        "winter night moon stars snow dark sky december",
        ILARI,
        BY,
        (1500, 2000),
        "landscape",
        {"season": "winter", "light": "night", "seed": 6, "horizon": 0.6},
    ),
    (
        "starry-hills",
        "Stars over the hills",
        "night stars moon hills dark sky autumn",
        ILARI,
        ZERO,
        (2400, 1350),
        "landscape",
        {"season": "autumn", "light": "night", "water": False, "seed": 41, "sun": 0.7},
    ),
    (
        "birches",
        "Birches in May",
        "spring birch forest trees white trunks green may",
        OSSIAN,
        BY,
        (2200, 1467),
        "forest",
        {"kind": "birch", "seed": 3},
    ),
    (
        "summer-wood",
        "Wood in summer",
        "summer forest trees green light leaves shade",
        OSSIAN,
        ZERO,
        (1500, 2000),
        "forest",
        {"kind": "summer", "seed": 8},
    ),
    (
        "frosted-wood",
        "Wood under frost",
        "winter forest trees frost white snow cold",
        OSSIAN,
        SA,
        (2200, 1238),
        "forest",
        {"kind": "winter", "seed": 4},
    ),
    (
        "wood-at-dusk",
        "Wood at dusk",
        "autumn forest dusk evening trees dark red",
        OSSIAN,
        BY,
        (2000, 1334),
        "forest",
        {"kind": "dusk", "seed": 5},
    ),
    (
        "ginkgo",
        "Ginkgo and willow leaves",
        "green leaves ginkgo willow background texture spring summer",
        LISBET,
        BY,
        (2100, 1400),
        "leaves",
        {"palette": "green", "kinds": ("ginkgo", "willow"), "ground": "#1d2a22", "seed": 2},
    ),
    (
        "frost-leaves",
        "Leaves in frost",
        "winter leaves frost cold grey background texture",
        LISBET,
        SA,
        (1800, 1800),
        "leaves",
        {"palette": "frost", "kinds": ("beech", "oak", "willow"), "ground": "#3c4242", "seed": 7},
    ),
    (
        "plum-leaves",
        "Dark leaves",
        "autumn leaves purple dark plum background texture",
        LISBET,
        ZERO,
        (1400, 2000),
        "leaves",
        {"palette": "plum", "kinds": ("beech", "willow"), "ground": "#1e1a22", "seed": 12},
    ),
    (
        "daisies",
        "Daisies",
        "summer flowers daisy white meadow garden",
        LISBET,
        BY,
        (2000, 1334),
        "flowers",
        {"kind": "daisy", "seed": 2},
    ),
    (
        "sunflower",
        "Sunflowers",
        "summer flowers sunflower yellow garden august",
        LISBET,
        BY,
        (1600, 1600),
        "flowers",
        {"kind": "sunflower", "seed": 5, "blooms": ((0.22, 0.25, 0.14), (0.82, 0.3, 0.2), (0.5, 0.58, 0.36))},
    ),
    (
        "dahlia",
        "Dahlia",
        "autumn flowers dahlia red pink garden september",
        LISBET,
        SA,
        (1500, 1900),
        "flowers",
        {
            "kind": "dahlia",
            "ground": "#2b3a2a",
            "seed": 3,
            "blooms": ((0.2, 0.2, 0.15), (0.84, 0.74, 0.2), (0.5, 0.46, 0.36)),
        },
    ),
    (
        "asters",
        "Asters",
        "autumn flowers aster purple garden october",
        LISBET,
        ZERO,
        (2200, 1238),
        "flowers",
        {"kind": "aster", "ground": "#4a5238", "seed": 9, "heads": 11},
    ),
    (
        "poppies",
        "Poppies",
        "summer flowers poppy red meadow june",
        LISBET,
        BY,
        (2100, 1400),
        "flowers",
        {"kind": "poppy", "seed": 11, "heads": 10},
    ),
    (
        "rain-lamps",
        "Lamps behind a wet pane",
        "rain night lamps window drops autumn city evening lights",
        ILARI,
        BY,
        (2200, 1238),
        "panes",
        {"mood": "lamps", "seed": 3},
    ),
    (
        "rain-garden",
        "Garden behind a wet pane",
        "rain garden window drops green glasshouse greenhouse",
        ILARI,
        SA,
        (1500, 2000),
        "panes",
        {"mood": "garden", "seed": 5},
    ),
    (
        "rain-dusk",
        "Dusk behind a wet pane",
        "rain dusk window drops evening pink lights",
        ILARI,
        ZERO,
        (1700, 1700),
        "panes",
        {"mood": "dusk", "seed": 8},
    ),
    (
        "evening-sea",
        "Evening at the sea",
        "sea waves sunset evening sun water horizon summer",
        WREN,
        BY,
        (2400, 1100),
        "sea",
        {"light": "evening", "seed": 1},
    ),
    (
        "rough-sea",
        "Rough sea",
        "sea waves storm grey rain autumn winter horizon",
        WREN,
        SA,
        (2200, 1467),
        "sea",
        {"light": "storm", "seed": 2},
    ),
    (
        "fern-plate",
        "Fern, from a book of herbs",
        "fern plant drawing botanical paper book green",
        TAMSIN,
        ZERO,
        (1500, 2000),
        "plates",
        {"plant": "fern", "name": "Fern", "seed": 2},
    ),
    (
        "rowan-plate",
        "Rowan, from a book of herbs",
        "rowan berries plant drawing botanical paper autumn book red",
        TAMSIN,
        ZERO,
        (1500, 2000),
        "plates",
        {"plant": "rowan", "name": "Rowan", "seed": 3},
    ),
    (
        "lavender-plate",
        "Lavender, from a book of herbs",
        "lavender plant drawing botanical paper summer purple book",
        TAMSIN,
        BY,
        (1500, 2000),
        "plates",
        {"plant": "lavender", "name": "Lavender", "seed": 5},
    ),
    (
        "eucalyptus-plate",
        "Eucalyptus, from a book of herbs",
        "eucalyptus plant drawing botanical paper green book wide",
        TAMSIN,
        SA,
        (2000, 1334),
        "plates",
        {"plant": "eucalyptus", "seed": 6},
    ),
)


def make(one):
    """Draw one picture into its file."""
    name, _, _, _, _, (width, height), scene, how = one
    pixels = np.ascontiguousarray(importlib.import_module(f"drawing.scenes.{scene}").draw(width, height, **how))
    image = pyvips.Image.new_from_array(pixels, interpretation="srgb")
    image.jpegsave(str(FOLDER / f"{name}.jpg"), Q=QUALITY, optimize_coding=True, trellis_quant=True, quant_table=3)
    return name


def main(names):
    """Draw the named pictures, or all, and write the catalogue."""
    FOLDER.mkdir(exist_ok=True)
    with ProcessPoolExecutor(2) as pool:
        for done in pool.map(make, [one for one in PICTURES if not names or one[0] in names]):
            print(done, "drawn", flush=True)
    catalogue = [
        {"id": name, "title": title, "words": words.split(), "maker": maker, "licence": licence, "width": size[0], "height": size[1]}
        for name, title, words, maker, licence, size, _, _ in PICTURES
    ]  # fmt: skip
    (FOLDER / "catalogue.json").write_text(json.dumps(catalogue, indent=1) + "\n")


if __name__ == "__main__":
    main(sys.argv[1:])
