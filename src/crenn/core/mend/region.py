"""Which pixels a patch covers."""

from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.mend.patch import Patch

#: Binary places of pixels that outlines are drawn with.
_PLACES = 4


@dataclass(frozen=True, eq=False)
class Region:
    """Pixels of a scene at full size.

    Attributes
    ----------
    top, left : int
        Where the box of ``mask`` begins.
    mask : ndarray, bool (h, w)
    """

    top: int
    left: int
    mask: np.ndarray

    @property
    def bottom(self) -> int:
        return self.top + self.mask.shape[0]

    @property
    def right(self) -> int:
        return self.left + self.mask.shape[1]

    @property
    def half_width(self) -> float:
        """How far its innermost pixel lies from its edge."""
        return float(_depths(self.mask).max())

    def within(self, box: tuple[int, int, int, int]) -> np.ndarray:
        """Which pixels of a box (top, left, bottom, right) it covers, bool."""
        out = np.zeros((box[2] - box[0], box[3] - box[1]), bool)
        top, left = max(box[0], self.top), max(box[1], self.left)
        bottom, right = min(box[2], self.bottom), min(box[3], self.right)
        if bottom > top and right > left:
            own = self.mask[top - self.top : bottom - self.top, left - self.left : right - self.left]
            out[top - box[0] : bottom - box[0], left - box[1] : right - box[1]] = own
        return out

    def softened(self, softness: float) -> np.ndarray:
        """How far it covers each pixel, float32 like the mask: its edge fades inwards over ``softness`` % of
        `half_width`."""
        depth = _depths(self.mask)
        if softness <= 0:
            return self.mask.astype(np.float32)
        share = np.clip(depth / max(float(depth.max()) * softness / 100, 1.0), 0, 1)
        return np.asarray(share * share * (3 - 2 * share), np.float32)


def _depths(mask: np.ndarray) -> np.ndarray:
    padded = np.pad(mask.astype(np.uint8), 1)
    return np.asarray(cv2.distanceTransform(padded, cv2.DIST_L2, 5)[1:-1, 1:-1])


def region_of(patch: Patch, size: tuple[int, int]) -> Region | None:
    """What a patch covers of a scene of size (H, W); None if that is nothing."""
    height, width = size
    unit = max(size)
    places, radius = patch.places() * unit, patch.radius * unit
    low = np.floor(places.min(0) - radius - 1).astype(int)
    high = np.ceil(places.max(0) + radius + 2).astype(int)
    left, top = max(low[0], 0), max(low[1], 0)
    right, bottom = min(high[0], width), min(high[1], height)
    if right <= left or bottom <= top:
        return None
    # Beyond the border outlines go on: what lies there is drawn and cut off.
    beyond = int(np.ceil(radius)) + 2
    canvas = np.zeros((bottom - top + 2 * beyond, right - left + 2 * beyond), np.uint8)
    at = np.round((places - [left - beyond + 0.5, top - beyond + 0.5]) * 2**_PLACES).astype(np.int32)
    if patch.closed:
        cv2.fillPoly(canvas, [at], 1, shift=_PLACES)
    else:
        cv2.polylines(canvas, [at], False, 1, shift=_PLACES)
        if len(at) == 1:
            x, y = np.clip(np.round(at[0] / 2**_PLACES).astype(int), 0, [canvas.shape[1] - 1, canvas.shape[0] - 1])
            canvas[y, x] = 1
    if radius > 0 and canvas.any():
        canvas = cv2.distanceTransform(1 - canvas, cv2.DIST_L2, 5) <= radius
    mask = canvas[beyond:-beyond, beyond:-beyond].astype(bool)
    rows, columns = np.flatnonzero(mask.any(1)), np.flatnonzero(mask.any(0))
    if rows.size == 0:
        return None
    inner = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    return Region(top + int(rows[0]), left + int(columns[0]), np.ascontiguousarray(mask[inner]))
