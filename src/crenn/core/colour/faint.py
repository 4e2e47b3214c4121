"""Faint colour: the colour that is there and too weak to be seen, brought out as far as it is no noise."""

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.light.relief import blurred, departing
from crenn.core.pipeline.planes import Around, MakePlane, Plane
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

#: Deviations, in % of the picture's longer side, of the neighbourhoods that colour is averaged over, the nearer first.
NEAR, WIDE = 0.06, 0.35
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


def faint_colour(channel: int, white: tuple[float, float]) -> MakePlane:
    """A maker of how much more of a channel there is than of green, beyond what white has, in stops, without noise.

    Red and blue over green are parted into three bands of scale. Of each as much is kept as both together have local
    energy over that of the noise that is predicted for them (Wiener's share): single stars keep the colour that their
    own pixels tell, wide air glow what thousands of pixels tell together. Strong colours are kept back.

    Parameters
    ----------
    channel : int
        0 for red, 2 for blue; of green there is nothing to tell.
    white : tuple of float
        What white has more of red, and of blue, than of green.
    """

    def made(rgb: np.ndarray, around: Around) -> np.ndarray:
        light = np.maximum(luminance(rgb), np.float32(around.floor))
        if channel == 1:
            return np.zeros_like(light)
        least = np.float32(0.005) * light
        logs = [np.log2(np.maximum(rgb[..., c], least)).astype(np.float32) for c in range(3)]
        over = [np.clip(logs[c] - logs[1] - np.float32(w), -3, 3) for c, w in zip((0, 2), white)]
        bands = [_bands(share, around) for share in over]
        noise = np.zeros_like(light)
        if around.noise is not None:
            noise = around.noise(np.log2(light)).astype(np.float32) * np.float32(_OF_COLOUR * min(around.scale, 1.0))
        kept = [np.zeros_like(light), np.zeros_like(light)]
        side = around.long_side * around.scale / 100.0
        for band, (averaged, window) in enumerate(((0.0, NEAR), (NEAR, WIDE), (WIDE, WIDE))):
            # Averaged over a Gaussian, noise is less by its area; rebuilt neighbours share some of it.
            area = max(4 * np.pi * (averaged * side) ** 2 / _SHARED, 1.0)
            energy = blurred(bands[0][band] ** 2 + bands[1][band] ** 2, max(window * side, 1.0))
            share = np.clip(1 - _GUARD * 2 * noise**2 / (area * np.maximum(energy, 1e-12)), 0, 1)
            for own, of in zip(kept, bands):
                own += share * of[band]
        strength = (kept[0] ** 2 + kept[1] ** 2) / _STRONG**2
        return np.asarray(kept[channel // 2] / (1 + strength), np.float32)

    return made


def _bands(share: np.ndarray, around: Around) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """What departs from a near neighbourhood, what else from a wide one, and the rest."""
    fine, wider = (departing(share, deviation, _EDGE, around) for deviation in (NEAR, WIDE))
    return fine, wider - fine, share - wider


class Faint(LightStep[FaintParameters]):
    """Adds to red and blue what they have over green beyond what white has; luminance stays."""

    name, station, title, parameters = "faint", "colour", "Faint colour", FaintParameters

    def act(self, program, parameters, scene):
        program.tint(self._planes(program.white), parameters.gain - 1.0)

    def bend(self, program, bends, parameters, scene):
        program.tint(self._planes(program.white), self.bent(parameters, bends).gain - parameters.gain)

    @staticmethod
    def _planes(white: np.ndarray) -> tuple[Plane, Plane, Plane]:
        """Planes of red, green and blue, relative to what white is by now."""
        logs = np.log2(np.maximum(white, 1e-6))
        over = round(float(logs[0] - logs[1]), 4), round(float(logs[2] - logs[1]), 4)
        red, green, blue = (Plane(f"faint.{c}", over, 8 * WIDE, faint_colour(c, over)) for c in range(3))
        return red, green, blue
