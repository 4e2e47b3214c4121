"""Smooth regions of a picture, parted where light or colour steps."""

import cv2
import numpy as np
from scipy.ndimage import median

from crenn.core.areas.appearance import appearance_features
from crenn.core.pipeline.planes import PlaneContext

#: Slope that parts regions, in EV per pixel, with what noise makes of it; slope of colour counts so many times.
STEP, _PER_NOISE, _OF_COLOUR = 0.09, 1.2, 4.0
#: A region is smooth if half of it has less of a slope, in EV per pixel, with what noise makes of it.
SMOOTH, _ROUGHENS = 0.03, 0.12
#: Points of light are smaller than this, in pixels.
_POINT = 4
#: So much below the floor light still tells sky from ground.
UNDER = 0.25


def _slope(plane: np.ndarray) -> np.ndarray:
    return np.hypot(cv2.Sobel(plane, cv2.CV_32F, 1, 0), cv2.Sobel(plane, cv2.CV_32F, 0, 1)) / 8


def slopes(told: np.ndarray) -> np.ndarray:
    """Slope of light and of colour, in EV per pixel, float32 (h, w).

    Points of light are left out: stars are no edges of the sky.
    """
    opened = cv2.morphologyEx(told[..., 0], cv2.MORPH_OPEN, np.ones((_POINT, _POINT), np.uint8))
    light = _slope(cv2.GaussianBlur(opened, (0, 0), 0.8))
    axes = [cv2.GaussianBlur(cv2.medianBlur(np.ascontiguousarray(told[..., c]), 5), (0, 0), 0.8) for c in (1, 2)]
    colour = np.hypot(_slope(axes[0]), _slope(axes[1]))
    return np.asarray(light + _OF_COLOUR * colour, np.float32)


class Regions:
    """Smooth regions of a picture.

    Attributes
    ----------
    of : ndarray, float32 (h, w, 3)
        What `appearance_features` tells of the picture.
    slope : ndarray, float32 (h, w)
        In EV per pixel; see `slopes`.
    names : ndarray, int32 (h, w)
        Which region a place belongs to; 0 where it is none.
    top, bottom : ndarray (count,)
        Rows.
    share : ndarray, float64 (count,)
        Of the picture.
    smooth : ndarray, bool (count,)
    told : ndarray, float64 (count, 3)
        Means of ``of``.
    """

    def __init__(self, rgb: np.ndarray, around: PlaneContext):
        told = appearance_features(rgb, around.floor * UNDER)
        noise = np.zeros(told.shape[:2]) if around.noise is None else around.noise(told[..., 0]) * around.scale
        self.of = told
        slope = slopes(told)
        even = (slope < STEP + _PER_NOISE * noise).astype(np.uint8)
        even = cv2.morphologyEx(even, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
        self.slope = slope
        self.count, self.names, boxes, _ = cv2.connectedComponentsWithStats(even, connectivity=4)
        self.top = boxes[:, cv2.CC_STAT_TOP]
        self.bottom = self.top + boxes[:, cv2.CC_STAT_HEIGHT]
        flat = self.names.ravel()
        pixels = np.bincount(flat, minlength=self.count).astype(np.float64)
        self.share = pixels / flat.size
        self.share[0] = 0

        def mean(plane: np.ndarray) -> np.ndarray:
            return np.bincount(flat, plane.ravel(), self.count) / np.maximum(pixels, 1)

        self.texture = median(slope, self.names, np.arange(self.count))
        self.smooth = self.texture < SMOOTH + _ROUGHENS * median(noise, self.names, np.arange(self.count))
        self.told = np.stack([mean(told[..., c]) for c in range(3)], -1)

    def mask(self, which: np.ndarray) -> np.ndarray:
        """Where regions are, bool (h, w); ``which`` is bool (count,)."""
        return np.asarray(which[self.names])
