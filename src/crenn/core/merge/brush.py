"""Strokes of the brush as masks."""

from collections.abc import Sequence

import cv2
import numpy as np

from crenn.core.merge.instructions import Stroke


def stroke_mask(stroke: Stroke, shape: tuple[int, int]) -> np.ndarray:
    """Where a stroke painted, bool (h, w)."""
    height, width = shape
    mask = np.zeros(shape, np.uint8)
    radius = max(stroke.radius * width, 0.5)
    points = np.round(np.array(stroke.points) * (width, height) * 16 - 8).astype(np.int32)
    for p in points:
        cv2.circle(mask, p.tolist(), int(radius * 16), 255, -1, shift=4)
    if len(points) > 1:
        cv2.polylines(mask, [points.reshape(-1, 1, 2)], False, 255, max(round(2 * radius), 1), shift=4)
    return mask > 0


def as_on_sensor(strokes: Sequence[Stroke], flip: int) -> list[Stroke]:
    """Strokes over the picture as held, turned as the sensor lay; ``flip`` is LibRaw's."""
    turned = {3: lambda x, y: (1 - x, 1 - y), 5: lambda x, y: (1 - y, x), 6: lambda x, y: (y, 1 - x)}.get(flip)
    if turned is None:
        return list(strokes)
    return [s.model_copy(update={"points": [turned(x, y) for x, y in s.points]}) for s in strokes]
