"""By what surfaces are told apart: light in stops, and colour."""

import numpy as np

from crenn.core.colorimetry.oklab import to_oklab
from crenn.core.colorimetry.spaces import luminance

#: Lightness below which opponent axes are those of noise.
_DARK = 1e-3


def surfaces(rgb: np.ndarray, floor: float) -> np.ndarray:
    """Stop, and Oklab's opponent axes in proportion to lightness, float32 (h, w, 3).

    Light of any level has the same axes. Below the floor all is alike.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Scene-linear.
    floor : float
        Luminance below which noise rules.
    """
    low = np.float32(floor)
    light = luminance(rgb)
    # What is darker is raised to the floor with its colour gone, for it is noise.
    lifted = np.maximum(rgb, 0) + np.maximum(low - light, 0)[..., None]
    lab = to_oklab(lifted)
    over = 1 / np.maximum(lab[..., :1], np.float32(_DARK))
    return np.concatenate([np.log2(np.maximum(light, low))[..., None], lab[..., 1:] * over], -1).astype(np.float32)
