"""A lens with faults: where it draws the light of each colour, and how dark its corners are.

The faults follow the models of the lens database in which the lens is described, so that the truth is known there too:
distortion as ``r (1 + k1 r² + k2 r⁴)`` with r in halves of the shorter side, red and blue at ``v + b r²`` of green's
radius, and fall-off as ``1 + k1 r² + k2 r⁴ + k3 r⁶`` with r in half diagonals (Lensfun, manual of calibration data).
"""

from dataclasses import dataclass

import numpy as np

from crenn.core.errors import CrennError

#: k1, k2 and k3 of the fall-off by f-number; in between it goes by the stop.
_FALLOFF = {
    2.8: (-0.90, 0.35, -0.10),
    4.0: (-0.60, 0.20, -0.05),
    5.6: (-0.40, 0.10, -0.02),
    8.0: (-0.32, 0.06, -0.01),
    11.0: (-0.30, 0.05, -0.01),
}


@dataclass(frozen=True)
class Glass:
    """The simulated zoom at a focal length.

    Parameters
    ----------
    focal_length : float
        mm, on a sensor 36 mm wide.
    size : tuple of int
        (width, height) of the sensor in pixels.
    """

    focal_length: float
    size: tuple[int, int]

    name = "Simulated 20-35 mm f/2.8 W"
    shortest, longest = 20.0, 35.0

    def __post_init__(self) -> None:
        if not self.shortest <= self.focal_length <= self.longest:
            raise CrennError(
                f"The wide zoom has no focal length of {self.focal_length:.1f} mm;",
                remedy=f"it goes from {self.shortest:g} to {self.longest:g} mm.",
            )

    @property
    def _middle(self) -> np.ndarray:
        return (np.array(self.size) - 1) / 2

    def drawn(self, places: np.ndarray, channel: int) -> np.ndarray:
        """Where light of a camera's colour falls that a lens without faults would throw on pixels, float64 (N, 2)."""
        longer = self.focal_length - self.shortest
        k1, k2 = -0.014 + 0.0009 * longer, 0.0006 - 0.00004 * longer
        v, b = ((1.0003, 0.00008), (1.0, 0.0), (0.9996, -0.00006))[channel]
        out = (np.asarray(places, np.float64) - self._middle) / (min(self.size) / 2)
        r2 = (out**2).sum(1, keepdims=True)
        out = out * (1 + k1 * r2 + k2 * r2**2)
        r2 = (out**2).sum(1, keepdims=True)
        return self._middle + out * (v + b * r2) * (min(self.size) / 2)

    def ideal(self, pixels: np.ndarray, channel: int) -> np.ndarray:
        """Where a lens without faults would throw the light of a colour that falls on pixels, by iteration."""
        ideal = np.asarray(pixels, np.float64)
        for _ in range(12):
            ideal = ideal - (self.drawn(ideal, channel) - pixels)
        return ideal

    def transmission(self, aperture: float) -> np.ndarray:
        """Share of the light that reaches each pixel at an f-number, float32 (H, W)."""
        stops = np.log2(list(_FALLOFF))
        k1, k2, k3 = (np.interp(np.log2(aperture), stops, [k[i] for k in _FALLOFF.values()]) for i in range(3))
        width, height = self.size
        x, y = np.arange(width) - self._middle[0], np.arange(height) - self._middle[1]
        r2 = (x[None, :] ** 2 + y[:, None] ** 2) / (width**2 + height**2) * 4
        return np.asarray(1 + r2 * (k1 + r2 * (k2 + r2 * k3)), np.float32)
