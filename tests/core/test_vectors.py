"""Vectors for the scripts of the page: committed, and checked here to be what the core computes."""

import json
from pathlib import Path

import numpy as np

from lucidex.core.geometry.fit import clamped_window, covering_window
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.picture.tone.curves import along

VECTORS = Path(__file__).parents[1] / "js" / "vectors.json"


def vectors() -> dict[str, object]:
    random = np.random.default_rng(5)
    covering, moved = [], []
    for _ in range(60):
        pw, ph, w, h = (int(n) for n in random.integers(1, 9_000, 4))
        across, down = covering_window(Size(pw, ph), Size(w, h))
        covering.append(
            {
                "picture": {"width": pw, "height": ph},
                "place": {"width": w, "height": h},
                "window": {"width": across, "height": down},
            }
        )
        left, top = random.random() * (pw - across), random.random() * (ph - down)
        dx, dy = (float(n) for n in random.normal(0, 3_000, 2))
        centre = Point(left + across / 2 + dx, top + down / 2 + dy)
        held = clamped_window(centre, across, down, Size(pw, ph))
        moved.append(
            {
                "picture": {"width": pw, "height": ph},
                "window": {"left": left, "top": top, "width": across, "height": down},
                "dx": dx,
                "dy": dy,
                "result": {"left": held.left, "top": held.top},
            }
        )
    return {"covering": covering, "moved": moved, "curves": [curve(random) for _ in range(40)]}


def curve(random: np.random.Generator) -> dict[str, object]:
    """Points of a curve and its heights at some places."""
    count = int(random.integers(2, 9))
    x, y = np.sort(random.choice(101, count, replace=False)) / 100, random.integers(0, 101, count) / 100
    points = tuple((float(a), float(b)) for a, b in zip(x, y, strict=True))
    places = np.round(np.linspace(0, 1, 21), 4)
    return {"points": points, "places": places.tolist(), "heights": along(points, places).tolist()}


def test_the_committed_vectors_are_the_cores() -> None:
    assert json.loads(VECTORS.read_text()) == json.loads(json.dumps(vectors()))
