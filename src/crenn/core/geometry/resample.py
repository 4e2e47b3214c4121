"""Moves a picture by a mesh with Lanczos' filter."""

import numba as nb
import numpy as np

from crenn.core.fastmath import NAN_SAFE
from crenn.core.geometry.lanczos import lanczos
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.runs import along, columns_apart, interpolate_run, room, weigh_taps


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _resample_row(y, planes, height, width, nodes, taps, out):
    across, channels = out.shape[1:]
    places = room((across + 1) // 2)
    row, column, down, right, wy, wx, begins, _ = places
    told, half = np.zeros((channels, len(row)), np.float32), np.float32(0.5)
    for parity in range(2):
        count = (across - parity + 1) // 2
        runs = along(nodes, y, parity, 0, count, places)
        weigh_taps(taps, down[:count], wy)
        weigh_taps(taps, right[:count], wx)
        for k in range(runs):
            i, j = row[begins[k]], column[begins[k]] - 2 * begins[k]
            # Within the run, those whose neighbours the picture has, its outermost pixels repeated.
            lo, hi = max(begins[k], -j // 2), min(begins[k + 1], (width + 1 - j) // 2)
            if -1 <= i < height and lo < hi:
                for c in range(channels):
                    interpolate_run(planes[c], i, j, wy, wx, lo, hi, told[c])
        for n in range(count):
            i, j = row[n], column[n]
            inside = (0 <= i < height or (i == -1 and down[n] >= half)) and (i < height - 1 or down[n] <= half)
            inside &= (0 <= j < width or (j == -1 and right[n] >= half)) and (j < width - 1 or right[n] <= half)
            for c in range(channels):
                out[y, 2 * n + parity, c] = told[c, n] if inside else np.float32(np.nan)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _resample(planes, height, width, nodes, taps, out):
    for y in nb.prange(out.shape[0]):
        _resample_row(np.int64(y), planes, height, width, nodes, taps, out)


def resample(image: np.ndarray, mesh: Mesh) -> np.ndarray:
    """Move a picture.

    Parameters
    ----------
    image : ndarray, float32 (h, w, C)
    mesh : Mesh
        From the pixels of the result to those of ``image``.

    Returns
    -------
    ndarray, float32 (H, W, C)
        NaN where the mesh leads outside.
    """
    out = np.empty((*mesh.size, image.shape[2]), np.float32)
    planes = columns_apart(np.ascontiguousarray(image, np.float32))
    _resample(planes, image.shape[0], image.shape[1], mesh.nodes, lanczos(), out)
    return out
