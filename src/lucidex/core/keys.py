"""The keys of results: a result is a pure function of its key, and the same key gives the same bytes.

Three in a row: the pixels of a picture in a place, their encoded bytes, and the file that is stamped with texts.
A key is the SHA-256 of a canonical JSON text of all that decides the result.
"""

import hashlib
import json
from dataclasses import asdict, replace
from functools import cache
from importlib.metadata import version

import pyvips
from pydantic import BaseModel

from lucidex.core.encode import Encoding, FormatName
from lucidex.core.encode.base import ENCODER_THREADS
from lucidex.core.encode.passing import Passage
from lucidex.core.finish.text.faces import FACES_REVISION, faces_fingerprint
from lucidex.core.proof.warnings import LOOKS
from lucidex.core.render import Plan
from lucidex.core.source.derivation import RESTORATION_REVISION, Restoration
from lucidex.core.source.facts import INTAKE_REVISION
from lucidex.core.source.key import SourceKey
from lucidex.core.stamp.packet import Stamp, xmp_packet
from lucidex.core.steps import StepEntry, assets_of

ENGINE_REVISION = 13
STAMP_REVISION = 3


@cache
def engine_fingerprint() -> str:
    """What the engine is made of: whatever could change a byte without a step changing."""
    return " ".join(
        (
            f"engine {ENGINE_REVISION}",
            f"intake {INTAKE_REVISION}",
            f"libvips {pyvips.version(0)}.{pyvips.version(1)}.{pyvips.version(2)}",
            f"binary {version('pyvips-binary')}",
            f"threads {ENCODER_THREADS}",
            f"faces {faces_fingerprint()} {FACES_REVISION}",
            *(
                f"{name} {version(name)}"
                for name in ("numpy", "opencv-contrib-python-headless", "numba", "shapely", "fonttools", "pyoxipng")
            ),
        )
    )


def _digest(parts: object) -> str:
    canonical = json.dumps(parts, sort_keys=True, separators=(",", ":"), ensure_ascii=True, allow_nan=False)
    return hashlib.sha256(canonical.encode()).hexdigest()


def _steps(entries: tuple[StepEntry, ...]) -> list[list[object]]:
    return [[type(e.step).revision, e.step.model_dump(mode="json")] for e in entries if e.active]


def appearance_key(source: SourceKey, entries: tuple[StepEntry, ...]) -> str:
    """A short name of how a source looks after its active steps, at whatever scale."""
    return _digest([engine_fingerprint(), RESTORATION_REVISION, source, _steps(entries)])[:24]


def pixels_key(source: SourceKey, entries: tuple[StepEntry, ...], chosen: Plan) -> str:
    """The key of the pixels of one source, after its active steps, as planned for a place."""
    margins = [asdict(one.margins) for one in chosen.finish]
    assets = sorted(file.sha256 for file in assets_of(entry.step for entry in entries))
    numbers = asdict(replace(chosen, finish=()))
    return _digest([engine_fingerprint(), source, _steps(entries), numbers, margins, assets])


def restoration_keys(restorations: tuple[Restoration, ...]) -> tuple[str, ...]:
    """Short names of what was done to an original's own pixels, link by link: each names all before it too."""
    names: list[str] = []
    for one in restorations:
        before = names[-1] if names else ""
        names.append(_digest([RESTORATION_REVISION, before, type(one).__name__, _numbers(one)])[:24])
    return tuple(names)


def _numbers(restoration: Restoration) -> dict[str, object]:
    """What decides a restoration."""
    return {name: _written(getattr(restoration, name)) for name in restoration.__dataclass_fields__}


def _written(value: object) -> object:
    """A field's value with the models in it written out."""
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json")
    return [_written(one) for one in value] if isinstance(value, tuple) else value


def encoded_key(pixels: str, name: FormatName, encoding: Encoding, passage: Passage | None = None) -> str:
    """The key of the encoded bytes of some pixels, or of the file that passes as it came in.

    With a file is kept what warnings measured on its pixels, so their looks are in its key.
    """
    looks = sorted([one.name, one.revision] for one in LOOKS)
    return _digest([pixels, name, asdict(encoding), looks, *([asdict(passage)] if passage else [])])


def stamped_key(encoded: str, stamp: Stamp) -> str:
    """The key of encoded bytes with texts in them; without texts it is that of the bytes."""
    packet = xmp_packet(stamp)
    return _digest([encoded, STAMP_REVISION, hashlib.sha256(packet).hexdigest()]) if packet else encoded
