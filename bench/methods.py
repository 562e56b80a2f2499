"""Which method enlarges and reduces best, on the demo pictures against plain baselines.

python -m bench methods

Enlarging: each picture is reduced by area means and enlarged again; what comes back is compared with what was
there. Reducing: the result is enlarged again by one and the same method and compared (what is kept); and a grating
too fine for the result is reduced (what is left of it is false, in code values).
"""

from collections.abc import Callable, Iterator
from pathlib import Path
from statistics import mean

import cv2
import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.encode.likeness import likeness
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.resampling import resampled

PICTURES = Path(__file__).parents[1] / "demo/pictures"
Pixels = npt.NDArray[np.uint8]
Scale = Callable[[Pixels, Size], Pixels]


def crops() -> Iterator[Pixels]:
    """The middle of every demo picture at half its size, where fine detail fills whole pixels."""
    for path in sorted(PICTURES.iterdir()):
        image = pyvips.Image.new_from_file(str(path)).autorot().colourspace("srgb")
        image = (image.flatten(background=255) if image.hasalpha() else image).resize(0.5)
        width, height = min(960, image.width), min(768, image.height)
        if width >= 200:
            left, top = (image.width - width) // 2, (image.height - height) // 2
            yield image.crop(left, top, width, height).numpy()[..., :3].copy()


def by_opencv(method: int) -> Scale:
    """OpenCV's way of scaling."""

    def scale(pixels: Pixels, size: Size) -> Pixels:
        return np.asarray(cv2.resize(pixels, (size.width, size.height), interpolation=method), np.uint8)

    return scale


def by_libvips(kernel: str) -> Scale:
    """libvips' way of scaling."""

    def scale(pixels: Pixels, size: Size) -> Pixels:
        image = pyvips.Image.new_from_array(pixels, interpretation="srgb")
        image = image.resize(size.width / image.width, vscale=size.height / image.height, kernel=kernel)
        return np.asarray(image.numpy()[: size.height, : size.width], np.uint8)

    return scale


def ours(pixels: Pixels, size: Size) -> Pixels:
    """What the product does."""
    return resampled(pixels, Window(0, 0, pixels.shape[1], pixels.shape[0]), size, False)


ENLARGING: dict[str, Scale] = {
    "bilinear (baseline)": by_opencv(cv2.INTER_LINEAR),
    "cubic": by_opencv(cv2.INTER_CUBIC),
    "Lanczos, four lobes": by_opencv(cv2.INTER_LANCZOS4),
    "libvips, bicubic": by_libvips("cubic"),
    "cubic, back-projected (used)": ours,
}
REDUCING: dict[str, Scale] = {
    "bilinear (baseline)": by_opencv(cv2.INTER_LINEAR),
    "area means": by_opencv(cv2.INTER_AREA),
    "libvips, cubic": by_libvips("cubic"),
    "libvips, Mitchell": by_libvips("mitchell"),
    "libvips, Lanczos three lobes": by_libvips("lanczos3"),
    "Lanczos three lobes (used)": ours,
}


def decibels(first: Pixels, second: Pixels) -> float:
    """Peak signal to noise ratio."""
    return float(10 * np.log10(255**2 / np.mean((first.astype(np.float64) - second) ** 2)))


def grating(edge: int, factor: float) -> Pixels:
    """Diagonal stripes 1.3 times too fine for a reduction by `factor`."""
    x, y = np.meshgrid(np.arange(edge), np.arange(edge))
    wave = np.sin(2 * np.pi * (x + y) / np.sqrt(2) * 0.5 * 1.3 / factor * np.sqrt(2))
    return np.repeat((127.5 + 100 * wave)[..., None], 3, axis=-1).astype(np.uint8)


def main() -> None:
    """Print both tables."""
    pictures = list(crops())
    print(f"{len(pictures)} pictures\n\nEnlarging | by | likeness | dB\n---|---|---|---")
    for factor in (1.3, 2, 3, 4):
        for name, method in ENLARGING.items():
            pairs = []
            for picture in pictures:
                size = Size(picture.shape[1], picture.shape[0])
                small = Size(round(size.width / factor), round(size.height / factor))
                pairs.append((picture, method(by_opencv(cv2.INTER_AREA)(picture, small), size)))
            print(
                name,
                factor,
                f"{mean(likeness(*p) for p in pairs):.1f}",
                f"{mean(decibels(*p) for p in pairs):.1f}",
                sep=" | ",
            )
    print("\nReducing | by | kept, likeness | kept, dB | false stripes\n---|---|---|---|---")
    for factor in (1.6, 2.7, 4.3):
        for name, method in REDUCING.items():
            pairs = []
            for picture in pictures:
                size = Size(picture.shape[1], picture.shape[0])
                reduced = method(picture, Size(round(size.width / factor), round(size.height / factor)))
                pairs.append((picture, by_opencv(cv2.INTER_CUBIC)(reduced, size)))
            fine = method(grating(800, factor), Size(round(800 / factor), round(800 / factor)))[8:-8, 8:-8]
            kept = f"{mean(likeness(*p) for p in pairs):.1f}", f"{mean(decibels(*p) for p in pairs):.1f}"
            print(name, factor, *kept, f"{fine.astype(float).std():.1f}", sep=" | ")


if __name__ == "__main__":
    main()
