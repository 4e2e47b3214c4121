"""How true enlarged pictures are: reduced, and brought back to the size that they had."""

import time

import cv2
import numpy as np

from crenn.bench.charts import shipped
from crenn.bench.table import Table
from crenn.core.colorimetry.spaces import srgb_encode
from crenn.core.deliver.enlarge import enlarged
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

_SCENES = ("lock-basin", "kiln-yard", "dam-crest")
_TIMES = (2, 3, 4)


def _ways(light: np.ndarray, times: int, size: tuple[int, int]) -> dict[str, np.ndarray]:
    roots = np.sqrt(np.maximum(light, 0))
    return {
        "along edges": enlarged(light, (float(times), float(times)), (0, 0, *size)),
        "cubic": cv2.resize(light, size, interpolation=cv2.INTER_CUBIC),
        "cubic, of roots": cv2.resize(roots, size, interpolation=cv2.INTER_CUBIC) ** 2,
        "Lanczos": cv2.resize(light, size, interpolation=cv2.INTER_LANCZOS4),
    }


def bench() -> list[Table]:
    """PSNR of codes in dB, and the halo: by how much codes leave the range that the true picture has about a place."""
    table = Table("Enlarged: PSNR of codes in dB, halo as its 99.9th percentile in %", ("2 ×", "3 ×", "4 ×"))
    speed = Table("Enlarged 4 ×, seconds for each megapixel of the result", ("seconds",))
    for name in _SCENES:
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(shipped(name, 0), None)))
        light = renderer.shown(Treatment(), Window.whole(renderer.scene.size))[0]
        light = np.ascontiguousarray(light[: light.shape[0] // 12 * 12, : light.shape[1] // 12 * 12])
        size = light.shape[1], light.shape[0]
        true = srgb_encode(light).astype(np.float32)
        rows: dict[str, tuple[list[float], list[float]]] = {}
        for times in _TIMES:
            small = cv2.resize(light, (size[0] // times, size[1] // times), interpolation=cv2.INTER_AREA)
            about = np.ones((2 * times + 1, 2 * times + 1), np.uint8)
            low, high = cv2.erode(true, about), cv2.dilate(true, about)
            for way, made in _ways(small, times, size).items():
                codes = srgb_encode(np.clip(made, 0, 1)).astype(np.float32)
                halo = np.maximum(np.maximum(codes - high, low - codes), 0)
                psnr, beyond = rows.setdefault(way, ([], []))
                psnr.append(round(float(-10 * np.log10(((codes - true) ** 2).mean())), 2))
                beyond.append(100 * float(np.quantile(halo, 0.999)))
            if times == _TIMES[-1]:
                began = time.perf_counter()
                enlarged(small, (4.0, 4.0), (0, 0, *size))
                speed.add(name, (time.perf_counter() - began) / (size[0] * size[1] / 1e6))
        for way, (psnr, beyond) in rows.items():
            table.add(f"{name}, {way}", *psnr)
            table.add(f"{name}, {way}: halo", *beyond)
    return [table, speed]
