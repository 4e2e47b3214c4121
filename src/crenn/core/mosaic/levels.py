"""What the raw numbers of a mosaic mean."""

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Levels:
    """Raw numbers that mean something.

    Attributes
    ----------
    black : ndarray, float32 (3,)
        Of no light, per colour.
    white : float
        Of saturation.
    clip : float
        From which a site counts as clipped.
    """

    black: np.ndarray
    white: float
    clip: float

    @property
    def scale(self) -> np.ndarray:
        """Light per raw number, per colour, float32 (3,); saturation is 1."""
        return (1.0 / (self.white - self.black)).astype(np.float32)

    @property
    def clip_light(self) -> np.ndarray:
        """Light at which sites clip, per colour, (3,)."""
        return (self.clip - self.black) / (self.white - self.black)
