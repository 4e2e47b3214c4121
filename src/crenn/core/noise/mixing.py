"""Mixes the layers of a scene's noise: how much of which is taken out."""

from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.colour.spaces import luminance
from crenn.core.noise.layers import FURTHER, STARS, TAKEN
from crenn.core.pipeline.planes import Around

#: Deviations that part fine from medium and medium from coarse noise, in full-size pixels.
FINE, MEDIUM = 1.6, 6.0
#: A mix looks so far around a pixel, in full-size pixels.
REACH = int(np.ceil(3 * MEDIUM)) + 2
#: Below this deviation, in pixels, a blur changes nothing.
_LEAST = 0.3
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


def mixed(layers: np.ndarray, light: np.ndarray, strengths: Strengths, around: Around) -> np.ndarray:
    """What is taken out of the light, float32 (3, h, w).

    Parameters
    ----------
    layers : ndarray, float32 (h, w, CHANNELS)
        See `crenn.core.noise.layers`.
    light : ndarray, float32 (h, w, 3)
    strengths : Strengths
    around : Around
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


def _blurred(planes: np.ndarray, deviation: float) -> np.ndarray:
    if deviation < _LEAST:
        return planes
    side = 2 * int(np.ceil(3 * deviation)) + 1
    return cv2.GaussianBlur(planes, (side, side), deviation, borderType=cv2.BORDER_REPLICATE)


def _banded(taken: np.ndarray, shares: tuple[float, float, float], scale: float) -> np.ndarray:
    """Shares of the bands of scale of what is taken, float32 (h, w, 3)."""
    fine, medium, coarse = (np.float32(v) for v in shares)
    one = _blurred(taken, FINE * min(scale, 1.0))
    two = _blurred(one, float(np.sqrt(MEDIUM**2 - FINE**2)) * min(scale, 1.0))
    return np.asarray(fine * (taken - one) + medium * (one - two) + coarse * two)


def _texture(layers: np.ndarray, light: np.ndarray, around: Around) -> np.ndarray:
    """How much more texture than noise a place has, float32 (h, w), 0 to 1: by the energy of fine detail in each."""
    taken = luminance(layers[..., TAKEN])
    clean = luminance(light) - taken
    deviation = max(_TEXTURE * min(around.scale, 1.0), 0.6)
    detail = clean - _blurred(clean, deviation)
    energy = _blurred(detail * detail, 2 * deviation)
    noise = _blurred(taken * taken, 2 * deviation)
    return np.asarray(energy / (energy + noise + np.float32(1e-12)), np.float32)
