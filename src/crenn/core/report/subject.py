"""The bright subject of a scene: a large bright region with texture, and so no lamp, in surroundings that show nothing.

Where they do show something, it is that which a picture is exposed for.
"""

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance

#: Longer side on which it is looked for, in pixels.
_SIDE = 480
#: It lies at most so many stops below the brightest hundredth, and is at least this share of the picture, in one piece
#: and at least so many pixels thick.
_BELOW, _LEAST, _THICK = 3.0, 0.003, 5
#: Texture: by so many EV light departs from its surroundings of this deviation in pixels, and by so many deviations of
#: its noise.
_DEPARTS, _AROUND, _SURE = 0.02, 2.0, 2.0
#: In so much of it, or more.
_TEXTURED = 0.3
#: Surroundings, farther off than so many pixels, show nothing where they are the better part of the picture, at most
#: this share of them has texture, their even light spans fewer than so many stops, and lies so many below the subject.
_BESIDE, _PART, _EMPTY, _EVEN, _FAR = 9, 0.5, 0.06, 1.5, 5.0
#: Its brightest light is that which this share of it exceeds.
_BRIGHTEST = 0.02


def bright_subject(rgb: np.ndarray, sigma: np.ndarray | None) -> float | None:
    """Stop of the brightest light of the bright subject; None if the scene has none, or more than that to show.

    Parameters
    ----------
    rgb, sigma : ndarray, float32 (H, W, 3)
        Light and its deviations; the latter may be None.
    """
    factor = min(_SIDE / max(rgb.shape[:2]), 1.0)
    size = tuple(max(round(n * factor), 1) for n in rgb.shape[1::-1])
    light = luminance(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA))
    if min(light.shape) < 4 * _THICK or not light.max() > 0:
        return None
    stops = np.log2(np.maximum(light, light.max() * 2.0**-30)).astype(np.float32)
    bright = (stops > np.quantile(stops, 0.99) - _BELOW).astype(np.uint8)
    bright = cv2.morphologyEx(bright, cv2.MORPH_OPEN, np.ones((_THICK, _THICK), np.uint8))
    departs = np.abs(stops - np.where(bright > 0, _mean_within(stops, bright), _mean_within(stops, 1 - bright)))
    noise = np.zeros_like(light)
    if sigma is not None:
        # Reducing averages so many pixels; noise that neighbours share is taken for their own.
        noise = luminance(cv2.resize(sigma, size, interpolation=cv2.INTER_AREA)) * factor / np.maximum(light, 1e-12)
    least = np.maximum(_DEPARTS, _SURE * noise / np.float32(np.log(2)))
    rest = cv2.dilate(bright, np.ones((2 * _BESIDE + 1, 2 * _BESIDE + 1), np.uint8)) == 0
    if rest.mean() < _PART or float((departs > 2 * least)[rest].mean()) > _EMPTY:
        return None
    even = np.log2(np.maximum(cv2.GaussianBlur(light, (0, 0), 2 * _AROUND), np.maximum(noise * light, 1e-12)))
    low, high = np.quantile(even[rest], (0.05, 0.95))
    if high - low > _EVEN or np.quantile(stops, 0.99) - high < _FAR:
        return None
    count, names, boxes, _ = cv2.connectedComponentsWithStats(bright, connectivity=8)
    found = None
    for name in range(1, count):
        if boxes[name][cv2.CC_STAT_AREA] < _LEAST * light.size:
            continue
        own = cv2.erode((names == name).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        if not own.any():
            continue
        if float((departs > least)[own].mean()) > _TEXTURED:
            top = float(np.quantile(stops[own], 1 - _BRIGHTEST))
            found = top if found is None else max(found, top)
    return found


def _mean_within(stops: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """Means about each place of what lies within a mask."""
    share = mask.astype(np.float32)
    total, weight = (cv2.GaussianBlur(v, (0, 0), _AROUND) for v in (stops * share, share))
    return np.asarray(np.where(weight > 1e-3, total / np.maximum(weight, 1e-3), stops))
