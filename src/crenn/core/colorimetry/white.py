"""White light: its temperature and tint, and balancing a picture from one white to another."""

import numpy as np

from crenn.core.colorimetry.spaces import (
    D65_XY,
    REC2020_TO_XYZ,
    XYZ_TO_REC2020,
    adaptation_matrix,
    chromaticity_of_temperature,
    xy_to_xyz,
)

#: Ends of the line of white light that are told apart, in kelvin.
WARMEST, COLDEST = 1700.0, 24000.0


def _uv(x: float, y: float) -> np.ndarray:
    """CIE 1960 u, v."""
    return np.array([4 * x, 6 * y]) / (-2 * x + 12 * y + 3)


def _normal(kelvin: float) -> tuple[np.ndarray, np.ndarray]:
    """Point on the line of white light in CIE 1960 u, v and the unit normal towards green."""
    here = _uv(*chromaticity_of_temperature(kelvin))
    along = _uv(*chromaticity_of_temperature(kelvin * 1.005)) - _uv(*chromaticity_of_temperature(kelvin / 1.005))
    along /= np.linalg.norm(along)
    normal = np.array([-along[1], along[0]])
    return here, normal if normal[1] > 0 else -normal


def white_xy(temperature: float, tint: float) -> tuple[float, float]:
    """CIE xy of a white; ``tint`` in thousandths of Duv, positive towards green (CIE 15:2018, ANSI C78.377)."""
    here, normal = _normal(temperature)
    u, v = here + normal * tint / 1000.0
    return float(3 * u / (2 * u - 8 * v + 4)), float(2 * v / (2 * u - 8 * v + 4))


def temperature_of(x: float, y: float) -> tuple[float, float]:
    """Temperature in kelvin and tint in thousandths of Duv of a chromaticity; the inverse of `white_xy`."""
    target = _uv(x, y)
    mired = np.linspace(1e6 / COLDEST, 1e6 / WARMEST, 400)
    for _ in range(3):
        points = np.array([_uv(*chromaticity_of_temperature(1e6 / m)) for m in mired])
        best = int(np.argmin(((points - target) ** 2).sum(1)))
        low, high = mired[max(best - 1, 0)], mired[min(best + 1, len(mired) - 1)]
        nearest = mired[best]
        mired = np.linspace(low, high, 41)
    here, normal = _normal(1e6 / nearest)
    return float(1e6 / nearest), float((target - here) @ normal * 1000.0)


def balance_matrix(white: tuple[float, float], as_shot: tuple[float, float]) -> np.ndarray:
    """Matrix in Rec. 2020 that turns a picture balanced for one white into one balanced for another.

    Both whites are (temperature, tint). Luminance of the new white is kept.
    """
    if white == as_shot:
        return np.eye(3)
    # The picture has been adapted from the white as shot to D65. Undo it, then adapt from the chosen one.
    d65, shot, chosen = xy_to_xyz(*D65_XY), xy_to_xyz(*white_xy(*as_shot)), xy_to_xyz(*white_xy(*white))
    return XYZ_TO_REC2020 @ adaptation_matrix(chosen, d65) @ adaptation_matrix(d65, shot) @ REC2020_TO_XYZ
