"""The task that finds the pictures in texts of pages; it runs in a confined process: no page is known to be kind."""

import json
from collections.abc import Iterator
from io import BufferedReader

from lxml import etree, html

MAX_PAGES, MAX_PICTURES = 500, 60
MAX_SAID, MAX_ALL = 8_000, 3_000_000  # letters of one attribute, and of the whole answer


def find_figures(file: BufferedReader) -> str:
    """Reads a list of texts in HTML as JSON; for each of them the pictures in it, in their order.

    A picture is what its tag says (`src`, `srcset`, `sizes`, `alt`, `width`), and the `caption` of its figure.
    """
    left, found = MAX_ALL, []
    for text in json.load(file)[:MAX_PAGES]:
        figures = []
        for one in _figures(str(text)):
            left -= sum(map(len, one.values()))
            if left > 0:
                figures.append(one)
        found.append(figures)
    return json.dumps(found)


def _figures(text: str) -> Iterator[dict[str, str]]:
    try:
        root = html.fragment_fromstring(text, create_parent="div")
    except (etree.LxmlError, ValueError):
        return
    for count, image in enumerate(root.iter("img")):
        if count >= MAX_PICTURES:
            return
        caption = next((one.find(".//figcaption") for one in image.iterancestors("figure")), None)
        said = {name: str(image.get(name) or "")[:MAX_SAID] for name in ("src", "srcset", "sizes", "alt", "width")}
        yield {**said, "caption": "" if caption is None else "".join(caption.itertext())[:MAX_SAID]}
