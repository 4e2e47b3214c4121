"""Time of dragging and of pictures at rest."""

import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import cv2
import numpy as np

from crenn.api.renderers import room
from crenn.bench.charts import shipped
from crenn.bench.table import Table
from crenn.bench.treatments import AREAS, IN_USE
from crenn.camera.scenes import SCENES
from crenn.camera.shoot import SHIPPED_SIZE, shoot
from crenn.core.merge.merge import merge_frames
from crenn.core.pipeline.step import LightStep
from crenn.core.radiance import RadianceMap
from crenn.core.render.cache import Cache
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import STEPS, Treatment, parse_treatment
from crenn.demo import finished_document

#: Pictures that are timed for each dial; the first few are not counted.
_TIMES = 36


def _large(width: int = 6000) -> np.ndarray:
    rgb = shipped("lock-basin", 2)
    return cv2.resize(rgb, (width, width * 2 // 3), interpolation=cv2.INTER_CUBIC).clip(1e-5)


def large_renderer() -> Renderer:
    """A renderer of 24 MP without noise."""
    return Renderer(PreparedScene.from_radiance(RadianceMap(_large(), None)))


def _encoded(
    renderer: Renderer, treatment: Treatment, window: Window, quality: int, oversample: int = 1, fine: bool = True
) -> None:
    codes, _ = renderer.picture(treatment, window, oversample=oversample, fine=fine)
    cv2.imencode(".jpg", cv2.cvtColor(codes, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, quality])


def drags(renderer: Renderer, window: Window, change, rest: bool = False) -> tuple[float, float]:
    """Median and 95th percentile, in ms, while dragging or at rest."""
    times = []
    for i in range(_TIMES):
        treatment = parse_treatment(change(i / _TIMES))
        began = time.perf_counter()
        larger = renderer.oversampling(renderer.frame(treatment), window) if rest else 1
        _encoded(renderer, treatment, window, 93 if rest else 82, larger, fine=rest)
        times.append((time.perf_counter() - began) * 1000)
    return float(np.median(times[5:])), float(np.quantile(times[5:], 0.95))


def every_dial() -> dict[str, Callable[[float], dict]]:
    """For each dial of a step of light, by ``step.name``: the treatment at a share of its way."""

    def turned(step: str, name: str, low: float, high: float, share: float) -> dict:
        return {step: {name: low + (high - low) * (0.3 + 0.4 * share)}}

    out: dict[str, Callable[[float], dict]] = {}
    for step in STEPS:
        if not isinstance(step, LightStep):
            continue
        for name, info in step.parameters.model_fields.items():
            extra = info.json_schema_extra
            if isinstance(extra, dict) and extra.get("kind") == "dial":
                ends = float(str(extra["low"])), float(str(extra["high"]))
                out[f"{step.name}.{name}"] = partial(turned, step.name, name, *ends)
    return out


def interactive() -> Table:
    """A dial dragged, in a 1280x800 window of a 24 MP picture, to encoded bytes."""
    table = Table("Speed: a dial dragged, ms to encoded bytes, 24 MP scene", ("median", "95 %"))
    renderer = large_renderer()
    whole, full = Window.whole(renderer.scene.size, 1200), Window(2000, 1400, 1280, 800, 1280, 800)
    coarse = Window(0, 0, whole.width, whole.height, whole.out_width // 2, whole.out_height // 2)
    dials = every_dial() | {
        "a rung": lambda s: {"placement": {"rungs": [{"stop": -6, "ev": 3 * s}]}},
        "a point of the curve": lambda s: {"curve": {"points": [{"at": -4, "to": -4 + s}]}},
        "a point of red": lambda s: {"curve": {"red": [{"at": -4, "to": -4 + s}]}},
        "shadows, by scale": lambda s: {"placement": {"way": "laplacian", "shadows": 4 * s}},
        "shadows, fused": lambda s: {"placement": {"way": "fusion", "shadows": 4 * s}},
        "level": lambda s: {"level": {"angle": 5 * s}},
        "vertical": lambda s: {"perspective": {"vertical": 8 * s}},
        "an area's exposure": lambda s: {"areas": [AREAS[0] | {"bends": {"exposure.ev": -2 * s}}]},
        "an area's ellipse": lambda s: {
            "areas": [AREAS[1] | {"parts": [AREAS[1]["parts"][0] | {"centre": [0.3 + s / 3, 0.4]}]}]
        },
        "exposure, all else in use": lambda s: IN_USE["all together"] | {"exposure": {"ev": 4 * s}},
    }
    for name, change in dials.items():
        table.add(f"{name}, fitted, while dragging (coarse)", *drags(renderer, coarse, change))
        table.add(f"{name}, fitted, one pixel each", *drags(renderer, whole, change))
    exposure = dials["exposure.ev"]
    table.add("exposure, fitted, after letting go", *drags(renderer, whole, exposure, True))
    table.add("level, fitted, after letting go", *drags(renderer, whole, dials["level"], True))
    table.add("exposure, at 100 %", *drags(renderer, full, exposure))
    return table


#: Longer sides of windows that a finished picture is asked for at rest, in pixels.
_AT_REST = (736, 1000, 1080, 1280, 1600, 2000, 2500)


def rest() -> Table:
    """The demo's finished pictures at rest, once a dial has been turned, at windows of many sizes."""
    table = Table("Speed: the demo's finished pictures at rest, ms to encoded bytes", tuple(map(str, _AT_REST)))
    for name in SCENES:
        with tempfile.TemporaryDirectory() as folder:
            shot = shoot(name, Path(folder), SHIPPED_SIZE, truth=False)
            scene = PreparedScene.from_radiance(merge_frames([*shot.frames, *shot.darks], shot.reference))
        scene.split_noise()
        renderer, document = Renderer(scene, Cache(room())), finished_document(name)
        medians = []
        for edge in _AT_REST:
            times = []
            for i in range(7):
                treatment = parse_treatment(document | {"exposure": {"ev": i / 10}})
                height, width = renderer.frame(treatment).size
                zoom = min(edge / max(height, width), 1.0)
                window = Window(0, 0, width, height, round(width * zoom), round(height * zoom))
                began = time.perf_counter()
                finer = renderer.oversampling(renderer.frame(treatment), window)
                _encoded(renderer, treatment, window, 93, finer)
                times.append((time.perf_counter() - began) * 1000)
            # The first makes what stays as long as the window does.
            medians.append(float(np.median(times[1:])))
        table.add(name, *medians)
    return table
