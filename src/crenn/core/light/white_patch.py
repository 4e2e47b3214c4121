"""The white that a patch asks for, of light and beyond all white light; and which places of a picture tell of it."""

from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import D65_XY, REC2020_TO_XYZ, adaptation_matrix, luminance, xy_to_xyz
from crenn.core.colorimetry.white import balance_matrix, temperature_of, white_xy

#: What can be chosen, in kelvin and thousandths of Duv.
TEMPERATURES, TINTS = (1800.0, 20000.0), (-60.0, 60.0)
#: EV by which red and blue can be moved beside the white: light beyond red needs as much.
BEYOND = 8.0
#: Longer side of the picture that is looked at, in pixels.
_SIDE = 800
#: EV below which a colour counts as white.
_WHITE = 0.004


@dataclass(frozen=True)
class White:
    """A white: of light, and what is beyond all white light.

    Attributes
    ----------
    temperature, tint : float
        Kelvin, thousandths of Duv; within `TEMPERATURES` and `TINTS`.
    red, blue : float
        EV beside it.
    short : float
        EV by which either still falls short.
    """

    temperature: float
    tint: float
    red: float = 0.0
    blue: float = 0.0
    short: float = 0.0


def white_of_patch(mean_rgb, as_shot: tuple[float, float]) -> White:
    """The white that makes a patch neutral: the nearest there is, and gains of red and blue for what is beyond it.

    Parameters
    ----------
    mean_rgb : array_like (3,)
        Mean of the patch in the radiance map, scene-linear Rec. 2020.
    as_shot : tuple of float

    Raises
    ------
    ValueError
        If the patch is black, or has nothing of a colour.
    """
    mean_rgb = np.asarray(mean_rgb, np.float64)
    if not (mean_rgb > 0).all():
        raise ValueError("This patch is too dark or too strongly coloured to be neutral. Pick a grey or white place.")
    d65, shot = xy_to_xyz(*D65_XY), xy_to_xyz(*white_xy(*as_shot))
    xyz = adaptation_matrix(d65, shot) @ REC2020_TO_XYZ @ mean_rgb
    temperature, tint = _told_apart(xyz)
    balanced = balance_matrix((temperature, tint), as_shot) @ mean_rgb
    if not (balanced > 0).all():
        # So far from white that its balance has no such colour: gains alone.
        (temperature, tint), balanced = as_shot, mean_rgb
    beyond = np.log2(balanced[1] / balanced[[0, 2]])
    if np.abs(beyond).max() < _WHITE:
        return White(temperature, tint)
    red, blue = (float(v) for v in np.clip(beyond, -BEYOND, BEYOND))
    return White(temperature, tint, red, blue, float(np.abs(beyond - (red, blue)).max()))


def _told_apart(xyz: np.ndarray) -> tuple[float, float]:
    """The nearest white that can be chosen; (temperature, tint)."""
    if not (xyz > 0).all():
        return TEMPERATURES[0], 0.0
    temperature, tint = temperature_of(*(xyz[:2] / xyz.sum()))
    return float(np.clip(temperature, *TEMPERATURES)), float(np.clip(tint, *TINTS))


def speaking(rgb: np.ndarray, floor: float, ceiling: float) -> tuple[np.ndarray, np.ndarray]:
    """A reduced picture, float32 (h, w, 3), and which of it has light that is neither noise nor a lamp's."""
    factor = min(_SIDE / max(rgb.shape[:2]), 1.0)
    small = cv2.resize(rgb, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA) if factor < 1 else rgb
    light = luminance(small)
    return small, (light > floor) & (light < ceiling) & (small.min(-1) > 0)
