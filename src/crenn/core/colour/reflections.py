"""What a polarising filter takes off water: the sky that it mirrors.

Light that water mirrors swings along it, wholly so at Brewster's angle (Fresnel's equations; Born and Wolf 1999,
section 1.5): a filter that stands across takes that away, and leaves what comes up from below.
"""

import numpy as np

from crenn.core.areas.found.water import find_water
from crenn.core.pipeline.planes import PlaneContext

#: Refractive index of water.
_INDEX = 1.333
#: Share of the picture's width that is water in the first row below the horizon.
_SHORE = 0.02


def swinging(depression: np.ndarray) -> np.ndarray:
    """How much more of the light that water mirrors swings along it than across, 0 to 1, like the angles.

    Parameters
    ----------
    depression : ndarray
        How far below the horizon it is seen, in radians; above, there is none.
    """
    incidence = np.pi / 2 - np.clip(depression, 1e-6, np.pi / 2 - 1e-4)
    refracted = np.arcsin(np.sin(incidence) / _INDEX)
    along = (np.sin(incidence - refracted) / np.sin(incidence + refracted)) ** 2
    across = (np.tan(incidence - refracted) / np.tan(incidence + refracted)) ** 2
    return np.asarray(np.where(depression > 0, (along - across) / (along + across), 0.0))


def mirrored(rgb: np.ndarray, around: PlaneContext, anywhere: bool = False) -> tuple[np.ndarray, np.ndarray]:
    """How far a filter takes what each place mirrors, float32 (h, w), 0 to 1; and nothing that holds for the whole.

    The lens sees as much as one whose focal length is the picture's longer side.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Reduced light of the scene.
    around : PlaneContext
    anywhere : bool
        Whether all of the picture is taken for water, below its horizon.
    """
    height, width = rgb.shape[:2]
    found = find_water(rgb, around).sure
    water = found if found.shape == (height, width) else np.zeros((height, width), np.float32)
    rows = np.flatnonzero((water > 0.5).mean(1) > _SHORE)
    # Without water to tell, the camera is taken to have been held level.
    horizon = float(rows[0]) if rows.size else height / 2
    depression = np.arctan((np.arange(height) + 0.5 - horizon) / max(height, width))
    share = swinging(depression)[:, None] * (1.0 if anywhere else water)
    return np.broadcast_to(share, (height, width)).astype(np.float32), np.zeros(0)
