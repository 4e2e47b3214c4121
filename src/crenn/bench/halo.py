"""Halo: what the light on one side of an edge does to the other in the picture.

A wall that glows towards a window is rendered twice, by one treatment: with the window, and with the wall going on
where it is. Beside the edge, both pictures should be the same; likewise within the window.
"""

import cv2
import numpy as np

from crenn.bench.table import Table
from crenn.core.colorimetry.spaces import srgb_to_lab
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.starts.starts import start_values
from crenn.core.treatment import Treatment, parse_treatment

_SIZE = (600, 900)
#: Half the window's width and height, in pixels.
_HALF = (150, 120)
_WALL = -8.0
#: Widths of the rings in which L* is compared, beside the edge and further away, in pixels.
_NEAR, _WIDE = range(3, 60, 3), range(60, 200, 15)


def window(brighter: float) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Light of a wall with a window, of the wall alone, of the window alone, and the window's mask, float32 (H, W)."""
    rng = np.random.default_rng(1)
    texture = cv2.GaussianBlur(rng.standard_normal(_SIZE).astype(np.float32), (0, 0), 1.5)
    texture *= 0.15 / texture.std()
    y, x = np.mgrid[: _SIZE[0], : _SIZE[1]].astype(np.float32)
    away = np.abs(x - _SIZE[1] / 2) - _HALF[0]
    wall = np.exp2(_WALL + np.exp(-np.clip(away, 0, None) / 150) + texture)
    pane = np.exp2(_WALL + brighter + 0.5 * y / _SIZE[0] + 0.5 * texture)
    inside = (away < 0) & (np.abs(y - _SIZE[0] / 2) < _HALF[1])
    mask = cv2.GaussianBlur(inside.astype(np.float32), (0, 0), 0.7)
    return wall * (1 - mask) + pane * mask, wall, pane, mask


def _rings(difference: np.ndarray, distance: np.ndarray, rings: range) -> float:
    means = [difference[(distance > r) & (distance <= r + rings.step)].mean() for r in rings]
    return float(max(map(abs, means)))


def halo(brighter: float, document: dict) -> tuple[float, float, float]:
    """Difference in L* beside the edge on the wall, further away on it, and beside the edge in the window."""
    both, wall, pane, mask = window(brighter)

    def scene(light: np.ndarray, report: dict) -> PreparedScene:
        rgb = np.repeat(light[..., None], 3, -1).astype(np.float32)
        return PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.02, report=report))

    whole = scene(both, {})
    treatment: Treatment = parse_treatment(document).started(start_values(whole.light, "as-it-was"))

    def tones(light: np.ndarray) -> np.ndarray:
        # All by the same report: automatic values and the floor are those of the whole.
        codes, _ = Renderer(scene(light, whole.report)).picture(treatment, Window.whole(_SIZE), 16)
        return np.asarray(srgb_to_lab(codes / 65535.0)[..., 0])

    shown = tones(both)
    outside = cv2.distanceTransform((mask < 0.01).astype(np.uint8), cv2.DIST_L2, 5)
    inside = cv2.distanceTransform((mask > 0.99).astype(np.uint8), cv2.DIST_L2, 5)
    on_wall = shown - tones(wall)
    return (
        _rings(on_wall, outside, _NEAR),
        _rings(on_wall, outside, _WIDE),
        _rings(shown - tones(pane), inside, _NEAR),
    )


def table() -> Table:
    """The default treatment, and stronger ones, at edges of 3, 5 and 8 stops."""
    out = Table("Halo beside a window, L* by the edge's height", ("dark side", "wide", "bright side"))
    for label, document in (
        ("automatic", {}),
        ("shadows opened by 3 EV", {"placement": {"shadows": 3.0}}),
        ("highlights held by 4 EV", {"placement": {"highlights": -4.0}}),
    ):
        for brighter in (3.0, 5.0, 8.0):
            out.add(f"{label}, {brighter:g} stops", *halo(brighter, document))
    return out
