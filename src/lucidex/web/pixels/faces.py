"""How faces look, as small pictures for lists."""

from functools import lru_cache
from typing import Annotated

import numpy as np
import pyvips
from fastapi import APIRouter, Query
from starlette.responses import Response

from lucidex.core.encode import PNG, Encoding, encode
from lucidex.core.finish.text.faces import Face, Family, Weight, shipped_face
from lucidex.core.finish.text.letters import Run, divided
from lucidex.core.finish.text.setting import Setting, set_words
from lucidex.services.assets import fonts
from lucidex.web.pixels.files import FOREVER
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.context import App, SignedIn

router = APIRouter(include_in_schema=False)

SAMPLE, SAMPLE_PX, WIDEST_PX = "Seed", 40.0, 400
SAMPLES_REVISION = "2"
_INK = (29, 35, 38)


@router.get("/faces/{family}")
def shipped(actor: SignedIn, family: Family, v: Annotated[str, Query(max_length=20)] = "") -> Response:
    """A shipped family."""
    kept = FOREVER if v == SAMPLES_REVISION else "no-store"
    return Response(_shipped(family), media_type="image/png", headers={"Cache-Control": kept})


@router.get("/fonts/{font_id}/sample", dependencies=[PREVIEWS])
def own(app: App, actor: SignedIn, font_id: int, v: Annotated[str, Query(max_length=64)] = "") -> Response:
    """A face of one's own."""
    kept = fonts.read_font(app.workshop, actor, font_id)
    cached = FOREVER if v == kept.sha256[:16] else "no-store"
    content = _sample(fonts.face_of(app.workshop, kept.sha256))
    return Response(content, media_type="image/png", headers={"Cache-Control": cached})


@lru_cache(maxsize=len(Family))
def _shipped(family: Family) -> bytes:
    return _sample(shipped_face(family, Weight.SEMI_BOLD))


def _sample(face: Face) -> bytes:
    parts = divided(SAMPLE, (face,))
    runs = parts.runs or (Run(shipped_face(Family.SANS), "…"),)
    mask = set_words(Setting(runs, SAMPLE_PX, WIDEST_PX)).mask[:, :WIDEST_PX]
    pixels = np.zeros((*mask.shape, 4), np.uint8)
    pixels[..., :3], pixels[..., 3] = _INK, np.rint(mask * 255)
    return encode(pyvips.Image.new_from_array(pixels, interpretation="srgb"), PNG, Encoding(None))
