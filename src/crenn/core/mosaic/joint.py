"""Log light of three colours together where some of it is known and the rest is known to be more than a bound."""

import numba as nb
import numpy as np

from crenn.core.fastmath import NAN_SAFE
from crenn.core.progress import Progress

#: Rows of a stripe: every second one is worked on at once, so that the result does not depend on how many do the work.
_STRIPE = 16
#: Over-relaxation.
_OVER = np.float32(1.6)
#: What was lost is at most this many stops brighter than its bound.
MOST_ABOVE = np.float32(2.0)
#: Bounds of values that are known, and of those of which nothing is.
KNOWN, UNBOUNDED = np.float32(np.inf), np.float32(-np.inf)


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def _laplacian(mean, y, x):
    height, width = mean.shape
    here, total = mean[y, x], np.float32(0)
    if y > 0:
        total += mean[y - 1, x] - here
    if y + 1 < height:
        total += mean[y + 1, x] - here
    if x > 0:
        total += mean[y, x - 1] - here
    if x + 1 < width:
        total += mean[y, x + 1] - here
    return total


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def _relax(u, mean, y, x, bound, even, smooth):
    """One step for a cell; its mean goes along."""
    height, width = mean.shape
    third = np.float32(1 / 3)
    n, biharmonic = np.float32(0), np.float32(0)
    d0, d1, d2 = np.float32(0), np.float32(0), np.float32(0)
    for side in range(4):
        v, w = y + (side == 1) - (side == 0), x + (side == 3) - (side == 2)
        if v < 0 or w < 0 or v >= height or w >= width:
            continue
        n += np.float32(1)
        d0 += u[0, y, x] - u[0, v, w]
        d1 += u[1, y, x] - u[1, v, w]
        d2 += u[2, y, x] - u[2, v, w]
        biharmonic += _laplacian(mean, v, w)
    biharmonic -= n * _laplacian(mean, y, x)
    below = np.float32(2) * n * third + (even * n + smooth * n * (n + np.float32(1))) / np.float32(9)
    total = d0 + d1 + d2
    for c in range(3):
        if bound[c] == KNOWN:
            continue
        own = d0 if c == 0 else (d1 if c == 1 else d2)
        slope = own - total * third + (even * total * third + smooth * biharmonic) * third
        before = u[c, y, x]
        after = before - _OVER * slope / below
        if bound[c] != UNBOUNDED:
            after = min(max(after, bound[c]), bound[c] + MOST_ABOVE)
        u[c, y, x] = after
        change = after - before
        mean[y, x] += change * third
        total += n * change
        biharmonic += change * third * n * (n + np.float32(1))
        if c == 0:
            d0 += n * change
        elif c == 1:
            d1 += n * change


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _sweep(u, mean, ys, xs, bounds, starts, even, smooth, backwards):
    stripes = len(starts) - 1
    for parity in range(2):
        for k in nb.prange((stripes + 1 - parity) // 2):
            first, last = starts[2 * k + parity], starts[2 * k + parity + 1]
            for m in range(last - first):
                i = last - 1 - m if backwards else first + m
                _relax(u, mean, ys[i], xs[i], bounds[i], even, smooth)


def solve(
    u: np.ndarray,
    ys: np.ndarray,
    xs: np.ndarray,
    bounds: np.ndarray,
    even: float,
    smooth: float,
    sweeps: int,
    progress: Progress,
) -> np.ndarray:
    """Find light that was lost, in place; the mean of its colours, float32 (H, W).

    Minimises, over neighbours at four sides, the squared differences of each colour from the colours' mean, those of
    the mean times ``even``, and the squared Laplacian of the mean times ``smooth``, by projected Gauss-Seidel. To stop
    early acts as a prior: the number of sweeps is part of the method.

    Parameters
    ----------
    u : ndarray, float32 (3, H, W)
        Logarithms to base 2, with a first guess of what is to be found.
    ys, xs : ndarray, int32 (N,)
        Cells that are worked on, row by row.
    bounds : ndarray, float32 (N, 3)
        Of each cell's values: `KNOWN`, `UNBOUNDED`, or the least they can be.
    even, smooth : float
    sweeps : int
    progress : Progress
    """
    mean = u.mean(0)
    if len(ys):
        starts = np.searchsorted(ys, np.arange(0, u.shape[1] + _STRIPE, _STRIPE)).astype(np.int64)
        for n in range(sweeps):
            progress.at(n / sweeps, "Rebuilding lost light")
            _sweep(u, mean, ys, xs, bounds, starts, np.float32(even), np.float32(smooth), n % 2 == 1)
    return mean
