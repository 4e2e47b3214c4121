"""A subject: what stands out from what reaches the picture's border.

Geodesic saliency (Wei, Wen, Zhu and Sun 2012, "Geodesic saliency using background priors"): surroundings reach the
border without much change on the way, what stands before them does not.
"""

import cv2
import numpy as np
from scipy.ndimage import median

from crenn.core.areas.appearance import appearance_features
from crenn.core.areas.found.trimap import TrimapModel
from crenn.core.areas.geodesic import from_border, surface_of
from crenn.core.colorimetry.circle import eased
from crenn.core.pipeline.planes import PlaneContext

#: Longer side of the picture that it is looked for in, in pixels; what is smaller than this share of it is none.
_SIDE, _LEAST = 450, 0.002
#: Regions count that stand out by so much of what stands out most.
_AS_MUCH = 0.6
#: A change of less, in EV, makes no subject.
_FAINT = 0.4


def find_subject(rgb: np.ndarray, around: PlaneContext) -> TrimapModel:
    """What stands out of a scene.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Light of the whole scene, reduced as for `crenn.core.areas.found.sky.find_sky`.
    around : PlaneContext

    Returns
    -------
    TrimapModel
        With ``sure`` alone; nothing where nothing stands out.
    """
    told = appearance_features(rgb, around.floor)
    factor = min(_SIDE / max(rgb.shape[:2]), 1.0)
    size = tuple(max(round(n * factor), 1) for n in rgb.shape[1::-1])
    far = from_border(surface_of(cv2.resize(told, size, interpolation=cv2.INTER_AREA)))
    # By the distance at which both kinds of places differ most (Otsu 1979).
    most = max(float(np.quantile(far, 0.995)), 1e-6)
    codes = np.clip(far / most * 255, 0, 255).astype(np.uint8)
    parted = max(cv2.threshold(codes, 0, 255, cv2.THRESH_OTSU)[0], 1.0) / 255 * most
    nothing = TrimapModel.nothing()
    if most < _FAINT:
        return nothing
    inside = (far > parted).astype(np.uint8)
    count, names, stats, _ = cv2.connectedComponentsWithStats(inside)
    stands = median(far, names, np.arange(1, count))
    large = stats[1:, cv2.CC_STAT_AREA] > _LEAST * inside.size
    # Lamps are small, and stand out more than anything.
    kept = 1 + np.flatnonzero(large & (stands > _AS_MUCH * stands[large].max(initial=0)))
    if not kept.size:
        return nothing
    share = np.where(np.isin(names, kept), eased(far / parted - 0.5), 0)
    sure = cv2.resize(share.astype(np.float32), rgb.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return TrimapModel(sure, nothing.inside, nothing.outside)
