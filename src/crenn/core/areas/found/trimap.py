"""What a kind of place is told apart by, found on the whole scene at a small size, and exact at any other."""

from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.colorimetry.circle import eased

#: By how many stops light may depart from what lies around before it is something else: begins and ends.
_ALIKE, _OTHER = 0.3, 1.0
#: Both grow with how much brighter the other side is, by this share of it, so many times at most.
_SPREAD, _MOST_SPREAD = 0.5, 4.0
#: The same of opponent axes.
_AXES_ALIKE, _AXES_OTHER = 0.05, 0.13
#: Noise counts as so many deviations.
_DEVIATIONS = 2.5
#: Light so many times as bright as both sides is a lamp, or a star.
_OUTSHINES = 1.8
#: Known values are evened out by this deviation, in pixels, and count in full where so much around them is known.
_EVENED, _TRUSTED = 1.5, 0.1


@dataclass(frozen=True)
class TrimapModel:
    """What was found.

    Attributes
    ----------
    sure : ndarray, float32 (h, w)
        1 where a place belongs to it, 0 where it does not, between where its pixels have to tell.
    inside : ndarray, float32 (h, w, 3)
        What surfaces of it look like around each place, as `crenn.core.areas.appearance.appearance_features` tells.
    outside : ndarray, float32 (h, w, 3)
        The same of what it borders on.
    """

    sure: np.ndarray
    inside: np.ndarray
    outside: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.sure.nbytes + self.inside.nbytes + self.outside.nbytes

    @classmethod
    def nothing(cls) -> "TrimapModel":
        """Nothing of the kind."""
        return cls(np.zeros((1, 1), np.float32), np.zeros((1, 1, 3), np.float32), np.zeros((1, 1, 3), np.float32))


def carried_outwards(values: np.ndarray, known: np.ndarray) -> np.ndarray:
    """Values where they are known, and elsewhere the mean of the nearest that are, float32 (h, w, 3).

    Pulled up a pyramid of means, and pushed down it again (Gortler et al. 1996, "The lumigraph"). Where they are known
    they are evened out with their neighbours.
    """
    weight = known.astype(np.float32)
    weighted = np.asarray(values * weight[..., None], np.float32)
    weight = cv2.GaussianBlur(weight, (0, 0), _EVENED, borderType=cv2.BORDER_REPLICATE)
    weighted = cv2.GaussianBlur(weighted, (0, 0), _EVENED, borderType=cv2.BORDER_REPLICATE)
    levels = [(weighted, weight)]
    while max(weight.shape) > 1:
        size = max(weight.shape[1] // 2, 1), max(weight.shape[0] // 2, 1)
        weighted, weight = (
            cv2.resize(v, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], *v.shape[2:])
            for v in levels[-1]
        )
        levels.append((weighted, weight))
    weighted, weight = levels[-1]
    out = weighted / np.maximum(weight, 1e-9)[..., None]
    for weighted, weight in reversed(levels[:-1]):
        size = weight.shape[1], weight.shape[0]
        coarser = cv2.resize(out, size, interpolation=cv2.INTER_LINEAR).reshape(*weight.shape, -1)
        trust = np.clip(weight / _TRUSTED, 0, 1)[..., None]
        out = coarser + trust * (weighted / np.maximum(weight, 1e-9)[..., None] - coarser)
    return np.asarray(out, np.float32)


def matte_alpha(
    told: np.ndarray, sure: np.ndarray, inside: np.ndarray, outside: np.ndarray, deviation: np.ndarray
) -> np.ndarray:
    """How far pixels that are not sure belong to what was found, float32 (N,).

    A pixel belongs to it as far as it looks like what lies inside: where the outside is darker, light mixes in
    proportion to how much of a pixel each covers (Porter and Duff 1984), and the share is exact.

    Parameters
    ----------
    told : ndarray, float32 (N, 3)
        What `appearance_features` tells of pixels.
    sure, inside, outside : ndarray, float32 (N,), (N, 3), (N, 3)
        As of `TrimapModel`, where the pixels lie.
    deviation : ndarray, float32 (N,)
        Of noise, in EV.
    """
    stop, within, without = told[..., 0], inside[..., 0], outside[..., 0]
    slack = np.minimum(_DEVIATIONS * deviation, 1.5)
    brighter = stop - within
    # Darker than inside: the outside covers part of it.
    through = np.exp2(np.minimum(without - within, -1.0))
    covered = (np.exp2(np.minimum(brighter + slack, 0.0)) - through) / (1 - through)
    dark = np.clip(covered, 0, 1)
    # Brighter, beside something bright: the more so, the farther its light is spread.
    spread = np.clip((without - within) * _SPREAD, 1.0, _MOST_SPREAD)
    bright = 1 - eased(((brighter - slack) / spread - _ALIKE) / (_OTHER - _ALIKE))
    bright = np.where(without > within, bright, 1.0)
    axes = np.hypot(told[..., 1] - inside[..., 1], told[..., 2] - inside[..., 2])
    # Noise shakes colour about as much as light.
    coloured = 1 - eased((axes - 0.25 * slack - _AXES_ALIKE) / (_AXES_OTHER - _AXES_ALIKE))
    found = np.minimum(np.minimum(dark, bright), coloured)
    lamp = stop > np.maximum(within, without) + np.log2(_OUTSHINES)
    return np.where(lamp, eased(2 * sure - 0.5), found).astype(np.float32)
