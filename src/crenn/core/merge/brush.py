"""Strokes of the brush as masks."""

import cv2
import numpy as np

from crenn.core.geometry.orientation import place_on_sensor
from crenn.core.merge.instructions import Instructions, Stroke


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


def on_sensor(instructions: Instructions, flip: int) -> Instructions:
    """Instructions whose strokes and choices over the picture as held are turned as the sensor lay.

    Parameters
    ----------
    instructions : Instructions
    flip : int
        See `crenn.core.geometry.orientation`.
    """
    if not (instructions.strokes or instructions.choices):
        return instructions

    def turned(stroke: Stroke) -> Stroke:
        return stroke.model_copy(update={"points": [place_on_sensor(x, y, flip) for x, y in stroke.points]})

    choices = [c.model_copy(update=dict(zip("xy", place_on_sensor(c.x, c.y, flip)))) for c in instructions.choices]
    return instructions.model_copy(update={"strokes": [turned(s) for s in instructions.strokes], "choices": choices})
