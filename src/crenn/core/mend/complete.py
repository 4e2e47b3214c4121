"""Completes a hole from what surrounds it: for each pixel, the place that it is copied from.

From coarse to fine, each hole is filled by what small patches about it are like elsewhere, in turns of looking for the
nearest (`crenn.core.mend.match`) and of letting them vote (Wexler and others 2007). At the end each pixel is copied
from the place that its own patch has found, so that texture and grain stay as sharp as they are; seams are left to
`crenn.core.mend.blend`.
"""

import cv2
import numpy as np

from crenn.core.mend.match import HALF, improved, laid_out, measured, voted
from crenn.core.mend.search import NoOrigin
from crenn.core.progress import Progress

#: Holes are reduced until half their width is that of a patch times this, or they hold fewer pixels than that.
_COARSE, _FEW = 1.0, 12
#: Turns of looking and voting at the coarsest level and at each finer one; rounds of looking in a turn.
_TURNS, _FINER, _ROUNDS = 16, 2, 3
#: A level with more pixels to look for than this takes what the coarser one has found.
_MANY = 30_000
#: Weight of gradients beside light and colour; by how much a pixel of the hole counts for less with each pixel from its
#: border, and how much at least.
_GRADIENTS, _TRUSTED, _LEAST = 0.7, 1.2, 0.05
#: What a shift costs, by the spread of every third pixel each way; see `_level`.
_FAR, _SPREAD = 0.8, 3


def completed(
    looks: np.ndarray, hole: np.ndarray, allowed: np.ndarray, seed: int = 0, progress: Progress | None = None
) -> np.ndarray:
    """Where each pixel of a hole is copied from.

    Parameters
    ----------
    looks : ndarray, float32 (h, w, 3)
        The picture around, on an even scale.
    hole : ndarray, bool (h, w)
    allowed : ndarray, bool (h, w)
        What may be copied; the hole itself never is.
    seed : int
        Another one finds another way.
    progress : Progress, optional

    Returns
    -------
    ndarray, int32 (h, w, 2)
        Rows and columns; outside of the hole each pixel's own.

    Raises
    ------
    NoOrigin
        If nothing is left to be copied.
    """
    levels = _levels(looks, hole, allowed)
    shifts: np.ndarray | None = None
    progress = progress or Progress()
    pixels = [level_hole.size for _, level_hole, _ in levels]
    for number in range(len(levels) - 1, -1, -1):
        small, small_hole, small_free = levels[number]
        progress.at(sum(pixels[number + 1 :]) / sum(pixels), "filling a mend")
        shifts = _level(small, small_hole, small_free, shifts, number == len(levels) - 1, seed)
    assert shifts is not None
    rows, columns = np.mgrid[: hole.shape[0], : hole.shape[1]].astype(np.int32)
    out = np.stack([rows, columns], -1)
    out[hole] += shifts[hole]
    return out


def _levels(
    looks: np.ndarray, hole: np.ndarray, allowed: np.ndarray
) -> list[tuple[np.ndarray, np.ndarray, np.ndarray]]:
    """The picture, the hole and what is free at falling sizes, the finest first."""
    out = [(np.ascontiguousarray(looks, np.float32), hole, allowed & ~hole)]
    while True:
        last, last_hole, last_free = out[-1]
        thick = cv2.distanceTransform(np.pad(last_hole.astype(np.uint8), 1), cv2.DIST_L2, 5).max()
        size = last_hole.shape[1] // 2, last_hole.shape[0] // 2
        if thick <= _COARSE * HALF or min(size) < 6 * HALF or last_hole.sum() < _FEW:
            return out
        even = np.s_[: size[1] * 2, : size[0] * 2]
        known = (~last_hole[even]).astype(np.float32)
        share = cv2.resize(known, size, interpolation=cv2.INTER_AREA)
        sums = cv2.resize(last[even] * known[..., None], size, interpolation=cv2.INTER_AREA)
        small = sums / np.maximum(share, 1e-6)[..., None]
        free = cv2.resize(last_free[even].astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
        if not _middles(free).any():
            return out
        out.append((np.ascontiguousarray(small), share < 0.999, free))


def _middles(free: np.ndarray) -> np.ndarray:
    """Middles of patches that lie within what is free, bool (h, w)."""
    side = 2 * HALF + 1
    inner = cv2.erode(free.astype(np.uint8), np.ones((side, side), np.uint8), borderValue=0) > 0
    inner[:HALF], inner[-HALF:], inner[:, :HALF], inner[:, -HALF:] = False, False, False, False
    return np.asarray(inner)


def _level(
    looks: np.ndarray, hole: np.ndarray, free: np.ndarray, shifts: np.ndarray | None, coarsest: bool, seed: int
) -> np.ndarray:
    """Shifts to where each pixel near the hole of a level finds its patch, int32 (h, w, 2); given are those of the
    coarser level."""
    middles = _middles(free)
    if not middles.any():
        raise NoOrigin
    side = 2 * HALF + 1
    near = cv2.dilate(hole.astype(np.uint8), np.ones((side, side), np.uint8)) > 0
    at = np.argwhere(near).astype(np.int32)
    number = np.full(hole.shape, -1, np.int32)
    number[near] = np.arange(len(at))
    to = _begin(at, shifts, middles, seed)
    # What lies deep in the hole is guessed from what was guessed: the border tells.
    depth = cv2.distanceTransform(np.pad(hole.astype(np.uint8), 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    weights = np.asarray(np.maximum(_TRUSTED**-depth, _LEAST), np.float32)
    trust = weights[near]
    picture = looks.copy()
    if shifts is None:
        picture[hole] = _spread(looks, hole)[hole]
    else:
        own = to[number[hole]]
        picture[hole] = looks[own[:, 0], own[:, 1]]
    if len(at) > _MANY:
        return _as_shifts(at, to, hole.shape)
    known = looks[::_SPREAD, ::_SPREAD][~hole[::_SPREAD, ::_SPREAD]]
    # A shift across the whole picture costs as much as a patch of other light and colour by a share of their spread.
    far = np.float32(_FAR * float(known.var(0).sum()) * (2 * HALF + 1) ** 2 / max(hole.shape))
    cost = np.empty(len(at), np.float32)
    for turn in range(_TURNS if coarsest else _FINER):
        told = _told(picture)
        rows, each = laid_out(told, weights)
        planes = told.shape[2]
        measured(rows, each, planes, far, at, to, cost)
        for round_ in range(_ROUNDS):
            new_to, new_cost = np.empty_like(to), np.empty_like(cost)
            tries, step = (8, (4, 2, 1)[round_ % 3]) if coarsest else (2, (2, 1, 1)[round_ % 3])
            number_of_round = seed * 1000 + turn * 10 + round_
            improved(
                rows, each, planes, far, middles, number, at, to, cost, step, tries, number_of_round, new_to, new_cost
            )
            to, cost = new_to, new_cost
        spread = np.float32(max(float(np.quantile(cost, 0.6)), 1e-8))
        out = picture.copy()
        voted(picture, number, to, cost, trust, spread, hole, out)
        picture = out
    return _as_shifts(at, to, hole.shape)


def _as_shifts(at: np.ndarray, to: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    out = np.zeros((*size, 2), np.int32)
    out[at[:, 0], at[:, 1]] = to - at
    return out


def _told(picture: np.ndarray) -> np.ndarray:
    """What patches are compared by: light, colour, and light's gradients, float32 (h, w, 5)."""
    light = picture.mean(-1)
    x = cv2.Sobel(light, cv2.CV_32F, 1, 0, scale=0.25) * np.float32(_GRADIENTS)
    y = cv2.Sobel(light, cv2.CV_32F, 0, 1, scale=0.25) * np.float32(_GRADIENTS)
    return np.ascontiguousarray(np.dstack([picture, x, y]), np.float32)


def _begin(at: np.ndarray, shifts: np.ndarray | None, middles: np.ndarray, seed: int) -> np.ndarray:
    """What patches begin with, int32 (N, 2): those places of the coarser level that are free, else random ones."""
    if shifts is None:
        can = np.argwhere(middles).astype(np.int32)
        return np.asarray(can[np.random.default_rng(seed).integers(0, len(can), len(at))])
    coarse = np.minimum(at // 2, np.array(shifts.shape[:2], np.int32) - 1)
    out = at + 2 * shifts[coarse[:, 0], coarse[:, 1]]
    clipped = np.clip(out, 0, np.array(middles.shape, np.int32) - 1)
    good = (out == clipped).all(1) & middles[clipped[:, 0], clipped[:, 1]]
    # What is not free lies near what is: the nearest of it.
    if not good.all():
        _, names = cv2.distanceTransformWithLabels(
            (~middles).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
        )
        of_label = np.zeros((int(names.max()) + 1, 2), np.int32)
        of_label[names[middles]] = np.argwhere(middles)
        out[~good] = of_label[names[clipped[~good, 0], clipped[~good, 1]]]
    return out


def _spread(looks: np.ndarray, hole: np.ndarray) -> np.ndarray:
    """What surrounds a hole spread into it, float32 like ``looks``: the mean of ever wider surroundings."""
    out = np.where(hole[..., None], np.float32(0), looks)
    known = (~hole).astype(np.float32)
    left = hole.copy()
    wide = 3
    while left.any():
        sums = cv2.boxFilter(np.where(hole[..., None], np.float32(0), looks), -1, (wide, wide), normalize=False)
        count = cv2.boxFilter(known, -1, (wide, wide), normalize=False)
        now = left & (count > 0.5)
        out[now] = sums[now] / count[now][:, None]
        left &= ~now
        if wide > 4 * max(hole.shape):
            break
        wide = 2 * wide + 1
    return out
