"""Moves a picture by a mesh with Lanczos' filter."""

from functools import cache

import numba as nb
import numpy as np

from crenn.core.geometry.mapping import STEP, Mesh

#: Taps of the windowed sinc (Duchon 1979) with three lobes; it keeps detail up to nearly the sampling limit.
TAPS = 6
PHASES = 1024


@cache
def lanczos() -> np.ndarray:
    """Weights of the taps at each phase, float32 (PHASES + 1, TAPS); each row sums to 1."""
    phase = np.arange(PHASES + 1)[:, None] / PHASES
    x = phase - (np.arange(TAPS) - TAPS // 2 + 1)
    weights = np.sinc(x) * np.sinc(x / 3) * (np.abs(x) < 3)
    return np.ascontiguousarray(weights / weights.sum(1, keepdims=True), np.float32)


@nb.njit(inline="always", error_model="numpy")
def place(nodes, x, y):
    """Where pixel (x, y) maps to."""
    j, i = x // STEP, y // STEP
    fx, fy = (x - j * STEP) / STEP, (y - i * STEP) / STEP
    a = (1 - fx) * nodes[i, j, 0] + fx * nodes[i, j + 1, 0]
    b = (1 - fx) * nodes[i + 1, j, 0] + fx * nodes[i + 1, j + 1, 0]
    c = (1 - fx) * nodes[i, j, 1] + fx * nodes[i, j + 1, 1]
    d = (1 - fx) * nodes[i + 1, j, 1] + fx * nodes[i + 1, j + 1, 1]
    return (1 - fy) * a + fy * b, (1 - fy) * c + fy * d


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _resample(image, nodes, weights, out):
    height, width, channels = image.shape
    for y in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            sx, sy = place(nodes, x, y)
            if not (-0.5 <= sx <= width - 0.5 and -0.5 <= sy <= height - 0.5):
                for c in range(channels):
                    out[y, x, c] = np.nan
                continue
            i, j = int(np.floor(sy)), int(np.floor(sx))
            wy, wx = weights[int((sy - i) * PHASES + 0.5)], weights[int((sx - j) * PHASES + 0.5)]
            for c in range(channels):
                total = np.float32(0)
                for a in range(TAPS):
                    row = min(max(i + a - 2, 0), height - 1)
                    line = np.float32(0)
                    for b in range(TAPS):
                        line += wx[b] * image[row, min(max(j + b - 2, 0), width - 1), c]
                    total += wy[a] * line
                out[y, x, c] = total


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
    _resample(np.ascontiguousarray(image, np.float32), mesh.nodes, lanczos(), out)
    return out
