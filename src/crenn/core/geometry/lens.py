"""A lens with radial distortion: which direction each pixel looks in."""

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Lens:
    """A lens of a sensor of a size in pixels.

    Parameters
    ----------
    tangent : float
        Of half the horizontal view.
    size : tuple of int
        (width, height).
    distortion : float
        A place at distance r from the middle, in focal lengths, shows light that a perfect lens would place at
        r (1 + distortion r²) (Brown 1966, first radial term).
    """

    tangent: float
    size: tuple[int, int]
    distortion: float = 0.0

    @property
    def focal(self) -> float:
        """Focal length in pixels."""
        return self.size[0] / (2 * self.tangent)

    @property
    def matrix(self) -> np.ndarray:
        """From directions to pixels of a lens without distortion, float64 (3, 3)."""
        width, height = self.size
        return np.array([[self.focal, 0, (width - 1) / 2], [0, self.focal, (height - 1) / 2], [0, 0, 1]])

    def directions(self, points: np.ndarray) -> np.ndarray:
        """Directions that pixels look in, (N, 3): right, down, forward 1."""
        width, height = self.size
        p = (np.asarray(points, np.float64) - ((width - 1) / 2, (height - 1) / 2)) / self.focal
        p = p * (1 + self.distortion * (p**2).sum(1, keepdims=True))
        return np.concatenate([p, np.ones((len(p), 1))], 1)

    def pixels(self, directions: np.ndarray) -> np.ndarray:
        """Pixels that directions (N, 3) fall on; far outside for what lies behind."""
        width, height = self.size
        ahead = directions[:, 2:] > 0.05
        perfect = np.where(ahead, directions[:, :2] / np.where(ahead, directions[:, 2:], 1), 1e3)
        p = perfect.copy()
        for _ in range(30):
            p = np.where(ahead, perfect / (1 + self.distortion * np.minimum((p**2).sum(1, keepdims=True), 4.0)), p)
        return p * self.focal + ((width - 1) / 2, (height - 1) / 2)
