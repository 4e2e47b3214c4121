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
#: A ring of fewer pixels tells nothing.
_LEAST = 50


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
    within = [difference[(distance > r) & (distance <= r + rings.step)] for r in rings]
    return float(max(abs(ring.mean()) for ring in within if ring.size >= _LEAST))


def halo(brighter: float, document: dict) -> tuple[float, float, float]:
    """Difference in L* beside the edge on the wall, further away on it, and beside the edge in the window."""
    both, wall, pane, mask = window(brighter)
    grey = [np.repeat(light[..., None], 3, -1).astype(np.float32) for light in (both, wall, pane)]
    return _compared(grey[0], grey[1], grey[2], mask, document)


def _compared(
    both: np.ndarray, wall: np.ndarray, pane: np.ndarray, mask: np.ndarray, document: dict
) -> tuple[float, float, float]:
    """`halo` of light, float32 (H, W, 3): of both, and of either side alone; ``mask`` tells which is where."""

    def scene(rgb: np.ndarray, report: dict) -> PreparedScene:
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


def room() -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Light of a room with three windows, of its walls alone, of what is outside alone, and the windows' mask.

    float32 (H, W, 3) each, and (H, W).
    """
    rng = np.random.default_rng(1)

    def grain(deviation: float) -> np.ndarray:
        found = cv2.GaussianBlur(rng.standard_normal(_SIZE).astype(np.float32), (0, 0), deviation)
        return np.asarray(found / found.std())

    y, x = np.mgrid[: _SIZE[0], : _SIZE[1]].astype(np.float32)
    mask = np.zeros(_SIZE, np.float32)
    for left in (80, 350, 620):
        bars = (np.abs(x - left - 90) > 4) & (np.abs(y - 220) > 4)
        mask[(x > left) & (x < left + 180) & (y > 60) & (y < 380) & bars] = 1
    mask = cv2.GaussianBlur(mask, (0, 0), 0.7)
    away = cv2.distanceTransform((mask < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    stops = -7.5 + 1.3 * np.exp(-away / 120) - y / _SIZE[0] + 0.12 * grain(1.5) + 0.2 * grain(40)
    floor = y > 440
    paint = np.where(floor[..., None], [0.44, 0.29, 0.15], [0.72, 0.63, 0.47])
    walls = np.exp2(stops + np.where(floor, 0.4 * grain(3), 0))[..., None] * paint
    sky = np.exp2(-0.8 + 0.5 * y / 380 + 0.04 * grain(20))[..., None] * np.array([0.39, 0.52, 0.96])
    trees = np.exp2(-2.3 + 0.6 * grain(2))[..., None] * np.array([0.33, 0.48, 0.16])
    outside = np.where((y > 260 + 20 * grain(8))[..., None], trees, sky)
    both = walls * (1 - mask[..., None]) + outside * mask[..., None]
    return tuple(v.astype(np.float32) for v in (both, walls, outside, mask))


def in_a_room(document: dict) -> tuple[float, float, float]:
    """As `halo`, of a room with windows."""
    both, walls, outside, mask = room()
    return _compared(both, walls, outside, mask, document)


def table() -> Table:
    """The default treatment, and stronger ones, at edges of 3, 5 and 8 stops, and in a room with windows."""
    out = Table("Halo beside a window, L* by the edge's height", ("dark side", "wide", "bright side"))
    for label, document in (
        ("automatic", {}),
        ("shadows opened by 3 EV", {"placement": {"shadows": 3.0}}),
        ("highlights held by 4 EV", {"placement": {"highlights": -4.0}}),
    ):
        for brighter in (3.0, 5.0, 8.0):
            out.add(f"{label}, {brighter:g} stops", *halo(brighter, document))
        out.add(f"{label}, a room with windows", *in_a_room(document))
    return out
