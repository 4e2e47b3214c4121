"""Outlines of patches, as they are drawn over the picture."""

import cv2
import numpy as np

from crenn.core.mend.patch import Patch
from crenn.core.mend.region import region_of

#: Lines keep to the outline by so many pixels, or this share of the patch's half width if that is more.
_CLOSE, _SHARE = 0.7, 0.05


def outline_of(patch: Patch, size: tuple[int, int]) -> list[np.ndarray]:
    """Lines around what a patch covers of a scene of size (H, W), each float64 (N, 2) in shares of its longer side."""
    region = region_of(patch, size)
    if region is None:
        return []
    inside = np.pad(region.mask.astype(np.uint8), 1)
    found, _ = cv2.findContours(inside, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    close = max(_CLOSE, _SHARE * region.half_width)
    lines = [cv2.approxPolyDP(line, close, True)[:, 0].astype(np.float64) for line in found]
    # Contours run through the middles of pixels, of a mask with a border of one.
    return [(line - 0.5 + [region.left, region.top]) / max(size) for line in lines if len(line) > 2]
