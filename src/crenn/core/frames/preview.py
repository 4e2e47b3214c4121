"""A frame as its camera would show it, small, for the contact sheet."""

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, srgb_encode
from crenn.core.frames.raw import RawFrame
from crenn.core.geometry.orientation import as_held
from crenn.core.mosaic.bayer import even, sites

#: Longer side of the picture, in pixels.
_SIDE = 1400


def preview(frame: RawFrame) -> tuple[np.ndarray, float]:
    """A small picture of a frame, and how much of the frame clips.

    Parameters
    ----------
    frame : RawFrame

    Returns
    -------
    picture : ndarray, uint8 (h, w, 3)
        SRGB codes, turned as the camera was held.
    clipped_share : float
        Share of sites at saturation.
    """
    mosaic, pattern = frame.mosaic, frame.pattern
    height, width = (n // 2 for n in mosaic.shape)
    factor = min(1.0, _SIDE / max(height, width))
    size = (max(round(width * factor), 1), max(round(height * factor), 1))
    planes: list[list[np.ndarray]] = [[], [], []]
    for c, where in sites(pattern):
        # Reduced site by site, so that memory does not grow with the whole picture in floating point.
        site = np.ascontiguousarray(mosaic[even(mosaic.shape)][where])
        planes[c].append(cv2.resize(site, size, interpolation=cv2.INTER_AREA).astype(np.float32))
    light = [
        (sum(planes[c]) / len(planes[c]) - frame.black[c]) / np.float32(frame.white - frame.black[c]) for c in range(3)
    ]
    linear = np.stack([v * gain for v, gain in zip(light, frame.neutral_gains)], -1)
    linear = np.minimum(linear, 1.0)
    if frame.encoding == "linear":
        matrix = (REC2020_TO_SRGB @ frame.to_rec2020).astype(np.float32)
        linear = srgb_encode(np.clip(linear @ matrix.T, 0, 1))
    picture = np.rint(np.clip(linear, 0, 1) * 255).astype(np.uint8)
    full = [float((mosaic[r::4, r::4] >= frame.white - 2).mean()) for r in (0, 1)]
    return as_held(picture, frame.flip), sum(full) / 2
