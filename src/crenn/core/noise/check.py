"""Holds predicted noise against the noise that is measured in a smooth place."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import CrennError
from crenn.core.noise.averaging import reduced

#: Side of the tiles within which light is taken to vary smoothly, in pixels, and the smallest box.
_TILE, SMALLEST = 24, 16
#: Side of the parts of a tile whose means tell texture from noise. Of rebuilt colour those vary by up to `_NOISE` times
#: as much as white noise would; more than `_TEXTURE` times that is texture.
_PART, _NOISE, _TEXTURE = 4, 3.2, 1.5
#: Noise has at most this many times the deviation that its middle half tells.
_SPREAD = 1.1


@dataclass(frozen=True)
class Check:
    """Measured and predicted noise of a place.

    Attributes
    ----------
    stop : float
        Mean luminance of the place.
    measured, predicted : ndarray, float64 (3,)
        Deviation of red, green and blue.
    left : ndarray, float64 (3,), or None
        Deviation that is left where noise is taken out.
    smooth : bool
        Whether it shows noise and nothing else; texture counts as noise where not.
    """

    stop: float
    measured: np.ndarray
    predicted: np.ndarray
    left: np.ndarray | None
    smooth: bool

    @property
    def ratio(self) -> np.ndarray:
        """Measured relative to predicted deviation, float64 (3,)."""
        return np.asarray(self.measured / np.maximum(self.predicted, 1e-30))


def _rough(light: np.ndarray) -> np.ndarray:
    """What departs from a smooth surface, tile by tile, float32 (h, w, 3); scaled up by what the fit has taken."""
    height, width = light.shape[:2]
    out = np.empty_like(light)
    rows, columns = (np.linspace(0, n, max(round(n / _TILE), 1) + 1).astype(int) for n in (height, width))
    for top, bottom in pairwise(rows):
        for left, right in pairwise(columns):
            part = light[top:bottom, left:right]
            y, x = np.mgrid[-1 : 1 : part.shape[0] * 1j, -1 : 1 : part.shape[1] * 1j]
            terms = np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], -1).reshape(-1, 6)
            values = part.reshape(-1, 3).astype(np.float64)
            surface = terms @ np.linalg.lstsq(terms, values, rcond=None)[0]
            freedom = np.sqrt(len(terms) / (len(terms) - 6))
            out[top:bottom, left:right] = ((values - surface) * freedom).reshape(part.shape)
    return out


def check_noise(light: np.ndarray, sigma: np.ndarray, clean: np.ndarray | None = None) -> Check:
    """Measure the noise of a smooth place.

    Parameters
    ----------
    light, sigma : ndarray, float32 (h, w, 3)
        The place's light, and its predicted deviation.
    clean : ndarray, float32 (h, w, 3), optional
        The same light with noise taken out.

    Raises
    ------
    CrennError
        If the place is too small to tell.
    """
    if min(light.shape[:2]) < SMALLEST:
        raise CrennError(
            f"A place of {light.shape[1]} × {light.shape[0]} pixels is too small to tell its noise.",
            remedy=f"Draw a box of {SMALLEST} pixels or more each way.",
        )
    rough = _rough(np.asarray(light, np.float32))
    grey = np.ascontiguousarray(luminance(rough), np.float32)
    height, width = (n // _PART * _PART for n in grey.shape)
    means = float(reduced(np.ascontiguousarray(grey[:height, :width]), _PART).var())
    deviation = float(grey.std())
    even = means * _PART**2 < _TEXTURE * _NOISE * deviation**2
    # Edges and points of light are few and strong; noise spreads as a Gaussian does.
    middle = 1.4826 * float(np.median(np.abs(grey - np.median(grey))))
    smooth = even and deviation < _SPREAD * middle
    return Check(
        stop=float(np.log2(max(float(luminance(light).mean()), 1e-12))),
        measured=rough.reshape(-1, 3).std(0).astype(np.float64),
        predicted=np.sqrt((np.asarray(sigma, np.float64) ** 2).mean((0, 1))),
        left=None if clean is None else _rough(np.asarray(clean, np.float32)).reshape(-1, 3).std(0).astype(np.float64),
        smooth=smooth,
    )
