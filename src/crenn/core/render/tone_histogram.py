"""How often each tone comes in a rendered picture: of its luminance, and of red, green and blue."""

from functools import cache

import numba as nb
import numpy as np

from crenn.core.areas.area import FULL
from crenn.core.colorimetry.spaces import lightness, srgb_decode

#: Bins from black to white, even in CIE lightness L*.
BINS = 64
#: About so many pixels are counted: a histogram comes with every picture while something is dragged.
_COUNTED = 40_000
_NOWHERE = np.empty((0, 0), np.uint16)


@cache
def _parts() -> np.ndarray:
    """Which part of each code of 8 bits falls into each bin, float64 (256, BINS).

    Codes are fewer than what L* tells apart in the bright, so each counts for the tones up to half way to the next.
    """
    ends = lightness(srgb_decode(np.clip((np.arange(257) - 0.5) / 255, 0, 1))) / 100 * BINS
    low, high = ends[:-1, None], ends[1:, None]
    bins = np.arange(BINS)
    overlap = np.clip(np.minimum(high, bins + 1) - np.maximum(low, bins), 0, None)
    return np.asarray(overlap / overlap.sum(1, keepdims=True))


@cache
def _light() -> np.ndarray:
    """What a code of red, green and blue adds to the luminance of sRGB, float32 (3, 256)."""
    decoded = srgb_decode(np.arange(256) / 255)
    return np.asarray(np.array([0.2126, 0.7152, 0.0722])[:, None] * decoded, np.float32)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _count(codes, step, mask, least, light, roots, counts):
    """Count every so many codes (h, w, 3) of luminance, red, green and blue, (4, 256); where a mask that is not empty
    is less than ``least`` they do not count."""
    for y in range(0, codes.shape[0], step):
        for x in range(0, codes.shape[1], step):
            if mask.size > 0 and mask[y, x] < least:
                continue
            red, green, blue = codes[y, x, 0], codes[y, x, 1], codes[y, x, 2]
            # As the code of a grey of the same luminance.
            root = np.sqrt(np.sqrt(light[0, red] + light[1, green] + light[2, blue])) * np.float32(4095)
            counts[0, roots[int(root)]] += 1
            counts[1, red] += 1
            counts[2, green] += 1
            counts[3, blue] += 1


def tone_histogram(codes: np.ndarray, mask: np.ndarray | None = None) -> dict[str, list[int]]:
    """Shares of a picture by tone, of ``luminance``, ``red``, ``green`` and ``blue``: `BINS` whole numbers each.

    A channel's tone is that of a grey with its code. The most of what lies between black and white is 200; what is at
    either end is 255 at most.

    Parameters
    ----------
    codes : ndarray, uint8 (h, w, 3)
        SRGB.
    mask : ndarray, uint16 (h, w), optional
        What belongs to it by at least a half counts.
    """
    step = max(round((codes.shape[0] * codes.shape[1] / _COUNTED) ** 0.5), 1)
    found = np.zeros((4, 256))
    _count(codes, step, _NOWHERE if mask is None else mask, FULL // 2, _light(), _codes_of_roots(), found)
    counts = found @ _parts()
    shares = np.minimum(np.rint(counts * (200 / max(counts[:, 1:-1].max(), 1.0))), 255).astype(int)
    return dict(zip(("luminance", "red", "green", "blue"), shares.tolist()))


@cache
def _codes_of_roots() -> np.ndarray:
    """Code of grey of 8 bits by the fourth root of its light in 4096 steps, uint8 (4096,)."""
    light = ((np.arange(4096) + 0.5) / 4096) ** 4
    # The encoded code, by the inverse of what is decoded.
    return np.asarray(np.searchsorted(srgb_decode((np.arange(255) + 0.5) / 255), light), np.uint8)
