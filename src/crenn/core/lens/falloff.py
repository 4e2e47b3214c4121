"""Fall-off measured on a picture: what darkens it towards its corners and is none of the scene's.

Across a scene, light grows as often as it falls; a lens makes it fall wherever one goes outwards. So the gradients of a
picture tell how much of them is the lens's (after Zheng and others 2008, "Single-image vignetting correction using
radial gradient symmetry"). Only their horizontal part is asked: skies darken upwards of themselves.
"""

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import CrennError

#: Powers of the radius that are tried.
_STEEPNESS = np.arange(1.5, 6.01, 0.5)
#: Falls in percent of a stop per pixel of the reduced picture up to which a place counts as even; it shrinks.
_EVEN = (2.0, 1.0, 0.6, 0.4)
#: The longer side of the picture that is looked at, in pixels.
MEASURED = 600
_MOST = 4.0
#: Least share of the picture that must be even.
_ENOUGH = 0.08


def _amount(gradient: np.ndarray, fall: np.ndarray, even: float) -> tuple[float, np.ndarray]:
    """EV at the corner for which gradients (N,) are symmetric, and the weights (N,) of the places."""
    found = 0.0
    for _ in range(40):
        weight = 1 / (1 + ((gradient + found * fall) / even) ** 2) ** 2
        better = float(-(weight * fall * gradient).sum() / max(float((weight * fall**2).sum()), 1e-12))
        better = float(np.clip(better, -_MOST, _MOST))
        if abs(better - found) < 1e-4:
            break
        found = better
    return found, weight


def measure_falloff(rgb: np.ndarray, floor: float, middle: np.ndarray, half: float) -> tuple[float, float]:
    """Fall-off of the lens that drew a picture.

    On scenes darkened by known amounts it was 0.05 to 0.35 EV off at the corner, by how even the scene is.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Scene-linear light, reduced to about `MEASURED` pixels.
    floor : float
        Luminance below which noise rules.
    middle : ndarray, float64 (2,)
        Of what the lens drew, in pixels.
    half : float
        Half the diagonal of that, in pixels.

    Returns
    -------
    falloff : float
        EV by which corners are too dark.
    steepness : float
        Power of the radius by which that grows.

    Raises
    ------
    CrennError
        If the picture does not say.
    """
    light = luminance(rgb)
    stops = np.log2(np.maximum(light, floor)).astype(np.float32)
    soft = cv2.GaussianBlur(stops, (0, 0), 1.5)
    along = cv2.Sobel(soft, cv2.CV_32F, 1, 0, ksize=3, scale=1 / 8)
    y, x = np.mgrid[: stops.shape[0], : stops.shape[1]] + 0.5
    x, y = (x - middle[0]) / half, (y - middle[1]) / half
    radius = np.hypot(x, y)
    seen = (cv2.erode(light, np.ones((5, 5))) > 2 * floor) & (radius > 0.1)
    # Neighbours tell the same: one in four is asked.
    seen[1::2] = seen[:, 1::2] = False
    gradient, radius, across = along[seen].astype(np.float64), radius[seen], x[seen]
    least = _ENOUGH * stops.size / 4
    unsure = CrennError(
        "This picture does not tell the lens's fall-off: it has too few even places.", remedy="Set it by the dial."
    )
    if gradient.size < least:
        raise unsure
    best: tuple[float, float, float] | None = None
    for steepness in _STEEPNESS:
        fall = steepness * radius ** (steepness - 2) * across / half
        found = 0.0
        for even in _EVEN:
            found, weight = _amount(gradient, fall, even / 100)
        score = float(weight.sum())
        if best is None or score > best[0]:
            best = score, found, float(steepness)
    assert best is not None
    score, found, steepness = best
    if score < least:
        raise unsure
    return found, steepness
