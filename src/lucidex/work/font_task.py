"""The task that reads a face which somebody brought in; it runs in a confined process."""

import codecs
import contextlib
import importlib
import pkgutil
from io import BufferedReader, BufferedWriter

import fontTools.cffLib
import fontTools.encodings
import fontTools.misc
import fontTools.ttLib.tables

from lucidex.core.finish.text.own_faces import MAX_FONT_BYTES, prepared_face

# whoever is confined cannot load them any more
importlib.import_module("fontTools.agl")
for _package in (fontTools.ttLib.tables, fontTools.cffLib, fontTools.encodings, fontTools.misc):
    for _module in pkgutil.iter_modules(_package.__path__):
        with contextlib.suppress(ImportError):  # some serve other formats, with packages that are not here
            importlib.import_module(f"{_package.__name__}.{_module.name}")
for _needed in ("mac_roman", "utf_16_be", "ascii", "latin-1"):
    codecs.lookup(_needed)


def prepare(file: BufferedReader, out: BufferedWriter, family: str) -> str:
    """Write a face as it is used; what it says of itself, as JSON."""
    facts, content = prepared_face(file.read(MAX_FONT_BYTES + 1), family)
    out.write(content)
    return facts.model_dump_json()
