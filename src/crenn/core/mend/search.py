"""The place that a patch is best copied from as a whole: the one whose surroundings are most like the patch's."""

import cv2
import numpy as np

#: The ring about a patch that is compared, in half widths of the patch, and pixels at least and at most.
_RING, _LEAST, _MOST = 0.8, 4, 40
#: Longer side of what is compared, in pixels: what is larger is reduced first.
_SIDE = 64
#: Weight of what a candidate holds that is busier than the ring, and of its distance, in search windows.
_BUSY, _FAR = 1.0, 0.02


class NoOrigin(ValueError):
    """There is no place that a patch could be copied from."""


def ring_of(mask: np.ndarray, half_width: float) -> int:
    """Pixels of the ring about a patch that are compared."""
    return int(np.clip(np.ceil(half_width * _RING), _LEAST, _MOST))


def best_shift(
    looks: np.ndarray, hole: np.ndarray, allowed: np.ndarray, half_width: float, attempt: int = 0
) -> tuple[int, int]:
    """The shift (rows, columns) to the place that a hole is best filled from as a whole.

    Compared are the pixels around the hole with those around each candidate, by squared differences; of two that are
    as much alike the nearer one, and the one that holds nothing that its surroundings do not, is taken.

    Parameters
    ----------
    looks : ndarray, float32 (h, w, C)
        The picture around, on an even scale.
    hole : ndarray, bool (h, w)
    allowed : ndarray, bool (h, w)
        What may be copied.
    half_width : float
        See `crenn.core.mend.region.Region.half_width`.
    attempt : int
        How many better places, apart from each other, are passed over.

    Raises
    ------
    NoOrigin
        If no place is free of the hole.
    """
    ring = ring_of(hole, half_width)
    rows, columns = np.flatnonzero(hole.any(1)), np.flatnonzero(hole.any(0))
    box = _grown(rows, columns, ring, hole.shape)
    longest = max(box[1] - box[0], box[3] - box[2])
    factor = max(1, int(np.ceil(longest / _SIDE)))
    if factor == 1:
        found = _matched(looks, hole, allowed, box, ring, attempt)
        return found[0] - box[0], found[1] - box[2]
    size = looks.shape[1] // factor, looks.shape[0] // factor
    cut = np.s_[: size[1] * factor, : size[0] * factor]
    small = cv2.resize(np.ascontiguousarray(looks[cut]), size, interpolation=cv2.INTER_AREA)
    coarse_hole = cv2.resize(hole[cut].astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0
    coarse_free = cv2.resize(allowed[cut].astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
    rows, columns = np.flatnonzero(coarse_hole.any(1)), np.flatnonzero(coarse_hole.any(0))
    coarse_ring = max(ring // factor, 2)
    coarse = _grown(rows, columns, coarse_ring, coarse_hole.shape)
    there = _matched(small, coarse_hole, coarse_free, coarse, coarse_ring, attempt)
    about = (there[0] - coarse[0]) * factor, (there[1] - coarse[2]) * factor
    return _refined(looks, hole, allowed, box, ring, about, factor)


def _grown(rows: np.ndarray, columns: np.ndarray, ring: int, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """Top, bottom, left and right of a box with a ring around it, within a picture."""
    return (
        max(int(rows[0]) - ring, 0),
        min(int(rows[-1]) + 1 + ring, size[0]),
        max(int(columns[0]) - ring, 0),
        min(int(columns[-1]) + 1 + ring, size[1]),
    )


def _costs(
    looks: np.ndarray, template: np.ndarray, own: np.ndarray, around: np.ndarray, allowed: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Mean squared differences of the ring at each place, with what is busier inside added; and which places may be."""
    weight = np.repeat(around[..., None].astype(np.float32), looks.shape[2], 2)
    cost = cv2.matchTemplate(looks, template, cv2.TM_SQDIFF, mask=weight) / max(float(around.sum()), 1.0)
    busy = _energy(looks)
    inside = cv2.matchTemplate(busy, own.astype(np.float32), cv2.TM_CCORR) / max(float(own.sum()), 1.0)
    outside = float((_energy(template) * around).sum() / max(float(around.sum()), 1.0))
    taken = cv2.matchTemplate((~allowed).astype(np.float32), own.astype(np.float32), cv2.TM_CCORR)
    ring_taken = cv2.matchTemplate((~allowed).astype(np.float32), around.astype(np.float32), cv2.TM_CCORR)
    may = (taken < 0.5) & (ring_taken < 0.25 * around.sum() + 0.5)
    return cost + _BUSY * np.maximum(inside - 1.3 * outside, 0.0), may


def _energy(looks: np.ndarray) -> np.ndarray:
    """Squared gradients of the first plane, float32 (h, w)."""
    x = cv2.Sobel(np.ascontiguousarray(looks[..., 0]), cv2.CV_32F, 1, 0, scale=0.125)
    y = cv2.Sobel(np.ascontiguousarray(looks[..., 0]), cv2.CV_32F, 0, 1, scale=0.125)
    return np.asarray(x * x + y * y)


def _cut(
    looks: np.ndarray, hole: np.ndarray, box: tuple[int, int, int, int], ring: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """What is looked for: the picture in a box, the hole in it, and the ring around that."""
    part = np.s_[box[0] : box[1], box[2] : box[3]]
    own = hole[part]
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * ring + 1, 2 * ring + 1))
    around = (cv2.dilate(own.astype(np.uint8), disc) > 0) & ~own
    return np.ascontiguousarray(looks[part]), own, around


def _matched(
    looks: np.ndarray,
    hole: np.ndarray,
    allowed: np.ndarray,
    box: tuple[int, int, int, int],
    ring: int,
    attempt: int,
) -> tuple[int, int]:
    """Where the box (top, left) is best put."""
    template, own, around = _cut(looks, hole, box, ring)
    cost, may = _costs(looks, template, own, around, allowed & ~hole)
    if not may.any():
        raise NoOrigin
    y, x = np.mgrid[: cost.shape[0], : cost.shape[1]]
    away = np.hypot(y - box[0], x - box[2]) / np.hypot(*cost.shape)
    typical = float(np.median(cost[may]))
    cost = np.where(may, cost + _FAR * typical * away, np.inf)
    apart = max(min(own.shape) // 2, 2)
    for _ in range(attempt):
        i, j = np.unravel_index(int(cost.argmin()), cost.shape)
        without = cost.copy()
        without[max(i - apart, 0) : i + apart + 1, max(j - apart, 0) : j + apart + 1] = np.inf
        if not np.isfinite(without).any():
            break
        cost = without
    i, j = np.unravel_index(int(cost.argmin()), cost.shape)
    return int(i), int(j)


def _refined(
    looks: np.ndarray,
    hole: np.ndarray,
    allowed: np.ndarray,
    box: tuple[int, int, int, int],
    ring: int,
    about: tuple[int, int],
    reach: int,
) -> tuple[int, int]:
    """The best shift within ``reach`` pixels of one."""
    template, own, around = _cut(looks, hole, box, ring)
    top, left = box[0] + about[0] - reach, box[2] + about[1] - reach
    bottom, right = top + own.shape[0] + 2 * reach, left + own.shape[1] + 2 * reach
    y0, x0, y1, x1 = max(top, 0), max(left, 0), min(bottom, hole.shape[0]), min(right, hole.shape[1])
    if y1 - y0 < own.shape[0] or x1 - x0 < own.shape[1]:
        return about
    part = np.s_[y0:y1, x0:x1]
    cost, may = _costs(np.ascontiguousarray(looks[part]), template, own, around, (allowed & ~hole)[part])
    if not may.any():
        return about
    i, j = np.unravel_index(int(np.where(may, cost, np.inf).argmin()), cost.shape)
    return y0 + int(i) - box[0], x0 + int(j) - box[2]
