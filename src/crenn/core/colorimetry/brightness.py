"""How bright coloured light looks: brighter than grey light of its luminance (Helmholtz-Kohlrausch effect)."""

import numpy as np

from crenn.core.colorimetry.spaces import REC2020_TO_XYZ, luminance, luminance_of_lightness, xyz_to_lab

#: Lightness that nothing looks brighter than.
_BRIGHTEST = 100.0


def coloured_ev(rgb: np.ndarray, tone: float) -> np.ndarray:
    """EV by which light of a tone looks brighter than grey of its luminance.

    Fairchild and Pirrotta 1991, "Predicting the lightness of chromatic object colors using CIELAB": to L* is added
    (2.5 − 0.025 L*) (0.116 |sin((h − 90°) / 2)| + 0.085) C*.

    Parameters
    ----------
    rgb : ndarray, float (..., 3)
        Linear Rec. 2020; how bright it is has no say.
    tone : float
        EV below white on which all of it is thought to be shown.

    Returns
    -------
    ndarray, float (...)
        0 and more; 0 for what has no luminance.
    """
    rgb = np.maximum(np.asarray(rgb), 0)
    y = luminance(rgb)
    shown = rgb * (2.0**tone / np.where(y > 0, y, 1))[..., None]
    lab = xyz_to_lab(shown @ REC2020_TO_XYZ.T)
    l_star, a, b = np.moveaxis(lab, -1, 0)
    hue = np.arctan2(b, a)
    share = 0.116 * np.abs(np.sin((hue - np.pi / 2) / 2)) + 0.085
    seen = np.minimum(l_star + (2.5 - 0.025 * l_star) * share * np.hypot(a, b), _BRIGHTEST)
    return np.asarray(np.where(y > 0, np.log2(luminance_of_lightness(np.maximum(seen, 0.1))) - tone, 0.0))
