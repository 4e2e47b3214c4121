"""Deconvolution: gives back what the lens, the sensor's filter and the rebuilding of colour have blurred."""

from functools import cache

import cv2
import numpy as np

#: Rounds of the iteration: more give little more, and noise grows with them.
ROUNDS = 10
#: Blur below this deviation, in pixels, takes nothing that could be given back.
LEAST = 0.25
#: What is given back may pass the brightest and darkest neighbours by half of what lies between them, but where that is
#: much more than so many stops, by next to nothing: texture may, the edge of a lamp may not.
_ROOM, _STRONG = 0.5, 0.8


def blurred(plane: np.ndarray, deviation: float) -> np.ndarray:
    """A plane blurred by a Gaussian, float32 (h, w)."""
    half = max(int(np.ceil(3.5 * deviation)), 1)
    taps = cv2.getGaussianKernel(2 * half + 1, deviation, cv2.CV_32F)
    return cv2.sepFilter2D(plane, cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REPLICATE)


def reach_of(deviation: float) -> int:
    """Pixels around a place that `deblurred` looks at, beyond which next to nothing comes from."""
    return int(np.ceil(6 * deviation)) + 2


def deblurred(light: np.ndarray, deviation: float) -> np.ndarray:
    """Light before it was blurred by a Gaussian, float32 (h, w): its most likely form.

    The iteration is that of Richardson (1972) and Lucy (1974), which keeps light positive and its sum; what it would
    draw beside strong edges is held back by the nearest neighbours.

    Parameters
    ----------
    light : ndarray, float32 (h, w)
        Positive.
    deviation : float
        Of the blur, in pixels; nothing is done below `LEAST`.
    """
    if deviation < LEAST:
        return light
    out = light.copy()
    for _ in range(ROUNDS):
        out *= blurred(light / np.maximum(blurred(out, deviation), 1e-12), deviation)
    stops = np.log2(light)
    near = np.ones((3, 3), np.uint8)
    low, high = cv2.erode(stops, near), cv2.dilate(stops, near)
    between = high - low
    room = _ROOM * between / (1 + (between / np.float32(_STRONG)) ** 2)
    return np.asarray(np.exp2(np.clip(np.log2(np.maximum(out, 1e-12)), low - room, high + room)), np.float32)


@cache
def noise_gain(deviation: float) -> float:
    """By how much `deblurred` moves white noise, in deviations of it."""
    noise = np.random.default_rng(1).standard_normal((160, 160)).astype(np.float32)
    light = np.exp2(0.01 * noise)
    moved = np.log2(deblurred(light, deviation) / light)
    return float(moved.std() / 0.01)
