"""Mixes the layers of a scene's noise: how much of which is taken out."""

from dataclasses import dataclass

import numba as nb
import numpy as np

from crenn.core.colorimetry.spaces import LUMINANCE, luminance
from crenn.core.noise.bands import MEDIUM, bands_of, blurred
from crenn.core.noise.layers import STARS, TAKEN
from crenn.core.pipeline.planes import PlaneContext

#: A mix that parts scales, or tells texture, looks so far around a pixel, in full-size pixels.
REACH = int(np.ceil(3 * MEDIUM)) + 2
#: Neighbourhood in which texture is told from flat ground, in full-size pixels.
_TEXTURE = 2.5


@dataclass(frozen=True)
class Strengths:
    """How much is taken out, in multiples of the noise that there is.

    Attributes
    ----------
    luminance, colour : float
        0 to 2.
    fine, medium, coarse : float
        Share of each band of scale, 0 to 1.
    detail : float
        Share of what is taken from textured places that they keep, 0 to 1.
    stars : bool
        Whether stars are left as they are.
    """

    luminance: float = 1.0
    colour: float = 1.0
    fine: float = 1.0
    medium: float = 1.0
    coarse: float = 1.0
    detail: float = 0.0
    stars: bool = True

    @property
    def reach(self) -> int:
        """How far a mix looks around a pixel, in full-size pixels."""
        return REACH if self.detail or self.by_scale else 0

    @property
    def by_scale(self) -> bool:
        """Whether more is taken at one scale than at another."""
        return len({self.fine, self.medium, self.coarse}) > 1


def mixed(layers: np.ndarray, light: np.ndarray | None, strengths: Strengths, around: PlaneContext) -> np.ndarray:
    """What is taken out of the light, float32 (3, h, w).

    Parameters
    ----------
    layers : ndarray, float32 (h, w, CHANNELS)
        See `crenn.core.noise.layers`.
    light : ndarray, float32 (h, w, 3), or None
        That they were taken from; None will do where ``strengths`` have no reach.
    strengths : Strengths
    around : PlaneContext
    """
    s = strengths
    textured = np.empty((0, 0), np.float32)
    if s.detail:
        if light is None:
            raise ValueError("texture is told by the light, and none is given")
        textured = np.float32(s.detail) * _texture(layers, light, around)
    # All is linear: what all scales have less of is taken along.
    share = 1.0 if s.by_scale else s.fine
    out = np.empty((3, *layers.shape[:2]), np.float32)
    _mixed(layers, *_shares(s.luminance, share), *_shares(s.colour, share), textured, s.stars and not s.by_scale, out)
    if s.by_scale:
        out = np.stack([_banded(plane, (s.fine, s.medium, s.coarse), around.scale) for plane in out])
        if s.stars:
            out *= 1.0 - np.clip(layers[..., STARS], 0, 1)
    return out


def _shares(strength: float, share: float) -> tuple[np.float32, np.float32]:
    """Shares of `TAKEN` and of `FURTHER` at a strength: all of the noise at 1, as if there were twice as much at 2."""
    return np.float32(min(strength, 1.0) * share), np.float32(max(strength - 1.0, 0.0) * share)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _mixed(layers, grey, grey_further, colour, colour_further, textured, stars, out):
    """What is luminance is the same in all colours; the rest has none."""
    red, green, blue = np.float32(LUMINANCE[0]), np.float32(LUMINANCE[1]), np.float32(LUMINANCE[2])
    one = np.float32(1)
    for y in nb.prange(layers.shape[0]):
        for x in range(layers.shape[1]):
            n = layers[y, x]
            taken = red * n[0] + green * n[1] + blue * n[2]
            further = red * n[3] + green * n[4] + blue * n[5]
            common = grey * taken + grey_further * further
            if textured.size:
                common *= one - textured[y, x]
            common -= colour * taken + colour_further * further
            left = one - min(max(n[6], np.float32(0)), one) if stars else one
            for c in range(3):
                out[c, y, x] = (colour * n[c] + colour_further * n[3 + c] + common) * left


def _banded(taken: np.ndarray, shares: tuple[float, float, float], scale: float) -> np.ndarray:
    """Shares of the bands of scale of what is taken, float32 (h, w)."""
    fine, medium, coarse = bands_of(taken, scale)
    return np.asarray(np.float32(shares[0]) * fine + np.float32(shares[1]) * medium + np.float32(shares[2]) * coarse)


def _texture(layers: np.ndarray, light: np.ndarray, around: PlaneContext) -> np.ndarray:
    """How much more texture than noise a place has, float32 (h, w), 0 to 1: by the energy of fine detail in each."""
    taken = luminance(layers[..., TAKEN])
    clean = luminance(light) - taken
    deviation = max(_TEXTURE * min(around.scale, 1.0), 0.6)
    detail = clean - blurred(clean, deviation)
    energy = blurred(detail * detail, 2 * deviation)
    noise = blurred(taken * taken, 2 * deviation)
    return np.asarray(energy / (energy + noise + np.float32(1e-12)), np.float32)
