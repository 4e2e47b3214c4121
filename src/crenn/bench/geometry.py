"""Level and verticals found, and what the one resampling keeps and adds."""

import cv2
import numpy as np
from scipy.special import erf

from crenn.bench.charts import shipped
from crenn.bench.table import Table
from crenn.camera.scenes import SCENES
from crenn.core.errors import CrennError
from crenn.core.geometry.lines import SEARCHED, find_lines, straighten
from crenn.core.pipeline.picture_geometry import PictureGeometry, about
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.view import View
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

_ANGLES = (-7.0, -2.3, -0.6, 0.0, 1.1, 4.0)
#: Share of a turned picture that has no empty corners.
_INNER = 0.8
_LAMP = 40.0


def _turned(scene: PreparedScene, degrees: float) -> np.ndarray:
    """The inner part of a scene held askew by an angle, reduced to the size that lines are looked for at."""
    height, width = scene.size
    turn = np.radians(degrees)
    cos, sin = np.cos(turn), np.sin(turn)
    back = about((width / 2, height / 2), np.array([[cos, sin, 0], [-sin, cos, 0], [0, 0, 1.0]]))
    out = round(SEARCHED), round(SEARCHED * height / width)
    inner = Window(width * (1 - _INNER) / 2, height * (1 - _INNER) / 2, width * _INNER, height * _INNER, *out)
    return Renderer(scene).light(View(scene, PictureGeometry.whole(scene.size).after(back), inner))


def lines() -> Table:
    """Level and vertical found on the demo world's scenes, held askew by known angles."""
    columns = ("level, worst", "vertical, truth", "worst off", "lines")
    table = Table("Level and verticals found, degrees off the truth", columns)
    for name, make in SCENES.items():
        about_scene = make()
        rgb = shipped(name, 0)
        scene = PreparedScene.from_radiance(RadianceMap(rgb, None))
        pitch, half_view = about_scene.camera[4], about_scene.camera[5]
        # The light that ships has a margin round the picture.
        wide = half_view * (1 + about_scene.margin)
        truth = float(np.degrees(np.arctan(np.tan(pitch) * 2 * wide)))
        off, vertical, count = [], [], []
        for angle in _ANGLES:
            found = find_lines(_turned(scene, angle), scene.floor) * _INNER
            count.append(len(found))
            try:
                straight = straighten(found)
            except CrennError:
                off.append(np.inf)
                continue
            off.append(abs(straight.level + angle))
            vertical.append(abs(straight.vertical - truth))
        table.add(name, float(max(off)), truth, float(max(vertical)) if vertical else None, int(np.median(count)))
    return table


def _mtf50(light: np.ndarray, normal: np.ndarray, middle: np.ndarray) -> float:
    """Cycles per pixel at which an edge through a place has half its contrast (ISO 12233, along the normal)."""
    y, x = np.mgrid[: light.shape[0], : light.shape[1]] + 0.5
    distance = (x - middle[0]) * normal[0] + (y - middle[1]) * normal[1]
    near = np.abs(distance) < 10
    bins = np.round(distance[near] * 10).astype(int) + 100
    spread = np.bincount(bins, light[near]) / np.maximum(np.bincount(bins), 1)
    line = np.diff(spread[2:-2]) * np.hanning(len(spread) - 5)
    response = np.abs(np.fft.rfft(line, 4096))
    response = response / response[0]
    return float(np.argmax(response < 0.5) * 10 / 4096)


def _ways(rgb: np.ndarray, angle: float) -> dict[str, np.ndarray]:
    """A chart turned about its middle by an angle, resampled in several ways, green alone."""
    size = rgb.shape[:2]
    document = Treatment.neutral().model_dump() | {"level": {"angle": angle}, "crop": {"on": False}}
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
    matrix = cv2.getRotationMatrix2D((size[1] / 2 - 0.5, size[0] / 2 - 0.5), -angle, 1.0)
    out = {"Crenn": renderer.linear(parse_treatment(document), Window.whole(size))[..., 1]}
    for name, flag in (("cubic", cv2.INTER_CUBIC), ("Lanczos", cv2.INTER_LANCZOS4), ("linear", cv2.INTER_LINEAR)):
        out[f"OpenCV {name}, on light"] = cv2.warpAffine(rgb, matrix, size[::-1], flags=flag)[..., 1]
    return out


def resampling(angle: float = 2.3) -> Table:
    """Sharpness kept, and rings about a lamp, after a turn."""
    columns = ("MTF50 kept", "ring, darkest stops", "ring, brightest stops", "pixels below nothing")
    table = Table(f"One resampling, a turn by {angle}°", columns)
    side = 400
    y, x = np.mgrid[:side, :side] + 0.5

    def edge(lean: float) -> tuple[np.ndarray, np.ndarray]:
        """An edge as a good lens draws it, an error function of 0.6 pixels, and the way across it."""
        normal = np.array([np.cos(np.radians(lean)), np.sin(np.radians(lean))])
        distance = (x - side / 2) * normal[0] + (y - side / 2) * normal[1]
        return 0.15 + 0.35 * (0.5 + 0.5 * erf(distance / (0.6 * np.sqrt(2)))), normal

    # Neither way runs along a simple ratio of rows and columns, where distances would repeat.
    given, _ = edge(4.1)
    truth, across = edge(4.1 + angle)
    middle = np.full(2, side / 2)
    edges = _ways(np.repeat(given[..., None], 3, -1).astype(np.float32), angle)
    radius = np.hypot(x - side / 2, y - side / 2)
    lamp = np.where(radius < 5, _LAMP, 0.01)[..., None].repeat(3, -1)
    lamps = _ways(cv2.GaussianBlur(lamp.astype(np.float32), (0, 0), 0.5), angle)
    around = (radius > 8) & (radius < 14)
    for name, light in edges.items():
        kept = _mtf50(light, across, middle) / _mtf50(truth, across, middle)
        ring = np.log2(np.maximum(lamps[name][around], 1e-6) / 0.01)
        table.add(name, kept, float(ring.min()), float(ring.max()), int((lamps[name] <= 0)[20:-20, 20:-20].sum()))
    return table


def bench() -> list[Table]:
    return [lines(), resampling()]
