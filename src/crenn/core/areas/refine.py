"""Masks drawn to the picture's own edges, and softened."""

import cv2
import numpy as np

from crenn.core.areas.surfaces import surfaces
from crenn.core.pipeline.planes import LATTICE

#: What a surface varies by itself, in EV: edges that are stronger are followed.
_EDGE = 0.15
#: The mean of a neighbourhood is worked out of so many pixels to each side, at a reduced size where it is wider.
_WIDE = 4
#: Opponent axes count so many times as stops.
_OF_COLOUR = 6.0


def reduction(radius: float) -> int:
    """How many times smaller a neighbourhood of a radius in pixels is looked at; a divisor of `LATTICE`."""
    factor = 1
    while factor < LATTICE and radius / (2 * factor) >= _WIDE:
        factor *= 2
    return factor


def refined(share: np.ndarray, light: np.ndarray, floor: float, radius: float) -> np.ndarray:
    """A mask whose edge is drawn to that of the light: the fast guided filter (He and Sun 2015), by colour.

    Parameters
    ----------
    share : ndarray, float32 (h, w)
        0 to 1.
    light : ndarray, float32 (h, w, 3)
        Scene-linear.
    floor : float
        Luminance below which noise rules.
    radius : float
        How far an edge is drawn, in pixels; less than half a pixel draws nothing.

    Returns
    -------
    ndarray, float32 (h, w)
    """
    if radius < 0.5:
        return share
    guide = surfaces(light, floor)
    guide[..., 1:] *= _OF_COLOUR
    factor = reduction(radius)
    height, width = share.shape
    size = -(-width // factor), -(-height // factor)
    small, target = guide, share
    if factor > 1:
        # Whole blocks: what lies over the border is what lies beside it.
        down, across = size[1] * factor - height, size[0] * factor - width
        small, target = (
            cv2.resize(
                cv2.copyMakeBorder(v, 0, down, 0, across, cv2.BORDER_REPLICATE), size, interpolation=cv2.INTER_AREA
            )
            for v in (guide, share)
        )
    side = 2 * max(round(radius / factor), 1) + 1

    def mean(plane: np.ndarray) -> np.ndarray:
        return cv2.blur(plane, (side, side), borderType=cv2.BORDER_REPLICATE)

    means, of_target = mean(small), mean(target)
    matrix = np.empty((*target.shape, 3, 3), np.float32)
    for i in range(3):
        for j in range(i, 3):
            matrix[..., i, j] = mean(small[..., i] * small[..., j]) - means[..., i] * means[..., j]
            matrix[..., j, i] = matrix[..., i, j]
    matrix += np.float32(_EDGE**2) * np.eye(3, dtype=np.float32)
    along = mean(small * target[..., None]) - means * of_target[..., None]
    slope = np.linalg.solve(matrix, along[..., None])[..., 0]
    rest = of_target - (slope * means).sum(-1)
    told = mean(np.concatenate([slope, rest[..., None]], -1).astype(np.float32))
    if factor > 1:
        told = cv2.resize(told, (size[0] * factor, size[1] * factor), interpolation=cv2.INTER_LINEAR)[:height, :width]
    out = (told[..., :3] * guide).sum(-1) + told[..., 3]
    # A regression leaves ends short of nothing and of all.
    return np.clip(out * 1.1 - 0.05, 0, 1).astype(np.float32)
