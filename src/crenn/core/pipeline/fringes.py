"""Lateral colour of a lens, as numbers: by how much larger than green it draws red and blue."""

from dataclasses import dataclass

import numpy as np

#: What is less at the corner, in sites of the mosaic, is not worth moving light for.
_WORTH = 0.08


@dataclass(frozen=True)
class Fringes:
    """How much larger than green a lens draws red and blue.

    Light that green would have drawn at the radius *r*, in half diagonals of the sensor's picture, is drawn at
    *r (1 + a + b r²)*.

    Attributes
    ----------
    red, blue : tuple of float
        a and b.
    """

    red: tuple[float, float] = (0.0, 0.0)
    blue: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def of_factors(cls, radius: np.ndarray, red: np.ndarray, blue: np.ndarray) -> "Fringes":
        """The ones nearest to factors (N,) known at radii within the picture."""
        terms = np.stack([np.ones_like(radius), radius**2], -1)
        fits = (np.linalg.lstsq(terms, factor - 1, rcond=None)[0] for factor in (red, blue))
        return cls(*((float(a), float(b)) for a, b in fits))

    def factor(self, radius: np.ndarray, channel: int) -> np.ndarray:
        """By how much larger than green a channel is drawn at radii, in half diagonals."""
        a, b = ((self.red), (0.0, 0.0), (self.blue))[channel]
        return 1 + a + b * np.asarray(radius, np.float64) ** 2

    def drawn(self, points: np.ndarray, channel: int, shape: tuple[int, int]) -> np.ndarray:
        """Where light that green would have drawn at points, (N, 2) in pixels of a picture (H, W), is drawn."""
        middle = (np.array(shape[::-1], np.float64) - 1) / 2
        out = np.asarray(points, np.float64) - middle
        radius = np.hypot(*out.T) / (np.hypot(*shape) / 2)
        return out * self.factor(radius, channel)[:, None] + middle

    def times(self, share: float) -> "Fringes":
        """A share of them."""
        (a, b), (c, d) = self.red, self.blue
        return Fringes((a * share, b * share), (c * share, d * share))

    def plus(self, other: "Fringes") -> "Fringes":
        """Both, one after the other, to first order."""
        return Fringes(
            (self.red[0] + other.red[0], self.red[1] + other.red[1]),
            (self.blue[0] + other.blue[0], self.blue[1] + other.blue[1]),
        )

    def worth_taking(self, shape: tuple[int, int]) -> bool:
        """Whether they show in a picture of a shape (H, W)."""
        half = float(np.hypot(*shape)) / 2
        return max(abs(a + b) for a, b in (self.red, self.blue)) * half > _WORTH
