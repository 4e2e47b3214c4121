"""Grain like film's, the same at every zoom: each pixel of the full picture has its own, a reduced view their means."""

from typing import Literal

import cv2
import numba as nb
import numpy as np

from crenn.core.colorimetry.stops import stops_of
from crenn.core.finish.line import FinishStep, LineParameters
from crenn.core.finish.pixelwise import brightened
from crenn.core.pipeline.effects import Amount, Effect, Surroundings
from crenn.core.pipeline.step import Bend, choice, dial

#: Noise is summed from details of blocks twice as large each: of so many sizes.
_LEVELS = 10
#: Odd numbers that mix bits well, and the lowest ten bits.
_ODD = tuple(np.uint32(n) for n in (2654435761, 2246822519, 3266489917, 2146121005, 2221713035))
_TEN = np.uint32(0x3FF)
#: EV of grain's deviation in the middle tones at 100 %.
_STRENGTH = 0.4


class GrainParameters(LineParameters):
    amount: float = dial(0.0, "%", 0, 100, 1, "Grain", "How strong it is.", bend=Bend("add", -100, 100, 1))
    size: float = dial(1.6, "px", 0.5, 8, 0.1, "Size", "Of a grain, in pixels of the full picture.")
    tone: float = dial(
        60.0, "%", 0, 100, 1, "In the middle tones", "From as strong in all tones to none in black and white."
    )
    colour: Literal["grey", "colour"] = choice(
        "grey",
        "Grain's colour",
        "Alike in all colours, or each for itself.",
        {"grey": "Grey", "colour": "Coloured"},
        usual=False,
    )


@nb.njit(inline="always", error_model="numpy")
def _mixed(n):
    """The bits of a whole number of 32, mixed until none tells of another."""
    n = np.uint32((n ^ (n >> np.uint32(16))) * _ODD[3])
    n = np.uint32((n ^ (n >> np.uint32(15))) * _ODD[4])
    return np.uint32(n ^ (n >> np.uint32(16)))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _children(parents, left, top, level, seed, out):
    """Blocks of 2^level pixels, each its parent and a detail: those of four children add up to nothing (the wavelets of
    Haar), so that means of children are their parent.

    ``parents`` begins at the block that holds the first child, at ``left`` and ``top`` in blocks of this level.
    """
    height, width = out.shape
    first_y, first_x = top >> 1, left >> 1
    deviation = np.float32(0.5) ** np.float32(level + 1)
    # Two even numbers of 10 bits: deviation 1.
    unit = deviation / np.float32(np.sqrt(1 / 6) * 1024)
    for j in nb.prange(parents.shape[0]):
        for i in range(parents.shape[1]):
            place = np.uint32(np.uint32(first_x + i) * _ODD[0]) ^ np.uint32(np.uint32(first_y + j) * _ODD[1])
            n = _mixed(np.uint32(place ^ np.uint32(level * 64 + seed + 1)))
            m = _mixed(np.uint32(n + _ODD[2]))
            one = np.float32((n & _TEN) + ((n >> np.uint32(10)) & _TEN)) - np.float32(1023)
            two = np.float32(((n >> np.uint32(20)) & _TEN) + (m & _TEN)) - np.float32(1023)
            three = np.float32(((m >> np.uint32(10)) & _TEN) + ((m >> np.uint32(20)) & _TEN)) - np.float32(1023)
            for k in range(4):
                y, x = 2 * (first_y + j) + k // 2 - top, 2 * (first_x + i) + k % 2 - left
                if 0 <= y < height and 0 <= x < width:
                    sx = np.float32(1 - 2 * (k % 2))
                    sy = np.float32(1 - 2 * (k // 2))
                    out[y, x] = parents[j, i] + unit * (sx * one + sy * two + sx * sy * three)


def _field(left: int, top: int, width: int, height: int, level: int, seed: int) -> np.ndarray:
    """White noise in blocks of 2^level pixels: means of that of pixels, whose deviation is 1; float32 (height, width).

    The place is counted in such blocks.
    """
    out = np.empty((height, width), np.float32)
    if level >= _LEVELS:
        # So coarse that there is hardly any.
        out[:] = 0
        return out
    wide, high = ((left + width - 1) >> 1) - (left >> 1) + 1, ((top + height - 1) >> 1) - (top >> 1) + 1
    _children(_field(left >> 1, top >> 1, wide, high, level + 1, seed), left, top, level, seed, out)
    return out


def white_noise(x: np.ndarray, y: np.ndarray, scale: float, seed: int, sigma: float = 0.0) -> np.ndarray:
    """White noise in a window of the full picture, float32 (h, w): of deviation 1 at full size, there blurred by a
    deviation in pixels; at a smaller scale the means of that.

    Parameters
    ----------
    x, y : ndarray, float64 (w,), (h,)
        The pixels' middles in full-size pixels.
    scale : float
        Pixels per full-size pixel.
    seed : int
    sigma : float
    """
    exact = np.log2(max(1.0 / scale, 1.0))
    # Blocks half as large as pixels: mixed, they are nearly what full-size pixels would give.
    level = max(int(exact + 1e-6) - 1, 0)
    block = 2**level
    if 1.0 / scale <= 1.0 + 1e-9:
        columns, rows = (np.floor(v).astype(np.int64) for v in (x, y))
        sides = int(columns[-1] - columns[0]) + 1, int(rows[-1] - rows[0]) + 1
        noise = _blurred(_field(int(columns[0]), int(rows[0]), *sides, 0, seed), sigma)
        return np.ascontiguousarray(noise[np.ix_(rows - rows[0], columns - columns[0])])
    edges = [np.append(v - 0.5 / scale, v[-1] + 0.5 / scale) / block for v in (x, y)]
    firsts = [int(np.floor(e[0] + 1e-9)) for e in edges]
    counts = [int(np.ceil(e[-1] - 1e-9)) - first for e, first in zip(edges, firsts)]
    noise = _blurred(_field(firsts[0], firsts[1], counts[0], counts[1], level, seed), sigma / block, block > 1)
    return _means(_means(noise, edges[0] - firsts[0]).T, edges[1] - firsts[1]).T


def _blurred(noise: np.ndarray, sigma: float, of_blocks: bool = False) -> np.ndarray:
    """Noise blurred by a deviation in its pixels; of means of blocks, what is most likely for the means of the blurred:
    the Gaussian goes over them through a triangle, twice the block."""
    if sigma < 0.05:
        return noise
    if not of_blocks:
        return np.asarray(cv2.GaussianBlur(noise, (0, 0), sigma))
    reach = int(np.ceil(4 * sigma)) + 2
    fine = np.arange(-reach * 16, reach * 16 + 1) / 16
    weights = np.exp(-0.5 * (fine / sigma) ** 2)
    tri = np.clip(1 - np.abs(fine[np.abs(fine) <= 1]), 0, None)
    kernel = np.convolve(weights, tri, "same")[::16]
    kernel = (kernel / kernel.sum()).astype(np.float32)
    return np.asarray(cv2.sepFilter2D(noise, -1, kernel, kernel, borderType=cv2.BORDER_REFLECT))


def _means(noise: np.ndarray, edges: np.ndarray) -> np.ndarray:
    """Means along rows between edges, float32 (h, w)."""
    sums = np.zeros((noise.shape[0], noise.shape[1] + 1))
    np.cumsum(noise, 1, out=sums[:, 1:])
    at = np.clip(edges, 0, noise.shape[1])
    low = np.minimum(at.astype(int), noise.shape[1] - 1)
    until = sums[:, low] + (at - low) * noise[:, low]
    return np.asarray(np.diff(until, axis=1) / np.maximum(np.diff(edges), 1e-9), np.float32)


def _raised(sigma: float) -> float:
    """By what white noise of deviation 1, blurred at full size, is to be multiplied to have it again."""
    kernel = cv2.getGaussianKernel(2 * int(np.ceil(4 * sigma)) + 1, sigma)
    return float(1 / (kernel**2).sum())


class Grain(FinishStep[GrainParameters]):
    """Gaussian grain of a size, as strong as the tone lets it be."""

    name, title, parameters, amount = "grain", "Grain", GrainParameters, "amount"
    folded = True

    def effect(self, parameters: GrainParameters) -> Effect:
        sigma = parameters.size / 2

        def apply(light: np.ndarray, amount: Amount, around: Surroundings) -> np.ndarray:
            x, y = around.at()
            seeds = (0,) if parameters.colour == "grey" else (0, 1, 2)

            def grown() -> np.ndarray:
                planes = [white_noise(x, y, around.scale, seed, sigma) for seed in seeds]
                return np.dstack(planes) * np.float32(_raised(sigma))

            grain = around.kept((parameters.size, parameters.colour), grown, of_light=False)

            def toned() -> np.ndarray:
                stops = stops_of(light, 1e-9) - np.float32(around.white)
                tone = np.clip((stops + 8) / 8, 0, 1)
                share = np.float32(parameters.tone / 100)
                return np.asarray((1 - share + share * 4 * tone * (1 - tone))[..., None] * grain)

            own = around.kept(("toned", parameters.size, parameters.colour, parameters.tone), toned)
            return brightened(light, np.float32(_STRENGTH) * amount * own)

        return Effect(self.name, apply, lambda long_side: 4 * sigma + 3, parameters.way, parameters.opacity / 100)


GRAIN = Grain()
