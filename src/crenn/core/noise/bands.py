"""Bands of scale: fine, medium and coarse noise."""

import cv2
import numpy as np

#: Deviations that part fine from medium and medium from coarse noise, in full-size pixels.
FINE, MEDIUM = 1.6, 6.0
#: Below this deviation, in pixels, a blur changes nothing.
_LEAST = 0.3


def blurred(planes: np.ndarray, deviation: float) -> np.ndarray:
    """Planes (h, w) or (h, w, C) under a Gaussian of a deviation in pixels."""
    if deviation < _LEAST:
        return planes
    side = 2 * int(np.ceil(3 * deviation)) + 1
    return cv2.GaussianBlur(planes, (side, side), deviation, borderType=cv2.BORDER_REPLICATE)


def bands_of(planes: np.ndarray, scale: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Fine, medium and coarse parts of planes, float32 like them; their sum is what was given.

    ``scale`` is pixels per full-size pixel.
    """
    one = blurred(planes, FINE * min(scale, 1.0))
    two = blurred(one, float(np.sqrt(MEDIUM**2 - FINE**2)) * min(scale, 1.0))
    return planes - one, one - two, two
