"""Scenes of two lights, such as lamps and the sky: what they are, and which place has which.

After Gijsenij, Lu and van de Weijer 2012, "Color constancy for multiple light sources": the light is estimated patch by
patch, the estimates fall into two groups, and each place belongs to either by how near it lies.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.colorimetry.white import balance_matrix
from crenn.core.light.guided import departing
from crenn.core.light.white_patch import TINTS, White, speaking, white_of_patch
from crenn.core.pipeline.planes import Plane, PlaneContext, once_for_light

#: Side of the patches, in pixels, and the share of one that must have light.
_PATCH, _LIT = 16, 0.6
#: How often the groups are taken anew, and what a colour counts for by its distance from its group's, in stops.
_ROUNDS, _DULL = 25, 0.7
#: Two lights lie at least so many mired apart, and each has this share of the patches.
_APART, _LEAST = 50.0, 0.08
#: Tints of lights that are found lie no farther from white light, in thousandths of Duv.
_TINT = 25.0
#: Which light a place has varies over so much of the picture, in %, but for edges of colour of so many stops.
_WIDE, _EDGE = 2.5, 0.6


@dataclass(frozen=True)
class TwoLights:
    """The larger light of a scene, and the other; ``share`` of the scene is the other's."""

    first: White
    second: White
    share: float


def _ratios(rgb: np.ndarray) -> np.ndarray:
    """Logarithms of red and blue over green, (..., 2)."""
    logs = np.log2(np.maximum(rgb, 1e-12))
    return np.asarray(np.stack([logs[..., 0] - logs[..., 1], logs[..., 2] - logs[..., 1]], -1))


def _patches(rgb: np.ndarray, floor: float, ceiling: float) -> np.ndarray:
    """Ratios of the mean light of patches that have enough of it, (N, 2)."""
    small, lit = speaking(rgb, floor, ceiling)
    y = luminance(small)
    # Each place counts alike: a bright one is no more light of its kind than a dark one.
    even = np.where(lit[..., None], small / np.maximum(y, 1e-12)[..., None], 0).astype(np.float32)
    size = max(small.shape[1] // _PATCH, 1), max(small.shape[0] // _PATCH, 1)
    share = cv2.resize(lit.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    mean = cv2.resize(even, size, interpolation=cv2.INTER_AREA) / np.maximum(share, 1e-6)[..., None]
    return _ratios(mean[share > _LIT].astype(np.float64))


def two_lights(rgb: np.ndarray, as_shot: tuple[float, float], floor: float = 0.0, ceiling: float = np.inf) -> TwoLights:
    """Find the two lights of a scene.

    Parameters
    ----------
    rgb : ndarray, float32 (H, W, 3)
        Scene-linear Rec. 2020, balanced as shot.
    as_shot : tuple of float
    floor, ceiling : float
        Luminance below which noise rules, and from which lamps and lost light do.

    Raises
    ------
    ValueError
        If nothing is bright enough to say anything, or there is one light.
    """
    places = _patches(rgb, floor, ceiling)
    if len(places) < 24:
        raise ValueError("Nothing in the picture is bright enough to tell the colour of its light.")
    # From warm to cold is where lights differ.
    warmth = places[:, 0] - places[:, 1]
    centres = np.array(
        [places[warmth >= np.quantile(warmth, 0.8)].mean(0), places[warmth <= np.quantile(warmth, 0.2)].mean(0)]
    )
    of_second = np.zeros(len(places), bool)
    for _ in range(_ROUNDS):
        away = ((places[:, None] - centres) ** 2).sum(-1)
        of_second = away[:, 1] < away[:, 0]
        if not of_second.any() or of_second.all():
            break
        for k, own in enumerate((~of_second, of_second)):
            weight = np.exp(-away[own, k] / (2 * _DULL**2)) + 1e-9
            centres[k] = (places[own] * weight[:, None]).sum(0) / weight.sum()
    share = float(of_second.mean())
    warm, cold = (_light(centre, as_shot) for centre in centres)
    if min(share, 1 - share) < _LEAST or 1e6 / warm.temperature - 1e6 / cold.temperature < _APART:
        raise ValueError("One light explains this picture: there is no second that differs enough.")
    return TwoLights(warm, cold, share) if share <= 0.5 else TwoLights(cold, warm, 1 - share)


def _light(ratios: np.ndarray, as_shot: tuple[float, float]) -> White:
    """The white light nearest to ratios of red and blue over green."""
    found = white_of_patch(np.exp2([ratios[0], 0.0, ratios[1]]), as_shot)
    tint = float(np.clip(found.tint, max(-_TINT, TINTS[0]), min(_TINT, TINTS[1])))
    return White(found.temperature, tint)


def _as_recorded(light: tuple[float, float], as_shot: tuple[float, float]) -> np.ndarray:
    """Ratios of red and blue over green of what is white under a light, balanced as shot, (2,)."""
    return _ratios(np.linalg.solve(balance_matrix(light, as_shot), np.ones(3)))


def share_plane(first: tuple[float, float], second: tuple[float, float], as_shot: tuple[float, float]) -> Plane:
    """A plane of how far each place has the second light, 0 to 1; lights are (temperature, tint)."""
    start, end = (_as_recorded(light, as_shot) for light in (first, second))
    along = end - start
    length = max(float(along @ along), 1e-9)

    def make(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
        least = np.float32(0.02) * np.maximum(luminance(rgb), np.float32(around.floor))
        ratios = _ratios(np.maximum(rgb, least[..., None]))
        share = ((ratios - start) @ along / length).clip(-0.5, 1.5).astype(np.float32)
        even = np.clip(share - departing(share, _WIDE, _EDGE, around), 0, 1)
        return np.asarray(even * even * (3 - 2 * even), np.float32)

    return Plane("two_lights.share", (first, second, as_shot), 8 * _WIDE, make)


def balance_planes(
    first: tuple[float, float], second: tuple[float, float], as_shot: tuple[float, float]
) -> tuple[Plane, Plane, Plane]:
    """Planes of EV of red, green and blue by which each place is as if it had the first light; before white balance.

    They go by the lights alone: a dial between those leaves them.
    """
    share = share_plane(first, second, as_shot)
    red, blue = (float(v) for v in _as_recorded(first, as_shot) - _as_recorded(second, as_shot))
    found = once_for_light(share.make)

    def plane(name: str, ev: float) -> Plane:
        def make(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
            return np.asarray(found(rgb, around) * np.float32(ev), np.float32) if ev else _even(rgb, 0.0)

        return Plane(f"two_lights.{name}", share.depends, share.reach, make)

    return plane("red", red), plane("green", 0.0), plane("blue", blue)


def even_planes(
    light: tuple[float, float], other: tuple[float, float], as_shot: tuple[float, float]
) -> tuple[Plane, Plane, Plane]:
    """Planes of EV of red, green and blue by which all places of one light are as if they had another."""
    red, blue = (float(v) for v in _as_recorded(other, as_shot) - _as_recorded(light, as_shot))

    def plane(ev: float) -> Plane:
        return Plane("two_lights.even", (ev,), 0.0, lambda rgb, around: _even(rgb, ev))

    return plane(red), plane(0.0), plane(blue)


def _even(rgb: np.ndarray, ev: float) -> np.ndarray:
    return np.full(rgb.shape[:2], ev, np.float32)
