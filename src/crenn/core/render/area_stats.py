"""What lies within areas: their outlines, the stops inside, and what a place looks like before any dial."""

from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.areas.appearance import appearance_features
from crenn.core.areas.area import FULL, Area
from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import CrennError
from crenn.core.render.renderer import Renderer
from crenn.core.render.source import Source
from crenn.core.render.view import View
from crenn.core.render.window import Window

#: Longer side of the scene in which outlines are drawn, and in which stops are counted, in pixels.
_OUTLINED, _COUNTED = 240, 600
#: Outlines keep within so many pixels of it, and have at most so many lines.
_CLOSE, _MOST = 0.6, 60


@dataclass(frozen=True)
class Outline:
    """An area's mask in few words.

    Attributes
    ----------
    lines : list of ndarray, float64 (N, 2)
        Closed lines on which the mask is half of its most, in shares of the scene's longer side.
    share : float
        Of the scene, that is within.
    """

    lines: list[np.ndarray]
    share: float


def _mask(renderer: Renderer, scene: Source, area: Area, side: int) -> tuple[np.ndarray, View]:
    """An area's mask of the whole scene, uint16 (h, w), at its full opacity, and the view that it is of."""
    view = View.of_scene(scene, Window.whole(scene.size, side), False)
    return renderer.mask(area.opaque, view), view


def outline(renderer: Renderer, scene: Source, area: Area) -> Outline:
    """The outline of an area's mask, and how much of the scene is within."""
    mask, view = _mask(renderer, scene, area, _OUTLINED)
    # A border of nothing closes lines that run along the scene's.
    inside = cv2.copyMakeBorder((mask > FULL // 2).astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT)
    found, _ = cv2.findContours(inside, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    found = sorted(found, key=len, reverse=True)[:_MOST]
    unit = view.scale * view.frame.long_side
    # Contours run through the middles of pixels within.
    lines = [(cv2.approxPolyDP(line, _CLOSE, True)[:, 0].astype(np.float64) - 0.5) / unit for line in found]
    return Outline([line for line in lines if len(line) > 2], float(mask.mean() / FULL))


def stops_within(renderer: Renderer, scene: Source, area: Area) -> np.ndarray:
    """Share of the scene that lies within an area, per bin of its report's histogram, float64 (N,)."""
    mask, view = _mask(renderer, scene, area, _COUNTED)
    report = scene.report
    count, start, width = len(report["histogram"]), report["histogram_start"], report["histogram_bin"]
    light = luminance(renderer.light(view))
    bins = np.floor((np.log2(np.maximum(light, 2.0**-40)) - start) / width).astype(np.int64)
    counts = np.bincount(np.clip(bins, 0, count - 1).ravel(), mask.ravel() / float(FULL), count)
    return np.asarray(counts / mask.size)


def holding(renderer: Renderer, scene: Source, areas: list[Area], place: tuple[float, float]) -> list[Area]:
    """Those of some areas whose mask holds a place by half or more.

    Parameters
    ----------
    renderer : Renderer
    scene : Source
        Its scene, or that mended.
    areas : list of Area
    place : tuple of float
        In shares of the scene's longer side.

    Raises
    ------
    CrennError
        If it lies outside the scene.
    """
    side = max(scene.size)
    window = Window.about((place[0] * side, place[1] * side), 1.0, scene.size)
    view = View.of_scene(scene, window)
    return [area for area in areas if renderer.mask(area.opaque, view).mean() >= FULL / 2]


def sample_colour(renderer: Renderer, place: tuple[float, float], radius: float) -> tuple[float, float, float]:
    """Oklab's opponent axes in proportion to lightness, and the stop, of a patch of the scene before any dial.

    Parameters
    ----------
    renderer : Renderer
    place : tuple of float
        Its middle, in shares of the scene's longer side.
    radius : float
        Full-size pixels.

    Raises
    ------
    CrennError
        If it lies outside the scene, or is too dark to have a colour.
    """
    scene = renderer.scene
    side = max(scene.size)
    window = Window.about((place[0] * side, place[1] * side), radius, scene.size)
    mean = renderer.light(View.of_scene(scene, window)).reshape(-1, 3).mean(0)
    if luminance(mean) < scene.floor:
        raise CrennError("This place is black: what colour it has is noise.", remedy="Pick a brighter one.")
    stop, a, b = (float(v) for v in appearance_features(mean[None, None].astype(np.float32), scene.floor)[0, 0])
    return a, b, stop
