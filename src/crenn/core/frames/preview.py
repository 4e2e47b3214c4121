"""A frame as its camera would show it, small, for the contact sheet."""

from functools import cache

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, srgb_encode
from crenn.core.frames.raw import RawFrame
from crenn.core.geometry.orientation import as_held
from crenn.core.mosaic.bayer import even

#: Longer side of the picture, in pixels.
_SIDE = 1400
#: Light is told apart in so many steps.
_STEPS = 2**16 - 1


@cache
def _codes() -> np.ndarray:
    """SRGB codes of light from nothing to white, uint8 (_STEPS + 1,)."""
    return np.asarray(np.rint(srgb_encode(np.arange(_STEPS + 1) / _STEPS) * 255), np.uint8)


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
    whole = mosaic[even(mosaic.shape)]
    sums = np.zeros((3, size[1], size[0]), np.float32)
    for row in (0, 1):
        # Two sites beside each other are two channels of a picture half as wide.
        pairs = whole[row::2].reshape(height, width, 2)
        reduced = cv2.resize(pairs, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], 2)
        for column in (0, 1):
            sums[pattern[row, column]] += reduced[..., column]
    linear = np.empty((size[1], size[0], 3), np.float32)
    for c, gain in enumerate(frame.neutral_gains):
        per = np.float32(gain / (frame.white - frame.black[c]) / np.count_nonzero(pattern == c))
        linear[..., c] = sums[c] * per - np.float32(gain * frame.black[c] / (frame.white - frame.black[c]))
    linear = np.minimum(linear, 1.0)
    if frame.encoding == "linear":
        matrix = (REC2020_TO_SRGB @ frame.to_rec2020).astype(np.float32)
        picture = _codes()[np.rint(np.clip(linear @ matrix.T, 0, 1) * _STEPS).astype(np.uint16)]
    else:
        picture = np.rint(np.clip(linear, 0, 1) * 255).astype(np.uint8)
    full = [float((mosaic[r::4, r::4] >= frame.white - 2).mean()) for r in (0, 1)]
    return as_held(picture, frame.flip), sum(full) / 2
