"""What the tone steps of a picture add up to."""

from dataclasses import astuple, dataclass, fields, replace

from lucidex.core.picture.tone.curves import Points, is_straight, towards

ROUNDING = 1e-5  # of an amount of −1 to 1, as the ledger shows it


@dataclass(frozen=True)
class Curves:
    """Curves of sRGB's gamma values: for all three channels, for each, and for the luminance; none are straight."""

    all: Points = ()
    red: Points = ()
    green: Points = ()
    blue: Points = ()
    luminance: Points = ()

    def towards(self, share: float) -> "Curves":
        """A share of each."""
        return Curves(*(towards(getattr(self, one.name), share) for one in fields(self)))

    @property
    def is_straight(self) -> bool:
        """Whether none of them changes anything."""
        return all(is_straight(getattr(self, one.name)) for one in fields(self))


@dataclass(frozen=True)
class Shift:
    """A colour that is added, luma kept: towards warm (or cool) and towards magenta (or green), −1 to 1."""

    warmth: float = 0.0
    tint: float = 0.0

    def plus(self, other: "Shift") -> "Shift":
        """Both together."""
        return Shift(self.warmth + other.warmth, self.tint + other.tint)

    def times(self, share: float) -> "Shift":
        """A share of it."""
        return Shift(self.warmth * share, self.tint * share)


@dataclass(frozen=True)
class Grey:
    """Black and white: how red, green and blue weigh, and how much of it."""

    weights: tuple[float, float, float]
    share: float = 1.0

    def plus(self, other: "Grey | None") -> "Grey":
        """Another one after this: colour is left only where both leave some, so their shares compose.

        What the second one makes grey is weighed by it; of what the first one made grey, the rest keeps its weights.
        """
        if other is None:
            return self
        share = 1 - (1 - self.share) * (1 - other.share)
        if share == 0:
            return other
        mine = self.share * (1 - other.share) / share
        weights = [mine * one + (1 - mine) * two for one, two in zip(self.weights, other.weights, strict=True)]
        return Grey((weights[0], weights[1], weights[2]), share)


@dataclass(frozen=True)
class Tone:
    """Amounts of everything that acts on each pixel alone; all at rest is neutral.

    `exposure` in stops; `warmth`, `tint`, `vividness`, `shadows`, `highlights`, `brightness`, `contrast` −1 to 1;
    `saturation` −1 (none) upwards; `black` and `white`: shares of the range by which the black point is raised and
    the white point lowered; `curves` follow one after the other; `dark`, `middle` and `light` are shifts of colour.
    """

    exposure: float = 0.0
    warmth: float = 0.0
    tint: float = 0.0
    saturation: float = 0.0
    vividness: float = 0.0
    grey: Grey | None = None
    shadows: float = 0.0
    highlights: float = 0.0
    black: float = 0.0
    white: float = 0.0
    brightness: float = 0.0
    contrast: float = 0.0
    curves: tuple[Curves, ...] = ()
    dark: Shift = Shift()
    middle: Shift = Shift()
    light: Shift = Shift()

    def plus(self, other: "Tone") -> "Tone":
        """Both together, `other` after this one where the order counts (curves, and weights of grey)."""
        added = {
            one.name: getattr(self, one.name) + getattr(other, one.name)
            for one in fields(self)
            if isinstance(getattr(self, one.name), float)
        }
        return Tone(
            **added
            | {
                "saturation": (1 + self.saturation) * (1 + other.saturation) - 1,
                "grey": self.grey.plus(other.grey) if self.grey else other.grey,
                "curves": self.curves + tuple(curves for curves in other.curves if not curves.is_straight),
                "dark": self.dark.plus(other.dark),
                "middle": self.middle.plus(other.middle),
                "light": self.light.plus(other.light),
            }
        )

    def times(self, share: float) -> "Tone":
        """A share of it, 0 (nothing) to 1 (all): every amount in proportion."""
        scaled = {
            one.name: getattr(self, one.name) * share
            for one in fields(self)
            if isinstance(getattr(self, one.name), float)
        }
        return Tone(
            **scaled
            | {
                "grey": replace(self.grey, share=self.grey.share * share) if self.grey and share else None,
                "curves": tuple(curves.towards(share) for curves in self.curves) if share else (),
                "dark": self.dark.times(share),
                "middle": self.middle.times(share),
                "light": self.light.times(share),
            }
        )

    def is_like(self, other: "Tone") -> bool:
        """Whether both do the same, but for rounding."""
        mine, theirs = astuple(self), astuple(other)
        return all(
            abs(one - two) < ROUNDING if isinstance(one, float) and isinstance(two, float) else one == two
            for one, two in zip(mine, theirs, strict=True)
        )

    @property
    def is_neutral(self) -> bool:
        """Whether it changes nothing."""
        return self == Tone()
