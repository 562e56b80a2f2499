"""What looks nearly the same is found, and what does not is left alone."""

import io

import numpy as np
import pytest
from PIL import Image

from lucidex.core.source.likeness import alike, fingerprint
from tests.conftest import Pixels, picture, smooth_picture

SCENE = smooth_picture(480, 320)


def differing(one: str, other: str) -> int:
    return (int(one, 16) ^ int(other, 16)).bit_count()


def compressed(pixels: Pixels, quality: int) -> Pixels:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "JPEG", quality=quality)
    return np.asarray(Image.open(out))


@pytest.mark.parametrize(
    "other",
    [
        compressed(SCENE, 40),
        np.asarray(Image.fromarray(SCENE).resize((120, 80))),
        np.clip(SCENE.astype(int) + 12, 0, 255).astype(np.uint8),
        SCENE.astype(np.uint16) * 257,
        np.dstack([SCENE, np.full(SCENE.shape[:2], 255, np.uint8)]),
    ],
)
def test_the_same_scene_is_found_again(other: Pixels) -> None:
    assert alike([fingerprint(SCENE), fingerprint(other)]) == [[1], [0]]


def test_other_pictures_are_others() -> None:
    others = [fingerprint(picture(64, 64, seed=seed)) for seed in range(30)]
    assert alike([fingerprint(SCENE), *others]) == [[]] * 31
    assert all(differing(fingerprint(SCENE), other) > 12 for other in others)


@pytest.mark.parametrize("orientation", range(1, 9))
def test_a_turned_picture_is_the_same_as_it_is_seen(orientation: int) -> None:
    """Stored in any of the eight ways that EXIF knows, it looks the same."""
    exif = Image.Exif()
    stored = {
        1: SCENE, 2: SCENE[:, ::-1], 3: SCENE[::-1, ::-1], 4: SCENE[::-1], 5: SCENE.transpose(1, 0, 2),
        6: np.rot90(SCENE), 7: SCENE.transpose(1, 0, 2)[::-1, ::-1], 8: np.rot90(SCENE, -1),
    }[orientation]  # fmt: skip
    exif[0x0112] = orientation
    from PIL import ImageOps

    image = Image.fromarray(np.ascontiguousarray(stored))
    image.getexif()[0x0112] = orientation
    assert np.array_equal(np.asarray(ImageOps.exif_transpose(image)), SCENE)
    assert differing(fingerprint(np.ascontiguousarray(stored), orientation), fingerprint(SCENE)) <= 2


def test_a_plain_ground_is_like_nothing() -> None:
    plain = np.full((40, 40, 3), 90, np.uint8)
    assert alike([fingerprint(plain), fingerprint(plain)]) == [[], []]
