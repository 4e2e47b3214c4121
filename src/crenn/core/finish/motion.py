"""Smoothed motion: water, clouds and traffic as a longer exposure would have them, where an area says."""

from typing import Literal

import numba as nb
import numpy as np

from crenn.core.colorimetry.stops import stops_of
from crenn.core.finish.line import FinishStep, LineParameters
from crenn.core.pipeline.effects import Amount, Effect, Surroundings, near_reach
from crenn.core.pipeline.step import Bend, choice, dial

#: The picture's own direction is told by the gradients around, of this deviation in shares of its longer side.
_AROUND = 0.02
#: Each pass has three samples, as far apart as all passes before it reach together.
_TAPS = 3
_ZERO, _ONE, _HALF = np.float32(0), np.float32(1), np.float32(0.5)


class MotionParameters(LineParameters):
    amount: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Smoothed motion",
        "How far the picture moves along while it is exposed; in areas, as a rule.",
        bend=Bend("add", -100, 100, 1),
    )
    length: float = dial(1.5, "%", 0.1, 4, 0.1, "Length", "Of the way, in % of the picture's longer side.")
    along: Literal["own", "angle"] = choice(
        "own",
        "Along",
        "The direction of the drawing at each place, or one angle everywhere.",
        {"own": "The picture's own direction", "angle": "An angle"},
    )
    angle: float = dial(
        0.0,
        "°",
        0,
        180,
        1,
        "Angle",
        "From the horizontal, counted as clocks do.",
        turns=True,
        where=("along", ["angle"]),
    )


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _beyond(pixel, by, length):
    """The pixel before a place ``by`` pixels away, and how far beyond it that lies; the same wherever rows begin."""
    whole = np.floor(by)
    first = pixel + int(whole)
    if first < 0:
        return 0, _ZERO
    if first > length - 2:
        return length - 2, _ONE
    return first, by - whole


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _moved(light, share, dx, dy, step, out):
    """Means of three places along a direction, ``step`` pixels apart, each as far as it takes part."""
    height, width, _ = light.shape
    for y in nb.prange(height):
        for x in range(width):
            own = share[y, x]
            if own <= _ZERO:
                for c in range(3):
                    out[y, x, c] = light[y, x, c]
                continue
            total = own
            r, g, b = own * light[y, x, 0], own * light[y, x, 1], own * light[y, x, 2]
            for side in range(2):
                way = step if side == 0 else -step
                i, v = _beyond(y, way * dy[y, x], height)
                j, u = _beyond(x, way * dx[y, x], width)
                for k in range(4):
                    m, n = i + k // 2, j + k % 2
                    # What stands does not run into what moves.
                    w = (v if k // 2 else _ONE - v) * (u if k % 2 else _ONE - u) * share[m, n]
                    total += w
                    r += w * light[m, n, 0]
                    g += w * light[m, n, 1]
                    b += w * light[m, n, 2]
            k = _ONE / total
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r * k, g * k, b * k


def moved_along(light: np.ndarray, share: np.ndarray, dx: np.ndarray, dy: np.ndarray, length: float) -> np.ndarray:
    """Light averaged along a field of directions (line integral convolution, Cabral and Leedom 1993), float32
    (h, w, 3).

    Parameters
    ----------
    light : ndarray, float32 (h, w, 3)
    share : ndarray, float32 (h, w)
        How far each place takes part, 0 to 1.
    dx, dy : ndarray, float32 (h, w)
        Unit vectors; which end they point to does not matter.
    length : float
        Of the whole way, in pixels.
    """
    if length < 1 or min(light.shape[:2]) < 2:
        return light
    count = max(int(np.ceil(np.log(length) / np.log(_TAPS))), 1)
    ratio = length ** (1 / count)
    # A box of n samples has the spread of a way of its length; passes multiply it.
    step = (ratio**2 - 1) ** 0.5 / 8**0.5
    now = light
    for _ in range(count):
        out = np.empty_like(light)
        _moved(now, share, dx, dy, np.float32(step), out)
        now, step = out, step * ratio
    return now


def _tensor(of: np.ndarray, _: Surroundings) -> np.ndarray:
    """Products of the gradients of stops, float32 (h, w, 3)."""
    stops = stops_of(of, 2.0**-20)
    dy, dx = np.gradient(stops)
    return np.dstack([dx * dx, dy * dy, dx * dy]).astype(np.float32)


class Motion(FinishStep[MotionParameters]):
    """Scene-linear light averaged along the drawing's direction, or an angle; what takes no part is not mixed in."""

    name, title, parameters, amount = "motion", "Smoothed motion", MotionParameters, "amount"
    folded = True

    def effect(self, parameters: MotionParameters) -> Effect:
        def apply(light: np.ndarray, amount: Amount, around: Surroundings) -> np.ndarray:
            long_side = max(around.size)
            if parameters.along == "angle":
                angle = np.full(light.shape[:2], np.radians(parameters.angle), np.float32)
            else:
                tensor = around.spread(("drawing",), _tensor, light, [(1.0, _AROUND * long_side)])
                # Along what changes least: across the gradients (Bigün and Granlund 1987).
                angle = 0.5 * np.arctan2(2 * tensor[..., 2], tensor[..., 0] - tensor[..., 1]) + np.float32(np.pi / 2)
            share = np.ascontiguousarray(np.broadcast_to(amount, (*light.shape[:2], 1))[..., 0], np.float32)
            length = parameters.length / 100 * long_side * around.scale
            moved = moved_along(light, share, np.cos(angle), np.sin(angle), length)
            return np.asarray(light + np.minimum(share, 1)[..., None] * (moved - light), np.float32)

        def reach(long_side: int) -> float:
            return parameters.length / 100 * long_side + near_reach([_AROUND * long_side], long_side)

        return Effect(self.name, apply, reach, parameters.way, parameters.opacity / 100)


MOTION = Motion()
