"""Relief: local contrast by scale, on luminance."""

import cv2
import numpy as np

from crenn.core.colour.spaces import luminance
from crenn.core.pipeline.planes import LATTICE, Around, Plane
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

#: Deviation of the neighbourhood of fine relief, in % of the picture's longer side.
FINE = 0.15
#: Reach of the base of broad relief, in %.
BROAD = 9.0
#: Contrast, in stops, from which an edge is kept in the base of fine relief.
_EDGE = 0.5
#: Below this deviation, in pixels, nothing of it can be seen.
_LEAST = 0.3


class ReliefParameters(StepParameters):
    fine: float = dial(
        1.0,
        "×",
        0.0,
        3.0,
        0.01,
        "Fine",
        "Stretches or evens texture: what is smaller than a six hundredth of the picture.",
        bend=Bend("factor", 0.0, 3.0, 0.01),
    )
    broad: float = dial(
        1.0,
        "×",
        0.3,
        2.0,
        0.01,
        "Broad",
        "Stretches or evens wide shapes: what departs from the light of a tenth of the picture.",
        bend=Bend("factor", 0.3, 2.0, 0.01),
    )


def fine_detail(rgb: np.ndarray, around: Around) -> np.ndarray:
    """What departs from its near neighbourhood, in stops, float32 (h, w).

    The base is a guided filter's (He, Sun and Tang 2013) over the stop, with Gaussian windows, at a reduced size where
    they are wide (He and Sun 2015): edges of more than half a stop stay in it, so that they get no halo.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
    around : Around
    """
    stops = np.log2(np.maximum(luminance(rgb), np.float32(around.floor))).astype(np.float32)
    sigma = FINE / 100.0 * around.long_side * around.scale
    if sigma < _LEAST:
        return np.zeros_like(stops)
    factor = int(np.clip(2 ** np.floor(np.log2(max(sigma / 2.5, 1.0))), 1, LATTICE))
    height, width = stops.shape
    # Whole cells: the edge is repeated to the next.
    padded = cv2.copyMakeBorder(stops, 0, -height % factor, 0, -width % factor, cv2.BORDER_REPLICATE)
    small = _reduced(padded, factor)
    mean = _blurred(small, sigma / factor)
    variance = np.maximum(_blurred(_reduced(padded * padded, factor), sigma / factor) - mean * mean, 0)
    slope = variance / (variance + np.float32(_EDGE**2))
    a = _blurred(slope, sigma / factor)
    b = _blurred(mean - slope * mean, sigma / factor)
    if factor > 1:
        size = (padded.shape[1], padded.shape[0])
        a, b = (cv2.resize(v, size, interpolation=cv2.INTER_LINEAR) for v in (a, b))
    return stops - (a[:height, :width] * stops + b[:height, :width])


def _reduced(stops: np.ndarray, factor: int) -> np.ndarray:
    if factor == 1:
        return stops
    height, width = stops.shape
    return np.asarray(stops.reshape(height // factor, factor, width // factor, factor).mean((1, 3)), np.float32)


def _blurred(values: np.ndarray, sigma: float) -> np.ndarray:
    half = max(int(np.ceil(3 * sigma)), 1)
    taps = cv2.getGaussianKernel(2 * half + 1, sigma, cv2.CV_32F)
    return cv2.sepFilter2D(values, cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REPLICATE)


_DETAIL = Plane("relief.fine", (), 7 * FINE, fine_detail)


class Relief(LightStep[ReliefParameters]):
    """Adds what departs from a base once more, or takes it off: fine from around each place, broad from the whole."""

    name, station, title, parameters = "relief", "light", "Relief", ReliefParameters
    folded = True

    def act(self, program, parameters, scene):
        program.add(_DETAIL, parameters.fine - 1.0)
        program.grid(BROAD, None, parameters.broad - 1.0)

    def bend(self, program, bends, parameters, scene):
        program.add(_DETAIL, parameters.fine * (bends.get("fine", 1.0) - 1.0))
        program.grid(BROAD, None, parameters.broad * (bends.get("broad", 1.0) - 1.0))
