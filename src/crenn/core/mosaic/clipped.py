"""Gives clipped sites of the mosaic a plausible value before the demosaic spreads them."""

import cv2
import numpy as np

#: All-clipped light is taken for at most this many stops brighter than saturation tells.
_MOST_ABOVE = 1.0
#: How steeply less than saturation counts less at a rim, and how much says that nothing was missed.
_CLOSE, _DOUBT = 16, 0.02
#: Stops by which small and large holes rise to their middles; holes of a radius of more than `_LARGE` of the longer
#: side are large; a dome begins so many quads inside.
_LAMP, _WINDOW, _LARGE, _RIM = 2.6, 0.3, 0.01, 0.7


def _diffuse(values: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """Fill places of no weight from their surroundings (pull–push; Gortler et al. 1996).

    ``values`` is float32 (H, W, N), ``weight`` float32 (H, W).
    """
    height, width = weight.shape
    if min(height, width) <= 1:
        total = max(float(weight.sum()), 1e-12)
        return np.broadcast_to((values * weight[..., None]).sum((0, 1)) / total, values.shape).astype(np.float32)
    size = ((width + 1) // 2, (height + 1) // 2)
    pulled = cv2.resize(values * weight[..., None], size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
    coarse_weight = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    coarse = pulled / np.maximum(coarse_weight, 1e-12)[..., None]
    filled = _diffuse(coarse, np.minimum(coarse_weight * 4.0, 1.0))
    pushed = cv2.resize(filled, (width, height), interpolation=cv2.INTER_LINEAR).reshape(height, width, -1)
    own = np.minimum(weight, 1.0)[..., None]
    return values * own + pushed * (1.0 - own)


def _dome(lost: np.ndarray) -> np.ndarray:
    """Stops by which light that was lost rises above what is known to be its least, float32 (H, W).

    Nothing tells how bright a hole is where every channel is lost. But what is small and clips is a lamp or a star, far
    brighter than its surroundings; what is large is a window or a sky, seldom much above. So each hole gets a dome over
    its rim, the higher the smaller it is.
    """
    holes = lost.astype(np.uint8)
    count, names, sizes, _ = cv2.connectedComponentsWithStats(holes, connectivity=8)
    # What the picture's border cuts goes on beyond it.
    inside = cv2.distanceTransform(cv2.copyMakeBorder(holes, 1, 1, 1, 1, cv2.BORDER_REPLICATE), cv2.DIST_L2, 5)
    depth = inside[1:-1, 1:-1]
    deepest = np.zeros(count, np.float32)
    np.maximum.at(deepest, names.ravel(), depth.ravel())
    radius = np.sqrt(sizes[:, 4] / np.pi)
    height = _LAMP * np.exp(-((radius / (_LARGE * max(lost.shape))) ** 2)) + _WINDOW
    # A hole of a single quad or two may be the edge of something else.
    height *= np.minimum(radius / 2.0, 1.0)
    way = np.clip((depth - _RIM) / np.maximum(deepest[names] - _RIM, 1.0), 0.0, 1.0)
    return np.asarray(height[names] * np.sqrt(1 - (1 - way) ** 2) * holes, np.float32)


def _missed(logs: np.ndarray, ratios: np.ndarray, any_lost: np.ndarray, brightness: np.ndarray) -> np.ndarray:
    """By how many stops each channel is more than the two others tell, diffused in from the rim, float32 (H, W, 3).

    So what is rebuilt goes on from what was recorded beside it. Only what is nearly as bright as saturation speaks:
    what is darker lies across an edge.
    """
    relative = np.stack([ratios[..., 0], np.zeros_like(ratios[..., 0]), ratios[..., 1]], -1)
    green = logs - relative
    told = (green.sum(-1, keepdims=True) - green) / 2 + relative
    rim = cv2.dilate(any_lost.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool) & ~any_lost
    sure = rim * brightness**_CLOSE
    total = np.asarray(sure + _DOUBT * rim, np.float32)
    share = sure / np.maximum(total, 1e-9)
    return _diffuse(np.asarray(np.clip(logs - told, -1.5, 1.5) * share[..., None], np.float32), total)


def rebuild_clipped(light: np.ndarray, clipped: np.ndarray, pattern: np.ndarray) -> int:
    """Raise clipped sites, in place, to what the unclipped channels and the colour around them tell.

    A clipped value is a lower bound. Where one or two channels are lost, they follow from those that are left
    and the colour ratios diffused in from the unclipped surroundings (after Masood, Zhu and Tappen 2009). Where
    all are lost the light goes half-way to neutral: a lamp seen through a clipped patch reads as white light
    with a breath of its colour, never as the magenta that white balance makes of equal raw numbers; and it rises as a
    dome over the hole's rim.

    Parameters
    ----------
    light : ndarray, float32 (H, W)
        White-balanced mosaic; H and W even.
    clipped : ndarray, bool (H, W)
    pattern : ndarray, uint8 (2, 2)

    Returns
    -------
    int
        Number of sites changed.
    """
    if not clipped.any():
        return 0
    height, width = light.shape
    quads = np.zeros((height // 2, width // 2, 3), np.float32)
    lost = np.zeros((height // 2, width // 2, 3), bool)
    for row in range(2):
        for column in range(2):
            c = pattern[row, column]
            quads[..., c] += light[row::2, column::2] * (0.5 if c == 1 else 1.0)
            lost[..., c] |= clipped[row::2, column::2]
    any_lost = np.asarray(lost.any(-1))
    near = cv2.dilate(any_lost.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
    floor = max(float(quads.max()) * 1e-4, 1e-9)
    safe = np.maximum(quads, floor)
    logs = np.log2(safe)
    ratios = np.stack([logs[..., 0] - logs[..., 1], logs[..., 2] - logs[..., 1]], -1)
    # Quads beside a clipped one are already mixed with it by the lens and do not vouch for a colour.
    brightness = np.minimum(safe.max(-1) / np.quantile(safe[any_lost].max(-1), 0.1), 1.0)
    weight = np.where(near, 0.0, brightness**2).astype(np.float32)
    ratios = _diffuse(ratios.astype(np.float32), weight)
    ys, xs = np.nonzero(any_lost)
    bound, missing, around = logs[ys, xs], lost[ys, xs], ratios[ys, xs]
    relative = np.stack([around[:, 0], np.zeros(len(ys)), around[:, 1]], -1)
    known = ~missing
    count = known.sum(-1)
    # Green level that the known channels imply, and the least one that the bounds imply.
    implied = np.where(known, bound - relative, 0).sum(-1) / np.maximum(count, 1)
    whitened = relative * 0.5
    least = np.minimum((bound - whitened).max(-1), bound.max(-1) + _MOST_ABOVE)
    estimate = np.where((count > 0)[:, None], implied[:, None] + relative, least[:, None] + whitened)
    one_lost = count == 2
    if one_lost.any():
        missed = _missed(logs, ratios, any_lost, brightness)
        estimate[one_lost] += missed[ys[one_lost], xs[one_lost]]
    estimate = np.minimum(estimate, bound.max(-1, keepdims=True) + 2.0)
    rebuilt = np.where(missing, np.maximum(estimate, bound), bound)
    rebuilt += _dome(np.asarray(lost.all(-1)))[ys, xs, None]
    values = quads.copy()
    values[ys, xs] = np.exp2(rebuilt)
    changed = 0
    for row in range(2):
        for column in range(2):
            plane, mask = light[row::2, column::2], clipped[row::2, column::2]
            plane[mask] = np.maximum(values[..., pattern[row, column]], plane)[mask]
            changed += int(mask.sum())
    return changed
