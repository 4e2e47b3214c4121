"""Ways of compressing that look at the whole scene at several sizes: local Laplacian, and fusion of its own stops.

Both are given what placement would add to even light of each stop, and return what they add to each place.
"""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise

import cv2
import numpy as np

from crenn.core.colorimetry.stops import stops_of
from crenn.core.pipeline.planes import MakeCarried, PlaneContext

#: On which stop light of stops (N,) after exposure is put, where it is even.
Placed = Callable[[np.ndarray], np.ndarray]

#: Differences of up to so many stops are detail, larger ones are edges.
_DETAIL = 1.0
#: Distance of the stops at which the local Laplacian is sampled; no more than `_DETAIL`.
_SAMPLED = 1.0
#: Distance of the exposures that are fused, and how far from what is wanted one still counts, in EV.
_BRACKET, _WANTED = 1.0, 0.8
#: Least weight of an exposure without contrast, and stops of middle grey below white.
_PLAIN, _GREY = 0.02, 2.5
#: Threads that remap side by side.
_THREADS = 2
#: A pyramid's last level is at least so long along its shorter side, in pixels.
_SHORTEST = 3


def _levels(shape: tuple[int, ...]) -> int:
    """Levels below the first."""
    return max(int(np.floor(np.log2(min(shape[:2]) / _SHORTEST))), 1)


def _pyramid(plane: np.ndarray, levels: int) -> list[np.ndarray]:
    """Gaussian pyramid (Burt and Adelson 1983)."""
    out = [plane]
    for _ in range(levels):
        out.append(cv2.pyrDown(out[-1]))
    return out


def _raised(plane: np.ndarray, like: np.ndarray) -> np.ndarray:
    return np.asarray(cv2.pyrUp(plane, dstsize=(like.shape[1], like.shape[0])))


def _differences(gaussian: list[np.ndarray]) -> list[np.ndarray]:
    """Laplacian pyramid without its residual."""
    return [fine - _raised(wide, fine) for fine, wide in pairwise(gaussian)]


def _together(differences: list[np.ndarray], residual: np.ndarray) -> np.ndarray:
    out = residual
    for fine in reversed(differences):
        out = fine + _raised(out, fine)
    return out


def local_laplacian(stops: np.ndarray, placed: Placed) -> np.ndarray:
    """Stops after compressing, float32 (h, w).

    Fast local Laplacian filtering (Aubry, Paris, Hasinoff, Kautz and Durand 2014; Paris, Hasinoff and Kautz 2011).
    Around each stop, differences of up to `_DETAIL` stay and larger ones are put as far apart as placement puts their
    ends; so edges are pressed together without halo.

    Parameters
    ----------
    stops : ndarray, float32 (h, w)
        After exposure.
    placed : callable
        See `Placed`.
    """
    levels = _levels(stops.shape)
    gaussian = _pyramid(stops, levels)
    out = [np.zeros_like(g) for g in gaussian[:-1]]
    low, high = float(stops.min()), float(stops.max())
    count = max(int(np.ceil((high - low) / _SAMPLED)) + 1, 2)
    step = max((high - low) / (count - 1), 1e-3)

    def remapped(around: float) -> list[np.ndarray]:
        """What the levels take from the remapping about a stop."""
        away = stops - np.float32(around)
        detail = np.clip(away, -_DETAIL, _DETAIL)
        edges = placed(around + (away - detail)) - placed(np.array([around]))
        fine = _differences(_pyramid(np.asarray(edges + detail, np.float32), levels))
        share = np.float32(1 / step)
        return [np.maximum(1 - np.abs(g - np.float32(around)) * share, 0) * f for g, f in zip(gaussian, fine)]

    # The sum is taken in the order of the stops, so that it is the same to the last bit however threads run.
    with ThreadPoolExecutor(_THREADS) as pool:
        for parts in pool.map(remapped, low + step * np.arange(count)):
            for level, part in enumerate(parts):
                out[level] += part
    return _together(out, np.asarray(placed(gaussian[-1]), np.float32))


def fused(stops: np.ndarray, placed: Placed) -> np.ndarray:
    """Stops after compressing, float32 (h, w): the scene's own stops exposed several times, and fused.

    Exposure fusion (Mertens, Kautz and Van Reeth 2009): of exposures an EV apart, each place takes those that put it
    where placement wants it, the more the more contrast they show there; Laplacian pyramids blend them at all sizes.

    Parameters as of `local_laplacian`.
    """
    wanted = (placed(stops) - stops).astype(np.float32)
    low, high = float(wanted.min()), float(wanted.max())
    exposures = np.linspace(low, high, max(int(np.ceil((high - low) / _BRACKET)) + 1, 1))
    # On tones between black and white: what an exposure has lost in either shows no contrast there.
    tones = [(1 / (1 + np.exp2(-(stops + ev) - _GREY))).astype(np.float32) for ev in exposures]
    weights = [
        np.exp(-(((wanted - ev) / _WANTED) ** 2) / 2) * (np.abs(cv2.Laplacian(tone, cv2.CV_32F)) + _PLAIN)
        for ev, tone in zip(exposures, tones)
    ]
    total = np.maximum(np.sum(weights, 0), 1e-12)
    levels = _levels(stops.shape)
    out: list[np.ndarray] = []
    for tone, weight in zip(tones, weights):
        shares = _pyramid((weight / total).astype(np.float32), levels)
        gaussian = _pyramid(tone, levels)
        parts = [share * part for share, part in zip(shares, [*_differences(gaussian), gaussian[-1]])]
        out = [one + other for one, other in zip(out, parts)] if out else parts
    tone = np.clip(_together(out[:-1], out[-1]), 1e-6, 1 - 1e-6)
    result = np.log2(tone / (1 - tone)) - _GREY
    # Where tones end, a little too much of them is many stops: no place leaves its exposures by more than detail.
    return np.asarray(np.clip(result, stops + low - _DETAIL, stops + high + _DETAIL), np.float32)


def added_to_places(compress: Callable[[np.ndarray], np.ndarray], shift: float) -> MakeCarried:
    """A maker of the EV that compressing adds to each place of the scene.

    Parameters
    ----------
    compress : callable
        From stops to stops, such as `fused` with what is wanted.
    shift : float
        EV by which the light has been moved before.
    """

    def make(rgb: np.ndarray, around: PlaneContext) -> tuple[np.ndarray, np.ndarray]:
        stops = stops_of(rgb, around.floor) + np.float32(shift)
        return compress(stops) - stops, np.zeros(0)

    return make
