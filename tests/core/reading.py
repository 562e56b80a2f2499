"""Files as programs read them that none of us wrote."""

import io
import json
import subprocess
from typing import Any

import numpy as np
import pypdfium2
from PIL import Image

from lucidex.core.encode import FormatName
from tests.conftest import Pixels


def shown(content: bytes, name: FormatName) -> Pixels:
    """What a file shows, as red, green, blue and alpha; a page of PDF at a point a pixel."""
    if name == FormatName("pdf"):
        with pypdfium2.PdfDocument(content) as document:
            return np.asarray(document[0].render(scale=1).to_pil().convert("RGBA"))
    with Image.open(io.BytesIO(content)) as read:
        return np.asarray(read.convert("RGBA"))


def said(content: bytes) -> dict[str, Any]:
    """What a file says of itself, by exiftool: numbers as numbers, with the groups they stand in."""
    command = ["exiftool", "-j", "-n", "-G1", "-struct", "-"]
    return dict(json.loads(subprocess.run(command, input=content, capture_output=True, check=True).stdout)[0])
