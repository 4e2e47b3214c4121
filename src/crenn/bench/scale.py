"""Whether every step shows the same picture at every size."""

import cv2
import numpy as np

from crenn.bench.charts import shipped
from crenn.bench.table import Table
from crenn.bench.treatments import IN_USE
from crenn.core.colorimetry.spaces import delta_e2000, srgb_to_lab
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment

#: Side of the windows at full size, in pixels.
_SIDE = 480


def corners_and_centre(size: tuple[int, int], side: int) -> list[Window]:
    """Windows at full size in the corners and in the centre of a picture of size (H, W)."""
    height, width = size
    side = min(side, height, width)
    ends = [(0, 0), (width - side, 0), (0, height - side), (width - side, height - side)]
    return [Window(x, y, side, side, side, side) for x, y in [*ends, ((width - side) // 2, (height - side) // 2)]]


def _difference(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    return delta_e2000(srgb_to_lab(one / 65535), srgb_to_lab(other / 65535))


def bench() -> list[Table]:
    columns = ("1200 px", "99 %", "600 px", "99 %", "windows", "99 %")
    table = Table("Scale consistency: against the full render, ΔE2000, mean and 99th percentile", columns)
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(shipped("lock-basin", 2), None)))
    for name, document in IN_USE.items():
        treatment = parse_treatment(document)
        size = renderer.frame(treatment).size
        full = renderer.picture(treatment, Window.whole(size), 16)[0]
        values: list[float] = []
        for edge, oversample in ((1200, 2), (600, 3)):
            window = Window.whole(size, edge)
            reduced = cv2.resize(full, (window.out_width, window.out_height), interpolation=cv2.INTER_AREA)
            off = _difference(reduced, renderer.picture(treatment, window, 16, oversample)[0])
            values += [float(off.mean()), float(np.quantile(off, 0.99))]
        parts = []
        for window in corners_and_centre(size, _SIDE):
            x, y, side = int(window.x), int(window.y), window.out_width
            shown = renderer.picture(treatment, window, 16)[0]
            parts.append(_difference(full[y : y + side, x : x + side], shown).ravel())
        found = np.concatenate(parts)
        table.add(name, *values, float(found.mean()), float(np.quantile(found, 0.99)))
    return [table]
