"""What a lens does to a picture, over the radius from its middle."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from crenn.core.pipeline.fringes import Fringes

#: Profiles are told at so many radii, from the middle to a quarter beyond the corner.
NODES = 641
FURTHEST = 1.25


def radii() -> np.ndarray:
    """The radii at which profiles are told, in half diagonals of the scene, float64 (`NODES`,)."""
    return np.linspace(0.0, FURTHEST, NODES)


@dataclass(frozen=True, eq=False)
class LensProfile:
    """What a lens does at each radius of `radii`.

    Attributes
    ----------
    drawn : ndarray, float64 (3, NODES)
        Where red, green and blue light were drawn that belongs at a radius: as a factor of it.
    falloff : ndarray, float64 (NODES,)
        EV by which light is too weak there, 0 in the middle; over the radius at which it was drawn.
    """

    drawn: np.ndarray
    falloff: np.ndarray

    @classmethod
    def none(cls) -> "LensProfile":
        """A lens without faults."""
        return cls(np.ones((3, NODES)), np.zeros(NODES))

    def scaled(self, distortion: float = 1.0, fringes: float = 1.0, falloff: float = 1.0) -> "LensProfile":
        """The profile with shares of its distortion, its lateral colour and its fall-off."""
        green = 1 + distortion * (self.drawn[1] - 1)
        return LensProfile(green * (1 + fringes * (self.drawn / self.drawn[1] - 1)), falloff * self.falloff)

    def with_fringes(self, fringes: Fringes) -> "LensProfile":
        """The profile with a lateral colour in place of its own."""
        green = self.drawn[1]
        colours = np.stack([fringes.factor(radii() * green, channel) for channel in range(3)])
        return LensProfile(green * colours, self.falloff)

    def less_fringes(self, fringes: Fringes) -> "LensProfile":
        """What is left of the profile where a lateral colour has been taken back."""
        taken = LensProfile(np.stack([self.drawn[1]] * 3), self.falloff).with_fringes(fringes)
        return LensProfile(self.drawn * self.drawn[1] / taken.drawn, self.falloff)

    def with_hand(
        self, distortion: float = 0.0, red: float = 0.0, blue: float = 0.0, falloff: float = 0.0, steepness: float = 2.0
    ) -> "LensProfile":
        """The profile with more on top of it.

        Parameters
        ----------
        distortion : float
            Share by which corners were drawn further out, growing as the square of the radius (Brown 1966, first
            radial term).
        red, blue : float
            Share by which a colour was drawn larger than green.
        falloff : float
            EV by which corners are too dark.
        steepness : float
            Power of the radius by which that grows.
        """
        colours = np.array([1 + red, 1.0, 1 + blue])[:, None]
        return LensProfile(
            self.drawn * colours * (1 + distortion * radii() ** 2), self.falloff + falloff * radii() ** steepness
        )

    @cached_property
    def moves(self) -> bool:
        """Whether light lies elsewhere than it should."""
        return bool((self.drawn != 1.0).any())

    @cached_property
    def by_colour(self) -> bool:
        """Whether red and blue lie elsewhere than green."""
        return bool((self.drawn != self.drawn[1]).any())

    @property
    def key(self) -> bytes:
        """What tells it from others."""
        return self.drawn.tobytes() + self.falloff.tobytes()

    def factor(self, radius: np.ndarray, channel: int) -> np.ndarray:
        """Where light of a channel was drawn, as a factor of the radius where it belongs, in half diagonals."""
        return np.interp(radius, radii(), self.drawn[channel])

    def falloff_at(self, radius: np.ndarray) -> np.ndarray:
        """EV by which light is too weak that was drawn at a radius, in half diagonals."""
        return np.interp(radius, radii(), self.falloff)
