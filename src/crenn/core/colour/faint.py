"""Faint colour: the colour that is there and too weak to be seen, brought out as far as it is no noise."""

from collections.abc import Mapping

import numba as nb
import numpy as np

from crenn.core.colorimetry.stops import shares_of
from crenn.core.light.guided import departing, mean_about
from crenn.core.pipeline.planes import MakePlane, Plane, PlaneContext, once_for_light
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
_HELD = np.float32(1 / _STRONG**2)


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
    stops, shares = shares_of(rgb, around.floor)
    bands = np.empty((2, 3, *stops.shape), np.float32)
    for own, colour, more in zip(bands, (0, 2), white):
        ratio = shares[colour]
        ratio -= shares[1] + np.float32(more)
        _part(np.clip(ratio, -3, 3, out=ratio), around, own)
    side = around.long_side * around.scale / 100.0
    energies = np.empty((3, *stops.shape), np.float32)
    allowed = np.empty(3, np.float32)
    for band, (averaged, window) in enumerate(((0.0, NEAR), (NEAR, WIDE), (WIDE, WIDE))):
        # Averaged over a Gaussian, noise is less by its area; rebuilt neighbours share some of it.
        area = max(4 * np.pi * (averaged * side) ** 2 / _SHARED, 1.0)
        allowed[band] = _GUARD * 2 * (_OF_COLOUR * min(around.scale, 1.0)) ** 2 / area
        energies[band] = mean_about(_energy(bands[:, band]), max(window * side, 1.0))
    noise = np.zeros_like(stops) if around.noise is None else around.noise(stops)
    out = np.empty((2, *stops.shape), np.float32)
    _kept(bands, energies, noise, allowed, out)
    return out[0], out[1]


def _part(ratio: np.ndarray, around: PlaneContext, out: np.ndarray) -> None:
    """Put to ``out``, (3, h, w), what departs from a near neighbourhood, what else from a wide one, and the rest."""
    out[0], wider = (departing(ratio, deviation, _EDGE, around) for deviation in (NEAR, WIDE))
    np.subtract(wider, out[0], out=out[1])
    np.subtract(ratio, wider, out=out[2])


def _energy(pair: np.ndarray) -> np.ndarray:
    return np.asarray(pair[0] * pair[0] + pair[1] * pair[1], np.float32)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _kept(bands, energies, noise, allowed, out):
    """Add up the bands, (2, 3, h, w), each as far as its energy is more than noise allows for; strong ones are held."""
    one = np.float32(1)
    for y in nb.prange(noise.shape[0]):
        for x in range(noise.shape[1]):
            n = noise[y, x] * noise[y, x]
            red, blue = np.float32(0), np.float32(0)
            for k in range(3):
                least = max(energies[k, y, x], np.float32(1e-12))
                share = min(max(one - allowed[k] * n / least, np.float32(0)), one)
                red += share * bands[0, k, y, x]
                blue += share * bands[1, k, y, x]
            held = one / (one + (red * red + blue * blue) * _HELD)
            out[0, y, x], out[1, y, x] = red * held, blue * held


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
