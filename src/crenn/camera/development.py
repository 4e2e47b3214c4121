"""The simulated camera's own picture of a frame, which it writes into the raw file as cameras do."""

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, luminance, srgb_encode

#: Longer side, in pixels; share of an S-curve in its tones; and by how much its colours are deeper than those of light.
_SIDE, _CURVED, _DEEPER = 960, 0.4, 1.15


def develop(radiance: np.ndarray, relative: float) -> np.ndarray:
    """What the camera shows: light that is clipped, deepened and put through a curve; without noise.

    Parameters
    ----------
    radiance : ndarray, float32 (H, W, 3)
        Scene-linear Rec. 2020.
    relative : float
        Exposure; 1 for light of 1 that just saturates.

    Returns
    -------
    ndarray, uint8 (h, w, 3)
        SRGB codes.
    """
    factor = min(_SIDE / max(radiance.shape[:2]), 1.0)
    size = tuple(max(round(n * factor), 1) for n in radiance.shape[1::-1])
    light = np.minimum(cv2.resize(radiance, size, interpolation=cv2.INTER_AREA) * np.float32(relative), 1.0)
    grey = luminance(light)[..., None]
    shown = (grey + np.float32(_DEEPER) * (light - grey)) @ REC2020_TO_SRGB.T.astype(np.float32)
    codes = srgb_encode(shown)
    codes = (1 - _CURVED) * codes + _CURVED * codes * codes * (3 - 2 * codes)
    return np.asarray(np.rint(codes * 255), np.uint8)
