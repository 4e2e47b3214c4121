"""The curve of light of a series, and what of it is flicker of the exposures.

Apertures do not close alike each time, and shutters do not open alike: neighbouring scenes differ by hundredths or
tenths of a stop though the light is the same. Daylight comes and goes slowly; what departs from a smooth curve
is flicker.
"""

from collections.abc import Sequence

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.render.pyramid import PreparedScene

#: Longer side of the small pictures by which scenes are compared, in pixels.
_SIDE = 96
#: Luminance under which a small picture has noise alone, in stops under the noise horizon.
_UNDER = 1.0
#: Scenes to either side by which a curve may be smoothed, rounds in which those that depart are given less weight, and
#: the fewest scenes that have a curve.
_NEIGHBOURS, _ROUNDS, _FEWEST = (3, 4, 6, 8, 11, 15, 20), 4, 5
#: By how much worse a smoother curve may tell values.
_ABOUT_AS_WELL = 1.06
#: Departures, in median ones, from which on a scene has no weight (Cleveland 1979), and the least share of the
#: greatest one that counts as the median.
_FAR, _LEAST_FAR = 6.0, 0.05


def small_stops(scene: PreparedScene) -> np.ndarray:
    """Stops of a scene's luminance on a small picture of it, float32 (h, w); NaN where there is noise alone."""
    light = luminance(scene.read(scene.level_for(_SIDE / max(scene.size))))
    factor = min(_SIDE / max(light.shape), 1.0)
    small = cv2.resize(light, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    horizon = scene.light.noise_horizon - _UNDER
    with np.errstate(divide="ignore", invalid="ignore"):
        stops = np.log2(small)
    return np.where(stops > horizon, stops, np.float32(np.nan))


def light_curve(pictures: Sequence[np.ndarray], saturations: Sequence[float | None]) -> np.ndarray:
    """How bright each scene of a series was, in EV beside the first, float64 (N,).

    Each is compared with the one before it, place by place: what the middle of all places says is neither moved by a
    car that passes nor by clouds.

    Parameters
    ----------
    pictures : sequence of ndarray (h, w)
        As `small_stops` gives them.
    saturations : sequence of float or None
        cd/m² at stop 0 of each, by what its frames tell; if one is not known, stops are taken for each other's.
    """
    told = [s for s in saturations if s is not None]
    levels = np.log2(told) if len(told) == len(pictures) else np.zeros(len(pictures))
    curve = np.zeros(len(pictures))
    for i in range(1, len(pictures)):
        before, here = pictures[i - 1], pictures[i]
        if before.shape != here.shape:
            here = cv2.resize(here, before.shape[::-1], interpolation=cv2.INTER_AREA)
        apart = (here - before)[np.isfinite(here) & np.isfinite(before)]
        step = float(np.median(apart)) if apart.size else 0.0
        curve[i] = curve[i - 1] + step + levels[i] - levels[i - 1]
    return curve


def smoothed(values: np.ndarray, times: np.ndarray, neighbours: int | None = None) -> np.ndarray:
    """Values over time on a smooth curve: local parabolas, with less weight for what departs.

    Cleveland 1979, "Robust locally weighted regression and smoothing scatterplots". How many neighbours are looked at
    is what tells each value best by the others (Stone 1974, "Cross-validatory choice"), unless it is said.

    Parameters
    ----------
    values : ndarray (N,)
    times : ndarray (N,)
        Rising.
    neighbours : int, optional
        To either side.
    """
    values, times = np.asarray(values, np.float64), np.asarray(times, np.float64)
    if values.size < _FEWEST:
        return values.copy()
    if neighbours is not None:
        return _smoothed_by(values, times, neighbours)[0]
    widths = [n for n in _NEIGHBOURS if 2 * n < values.size] or [_NEIGHBOURS[0]]
    tried = [_smoothed_by(values, times, n) for n in widths]
    # Of those that tell about as well, the smoothest.
    enough = _ABOUT_AS_WELL * min(score for _, score in tried)
    return next(curve for curve, score in reversed(tried) if score <= enough)


def _smoothed_by(values: np.ndarray, times: np.ndarray, neighbours: int) -> tuple[np.ndarray, float]:
    """The curve by so many neighbours to either side, and how far values lie from what the others tell of them.

    At the ends, as many more are looked at to the other side.
    """
    count = min(2 * neighbours + 1, values.size)
    first = np.clip(np.arange(values.size) - neighbours, 0, values.size - count)
    near = first[:, None] + np.arange(count)
    apart = times[near] - times[:, None]
    # A little wider than what is looked at: the farthest has some weight.
    apart /= 1.05 * np.abs(apart).max(1, keepdims=True)
    weights = (1 - np.abs(apart) ** 3) ** 3
    trust = np.ones(values.size)
    for _ in range(_ROUNDS):
        out, own = _local_parabolas(values[near], apart, weights * trust[near])
        off = np.abs(values - out)
        scale = _FAR * max(float(np.median(off)), _LEAST_FAR * float(off.max()))
        if scale < 1e-9:
            break
        trust = np.clip(1 - (off / scale) ** 2, 0, 1) ** 2
    alone = off / np.maximum(1 - own * trust, 0.05)
    return out, float(np.sqrt((trust * alone**2).sum() / trust.sum()))


def _local_parabolas(values: np.ndarray, apart: np.ndarray, weights: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """At each place, what the parabola by weights through its neighbours' values comes to, all (N, K), float64 (N,);
    and the share that a value there would have in it."""
    powers = np.stack([np.ones_like(apart), apart, apart**2], -1)
    weighted = powers * weights[..., None]
    normal = np.einsum("nki,nkj->nij", weighted, powers)
    # Where few have weight, a flatter curve will do.
    normal += np.diag([1e-12, 1e-9, 1e-7])
    inverse = np.linalg.inv(normal)
    right = np.einsum("nki,nk->ni", weighted, values)
    return np.einsum("ni,ni->n", inverse[:, 0], right), np.minimum(inverse[:, 0, 0], 1.0)
