"""Faint colour: the colour that is there and too weak to be seen, brought out as far as it is no noise."""

from collections.abc import Mapping

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.light.relief import blurred, departing, reduced
from crenn.core.pipeline.planes import LATTICE, MakePlane, Plane, PlaneContext, once_for_light
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

#: Deviations, in % of the picture's longer side, of the neighbourhoods that colour is averaged over, the nearer first.
NEAR, WIDE = 0.1, 0.35
#: Differences of such a ratio, in stops, from which on they are kept as an edge.
_EDGE = 0.5
#: Noise of a ratio of colours in multiples of that of luminance, and what neighbours of a rebuilt mosaic share of it.
_OF_COLOUR, _SHARED = 2.0, 3.0
#: Energy of noise that is reckoned with.
_GUARD = 2.0
#: Ratios, in stops, from which on a colour is not faint any more.
_STRONG = 0.7


class FaintParameters(StepParameters):
    gain: float = dial(
        1.0,
        "×",
        1.0,
        8.0,
        0.05,
        "Faint colour",
        "Brings out colours too weak to be seen: a moon's ground, stars, air glow. The more, the better they stand out "
        "of the noise; strong colours are left.",
        bend=Bend("factor", 0.2, 8.0, 0.05),
    )


def faint_colours(rgb: np.ndarray, around: PlaneContext, white: tuple[float, float]) -> tuple[np.ndarray, np.ndarray]:
    """How much more red and blue there is than green, beyond what white has, in stops, without noise.

    Red and blue over green are parted into three bands of scale. Of each as much is kept as both together have local
    energy over that of the noise that is predicted for them (Wiener's share): single stars keep the colour that their
    own pixels tell, wide air glow what thousands of pixels tell together. Strong colours are kept back.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
    around : PlaneContext
    white : tuple of float
        What white has more of red, and of blue, than of green.

    Returns
    -------
    red, blue : ndarray, float32 (h, w)
    """
    light = np.maximum(luminance(rgb), np.float32(around.floor))
    least = np.float32(0.005) * light
    logs = [np.log2(np.maximum(rgb[..., c], least)).astype(np.float32) for c in range(3)]
    bands = [_bands(np.clip(logs[c] - logs[1] - np.float32(w), -3, 3), around) for c, w in zip((0, 2), white)]
    noise = np.zeros_like(light)
    if around.noise is not None:
        noise = around.noise(np.log2(light)).astype(np.float32) * np.float32(_OF_COLOUR * min(around.scale, 1.0))
    kept = [np.zeros_like(light), np.zeros_like(light)]
    side = around.long_side * around.scale / 100.0
    for band, (averaged, window) in enumerate(((0.0, NEAR), (NEAR, WIDE), (WIDE, WIDE))):
        # Averaged over a Gaussian, noise is less by its area; rebuilt neighbours share some of it.
        area = max(4 * np.pi * (averaged * side) ** 2 / _SHARED, 1.0)
        energy = _mean_about(bands[0][band] ** 2 + bands[1][band] ** 2, max(window * side, 1.0))
        share = np.clip(1 - _GUARD * 2 * noise**2 / (area * np.maximum(energy, 1e-12)), 0, 1)
        for own, of in zip(kept, bands):
            own += share * of[band]
    strength = 1 + (kept[0] ** 2 + kept[1] ** 2) / _STRONG**2
    return kept[0] / strength, kept[1] / strength


def _bands(share: np.ndarray, around: PlaneContext) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """What departs from a near neighbourhood, what else from a wide one, and the rest."""
    fine, wider = (departing(share, deviation, _EDGE, around) for deviation in (NEAR, WIDE))
    return fine, wider - fine, share - wider


def _mean_about(values: np.ndarray, sigma: float) -> np.ndarray:
    """Mean over a Gaussian, at a reduced size where it is wide, float32 (h, w)."""
    factor = int(np.clip(2 ** np.floor(np.log2(max(sigma / 2.5, 1.0))), 1, LATTICE))
    if factor == 1:
        return blurred(values, sigma)
    height, width = values.shape
    padded = cv2.copyMakeBorder(values, 0, -height % factor, 0, -width % factor, cv2.BORDER_REPLICATE)
    size = (padded.shape[1], padded.shape[0])
    return cv2.resize(blurred(reduced(padded, factor), sigma / factor), size, interpolation=cv2.INTER_LINEAR)[
        :height, :width
    ]


def _makers(white: tuple[float, float]) -> tuple[MakePlane, MakePlane, MakePlane]:
    """Makers of the planes of red, green and blue; what is found for the same light is found once."""
    found = once_for_light(lambda rgb, around: faint_colours(rgb, around, white))
    return (
        lambda rgb, around: found(rgb, around)[0],
        lambda rgb, around: np.zeros(rgb.shape[:2], np.float32),
        lambda rgb, around: found(rgb, around)[1],
    )


class Faint(LightStep[FaintParameters]):
    """Adds to red and blue what they have over green beyond what white has; luminance stays."""

    name, station, title, parameters = "faint", "colour", "Faint colour", FaintParameters

    def act(self, program: Program, parameters: FaintParameters, scene: SceneLight) -> None:
        program.tint(self._planes(program.white), parameters.gain - 1.0)

    def bend(
        self, program: Program, bends: Mapping[str, float], parameters: FaintParameters, scene: SceneLight
    ) -> None:
        program.tint(self._planes(program.white), self.bent(parameters, bends).gain - parameters.gain)

    @staticmethod
    def _planes(white: np.ndarray) -> tuple[Plane, Plane, Plane]:
        """Planes of red, green and blue, relative to what white is by now."""
        logs = np.log2(np.maximum(white, 1e-6))
        over = round(float(logs[0] - logs[1]), 4), round(float(logs[2] - logs[1]), 4)
        red, green, blue = (Plane(f"faint.{c}", over, 8 * WIDE, make) for c, make in enumerate(_makers(over)))
        return red, green, blue
