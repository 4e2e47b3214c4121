"""Colours of a DNG file by all its matrices: for two lights, and from balanced colours forward.

One matrix is right under the light that it was measured in. Files that bring two are read by the one between them that
suits the light as shot (Adobe Digital Negative 1.7, chapter 6).
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from crenn.core.colorimetry.spaces import D65_XY, XYZ_TO_REC2020, adaptation_matrix, xy_to_xyz
from crenn.core.colorimetry.white import temperature_of

#: Kelvin of the lights that matrices are told for, by Exif's LightSource.
_LIGHTS = {1: 5500, 2: 4230, 3: 2850, 4: 5500, 9: 5500, 10: 6500, 11: 7500, 12: 6430, 13: 5000, 14: 4230, 15: 3450}
_LIGHTS |= {17: 2856, 18: 4874, 19: 6774, 20: 5503, 21: 6504, 22: 7504, 23: 5003, 24: 3200}
_D50 = np.array([0.9642, 1.0, 0.8249])
#: Tags, as far as they are read.
_COLOUR, _FORWARD, _LIGHT = (0xC621, 0xC622), (0xC714, 0xC715), (0xC65A, 0xC65B)
_CALIBRATION, _BALANCE = (0xC623, 0xC624), 0xC627
#: Condition of a matrix beyond which it is damaged, how often the light is found anew, and when it is found, in xy.
_WORST, _ROUNDS, _FOUND = 200.0, 30, 1e-6


@dataclass(frozen=True)
class DngColour:
    """What a file's matrices make of its colours.

    Attributes
    ----------
    to_rec2020 : ndarray, float64 (3, 3)
        From balanced colours of the camera; each row sums to 1.
    white : tuple of float
        The light as shot, kelvin and thousandths of Duv.
    share : float
        How far it lies from the first light that the file has a matrix for towards the second, 0 to 1.
    """

    to_rec2020: np.ndarray
    white: tuple[float, float]
    share: float


def _numbers(tags: Mapping[str, Any], tag: int, count: int) -> np.ndarray | None:
    found = next((v for name, v in tags.items() if name.upper().endswith(f"0X{tag:04X}")), None)
    try:
        values = [float(v.num) / float(v.den) if hasattr(v, "den") else float(v) for v in found.values]  # type: ignore[union-attr]
    except (AttributeError, TypeError, ValueError, ZeroDivisionError):
        return None
    out = np.array(values, np.float64)
    return out if out.size == count and np.isfinite(out).all() else None


def _matrix(tags: Mapping[str, Any], tag: int) -> np.ndarray | None:
    values = _numbers(tags, tag, 9)
    if values is None:
        return None
    matrix = values.reshape(3, 3)
    return matrix if np.linalg.cond(matrix) < _WORST else None


def _kelvin(tags: Mapping[str, Any], tag: int) -> int | None:
    value = _numbers(tags, tag, 1)
    return None if value is None else _LIGHTS.get(int(value[0]))


def dng_colour(tags: Mapping[str, Any], neutral: np.ndarray) -> DngColour | None:
    """Colours by the matrices of a file.

    Parameters
    ----------
    tags : mapping of str to tag
        As `exifread` names them.
    neutral : ndarray (3,)
        The camera's answer to white as shot.

    Returns
    -------
    DngColour or None
        None where the file has neither matrices for two lights nor a forward one, or they are damaged.
    """
    matrices, forward = ([_matrix(tags, tag) for tag in pair] for pair in (_COLOUR, _FORWARD))
    lights = [_kelvin(tags, tag) for tag in _LIGHT]
    first = matrices[0]
    if first is None or not (np.isfinite(neutral).all() and (neutral > 0).all()):
        return None
    two = matrices[1] is not None and None not in lights and lights[0] != lights[1]
    if not two and forward[0] is None:
        return None
    balance = _numbers(tags, _BALANCE, 3)
    own = [_matrix(tags, tag) for tag in _CALIBRATION]
    own = [np.diag(np.ones(3) if balance is None else balance) @ (np.eye(3) if m is None else m) for m in own]
    xy = np.array(D65_XY)
    for _ in range(_ROUNDS):
        share = _share(xy, lights) if two else 0.0
        calibrated = _between(own, share)
        xyz = np.linalg.solve(calibrated @ _between(matrices, share), neutral)
        if not (xyz > 0).all():
            return None
        before, xy = xy, xyz[:2] / xyz.sum()
        if np.abs(xy - before).max() < _FOUND:
            break
    d65 = xy_to_xyz(*D65_XY)
    if forward[0] is not None and (not two or forward[1] is not None):
        reference = np.linalg.solve(calibrated, neutral)
        to_xyz = _between(forward, share) @ np.diag(1 / reference) @ np.linalg.inv(calibrated) @ np.diag(neutral)
        matrix = XYZ_TO_REC2020 @ adaptation_matrix(_D50, d65) @ to_xyz
    else:
        to_xyz = np.linalg.inv(calibrated @ _between(matrices, share)) @ np.diag(neutral)
        matrix = XYZ_TO_REC2020 @ adaptation_matrix(xy_to_xyz(*xy), d65) @ to_xyz
    sums = matrix.sum(1, keepdims=True)
    if (np.abs(sums) < 1e-3).any() or np.linalg.cond(matrix / sums) > _WORST:
        return None
    return DngColour(matrix / sums, temperature_of(*xy), share)


def _share(xy: np.ndarray, lights: list) -> float:
    """How far the light lies from the first towards the second, in mired."""
    mired = 1e6 / temperature_of(*xy)[0]
    first, second = (1e6 / v for v in lights)
    return float(np.clip((mired - first) / (second - first), 0, 1))


def _between(matrices: list, share: float) -> np.ndarray:
    first, second = matrices
    return first if second is None else (1 - share) * first + share * second
