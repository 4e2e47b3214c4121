"""Nearest neighbours of small patches: where in what is known each part of a hole is most alike.

PatchMatch (Barnes, Shechtman, Finkelstein and Goldman 2009, "PatchMatch: a randomized correspondence algorithm for
structural image editing"), with all places of a round at once, so that rounds are the same however many cores work.
"""

import numba as nb
import numpy as np

#: Patches are 2 · `HALF` + 1 pixels wide.
HALF = 3
_FAR = np.float32(1e30)


@nb.njit(inline="always", error_model="numpy")
def _random(a, b, c):
    """Even random bits that depend on three whole numbers."""
    n = (
        np.uint32(a) * np.uint32(2654435761)
        ^ np.uint32(b) * np.uint32(2246822519)
        ^ np.uint32(c) * np.uint32(3266489917)
    )
    n ^= n >> np.uint32(15)
    n *= np.uint32(739982445)
    n ^= n >> np.uint32(12)
    n *= np.uint32(695872825)
    return n ^ (n >> np.uint32(15))


@nb.njit(fastmath=True, error_model="numpy")
def _distance(looks, weights, ty, tx, sy, sx, planes, best):
    """Sum of weighted squared differences of two patches; what exceeds ``best`` may be anything that does."""
    total = np.float32(0)
    long = (2 * HALF + 1) * planes
    t, s = tx * planes, sx * planes
    for dy in range(2 * HALF + 1):
        one, other, w = looks[ty + dy, t : t + long], looks[sy + dy, s : s + long], weights[ty + dy, t : t + long]
        row = np.float32(0)
        for k in range(long):
            d = one[k] - other[k]
            row += w[k] * d * d
        total += row
        if total > best:
            return _FAR
    return total


def laid_out(looks: np.ndarray, weights: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A picture, (h, w, C), and weights, (h, w), as patches are read from them: with a border of `HALF` pixels that
    counts for nothing, and rows of all planes, float32 (h + 2 · HALF, (w + 2 · HALF) · C)."""
    planes = looks.shape[2]
    around = ((HALF, HALF), (HALF, HALF))
    padded = np.pad(looks, (*around, (0, 0)), "edge")
    each = np.repeat(np.pad(weights, around)[..., None], planes, 2)
    rows = padded.shape[0]
    return (
        np.ascontiguousarray(padded.reshape(rows, -1), np.float32),
        np.ascontiguousarray(each.reshape(rows, -1), np.float32),
    )


@nb.njit(inline="always", error_model="numpy")
def _way(ty, tx, sy, sx, far):
    """What a shift costs by its length: upwards and downwards twice as much, as things there are others."""
    dy, dx = np.float32(2 * (sy - ty)), np.float32(sx - tx)
    return far * np.sqrt(dy * dy + dx * dx)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def measured(looks, weights, planes, far, at, to, cost):
    """What `improved` counts as the cost of patches at ``at``, int32 (N, 2), found at ``to``, int32 (N, 2)."""
    for i in nb.prange(at.shape[0]):
        ty, tx, sy, sx = at[i, 0], at[i, 1], to[i, 0], to[i, 1]
        cost[i] = _distance(looks, weights, ty, tx, sy, sx, planes, _FAR) + _way(ty, tx, sy, sx, far)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def improved(looks, weights, planes, far, free, number, at, to, cost, step, tries, seed, new_to, new_cost):
    """One round: each place tries what its neighbours ``step`` pixels off have found, and places at random.

    Parameters
    ----------
    looks, weights : ndarray, float32
        See `laid_out`.
    planes : int
        C of the picture.
    far : float32
        Cost of a pixel of distance, in the sum of squared differences.
    free : ndarray, bool (h, w)
        Middles of patches that may be taken.
    number : ndarray, int32 (h, w)
        Which of the places each pixel is; −1 for none.
    at, to : ndarray, int32 (N, 2)
        Rows and columns of places, and of what each has found so far.
    cost : ndarray, float32 (N,)
    step : int
    tries : int
        Random places about what has been found, each half as far off as the one before.
    seed : int
    new_to, new_cost : ndarray like ``to`` and ``cost``
        The results.
    """
    height, width = free.shape
    for i in nb.prange(at.shape[0]):
        ty, tx = at[i, 0], at[i, 1]
        by, bx, best = to[i, 0], to[i, 1], cost[i]
        for k in range(4):
            dy = step * (1 if k == 0 else -1 if k == 1 else 0)
            dx = step * (1 if k == 2 else -1 if k == 3 else 0)
            ny, nx = ty + dy, tx + dx
            if ny < 0 or nx < 0 or ny >= height or nx >= width or number[ny, nx] < 0:
                continue
            j = number[ny, nx]
            sy, sx = to[j, 0] - dy, to[j, 1] - dx
            if sy < 0 or sx < 0 or sy >= height or sx >= width or not free[sy, sx] or (sy == by and sx == bx):
                continue
            way = _way(ty, tx, sy, sx, far)
            d = _distance(looks, weights, ty, tx, sy, sx, planes, best - way) + way
            if d < best:
                by, bx, best = sy, sx, d
        reach = max(height, width)
        for k in range(tries):
            r = _random(i, seed, k)
            sy = by + int(r & np.uint32(0xFFFF)) * (2 * reach + 1) // 65536 - reach
            sx = bx + int(r >> np.uint32(16)) * (2 * reach + 1) // 65536 - reach
            reach = max(reach // 2, 1)
            if sy < 0 or sx < 0 or sy >= height or sx >= width or not free[sy, sx]:
                continue
            way = _way(ty, tx, sy, sx, far)
            d = _distance(looks, weights, ty, tx, sy, sx, planes, best - way) + way
            if d < best:
                by, bx, best = sy, sx, d
        new_to[i, 0], new_to[i, 1], new_cost[i] = by, bx, best


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def voted(looks, number, to, cost, trust, spread, hole, out):
    """What all patches over a pixel of a hole say of it, the better the more: in ``out``, like ``looks``.

    Wexler, Shechtman and Irani 2007, "Space-time completion of video". ``trust``, float32 (N,), is how far each patch
    is to be trusted, ``spread`` the squared difference at which it counts for 1/e.
    """
    height, width, planes = looks.shape
    for y in nb.prange(height):
        for x in range(width):
            if not hole[y, x]:
                continue
            total = np.float32(0)
            for c in range(planes):
                out[y, x, c] = np.float32(0)
            for dy in range(-HALF, HALF + 1):
                for dx in range(-HALF, HALF + 1):
                    ny, nx = y + dy, x + dx
                    if ny < 0 or nx < 0 or ny >= height or nx >= width:
                        continue
                    j = number[ny, nx]
                    if j < 0:
                        continue
                    w = trust[j] * np.exp(-cost[j] / spread) + np.float32(1e-6)
                    for c in range(planes):
                        out[y, x, c] += w * looks[to[j, 0] - dy, to[j, 1] - dx, c]
                    total += w
            if total > 0:
                for c in range(planes):
                    out[y, x, c] /= total
