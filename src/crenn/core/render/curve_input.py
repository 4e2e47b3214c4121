"""The light that enters the curve: its histogram over the whole picture, and its stops at a place."""

from dataclasses import dataclass

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

#: Stops of the histogram, relative to nominal white, and the width of a bin.
START, END, BIN = -16.0, 6.0, 0.125
#: Longer side of the picture that is looked at, in pixels.
_SIDE = 600
_TINY = 2.0**-30


@dataclass(frozen=True)
class Entering:
    """Histogram of the light that enters the curve.

    Attributes
    ----------
    shares : ndarray, float64 (4, N)
        Of luminance, red, green and blue: shares of the picture in bins of `BIN` stops from `START`.
    """

    shares: np.ndarray

    @property
    def stops(self) -> np.ndarray:
        """Middles of the bins, float64 (N,)."""
        return START + BIN * (np.arange(self.shares.shape[1]) + 0.5)


def entering(renderer: Renderer, treatment: Treatment) -> Entering:
    """What enters the curve of a treatment."""
    before = treatment.without("curve")
    window = Window.whole(renderer.frame(before).size, _SIDE)
    light = renderer.linear(before, window)
    recorded = renderer.recorded(before, window)
    colours = light[recorded] if recorded is not None else light.reshape(-1, 3)
    count = round((END - START) / BIN)
    shares = []
    for plane in (luminance(colours), *colours.T):
        bins = np.floor((np.log2(np.maximum(plane, _TINY)) - START) / BIN)
        counts = np.bincount(np.clip(bins, 0, count - 1).astype(np.int64), minlength=count)
        # What lies beyond either end is told by no bar.
        counts[0] = counts[-1] = 0
        shares.append(counts / max(len(colours), 1))
    return Entering(np.array(shares))


def entering_at(renderer: Renderer, treatment: Treatment, x: int, y: int) -> tuple[float, float, float, float]:
    """Stops of luminance, red, green and blue that enter the curve at a pixel of the picture."""
    light = renderer.linear(treatment.without("curve"), Window(x, y, 1, 1, 1, 1))[0, 0]
    values = float(luminance(light)), *(float(v) for v in light)
    lum, red, green, blue = (round(float(np.log2(max(v, _TINY))), 2) for v in values)
    return lum, red, green, blue
