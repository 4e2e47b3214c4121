"""Where stars are: points of light that stand out from all around them."""

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance

#: Pixels around a part that are looked at, and the largest star's radius.
BORDER, _RADIUS = 24, 3
#: A star stands out by so many deviations of its neighbourhood, and its surroundings by no more than this share of it.
_DEVIATIONS, _LONE = 4.0, 0.25
#: What is right around a star is darker than it by this share of what it stands out by.
_STEEP = 0.5


def _ring(plane: np.ndarray, inner: int, outer: int) -> np.ndarray:
    """The greatest value in a square ring around each place, further than ``inner`` and up to ``outer`` pixels away."""
    ring = np.ones((2 * outer + 1, 2 * outer + 1), np.uint8)
    ring[outer - inner : outer + inner + 1, outer - inner : outer + inner + 1] = 0
    return cv2.dilate(plane, ring)


def _on_lines(over: np.ndarray, peak: np.ndarray, away: int) -> np.ndarray:
    """What stands out on both sides of each peak alike, ``away`` pixels off: much along a line, little at a star."""
    near = cv2.dilate(over, np.ones((3, 3), np.uint8))
    padded = cv2.copyMakeBorder(near, *(away,) * 4, cv2.BORDER_CONSTANT, value=0.0)
    rows, columns = (v + away for v in np.nonzero(peak))
    half = away // 2
    ways = ((0, away), (half, away), (away, away), (away, half), (away, 0), (away, -half), (away, -away), (half, -away))
    sides = [np.minimum(padded[rows + y, columns + x], padded[rows - y, columns - x]) for y, x in ways]
    return np.asarray(np.max(sides, 0))


def star_shares(light: np.ndarray, deviation: np.ndarray | None, kept_radius: int = 2) -> np.ndarray:
    """How far places belong to stars, float32 (h, w), 0 to 1.

    A star is small and lone: what is left once a white top-hat (Serra 1982) has taken away all that is larger than a
    star, where the ring around it has next to nothing of the kind.

    Parameters
    ----------
    light : ndarray, float32 (h, w)
        Luminance, of full-size pixels.
    deviation : ndarray, float32 (h, w), or None
        That of its noise; without it deviations are those of the neighbourhood alone.
    kept_radius : int
        Pixels around a star's middle that belong to it.
    """
    light = cv2.GaussianBlur(light, (0, 0), 0.7)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _RADIUS + 1, 2 * _RADIUS + 1))
    over = light - cv2.morphologyEx(light, cv2.MORPH_OPEN, disc)
    spread = np.sqrt(np.maximum(cv2.blur(np.minimum(over, 4 * cv2.blur(over, (41, 41))) ** 2, (41, 41)), 0))
    if deviation is not None:
        # Averaged by the smoothing above, noise is about half as strong.
        spread = np.maximum(spread, cv2.blur(0.5 * deviation, (15, 15)))
    peak = (over >= cv2.dilate(over, disc)) & (over > _DEVIATIONS * spread)
    # Other stars nearby do not make it less of one.
    starry = cv2.dilate(peak.astype(np.uint8), disc) > 0
    # A corner of something bright stands out as well, but what it belongs to is right beside it.
    peak &= _ring(np.where(starry, light - over, light), _RADIUS, _RADIUS + 2) < light - _STEEP * over
    peak &= _ring(np.where(starry, np.float32(0), over), _RADIUS, 3 * _RADIUS) < np.maximum(
        _LONE * over, _DEVIATIONS * spread
    )
    peak[peak] = _on_lines(over, peak, _RADIUS + 1) < np.maximum(_LONE * over, _DEVIATIONS * spread)[peak]
    kept = cv2.dilate(peak.astype(np.uint8), np.ones((2 * kept_radius + 1, 2 * kept_radius + 1), np.uint8))
    # Whole as far as it reaches, with a soft rim.
    return np.clip(1.5 * cv2.GaussianBlur(kept.astype(np.float32), (0, 0), 1.0), 0, 1)


def stars_in(rgb: np.ndarray, sigma: np.ndarray | None, box: tuple[int, int, int, int]) -> np.ndarray:
    """`star_shares` of a part of a scene, float32 (h, w).

    Parameters
    ----------
    rgb, sigma : ndarray, float32 (H, W, 3)
        Of the whole scene; ``sigma`` may be None.
    box : tuple of int
        Top, left, height and width of the part.
    """
    top, left, height, width = box
    y0, x0 = max(top - BORDER, 0), max(left - BORDER, 0)
    where = np.s_[y0 : top + height + BORDER, x0 : left + width + BORDER]
    deviation = None if sigma is None else luminance(np.asarray(sigma[where], np.float32))
    shares = star_shares(luminance(np.asarray(rgb[where], np.float32)), deviation)
    return np.ascontiguousarray(shares[top - y0 : top - y0 + height, left - x0 : left - x0 + width])
