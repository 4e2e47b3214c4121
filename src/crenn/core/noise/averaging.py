"""What is left of a scene's luminance noise once its picture is made smaller.

Rebuilt colour shares its noise with its neighbours, so averaging takes less of it than the square root of the number of
pixels; of developed pictures nothing is known, and their noise is taken for white.
"""

from functools import lru_cache

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.noise.bands import bands_of
from crenn.core.noise.spectrum import answers
from crenn.core.pipeline.scene import Capture

#: Factors of reduction at which what a filter leaves is measured.
FACTORS = (1, 2, 4, 8)


def reduced(plane: np.ndarray, factor: float) -> np.ndarray:
    """A plane made smaller by a factor, float32: each pixel the mean of those that it covers."""
    if factor <= 1:
        return plane
    size = (max(round(plane.shape[1] / factor), 1), max(round(plane.shape[0] / factor), 1))
    return cv2.resize(plane, size, interpolation=cv2.INTER_AREA)


@lru_cache(8)
def _noise_of(matrix: bytes) -> tuple[np.ndarray, float]:
    """Noise of rebuilt colour that is brought from the light's colours to the camera's by a matrix, float64 (3, 3).

    Its luminance, float32 (H, W), and the deviation of that relative to what it was if colours did not share noise.
    """
    light = answers().sum(0).transpose(1, 2, 0) @ np.linalg.inv(np.frombuffer(matrix).reshape(3, 3)).T
    grey = np.ascontiguousarray(light @ LUMINANCE, np.float32)
    own = np.sqrt(np.square(light.std((0, 1)) * LUMINANCE).sum())
    return grey, float(grey.std() / own)


def _noise(capture: Capture) -> tuple[np.ndarray, float] | None:
    """`_noise_of` a capture; None of developed pictures."""
    if capture.mosaic is None or capture.developed:
        return None
    return _noise_of(capture.balanced.tobytes())


def luminance_deviation(sigma: np.ndarray, capture: Capture) -> np.ndarray:
    """Deviation of luminance, float32 (...), of light whose colours have deviations (..., 3).

    Rebuilt colours share their noise, by as much as those of equal noise at all sites do; of developed pictures nothing
    is known, and each colour counts as having noise of its own.
    """
    weights = np.square(LUMINANCE).astype(np.float32)
    own = np.sqrt(sum(w * np.square(np.asarray(sigma)[..., c]) for c, w in enumerate(weights)))
    told = _noise(capture)
    return np.asarray(own if told is None else own * np.float32(told[1]), np.float32)


def left_when_averaged(capture: Capture, factor: float) -> float:
    """Deviation of luminance noise in a picture made smaller by a factor, relative to that of full size."""
    if factor <= 1:
        return 1.0
    told = _noise(capture)
    if told is None:
        return 1.0 / factor
    noise = told[0]
    # A picture of few pixels tells its deviation badly; beyond, noise is white.
    measured = min(factor, 16.0)
    return float(reduced(noise, measured).std() / noise.std() * measured / factor)


def shares_of_bands(capture: Capture, factor: float) -> np.ndarray:
    """Shares of the energy of luminance noise that are fine, medium and coarse (see `crenn.core.noise.bands`).

    Of a picture made smaller by a factor; float64 (3,).
    """
    told = _noise(capture)
    noise = np.random.default_rng(1).standard_normal((320, 320)).astype(np.float32) if told is None else told[0]
    energies = np.array([reduced(band, min(factor, 16.0)).var() for band in bands_of(noise, 1.0)], np.float64)
    return energies / energies.sum()
