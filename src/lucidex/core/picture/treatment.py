"""What is done to the pixels of a part once it is framed: grounds made clear, the development, and effects."""

from dataclasses import dataclass

import pyvips

from lucidex.core.geometry.transform import Transform
from lucidex.core.picture.background_removal import BackgroundRemoval, remove_backgrounds
from lucidex.core.picture.colour import to_light, to_srgb
from lucidex.core.picture.effects.base import Effect, View
from lucidex.core.picture.tone.amounts import Tone
from lucidex.core.picture.tone.development import develop


@dataclass(frozen=True)
class Treatment:
    """Clearings look at the original's own colours, so they go first; then tone; then effects, in their own order."""

    background_removals: tuple[BackgroundRemoval, ...] = ()
    tone: Tone | None = None
    effects: tuple[Effect, ...] = ()

    def reach(self, unit: float) -> int:
        """How many drawn pixels away something can still change a pixel."""
        return sum(effect.reach(unit) for effect in self.effects)

    @property
    def keeps_16_bits(self) -> bool:
        """Whether nothing of it computes in 8 bits."""
        return not (self.background_removals or self.effects)

    def ready(self, part: pyvips.Image, depth: int = 8) -> pyvips.Image:
        """A framed part in the colours that the treatment begins with.

        Where there is tone, a wide gamut and 16 bits are kept: as linear light, or as 16 bits of sRGB. Else the
        output's own bits of sRGB: 8, or as many as `depth` says.
        """
        if self.tone is None or self.background_removals:
            return to_srgb(part, depth)
        light = to_light(part)
        return light if light is not None else to_srgb(part, 16 if part.format == "ushort" else 8)

    def of(self, ready: pyvips.Image, to_content: Transform, unit: float, depth: int = 8) -> pyvips.Image:
        """The treated part: sRGB of 3 or 4 bands, of 8 bits or, where all of it keeps them, 16.

        `to_content` leads from its pixels to content coordinates.
        """
        image = remove_backgrounds(ready, self.background_removals, to_content)
        if self.tone is not None:
            image = develop(image, self.tone, depth)
        if not self.effects:
            return image
        pixels, view = image.numpy(), View(unit, to_content)
        for effect in self.effects:
            pixels = effect.on(pixels, view)
        return pyvips.Image.new_from_array(pixels, interpretation="srgb")
