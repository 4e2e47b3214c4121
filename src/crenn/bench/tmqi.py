"""Tone-mapped image quality index (Yeganeh and Wang 2013, "Objective quality assessment of tone-mapped images")."""

import cv2
import numpy as np
from scipy.stats import beta, norm

_WEIGHTS = (0.0448, 0.2856, 0.3001, 0.2363, 0.1333)


def _mean(image: np.ndarray) -> np.ndarray:
    kernel = cv2.getGaussianKernel(11, 1.5)
    return cv2.sepFilter2D(image, cv2.CV_64F, kernel, kernel)[5:-5, 5:-5]


def _structure(hdr: np.ndarray, ldr: np.ndarray, frequency: float) -> float:
    mu1, mu2 = _mean(hdr), _mean(ldr)
    s1 = np.sqrt(np.maximum(_mean(hdr * hdr) - mu1 * mu1, 0))
    s2 = np.sqrt(np.maximum(_mean(ldr * ldr) - mu2 * mu2, 0))
    s12 = _mean(hdr * ldr) - mu1 * mu2
    sensitivity = 100 * 2.6 * (0.0192 + 0.114 * frequency) * np.exp(-((0.114 * frequency) ** 1.1))
    u = 128 / (1.4 * sensitivity)
    p1, p2 = norm.cdf(s1, u, u / 3), norm.cdf(s2, u, u / 3)
    return float((((2 * p1 * p2) + 0.01) / (p1**2 + p2**2 + 0.01) * (s12 + 10) / (s1 * s2 + 10)).mean())


def tmqi(hdr_luminance: np.ndarray, ldr: np.ndarray) -> tuple[float, float, float]:
    """Quality, structural fidelity and naturalness of a tone-mapped picture.

    Parameters
    ----------
    hdr_luminance : ndarray (H, W)
        Scene luminance in any unit.
    ldr : ndarray (H, W)
        Luma of the picture, 0–255.
    """
    hdr = hdr_luminance.astype(np.float64)
    hdr = np.round((2.0**32 - 1) * (hdr - hdr.min()) / (hdr.max() - hdr.min()))
    ldr = ldr.astype(np.float64)
    deviations = [
        ldr[y : y + 11, x : x + 11].std() for y in range(0, ldr.shape[0], 11) for x in range(0, ldr.shape[1], 11)
    ]
    contrast = beta.pdf(np.mean(deviations) / 64.29, 4.4, 10.1) / beta.pdf((4.4 - 1) / (4.4 + 10.1 - 2), 4.4, 10.1)
    brightness = norm.pdf(ldr.mean(), 115.94, 27.99) / norm.pdf(115.94, 115.94, 27.99)
    naturalness = float(contrast * brightness)
    fidelity, frequency = 1.0, 32.0
    for weight in _WEIGHTS:
        frequency /= 2
        fidelity *= max(_structure(hdr, ldr, frequency), 1e-6) ** weight
        hdr, ldr = cv2.blur(hdr, (2, 2))[::2, ::2], cv2.blur(ldr, (2, 2))[::2, ::2]
    return 0.8012 * fidelity**0.3046 + (1 - 0.8012) * naturalness**0.7088, fidelity, naturalness
