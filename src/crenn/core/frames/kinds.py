"""What a frame is for: light of a scene, or calibration, told from its content."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

Kind = Literal["light", "dark", "flat", "bias"]

#: A frame without light is a bias frame up to this exposure time, in seconds, else a dark frame.
_BIAS_SECONDS = 1 / 500
_TILE, _ACROSS = 64, 14
#: No sensor has more read noise than this, as a share of saturation.
_NOISIEST = 0.03


@dataclass(frozen=True)
class Content:
    """Figures of a frame's green light, as shares of saturation.

    ``level`` is the median, ``bright`` the 99.5th percentile, ``range`` the stops between its darkest and its brightest
    part, ``texture`` the deviation within parts relative to their noise and light.
    """

    level: float
    bright: float
    range: float
    texture: float
    clipped: float


def look_at(mosaic: np.ndarray, pattern: np.ndarray, black: np.ndarray, white: float) -> Content:
    """Figures of a mosaic.

    Parameters
    ----------
    mosaic : ndarray, uint16 (H, W)
    pattern : ndarray, uint8 (2, 2)
    black : ndarray, float32 (3,)
    white : float
    """
    row, column = np.argwhere(pattern == 1)[0]
    # Some hundred tiles all over the picture say as much as all of them; no more than cover it.
    plane = mosaic[row::2, column::2]
    height, width = plane.shape
    side = min(_TILE, height, width)
    ys, xs = (np.linspace(0, n - side, min(_ACROSS, -(-n // side))).astype(int) for n in (height, width))
    tiles = np.stack([plane[y : y + side, x : x + side] for y in ys for x in xs]).astype(np.float32)
    tiles = ((tiles - black[1]) / np.float32(white - black[1])).reshape(len(ys), len(xs), side, side)
    rows = tiles.reshape(-1, side)
    # Lone hot sites say nothing of what is seen.
    green = cv2.medianBlur(rows, 3)
    tiles = tiles.reshape(len(ys), len(xs), -1)
    means = np.median(tiles, -1)
    # Noise of a site from neighbours two apart, robust against hot pixels.
    noise = 1.4826 * np.median(np.abs(np.diff(rows[:, ::2], axis=1))) / np.sqrt(2)
    deviation = 1.4826 * np.median(np.abs(tiles - means[..., None]), -1)
    texture = float(np.quantile(deviation / np.maximum(noise + 0.02 * np.abs(means), 1e-9), 0.9))
    floor = max(float(noise) / 4, 1e-6)
    spread = float(np.log2(max(np.quantile(means, 0.995), floor) / max(np.quantile(means, 0.005), floor)))
    return Content(
        float(np.median(green)),
        float(np.quantile(green, 0.995)),
        spread,
        texture,
        float((mosaic[::4, ::4] >= white - 2).mean()),
    )


def kind_of(content: Content, seconds: float | None, read_noise: Callable[[], float]) -> Kind:
    """What a frame is for.

    A frame without light is dark or bias by its exposure time; an even, well exposed one without detail is a flat.

    Parameters
    ----------
    content : Content
    seconds : float or None
    read_noise : callable
        Tells the deviation of a site in the dark, as a share of saturation; asked where it matters, for it may have to
        be estimated.
    """
    if _without_light(content, _NOISIEST) and _without_light(content, read_noise()):
        return "bias" if seconds is not None and seconds <= _BIAS_SECONDS else "dark"
    if 0.08 < content.level < 0.95 and content.range < 1.6 and content.texture < 1.8 and content.clipped < 0.001:
        return "flat"
    return "light"


def _without_light(content: Content, read_noise: float) -> bool:
    # Dark current may lift a long dark frame above its read noise; it has no structure even then.
    floor = max(6 * read_noise, 2e-3) + 2 * max(content.level, 0.0)
    level = max(1.5 * read_noise, 4e-3)
    return content.level < level and content.bright < floor and content.texture < 2.0 and content.clipped < 0.02
