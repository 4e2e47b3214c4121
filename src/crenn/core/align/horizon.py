"""Where the sky ends and the ground begins in a stack whose stars turn."""

import contextlib
from collections.abc import Sequence

import cv2
import numba as nb
import numpy as np

#: The border is searched at about this width, in pixels.
_WIDTH = 800


@nb.njit(cache=True, error_model="numpy")
def _border(ground_cost, step):
    """Row in each column at which the ground begins: the cheapest path, a change of row costing ``step`` a pixel."""
    rows, columns = ground_cost.shape
    total = ground_cost.copy()
    came = np.zeros((rows, columns), np.int32)
    best, source = np.empty(rows), np.empty(rows, np.int32)
    for x in range(1, columns):
        for y in range(rows):
            best[y], source[y] = total[y, x - 1], y
        for y in range(1, rows):
            if best[y - 1] + step < best[y]:
                best[y], source[y] = best[y - 1] + step, source[y - 1]
        for y in range(rows - 2, -1, -1):
            if best[y + 1] + step < best[y]:
                best[y], source[y] = best[y + 1] + step, source[y + 1]
        for y in range(rows):
            total[y, x] += best[y]
            came[y, x] = source[y]
    out = np.zeros(columns, np.int32)
    out[-1] = np.argmin(total[:, -1])
    for x in range(columns - 1, 0, -1):
        out[x - 1] = came[out[x], x]
    return out


def find_ground(
    still_mean: np.ndarray, still_spread: np.ndarray, turned_spread: np.ndarray, noise: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Ground from how fine light changes when frames lie as they are, and when they are turned with the stars.

    What stays in place changes when turned; stars change when not. Of both a border is laid from side to side, sky
    above
    and ground below (dynamic programming), and drawn to colours and edges near it (Rother, Kolmogorov and Blake 2004,
    "GrabCut").

    Parameters
    ----------
    still_mean : ndarray, float32 (h, w, 3)
        Mean of the frames as they lie.
    still_spread, turned_spread : ndarray, float32 (h, w)
        Variance of fine detail over the frames as they lie, and turned with the stars.
    noise : ndarray, float32 (h, w)
        Variance that noise alone would give.

    Returns
    -------
    ground, thin : ndarray, float32 (h, w)
        1 on the ground, 0 in the sky, all 0 if no ground was found; and what is too thin for a clean border: masts,
        bare
        trees.
    """
    height, width = noise.shape
    nothing = np.zeros((height, width), np.float32)
    factor = min(1.0, _WIDTH / width)
    size = (max(round(width * factor), 8), max(round(height * factor), 8))

    def small(a):
        return cv2.resize(a, size, interpolation=cv2.INTER_AREA)

    mean, still, turned, own = (
        small(still_mean),
        small(still_spread),
        small(turned_spread),
        np.maximum(small(noise), 1e-30),
    )
    # What changes while the frames lie still is sky, also near the pole, where stars hardly move but twinkle on the
    # sampling grid; what only changes when turned is ground.
    changes = still > 4 * own * max(float(np.median(still / own)), 1.0)
    sky = cv2.dilate(changes.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    ground = (turned > 3 * own) & (still < 2.5 * own) & ~sky
    if ground.mean() < 0.002:
        return nothing, nothing
    evidence = 3.0 * ground - 3.0 * sky
    # Places without detail lean a little to the side they lie on.
    lean = (np.mgrid[: size[1], : size[0]][0] / size[1] - 0.5) * 0.02
    evidence = evidence + lean
    above = np.concatenate([np.zeros((1, size[0])), np.cumsum(evidence, 0)])
    border = _border(2 * above - above[-1:], 1.0)
    y = np.mgrid[: size[1], : size[0]][0]
    band = max(round(size[1] * 0.012), 3)
    labels = np.where(y >= border, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    body = (y >= border).astype(np.uint8)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * band + 1, 2 * band + 1))
    labels[cv2.erode(body, kernel, borderValue=1) > 0] = cv2.GC_FGD
    labels[cv2.dilate(body, kernel, borderValue=0) == 0] = cv2.GC_BGD
    level = np.maximum(float(np.median(mean)), 1e-9)
    view = np.arcsinh(mean / level * 4)
    view = np.clip(255 * view / max(float(np.quantile(view, 0.995)), 1e-6), 0, 255).astype(np.uint8)
    if body.all() or not body.any():
        return cv2.resize(body.astype(np.float32), (width, height), interpolation=cv2.INTER_LINEAR), nothing
    with contextlib.suppress(cv2.error):
        cv2.grabCut(
            np.ascontiguousarray(view), labels, None, np.zeros((1, 65)), np.zeros((1, 65)), 5, cv2.GC_INIT_WITH_MASK
        )
    found = ((labels == cv2.GC_FGD) | (labels == cv2.GC_PR_FGD)).astype(np.uint8)
    # Holes in the ground and islands in the sky are stars and lamps, not landscape.
    for value, least in ((1, 0.002), (0, 0.004)):
        number, parts, statistics, _ = cv2.connectedComponentsWithStats(
            (found == value).astype(np.uint8), connectivity=4
        )
        for label in range(1, number):
            if statistics[label, cv2.CC_STAT_AREA] < least * found.size:
                found[parts == label] = 1 - value
    # Masts and bare trees are too thin for either: what stays in place and stands on the ground belongs to it.
    thin = cv2.morphologyEx(ground.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8)) & (found == 0).astype(
        np.uint8
    )
    # Right beside the ground evidence is only its edge, smeared by the turn.
    thin[cv2.dilate(found, np.ones((11, 11), np.uint8)) > 0] = 0
    near = cv2.dilate(found, np.ones((15, 15), np.uint8)) > 0
    number, parts, statistics, _ = cv2.connectedComponentsWithStats(thin, connectivity=8)
    kept = np.zeros_like(found)
    for label in range(1, number):
        x, top, w, h, area = statistics[label]
        part = (slice(top, top + h), slice(x, x + w))
        inside = parts[part] == label
        if area >= 25 and max(w, h) >= 10 and near[part][inside].any():
            kept[part][inside] = 1
    return tuple(
        cv2.resize(m.astype(np.float32), (width, height), interpolation=cv2.INTER_LINEAR) for m in (found, kept)
    )


def snapped(mask: np.ndarray, guide: np.ndarray, radius: int) -> np.ndarray:
    """A mask drawn to the edges of a picture (He, Sun and Tang 2010, guided filter).

    Parameters
    ----------
    mask, guide : ndarray, float32 (h, w)
        ``guide`` on a scale where an edge worth following is about 1 high.
    radius : int
        In pixels.
    """

    def box(a):
        return cv2.blur(a, (2 * radius + 1, 2 * radius + 1))

    mean_g, mean_m = box(guide), box(mask)
    slope = (box(guide * mask) - mean_g * mean_m) / (box(guide * guide) - mean_g * mean_g + 1e-3)
    offset = mean_m - slope * mean_g
    out = box(slope) * guide + box(offset)
    # Steeper, so that no broad mixture of both remains.
    return np.clip((out - 0.5) * 2.5 + 0.5, 0, 1).astype(np.float32)


def painted(mask: np.ndarray, strokes: Sequence[tuple[np.ndarray, bool]]) -> np.ndarray:
    """A mask with strokes put in: pairs of a bool (h, w) array and whether it is ground."""
    out = mask.copy()
    for where, is_ground in strokes:
        out[where] = 1.0 if is_ground else 0.0
    return out
