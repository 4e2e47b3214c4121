"""Where stars are: points of light that stand out from all around them."""

import cv2
import numpy as np

from crenn.core.colour.spaces import luminance

#: Pixels around a part that are looked at, the largest star's radius, and how far its light is kept.
_BORDER, _RADIUS, _KEPT = 24, 3, 2
#: A star stands out by so many deviations of its neighbourhood, and its surroundings by no more than this share of it.
_DEVIATIONS, _LONE = 6.0, 0.25


def stars_in(rgb: np.ndarray, sigma: np.ndarray | None, box: tuple[int, int, int, int]) -> np.ndarray:
    """How far places of a part belong to stars, float32 (h, w), 0 to 1.

    A star is small and lone: what is left once a white top-hat (Serra 1982) has taken away all that is larger than a
    star, where the ring around it has next to nothing of the kind.

    Parameters
    ----------
    rgb, sigma : ndarray, float32 (H, W, 3)
        Of the whole scene. Without sigma deviations are those of the neighbourhood alone.
    box : tuple of int
        Top, left, height and width of the part.
    """
    top, left, height, width = box
    y0, x0 = max(top - _BORDER, 0), max(left - _BORDER, 0)
    where = np.s_[y0 : top + height + _BORDER, x0 : left + width + _BORDER]
    light = cv2.GaussianBlur(luminance(np.asarray(rgb[where], np.float32)), (0, 0), 0.7)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _RADIUS + 1, 2 * _RADIUS + 1))
    over = light - cv2.morphologyEx(light, cv2.MORPH_OPEN, disc)
    spread = np.sqrt(cv2.blur(np.minimum(over, 4 * cv2.blur(over, (41, 41))) ** 2, (41, 41)))
    if sigma is not None:
        # Averaged by the smoothing above, noise is about half as strong.
        own = 0.5 * luminance(np.asarray(sigma[where], np.float32))
        spread = np.maximum(spread, cv2.blur(own, (15, 15)))
    peak = (over >= cv2.dilate(over, disc)) & (over > _DEVIATIONS * spread)
    ring = np.ones((6 * _RADIUS + 1, 6 * _RADIUS + 1), np.uint8)
    ring[2 * _RADIUS : -2 * _RADIUS, 2 * _RADIUS : -2 * _RADIUS] = 0
    peak &= cv2.dilate(over, ring) < np.maximum(_LONE * over, _DEVIATIONS * spread)
    kept = cv2.dilate(peak.astype(np.uint8), np.ones((2 * _KEPT + 1, 2 * _KEPT + 1), np.uint8))
    shares = cv2.GaussianBlur(kept.astype(np.float32), (0, 0), 1.0)
    return np.ascontiguousarray(shares[top - y0 : top - y0 + height, left - x0 : left - x0 + width])
