"""What alignment looks at: the green light of a frame at falling sizes, with its noise and what is known of it."""

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np

from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.noise import NoiseModel

#: The smallest level is about this wide, in pixels.
_SMALLEST = 200
#: Share of the picture in which a frame must show more than noise.
SEEN = 0.002
#: A frame that keeps less than this share of the others' fine detail is blurred.
SHARP = 0.45
#: Detail of so many times the energy of noise tells whether a frame is blurred.
_ABOVE = 3.0


@dataclass
class Level:
    """Green light at one size.

    Attributes
    ----------
    light : ndarray, float32 (h, w)
        Relative to the reference frame's saturation.
    variance : ndarray, float32 (h, w)
    valid : ndarray, bool (h, w)
        Whether no clipped or missing site has a part in the place.
    factor : int
        Full-size pixels per pixel.
    """

    light: np.ndarray
    variance: np.ndarray
    valid: np.ndarray
    factor: int

    def halved(self) -> "Level":
        height, width = (n // 2 * 2 for n in self.light.shape)
        size = (width // 2, height // 2)
        light = cv2.resize(self.light[:height, :width], size, interpolation=cv2.INTER_AREA)
        variance = cv2.resize(self.variance[:height, :width], size, interpolation=cv2.INTER_AREA) / 4
        valid = cv2.resize(self.valid[:height, :width].astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.999
        return Level(light, variance, valid, self.factor * 2)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _green(mosaic, pattern, black, scale, clip, slope, offset, gain, light, variance, valid):
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            total = np.float32(0)
            ok = True
            for a in range(2):
                for b in range(2):
                    number = mosaic[2 * y + a, 2 * x + b]
                    if number >= clip:
                        ok = False
                    if pattern[a, b] == 1:
                        total += np.float32(0.5) * (np.float32(number) - black) * scale
            light[y, x] = total / gain
            variance[y, x] = np.float32(0.5) * (slope * max(total, np.float32(0)) + offset) / (gain * gain)
            valid[y, x] = ok


def levels_of(
    mosaic: np.ndarray, pattern: np.ndarray, levels: Levels, noise: NoiseModel, gain: float = 1.0
) -> list[Level]:
    """Levels of a raw frame, the finest first: half the mosaic's size, then halved until small.

    Parameters
    ----------
    mosaic : ndarray, uint16 (H, W)
    pattern : ndarray, uint8 (2, 2)
    levels : Levels
    noise : NoiseModel
    gain : float
        Sensitivity relative to the reference frame.
    """
    shape = (mosaic.shape[0] // 2, mosaic.shape[1] // 2)
    light, variance, valid = np.empty(shape, np.float32), np.empty(shape, np.float32), np.empty(shape, np.bool_)
    _green(
        mosaic,
        pattern,
        np.float32(levels.black[1]),
        np.float32(1 / (levels.white - levels.black[1])),
        np.uint16(min(levels.clip, 65535)),
        np.float32(noise.slope[1]),
        np.float32(noise.offset[1]),
        np.float32(gain),
        light,
        variance,
        valid,
    )
    return pyramid(Level(light, variance, valid, 2))


def pyramid(finest: Level) -> list[Level]:
    """A level and its halvings."""
    out = [finest]
    while max(out[-1].light.shape) > 1.5 * _SMALLEST:
        out.append(out[-1].halved())
    return out


def seen(level: Level) -> float:
    """Share of a small picture with more than noise in it; clipped light counts as seen."""
    clear = (level.light > 5 * np.sqrt(level.variance)) | ~level.valid
    return float(clear.mean())


def relative_sharpness(a: Level, b: Level, surely: bool = False) -> float:
    """Fine detail of a picture relative to another's, in parts that both measured well, without what noise adds.

    ``surely``: only where the second, were it as sharp as the first, would show detail well above its noise.
    """
    scale = np.float32(8 * np.sqrt(max(np.quantile(v.variance[::8, ::8], 0.2) for v in (a, b))))
    height, width = a.light.shape
    side = min(192, height, width)
    energy = np.zeros(2)
    # No more parts than cover it.
    tops, lefts = (np.linspace(0, n - side, min(k, -(-n // side))).astype(int) for n, k in ((height, 5), (width, 7)))
    for y in tops:
        for x in lefts:
            part = (slice(y, y + side), slice(x, x + side))
            both = a.valid[part] & b.valid[part]
            for v in (a, b):
                both &= v.light[part] > 12 * np.sqrt(v.variance[part])
            both = cv2.erode(both.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
            if both.sum() < 200:
                continue
            detail = []
            for v in (a, b):
                bend = cv2.Laplacian(np.arcsinh(v.light[part] / scale), cv2.CV_32F)[both]
                # The Laplacian's weights have a sum of squares of 20.
                noise = 20 * float((v.variance[part][both] / (v.light[part][both] ** 2 + scale**2)).mean())
                detail.append((float((bend**2).mean()), noise))
            told = not surely or detail[0][0] - detail[0][1] > _ABOVE * detail[1][1]
            if told and min(d for d, _ in detail) > 0:
                energy += [max(d - n, 0.02 * n) for d, n in detail]
    if energy[0] <= 0 or energy[1] <= 0:
        return 1.0
    return float(np.sqrt(energy[1] / energy[0]))
