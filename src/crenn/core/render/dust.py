"""Dust of a scene: found on its light, and seen in a view of its own."""

import cv2
import numpy as np

from crenn.core.areas.brush import GRID
from crenn.core.colorimetry.spaces import luminance
from crenn.core.mend.dust import REACH, SIDE, find_dust
from crenn.core.mend.patch import Patch
from crenn.core.render.source import Source

#: The view shows what departs from its surroundings, of so wide a blur in shares of the picture's longer side, by so
#: many codes an EV.
_WIDE, _CODES = 0.012, 420.0


def dust_patches(source: Source) -> list[Patch]:
    """Patches for what is likely dust in a scene, the clearest first."""
    level = source.level_for(SIDE / max(source.size))
    light = np.array(source.read(level), np.float32)
    if max(light.shape[:2]) > SIDE:
        factor = SIDE / max(light.shape[:2])
        size = round(light.shape[1] * factor), round(light.shape[0] * factor)
        light = cv2.resize(light, size, interpolation=cv2.INTER_AREA)
    return [
        Patch(points=[round(spot.x * GRID), round(spot.y * GRID)], radius=spot.radius * REACH, softness=30.0)
        for spot in find_dust(light, source.floor)
    ]


def draw_dust(codes: np.ndarray, light: np.ndarray, floor: float) -> None:
    """Draw how light, float32 (h, w, 3), departs from its surroundings over a picture, in place, as grey."""
    stops = np.log2(np.maximum(luminance(light), np.float32(max(floor, 1e-9)))).astype(np.float32)
    even = cv2.GaussianBlur(stops, (0, 0), max(_WIDE * max(stops.shape), 1.0))
    codes[:] = np.clip(128 + _CODES * (stops - even), 0, 255).astype(np.uint8)[..., None]
