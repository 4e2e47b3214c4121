"""Lamps: what is compact and far above its surroundings and above the picture's bulk, with its glare."""

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance

#: Longer side of the picture in which lamps are looked for, in pixels.
_SIDE = 1500
#: A lamp's core is at most so large, as the radius of a disc of its area, and its surroundings are what is left when
#: everything narrower than twice `_AROUND` is cut away, in shares of the longer side.
_LARGEST, _AROUND = 0.012, 0.02
#: Stops by which a lamp's brightest place lies over its surroundings, over the bulk of the picture, and over the
#: hundredth of it that is brightest. A lit window is seldom five stops over what it lights, a bare source ten.
_OVER_AROUND, _OVER_BULK, _OVER_BRIGHT = 5.0, 8.0, 0.75
#: Its core is what lies at most so many stops below its brightest place; no longer than so many times its width.
_CORE, _LONGEST = 2.0, 2.5
#: Glare is told from the surroundings by so many stops, within so many shares of the longer side.
_GLARE, _FARTHEST = 1.0, 0.06
#: Of a picture with more of them these are kept, the brightest first.
_MOST = 200


def find_lamps(rgb: np.ndarray) -> list[dict[str, float]]:
    """The lamps of a scene, the brightest first.

    Everything compact is cut away by a greyscale opening (Serra 1982, "Image analysis and mathematical morphology"); a
    lamp is what then is missing by far, is small and round, and outshines the rest of the picture.

    Parameters
    ----------
    rgb : ndarray, float32 (H, W, 3)
        Scene-linear, of any size; large ones are reduced first.

    Returns
    -------
    list of dict
        ``x``, ``y``: the middle; ``radius``: of the core; ``glare``: how far its light is spread, not less than
        ``radius``; all in shares of the longer side. ``stop``: of its brightest place.
    """
    height, width = rgb.shape[:2]
    factor = max(max(height, width) / _SIDE, 1.0)
    size = max(round(width / factor), 1), max(round(height / factor), 1)
    light = luminance(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA) if factor > 1 else rgb)
    side = max(light.shape)
    if not light.max() > 0:
        return []
    stops = np.log2(np.maximum(light, light.max() * 2.0**-30)).astype(np.float32)
    reach = max(round(_AROUND * side), 2)
    around = cv2.morphologyEx(stops, cv2.MORPH_OPEN, np.ones((2 * reach + 1, 2 * reach + 1), np.uint8))
    bulk, bright = np.quantile(stops, [0.5, 0.99])
    least = max(bulk + _OVER_BULK, bright + _OVER_BRIGHT)
    count, names, boxes, _ = cv2.connectedComponentsWithStats((stops > least - _CORE).astype(np.uint8), connectivity=8)
    found: list[dict[str, float]] = []
    for name in range(1, count):
        left, top, across, down, _ = (int(v) for v in boxes[name])
        part = np.s_[top : top + down, left : left + across]
        own = stops[part]
        inside = names[part] == name
        peak = float(own[inside].max())
        if peak < least or peak - np.median(around[part][inside]) < _OVER_AROUND:
            continue
        y, x = np.nonzero(inside & (own > peak - _CORE))
        radius = float(np.sqrt(len(x) / np.pi))
        sides = np.ptp(x) + 1, np.ptp(y) + 1
        if radius > _LARGEST * side or max(sides) > _LONGEST * min(sides) + 2:
            continue
        middle = left + float(x.mean()) + 0.5, top + float(y.mean()) + 0.5
        found.append(
            {
                "x": round(middle[0] / side, 5),
                "y": round(middle[1] / side, 5),
                "radius": round(radius / side, 5),
                "glare": round(max(_glare(stops, middle), radius) / side, 5),
                "stop": round(peak, 3),
            }
        )
    return sorted(found, key=lambda lamp: -lamp["stop"])[:_MOST]


def _glare(stops: np.ndarray, middle: tuple[float, float]) -> float:
    """Radius in pixels within which the light around a lamp stands out from what lies farther out, ring by ring."""
    farthest = round(_FARTHEST * max(stops.shape))
    x, y = (int(v) for v in middle)
    top, left = max(y - farthest, 0), max(x - farthest, 0)
    part = stops[top : y + farthest + 1, left : x + farthest + 1]
    rows, columns = np.indices(part.shape, np.float32)
    ring = np.hypot(columns + 0.5 + left - middle[0], rows + 0.5 + top - middle[1]).astype(np.int32).ravel()
    mean = np.bincount(ring, part.ravel()) / np.maximum(np.bincount(ring), 1)
    mean = mean[: farthest + 1]
    dim = np.flatnonzero(mean < np.median(mean[len(mean) // 2 :]) + _GLARE)
    return float(dim[0] if dim.size else farthest)


def lamp_mask(shape: tuple[int, int], lamps: list[dict[str, float]]) -> np.ndarray:
    """Where lamps and the brighter half of their glare are, bool (h, w), in a picture of the whole scene.

    ``lamps`` are as of `find_lamps`.
    """
    mask = np.zeros(shape, np.uint8)
    side = max(shape)
    for lamp in lamps:
        middle = round(lamp["x"] * side - 0.5), round(lamp["y"] * side - 0.5)
        reach = max((lamp["radius"] + lamp["glare"]) / 2, lamp["radius"])
        cv2.circle(mask, middle, max(round(reach * side), 1), 1, -1)
    return mask > 0
