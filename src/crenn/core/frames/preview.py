"""A frame as its camera would show it, small, for the contact sheet."""

import cv2
import numpy as np

from crenn.core.frames.raw import RawFrame
from crenn.core.spaces import REC2020_TO_SRGB, srgb_encode

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
    planes = []
    for c in range(3):
        # Reduced site by site, so that memory does not grow with the whole picture in floating point.
        sites = [
            cv2.resize(
                np.ascontiguousarray(mosaic[r : 2 * height : 2, k : 2 * width : 2]), size, interpolation=cv2.INTER_AREA
            )
            for r, k in np.argwhere(pattern == c)
        ]
        value = (sum(s.astype(np.float32) for s in sites) / len(sites) - frame.black[c]) / np.float32(
            frame.white - frame.black[c]
        )
        planes.append(value * frame.neutral_gains[c])
    linear = np.minimum(np.stack(planes, -1), 1.0)
    if frame.encoding == "linear":
        matrix = (REC2020_TO_SRGB @ frame.to_rec2020).astype(np.float32)
        linear = srgb_encode(np.clip(linear @ matrix.T, 0, 1))
    picture = np.rint(np.clip(linear, 0, 1) * 255).astype(np.uint8)
    picture = np.ascontiguousarray(np.rot90(picture, {0: 0, 3: 2, 5: 1, 6: 3}.get(frame.flip, 0)))
    full = [float((mosaic[r::4, r::4] >= frame.white - 2).mean()) for r in (0, 1)]
    return picture, sum(full) / 2
