"""Mixes the layers of a scene's noise: how much of which is taken out."""

from dataclasses import dataclass

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.noise.bands import MEDIUM, bands_of, blurred
from crenn.core.noise.layers import FURTHER, STARS, TAKEN
from crenn.core.pipeline.planes import PlaneContext

#: A mix looks so far around a pixel, in full-size pixels.
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


def mixed(layers: np.ndarray, light: np.ndarray, strengths: Strengths, around: PlaneContext) -> np.ndarray:
    """What is taken out of the light, float32 (3, h, w).

    Parameters
    ----------
    layers : ndarray, float32 (h, w, CHANNELS)
        See `crenn.core.noise.layers`.
    light : ndarray, float32 (h, w, 3)
    strengths : Strengths
    around : PlaneContext
    """
    s = strengths
    grey = _strong(layers, s.luminance)
    out = _strong(layers, s.colour) if s.colour != s.luminance else grey.copy()
    # What is luminance is the same in all colours; the rest has none.
    y = luminance(grey)[..., None]
    out = out - luminance(out)[..., None]
    if s.detail:
        y = y * (1.0 - np.float32(s.detail) * _texture(layers, light, around))[..., None]
    out += y
    bands = s.fine, s.medium, s.coarse
    if len(set(bands)) > 1:
        out = _banded(out, bands, around.scale)
    elif bands[0] != 1.0:
        out *= np.float32(bands[0])
    if s.stars:
        out *= (1.0 - np.clip(layers[..., STARS], 0, 1))[..., None]
    return np.ascontiguousarray(out.transpose(2, 0, 1), np.float32)


def _strong(layers: np.ndarray, strength: float) -> np.ndarray:
    """What is taken out at a strength: all of the noise at 1, as if there were twice as much at 2."""
    taken = layers[..., TAKEN] * np.float32(min(strength, 1.0))
    return taken + np.float32(strength - 1.0) * layers[..., FURTHER] if strength > 1.0 else taken


def _banded(taken: np.ndarray, shares: tuple[float, float, float], scale: float) -> np.ndarray:
    """Shares of the bands of scale of what is taken, float32 (h, w, 3)."""
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
